"""Recorded plays over simulated ones, and what they tell of each fitted dial, as figures."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING

import numpy as np

from mint_ledger.players.recorded import RESULTS
from mint_ledger.views.canvas import canvas
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import PURPLE, SKY

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.players.fit import Fit, FittedDial
    from mint_ledger.players.likeness import Likeness, Side

# Recorded and simulated: neither has the color of a result.
RECORDED, SIMULATED = PURPLE, SKY
ACROSS, MOST = 3, 9
WIDE, HIGH = 3.9, 2.7
NAME = 34


def likeness_figure(likeness: Likeness) -> Figure:
    """One panel a measure: the shares that come to each value or less."""
    sides = likeness.sides[:MOST]
    rows = math.ceil(max(len(sides), 1) / ACROSS)
    figure = canvas(WIDE * ACROSS, HIGH * rows + 1.0)
    figure.suptitle(f"{likeness.title} · {likeness.plays:,} recorded plays, {likeness.runs:,} simulated", fontsize=13)
    _panels(likeness, sides, figure.subplots(rows, ACROSS, squeeze=False).ravel())
    return figure


def fit_figure(fit: Fit) -> Figure:
    """Draw what is known of each dial after the plays; below, the plays beside the fitted habit."""
    sides = fit.likeness.sides[: MOST - ACROSS]
    above = math.ceil(len(fit.dials) / ACROSS)
    rows = above + math.ceil(max(len(sides), 1) / ACROSS)
    figure = canvas(WIDE * ACROSS, HIGH * rows + 1.0)
    figure.suptitle(f"{fit.title} · fitted to {fit.plays:,} plays", fontsize=13)
    axes = figure.subplots(rows, ACROSS, squeeze=False)
    places = axes[:above].ravel()
    for index, (dial, axis) in enumerate(zip(fit.dials, places, strict=False)):
        _dial(dial, fit.draws[:, index], axis, is_first=not index)
    for axis in places[len(fit.dials) :]:
        axis.set_axis_off()
    _panels(fit.likeness, sides, axes[above:].ravel())
    return figure


def _dial(dial: FittedDial, draws: np.ndarray, axis: Axes, *, is_first: bool) -> None:
    shares, edges = np.histogram(draws, bins=30, range=(dial.low, dial.high))
    axis.bar(edges[:-1], 100 * shares / len(draws), np.diff(edges), align="edge", color=RECORDED, alpha=0.8)
    top = 100 * shares.max() / len(draws)
    axis.plot([dial.value.low, dial.value.high], [1.08 * top] * 2, color="black", linewidth=2, label="90 %")
    axis.plot([dial.value.value], [1.08 * top], "o", color="black")
    axis.axvline(dial.today, color="black", linestyle=":", label="in the file")
    axis.set_xlim(dial.low, dial.high)
    axis.set_ylim(0, 1.25 * top)
    axis.set_xlabel(f"{short(dial.name, NAME)}: {dial.how_told}")
    axis.set_ylabel("likelihood, %" if is_first else "")
    axis.spines[["top", "right"]].set_visible(False)
    if is_first:
        axis.legend(loc="best", fontsize=8, frameon=False)


def _panels(likeness: Likeness, sides: Iterable[Side], axes: Iterable[Axes]) -> None:
    remaining = list(axes)
    for side in sides:
        axis = remaining.pop(0)
        (_shares if side.measure in RESULTS else _steps)(side, axis)
        axis.set_xlabel(f"{short(likeness.name(side), NAME)}: {side.verdict}")
        axis.set_ylabel("% of plays" if side.measure in RESULTS else "% with at most so much")
        axis.spines[["top", "right"]].set_visible(False)
    for axis in remaining:
        axis.set_axis_off()


def _shares(side: Side, axis: Axes) -> None:
    _, recorded, simulated = side.told[0]
    heights, colors = [100 * recorded, 100 * simulated], [RECORDED, SIMULATED]
    bars = axis.bar(["recorded", "simulated"], heights, color=colors, width=0.6)
    bars[1].set_hatch("//")
    axis.bar_label(bars, fmt="%.0f %%", fontsize=9)
    axis.set_ylim(0, 112)


def _steps(side: Side, axis: Axes) -> None:
    own = (side.recorded, side.weights, RECORDED, "-", "recorded")
    ways = (own, (side.simulated, None, SIMULATED, "--", "simulated"))
    for values, weights, color, style, label in ways:
        if not len(values):
            continue
        order = np.argsort(values)
        mass = np.ones(len(values)) if weights is None else weights
        reached = 100 * np.cumsum(mass[order]) / mass.sum()
        x = np.concatenate([values[order][:1], values[order]])
        y = np.concatenate([[0.0], reached])
        axis.step(x, y, where="post", color=color, linestyle=style, linewidth=2, label=label)
    for what, recorded, _ in side.told if not len(side.recorded) else ():
        axis.axvline(recorded, color=RECORDED, label=f"recorded {what}")
    axis.set_ylim(0, 105)
    axis.legend(loc="best", fontsize=8, frameon=False)
