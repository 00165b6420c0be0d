"""Hits and seconds to defeat over a dial as curves, over two dials as maps."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from mint_ledger.errors import BadRequest
from mint_ledger.journal.wording import shown
from mint_ledger.views.canvas import canvas, legend_below
from mint_ledger.views.run_plot import INK
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import CAUSE_COLOURS, OTHERS, SIZE

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.balance.matchup_curve import MatchupCurves, PairCurve

MARKERS = ("o", "s", "^", "D", "v", "P")
MOST_PAIRS = 6
# A pair each; none of them means won or lost.
COLORS = (*CAUSE_COLOURS, INK, OTHERS)
NAME = 44


def plot_curves(curves: MatchupCurves) -> Figure:
    """A curve for each pair, hits beside seconds, breakpoints marked; of two dials a map for each pair.

    Raises:
        BadRequest: there is no pair to draw.
    """
    pairs = curves.pairs[:MOST_PAIRS]
    if not pairs:
        raise BadRequest("no pair is there at all settings, so there is nothing to draw")
    figure = canvas(*SIZE)
    more = f" (the first {MOST_PAIRS} pairs)" if len(curves.pairs) > MOST_PAIRS else ""
    figure.suptitle(f"{curves.title}: one against one{more}", fontsize=13)
    if len(curves.dials) == 1:
        hits, seconds = figure.subplots(1, 2)
        _hits(curves, pairs, hits)
        _seconds(curves, pairs, seconds)
    else:
        columns = min(len(pairs), 3)
        axes = figure.subplots(-(-len(pairs) // columns), columns, squeeze=False).ravel()
        for axis, pair in zip(axes, pairs, strict=False):
            _map(figure, curves, pair, axis)
        for axis in axes[len(pairs) :]:
            axis.set_axis_off()
    return figure


def _places(values: tuple[float | str, ...]) -> list[float]:
    return [float(place if isinstance(value, str) else value) for place, value in enumerate(values)]


def _hits(curves: MatchupCurves, pairs: tuple[PairCurve, ...], axis: Axes) -> None:
    places = _places(curves.dials[0][1])
    for number, pair in enumerate(pairs):
        color = COLORS[number]
        middle, late = ([m.hits[which] if m.hits else np.nan for m in pair.matchups] for which in (1, 2))
        axis.plot(places, middle, color=color, label=short(pair.name, NAME))
        axis.plot(places, late, color=color, linestyle="--", linewidth=1)
        breaks = pair.breaks()
        marked = [places[at] for at in breaks], [middle[at] for at in breaks]
        axis.plot(*marked, color=color, marker=MARKERS[number], linestyle="none", markersize=7)
    _frame(curves, axis, "hits to defeat: half (line), 19 of 20 (dashes); marked where they change")
    legend_below(axis)


def _seconds(curves: MatchupCurves, pairs: tuple[PairCurve, ...], axis: Axes) -> None:
    places = _places(curves.dials[0][1])
    for number, pair in enumerate(pairs):
        known = [matchup.seconds for matchup in pair.matchups]
        if not any(known):
            continue
        middle, late = ([times[which] if times else np.nan for times in known] for which in (0, 1))
        axis.plot(places, middle, color=COLORS[number], marker=MARKERS[number], markersize=5)
        axis.plot(places, late, color=COLORS[number], linestyle="--", linewidth=1)
    _frame(curves, axis, f"time to defeat, {curves.unit}: half (line), 19 of 20 (dashes)")


def _frame(curves: MatchupCurves, axis: Axes, label: str) -> None:
    name, values = curves.dials[0]
    axis.set_xlabel(short(name, NAME))
    axis.set_ylabel(label)
    axis.set_ylim(bottom=0)
    if any(isinstance(value, str) for value in values):
        axis.set_xticks(range(len(values)), [shown(value) for value in values])
    axis.spines[["top", "right"]].set_visible(False)


def _map(figure: Figure, curves: MatchupCurves, pair: PairCurve, axis: Axes) -> None:
    from matplotlib.ticker import MaxNLocator

    (first, rows), (second, columns) = curves.dials
    values = np.array([m.hits[1] if m.hits else np.nan for m in pair.matchups], dtype=float)
    grid = values.reshape(len(rows), len(columns))
    image = axis.imshow(grid, cmap="cividis", aspect="auto", origin="lower")
    middle = (np.nanmin(grid) + np.nanmax(grid)) / 2 if not np.isnan(grid).all() else 0.0
    if grid.size <= 200:
        for (row, column), value in np.ndenumerate(grid):
            text, dark = ("–" if np.isnan(value) else f"{value:.0f}"), value < middle
            axis.text(column, row, text, ha="center", va="center", fontsize=9, color="white" if dark else "black")
    for set_ticks, known in ((axis.set_yticks, rows), (axis.set_xticks, columns)):
        step = -(-len(known) // 12)
        set_ticks(range(0, len(known), step), [shown(value) for value in known[::step]])
    axis.set_xlabel(short(second, NAME))
    axis.set_ylabel(short(first, NAME))
    axis.set_title(short(pair.name, NAME), fontsize=10)
    ticks = MaxNLocator(integer=True)
    figure.colorbar(image, ax=axis, ticks=ticks, label="hits to defeat (half of the fights)")
