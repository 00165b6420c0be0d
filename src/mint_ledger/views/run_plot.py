"""A run as a figure: chosen accounts over time, with limits, bands and marks."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import TYPE_CHECKING

from mint_ledger.errors import NotFound
from mint_ledger.game.dials import table_column
from mint_ledger.game.stat import Stat
from mint_ledger.journal.books import AccountKey, find_account
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.readout import ReadoutBar
from mint_ledger.program.row import WHATS, Row
from mint_ledger.views.canvas import canvas

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.playing.run import Run

MOST_PANELS = 6
# Okabe and Ito's colors, which color-blind readers can tell apart.
# Won, met, gained is blue; lost, missed, taken orange; what is a plain value has the color of ink.
BLUE, ORANGE, GREEN, GRAY, INK = "#0072B2", "#D55E00", "#009E73", "#666666", "#333333"
BAND_GREYS = ("#e9e9e9", "#f7f7f7")


def default_accounts(run: Run) -> list[str]:
    """The accounts of the readout's bars, then those that most postings moved."""
    words = Words(run.program)
    names = [
        words.account(i.entity, words.stats.index(i.stat)) for i in run.lowered.readout if isinstance(i, ReadoutBar)
    ]
    counts: dict[str, int] = {}
    for row in run.rows:
        if WHATS[int(row.what)] == "posting":
            name = words.account(row.entity, row.stat)
            counts[name] = counts.get(name, 0) + 1
    busiest = sorted(counts, key=lambda name: -counts[name])
    return list(dict.fromkeys([*names, *busiest]))[:4] or run.accounts()[:1]


def plot_run(run: Run, accounts: Sequence[str] | None = None) -> Figure:
    """Draw accounts over time, one panel each, with one time axis; columns of tables (`rank.health`) below, by key.

    Counters and whole stats are drawn as steps; limits as dashed lines; bands as shaded stripes; hits, contacts
    and the ending as marks. The figure is 12.8 by 8 inches at 100 dots an inch.

    Raises:
        NotFound: there is no such account.
    """
    names = list(accounts) if accounts else default_accounts(run)
    if len(names) > MOST_PANELS:
        raise NotFound(f"a figure has room for {MOST_PANELS} accounts, not {len(names)}")
    columns = {name: cells for name in names if (cells := table_column(run.program.dials, name))}
    names = [name for name in names if name not in columns]
    keys = [find_account(run.program, name) for name in names]
    figure = canvas(12.8, 8.0)
    panels = figure.subplots(len(names) + len(columns), 1, squeeze=False)[:, 0]
    for axis, (name, cells) in zip(panels[len(names) :], columns.items(), strict=True):
        _draw_column(axis, name, cells)
    axes = panels[: len(names)]
    if not names:
        figure.suptitle(f"{run.title} · {', '.join(columns)}", fontsize=14)
        return figure
    words = Words(run.program)
    for axis, name, key in zip(axes, names, keys, strict=True):
        if axis is not axes[0]:
            axis.sharex(axes[0])
        axis.tick_params(labelbottom=axis is axes[-1])
        _draw_account(run, words, axis, name, key)
    unit = "turn" if run.program.clock.unit == "turn" else "time (s)"
    axes[-1].set_xlabel(unit)
    axes[-1].set_xlim(0, run.time or 1)
    result = f"{run.result}: {run.ending}" if run.ending else run.result
    for axis in axes:
        axis.axvline(run.time, color="black", linestyle=":", linewidth=1.2, zorder=2, clip_on=False)
    figure.suptitle(f"{run.title} · {result} at {run.time:g} {'s' if unit != 'turn' else 'turns'}", fontsize=14)
    return figure


def _draw_column(axis: Axes, name: str, cells: Sequence[tuple[float, float]]) -> None:
    """A column of a table by its keys: the steps that formulas read, and the line that `smooth` reads."""
    from matplotlib.ticker import MaxNLocator

    keys, values = zip(*cells, strict=True)
    axis.plot(keys, values, color=GRAY, linewidth=1.0, linestyle="--", label="smooth", zorder=2)
    axis.plot(keys, values, color=INK, linewidth=1.8, drawstyle="steps-post", marker="o", label="by key", zorder=3)
    if all(key == int(key) for key in keys):
        axis.xaxis.set_major_locator(MaxNLocator(integer=True))
    axis.set_title(name, loc="left", fontsize=11)
    axis.set_xlabel(f"key of {name.partition('.')[0]}")
    axis.grid(color="#e5e5e5", linewidth=0.6)
    axis.legend(loc="best", fontsize=9, frameon=False)


