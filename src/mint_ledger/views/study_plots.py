"""A study as figures: outcomes, survival, bands of accounts over time, what took and gave by cause."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from mint_ledger.errors import BadRequest
from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import sure_words
from mint_ledger.studies.study import FIGURES
from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import BLUE, GRAY, GREEN, ORANGE
from mint_ledger.views.short import short
from mint_ledger.views.study_text import fixed

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.studies.study import Study

SKY, OLIVE, PURPLE, DRAWN = "#56B4E9", "#999933", "#CC79A7", "#F0E442"
RESULT_COLOURS = {"win": BLUE, "lose": ORANGE, "draw": DRAWN, "unfinished": GRAY}
RESULT_WORDS = {"win": "won", "lose": "lost", "draw": "drawn", "unfinished": "unfinished"}
# Causes have not the colors of results, which mean won and lost; what is told together is gray.
CAUSE_COLOURS = (SKY, OLIVE, GREEN, PURPLE)
OTHERS = "#BBBBBB"
STYLES = ("-", "--", ":", "-.")
HATCHES = ("", "//", "..", "\\\\", "xx", "--")
SIZE = (12.8, 8.0)
PANEL = (12.8, 5.0)


def plot_study(study: Study, which: Sequence[str] = FIGURES) -> Figure:
    """Several figures of a study on one page."""
    figure = canvas(*SIZE)
    drawn = [name for name in which if name != "bands" or study.request.sampled]
    drawn = [name for name in drawn if name != "causes" or study.accounts]
    rows = (len(drawn) + 1) // 2
    axes = figure.subplots(rows, 2 if len(drawn) > 1 else 1, squeeze=False).ravel()
    for axis, name in zip(axes, drawn, strict=False):
        _DRAW[name](study, axis)
    for axis in axes[len(drawn) :]:
        axis.set_axis_off()
    figure.suptitle(f"{study.title} · {study.runs:,} runs · seed {study.seed}", fontsize=13)
    return figure


def _single(study: Study) -> tuple[Figure, Axes]:

    figure = canvas(*PANEL)
    figure.suptitle(f"{study.title} · {study.runs:,} runs · seed {study.seed}", fontsize=13)
    return figure, figure.subplots()


def plot_outcomes(study: Study) -> Figure:
    """Draw how often each ending came up, with its interval."""
    figure, axis = _single(study)
    _outcomes(study, axis)
    return figure


def plot_survival(study: Study) -> Figure:
    """Draw how many runs go on, and by which ending the others have ended, over time."""
    figure, axis = _single(study)
    draw_survival(study, axis)
    return figure


def plot_bands(study: Study, accounts: Sequence[str] | None = None) -> Figure:
    """Quantile bands of accounts over time, one panel each.

    Raises:
        BadRequest: the study read no values over time.
    """
    names = list(accounts if accounts is not None else study.request.sampled)
    if not names:
        raise BadRequest("this study read no values over time; ask for them with times=")
    figure = canvas(*SIZE)
    axes = figure.subplots(len(names), 1, sharex=True, squeeze=False)[:, 0]
    for axis, name in zip(axes, names, strict=True):
        draw_band(study, axis, name, legend=axis is axes[0], time=axis is axes[-1])
    figure.suptitle(f"{study.title} · {study.runs:,} runs · seed {study.seed}", fontsize=13)
    return figure


def plot_causes(study: Study, account: str | None = None) -> Figure:
    """Draw what took and gave an account its points in a run, on average, with intervals.

    Raises:
        BadRequest: the study added up no account.
    """
    if not study.accounts:
        raise BadRequest("this study added up no account by cause; ask for it with accounts=")
    figure, axis = _single(study)
    _causes(study, axis, account)
    return figure


def _outcomes(study: Study, axis: Axes) -> None:
    bars = []
    for ending in study.lowered.program.endings:
        bars.append((ending.name, ending.result, study.rate(ending.name)))
    unfinished = study.rate("unfinished")
    if unfinished.value:
        bars.append(("unfinished", "unfinished", unfinished))
    bars = [bar for bar in bars if bar[2].value] or bars
    for place, (_, result, estimate) in enumerate(reversed(bars)):
        error = [[100 * (estimate.value - estimate.low)], [100 * (estimate.high - estimate.value)]]
        axis.barh(place, 100 * estimate.value, color=RESULT_COLOURS[result], height=0.6)
        axis.errorbar(100 * estimate.value, place, xerr=error, color="black", capsize=4, linewidth=1.2)
        digits = 1 if estimate.half_width < 0.05 else 0
        label = f"{fixed(100 * estimate.value, digits)} % ± {fixed(100 * estimate.half_width, digits)}"
        inside = estimate.value > 0.6
        axis.annotate(
            label,
            (100 * (estimate.low if inside else estimate.high), place),
            xytext=(-8 if inside else 8, 0),
            textcoords="offset points",
            va="center",
            ha="right" if inside else "left",
            color="white" if inside and result != "draw" else "black",
        )
    axis.set_yticks(range(len(bars)), [f"{name}\n({RESULT_WORDS[result]})" for name, result, _ in reversed(bars)])
    axis.set_xlim(0, 100)
    axis.set_xlabel(f"runs (%), with {sure_words(study.sure)} intervals")
    axis.set_title("How runs end", loc="left")
    axis.spines[["top", "right"]].set_visible(False)


def draw_survival(study: Study, axis: Axes) -> None:
    """Draw how many runs go on, and by which ending the others have ended, over time."""
    import numpy as np

    curve = study.survival()
    limit = float(study.measures["time"].max())
    times = np.append(curve["time"].to_numpy(), limit)

    def held(column: str) -> np.ndarray:
        values = curve[column].to_numpy()
        return 100 * np.append(values, values[-1])

    axis.step(times, held("going"), where="post", color="black", linewidth=1.8, label="still going on")
    axis.fill_between(times, held("low"), held("high"), step="post", color=GRAY, alpha=0.35, linewidth=0)
    results = {ending.name: ending.result for ending in study.lowered.program.endings}
    seen: dict[str, int] = {}
    for ending in study.endings():
        # One color for one result; endings that have the same differ in their lines.
        place = seen[results[ending]] = seen.get(results[ending], -1) + 1
        ended = np.sort(study.measures.loc[study.measures["ending"] == ending, "time"].to_numpy())
        share = 100 * np.arange(1, len(ended) + 1) / study.runs
        x = np.concatenate(([0.0], ended, [limit]))
        y = np.concatenate(([0.0], share, [share[-1]]))
        color, style = RESULT_COLOURS[results[ending]], STYLES[place % len(STYLES)]
        axis.step(x, y, where="post", linewidth=1.8, label=short(ending, 24), color=color, linestyle=style)
    axis.set_ylim(-2, 102)
    axis.set_xlim(0, 1.03 * limit)
    axis.set_xlabel(f"time ({study.unit})")
    axis.set_ylabel("runs (%)")
    axis.legend(frameon=False, fontsize=9, loc="center left")
    axis.set_title("When runs end", loc="left")
    axis.spines[["top", "right"]].set_visible(False)


def _first_band(study: Study, axis: Axes) -> None:
    draw_band(study, axis, study.request.sampled[0], legend=True, time=True)


def draw_band(study: Study, axis: Axes, account: str, *, legend: bool, time: bool) -> None:
    """Draw what an account comes to over time: the middle, half of the runs, nine in ten."""
    table = study.bands(account)
    table = table[table["going"] >= max(10, study.runs // 100)] if study.runs >= 100 else table[table["going"] > 0]
    axis.fill_between(
        table["time"], table["q05"], table["q95"], color=SKY, alpha=0.35, linewidth=0, label="nine in ten"
    )
    axis.fill_between(table["time"], table["q25"], table["q75"], color=SKY, alpha=0.9, linewidth=0, label="half")
    axis.plot(table["time"], table["q50"], color="black", linewidth=1.6, label="median")
    axis.set_ylabel(account)
    if time:
        axis.set_xlabel(f"time ({study.unit}); runs that still go on")
    if legend:
        axis.legend(frameon=False, fontsize=9, loc="best")
        axis.set_title("Values over time", loc="left")
    axis.set_xlim(0, float(table["time"].max()) if len(table) else float(study.times[-1]))
    axis.spines[["top", "right"]].set_visible(False)


def _causes(study: Study, axis: Axes, account: str | None = None) -> None:
    import numpy as np

    name = account or study.accounts[0]
    table = study.by_cause(name)
    if len(table):
        places = list(range(len(table)))[::-1]
        # An end that so many runs cannot tell is not drawn.
        low_ends = table["low"].where(np.isfinite(table["low"]), table["total"])
        high_ends = table["high"].where(np.isfinite(table["high"]), table["total"])
        errors = [table["total"] - low_ends, high_ends - table["total"]]
        # What takes is orange, as losses are, and hatched; what gives is blue.
        colors = [ORANGE if total < 0 else SKY for total in table["total"]]
        hatches = ["//" if total < 0 else "" for total in table["total"]]
        axis.barh(places, table["total"], color=colors, hatch=hatches, edgecolor="white", height=0.6)
        axis.errorbar(table["total"], places, xerr=errors, fmt="none", color="black", capsize=3, linewidth=1.2)
        table = table.assign(low=low_ends, high=high_ends)
        for place, (_, row) in zip(places, table.iterrows(), strict=True):
            wasted = f"  ({number(abs(row['waste']), 1)} wasted)" if abs(row["waste"]) >= 0.05 else ""
            end = row["low"] if row["total"] < 0 else row["high"]
            axis.annotate(
                f"{row['total']:+.1f}{wasted}".replace("-", "−"),
                (end, place),
                xytext=(-6 if row["total"] < 0 else 6, 0),
                textcoords="offset points",
                va="center",
                ha="right" if row["total"] < 0 else "left",
                fontsize=9,
            )
        axis.set_yticks(places, table["cause"])
        low, high = min(0.0, float(table["low"].min())), max(0.0, float(table["high"].max()))
        room = (high - low) or 1.0
        axis.set_xlim(low - (0.6 * room if low < 0 else 0.0), high + (0.3 * room if high > 0 else 0.02 * room))
    axis.axvline(0, color="black", linewidth=0.8)
    axis.set_xlabel(f"change of {name} a run, with {sure_words(study.sure)} intervals")
    axis.set_title(f"What takes and gives {name}", loc="left")
    axis.spines[["top", "right"]].set_visible(False)


_DRAW = {"outcomes": _outcomes, "survival": draw_survival, "bands": _first_band, "causes": _causes}
