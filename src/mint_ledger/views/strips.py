"""Estimates below one another, each on a strip of its own: shares on one scale, all else each on its own."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING

from mint_ledger.studies.estimate import Estimate, is_share
from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import BLUE, INK, ORANGE
from mint_ledger.views.short import short

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_STRIPS = 24
MARKS = ((BLUE, "o"), (ORANGE, "s"))
BAND = "#cbd5e0"


@dataclass(frozen=True, slots=True)
class Strip:
    """One line: an estimate or two, what is wanted of it, and a word on the right."""

    label: str
    measure: str
    estimates: tuple[Estimate, ...]
    want: tuple[float, float] | None = None
    word: str = ""


def plot_strips(title: str, strips: Sequence[Strip], labels: Sequence[str], footing: str) -> Figure:
    """Draw strips; `labels` name the marks in the legend.

    The figure is 12.8 inches wide, and as high as it has strips, at 100 dots an inch.
    """
    shown = strips[:MOST_STRIPS]
    figure = canvas(12.8, 2.0 + 0.66 * max(len(shown), 2))
    axes = [figure.add_subplot(len(shown), 1, place + 1) for place in range(len(shown))]
    for axis, strip in zip(axes, shown, strict=True):
        _draw(axis, strip)
    if not axes:
        figure.add_subplot().set_axis_off()
    left_out = len(strips) - len(shown)
    more = f" ({left_out:,} more are not drawn)" if left_out else ""
    figure.suptitle(title + more, fontsize=14, x=0.01, ha="left")
    _legend(figure, shown, labels, footing)
    return figure


def _draw(axis: Axes, strip: Strip) -> None:
    factor = 100.0 if is_share(strip.measure) else 1.0
    count = len(strip.estimates)
    ends: list[float] = []
    for place, estimate in enumerate(strip.estimates):
        color, mark = MARKS[place]
        height = (count - 1) / 2 - place
        low, high = (factor * end for end in (estimate.low, estimate.high))
        if math.isfinite(low) and math.isfinite(high):
            axis.plot([low, high], [height, height], color=color, linewidth=2.2)
            ends += [low, high]
        if math.isfinite(estimate.value):
            axis.plot(factor * estimate.value, height, mark, color=color, markersize=7)
            ends.append(factor * estimate.value)
    if strip.want is not None:
        ends += [factor * end for end in strip.want if math.isfinite(end)]
    low, high = (min(ends), max(ends)) if ends else (0.0, 1.0)
    room = 0.08 * (high - low) or 0.05 * abs(high) or 1.0
    low, high = (-2.0, 102.0) if factor == 100.0 else (low - room, high + room)
    if strip.want is not None:
        first, last = (factor * end for end in strip.want)
        axis.axvspan(max(first, low), min(last, high), color=BAND, zorder=0)
    axis.set_xlim(low, high)
    axis.set_ylim(-1.0, 1.0)
    label = "\n".join(short(line, 46) for line in strip.label.splitlines())
    axis.set_yticks([0.0], [f"{label}{' (%)' if factor == 100.0 else ''}"], fontsize=11)
    axis.tick_params(axis="y", length=0)
    axis.spines[["top", "right", "left"]].set_visible(False)
    axis.text(1.01, 0.5, strip.word, transform=axis.transAxes, va="center", fontsize=11)


def _legend(figure: Figure, strips: Sequence[Strip], labels: Sequence[str], footing: str) -> None:
    from matplotlib.lines import Line2D
    from matplotlib.patches import Patch

    marks: list[Line2D | Patch] = [
        Line2D([], [], color=color, marker=mark, linewidth=2.2, label=label)
        for label, (color, mark) in zip(labels, MARKS, strict=False)
    ]
    if any(strip.want is not None for strip in strips):
        marks.append(Patch(color=BAND, label="target"))
    figure.legend(
        handles=marks,
        loc="outside lower center",
        ncols=3,
        fontsize=11,
        labelcolor=INK,
        title=footing,
        frameon=False,
    )