def _draw_account(run: Run, words: Words, axis: Axes, name: str, key: AccountKey) -> None:
    from matplotlib.ticker import MaxNLocator

    model = words.model(key.entity, key.stat) or Stat()
    times, values = _while_there(*run.path(name), run.there(name))
    steps = model.whole or model.value_type != "number"
    axis.plot(times, values, color=INK, linewidth=1.8, drawstyle="steps-post" if steps else "default", zorder=3)
    low, high = run.engine_at(None).limits(run.program.accounts[key.stat].column, key.entity)
    known = [value for value in values if not math.isnan(value)] or [0.0]
    bottom, top = min(known), max(known)
    for limit, word in ((high, "max"), (low, "min")):
        if abs(limit) != float("inf") and (limit <= top + (top - bottom or 1.0) * 2):
            axis.axhline(limit, color=GRAY, linestyle="--", linewidth=0.9, zorder=2)
            if word == "max":
                top = max(top, limit)
            else:
                bottom = min(bottom, limit)
    margin = 0.12 * ((top - bottom) or 1.0)
    axis.set_ylim(bottom - 2 * margin, top + 2 * margin)
    _draw_bands(axis, model)
    _draw_marks(run, words, axis, key, (top + margin, bottom - margin))
    if model.value_type == "word":
        chosen = sorted(set(known))
        axis.set_yticks(chosen, [words.word(value) for value in chosen])
    elif model.value_type == "flag":
        axis.set_yticks([0.0, 1.0], ["no", "yes"])
    elif model.whole and top - bottom <= 12:
        axis.yaxis.set_major_locator(MaxNLocator(nbins=5, integer=True))
    axis.set_ylabel(f"{model.label or name}", rotation=0, ha="right", va="center", fontsize=11)
    axis.spines[["top", "right"]].set_visible(False)
    axis.grid(axis="x", color="#dddddd", linewidth=0.6)


def _while_there(
    times: list[float], values: list[float], stretches: list[tuple[float, float]]
) -> tuple[list[float], list[float]]:
    """The line of an account in which a gap stands for the time in which its owner is not there."""
    shown: tuple[list[float], list[float]] = ([], [])
    for began, ended in stretches:
        inside = [(t, v) for t, v in zip(times, values, strict=True) if began <= t <= ended]
        if not inside:
            continue
        # It opens with the last value that it has as it appears.
        first = max((place for place, (t, _) in enumerate(inside) if t == began), default=0)
        for moment, value in [*inside[first:], (ended, inside[-1][1]), (ended, math.nan)]:
            shown[0].append(moment)
            shown[1].append(value)
    # Nothing follows the last of them.
    return shown[0][:-1], shown[1][:-1]


def _draw_bands(axis: Axes, model: Stat) -> None:
    bottom, top = axis.get_ylim()
    ordered = sorted((model.bands or {}).items(), key=lambda item: item[1].low)
    for index, (name, span) in enumerate(ordered):
        low, high = max(span.low, bottom), min(span.high, top)
        if low >= high:
            continue
        axis.axhspan(low, high, color=BAND_GREYS[index % 2], zorder=0)
        axis.annotate(
            name,
            (0.995, (low + high) / 2),
            xycoords=("axes fraction", "data"),
            ha="right",
            va="center",
            fontsize=9,
        )
    axis.set_ylim(bottom, top)


def _draw_marks(run: Run, words: Words, axis: Axes, key: AccountKey, heights: tuple[float, float]) -> None:
    """Hits that took from the account above its line, gains below it."""
    marks: dict[str, list[float]] = {"hit": [], "gain": []}
    for row in run.rows:
        if WHATS[int(row.what)] != "posting" or row.stat != key.stat or int(row.entity) != key.entity:
            continue
        if run.program.causes[int(row.cause)].sort == "attack" and row.asked < 0:
            marks["hit"].append(words.seconds(row.step))
        elif _is_gain(run, row):
            marks["gain"].append(words.seconds(row.step))
    for (what, marker, color), height in zip((("hit", "v", ORANGE), ("gain", "^", BLUE)), heights, strict=True):
        if marks[what]:
            at = [height] * len(marks[what])
            axis.scatter(marks[what], at, marker=marker, s=30, color=color, label=what, zorder=4)
    if any(marks.values()):
        axis.legend(loc="upper left", bbox_to_anchor=(1.0, 1.0), frameon=False, fontsize=9)


def _is_gain(run: Run, row: Row) -> bool:
    return row.after > row.before and run.program.causes[int(row.cause)].sort not in ("flow", "limit")
