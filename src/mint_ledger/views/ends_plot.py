"""Where and why runs end, as a figure: what did it, of each ending; in games with space also where."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.views.canvas import canvas, legend_below
from mint_ledger.views.ends_text import RESULTS
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import CAUSE_COLOURS, HATCHES, OTHERS, RESULT_COLOURS, SIZE

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.studies.ends import End, Ends

MARKERS = {"win": "o", "lose": "x", "draw": "s", "unfinished": "^"}
NAME = 32
# So many causes have a color of their own; the rest are told together.
MOST = 11


def plot_ends(ends: Ends) -> Figure:
    """Draw what did it last, as shares of each ending; in games with space also where runs ended."""
    figure = canvas(*SIZE)
    figure.suptitle(f"{ends.title} · {ends.runs:,} runs · seed {ends.seed}", fontsize=13)
    placed = [end for end in ends.ends if any(moment.place is not None for moment in end.moments)]
    axes = figure.subplots(1, 2 if placed else 1, squeeze=False)[0]
    _causes(ends, axes[0])
    if placed:
        _places(placed, axes[1])
    return figure


def _causes(ends: Ends, axis: Axes) -> None:
    known = [*ends.ends, *ends.on_the_way]
    names: dict[str, float] = {}
    for end in known:
        for cause, share in end.causes:
            names[cause.cause] = names.get(cause.cause, 0.0) + share.value
    ordered = sorted(names, key=lambda name: -names[name])
    shown, told = ordered[:MOST], set[str]()
    for place, end in enumerate(reversed(known)):
        left = 0.0
        shares: dict[str, float] = {}
        for cause, share in end.causes:
            name = cause.cause if cause.cause in shown else "others"
            shares[name] = shares.get(name, 0.0) + share.value
        for name in [*shown, "others"]:
            if name not in shares:
                continue
            number = shown.index(name) if name in shown else MOST
            axis.barh(
                place,
                100 * shares[name],
                left=left,
                color=OTHERS if name == "others" else CAUSE_COLOURS[number % len(CAUSE_COLOURS)],
                hatch=(HATCHES[number // len(CAUSE_COLOURS)] or None) if name != "others" else None,
                edgecolor="white",
                label=short(name, NAME) if name not in told else None,
            )
            told.add(name)
            if shares[name] >= 0.08:
                share_text = f"{100 * shares[name]:.0f} %"
                axis.text(left + 50 * shares[name], place, share_text, ha="center", va="center", fontsize=10)
            left += 100 * shares[name]
    axis.set_yticks(range(len(known)), [_row_name(end, ends.runs) for end in reversed(known)], fontsize=10)
    axis.set_xlim(0, 100)
    axis.set_xlabel("what did it last, % of the times")
    legend_below(axis, 3)
    axis.spines[["top", "right"]].set_visible(False)


def _row_name(end: End, runs: int) -> str:
    if end.result:
        result = f", {RESULTS[end.result]}" if end.name != end.result else ""
        return f"{short(end.name, NAME)}{result}\n{len(end.moments):,} of {runs:,} runs"
    return f"{short(end.name, NAME)}\n{len(end.moments):,} times"


def _places(ends: list[End], axis: Axes) -> None:
    for end in ends:
        places = [moment.place for moment in end.moments if moment.place is not None]
        axis.scatter(
            [x for x, _ in places],
            [y for _, y in places],
            marker=MARKERS[end.result],
            color=RESULT_COLOURS[end.result],
            alpha=0.6,
            s=36,
            label=f"{short(end.name, NAME)} ({RESULTS[end.result]})",
        )
    axis.set_xlabel("x, where the player was as the run ended")
    axis.set_ylabel("y")
    axis.set_aspect("equal", adjustable="datalim")
    legend_below(axis, 2)
    axis.spines[["top", "right"]].set_visible(False)
