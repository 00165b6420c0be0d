"""How a measure is spread over the runs, as a figure: histograms and distributions, of one study or of two."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from mint_ledger.studies.estimate import sure_words
from mint_ledger.studies.shape import bin_edges, binned
from mint_ledger.views.canvas import canvas, legend_below
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import PANEL, PURPLE, SKY

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.studies.shape import Shape

# Not the colors of results, which mean won and lost.
COLORS = (SKY, PURPLE)
NAME = 44


def plot_shapes(shapes: Sequence[Shape]) -> Figure:
    """Histograms beside the shares of runs that come to each value or less."""
    figure = canvas(*PANEL)
    first = shapes[0]
    title = first.title if len(shapes) == 1 else f"{first.measure}, run by run"
    figure.suptitle(f"{title} · {first.runs:,} runs · seed {first.seed}", fontsize=13)
    left, right = figure.subplots(1, 2)
    _histograms(shapes, left)
    _distributions(shapes, right)
    return figure


def _histograms(shapes: Sequence[Shape], axis: Axes) -> None:
    both = np.concatenate([shape.values for shape in shapes])
    edges, once = bin_edges(both), np.unique(both)
    for number, shape in enumerate(shapes):
        bins = binned(shape.values, edges, once)
        width = (bins[0].high - bins[0].low) or (float(np.diff(once).min()) * 0.8 if len(once) > 1 else 0.8)
        middles = [(b.low + b.high) / 2 for b in bins]
        shares = [100 * b.count / len(shape.values) for b in bins]
        if len(shapes) > 1:
            width /= 2
            middles = [middle + (number - 0.5) * width for middle in middles]
        label = short(shape.title, NAME)
        axis.bar(middles, shares, width=0.95 * width, color=COLORS[number], hatch=("", "//")[number], label=label)
    axis.set_ylim(bottom=0)
    _frame(shapes[0], axis, "% of the runs")
    if len(shapes) > 1:
        axis.legend(loc="best", fontsize=9, frameon=False)


def _distributions(shapes: Sequence[Shape], axis: Axes) -> None:
    for number, shape in enumerate(shapes):
        table = shape.distribution()
        low, high = 100 * table["low"], 100 * table["high"]
        axis.fill_between(table["value"], low, high, step="post", color=COLORS[number], alpha=0.3, linewidth=0)
        style = ("-", "--")[number]
        label = f"{short(shape.title, NAME)} (band: {sure_words(shape.sure)} for all of it)"
        axis.step(table["value"], 100 * table["share"], where="post", color="black", linestyle=style, label=label)
    axis.set_ylim(0, 105)
    _frame(shapes[0], axis, "% of the runs that have at most so much")
    legend_below(axis)


def _frame(shape: Shape, axis: Axes, label: str) -> None:
    unit = f", {shape.unit}" if shape.unit else ""
    axis.set_xlabel(f"{short(shape.measure, NAME)}{unit}")
    axis.set_ylabel(label)
    axis.spines[["top", "right"]].set_visible(False)
