"""Ways of playing side by side: how they end and how long they take, and their course over time with shared axes."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

import numpy as np

from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import GRAY
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import RESULT_COLOURS, RESULT_WORDS, draw_band, draw_survival

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.studies.study import Study

Way = tuple[str, "Study"]
NAME = 26
MOST_WAYS, MOST_ACCOUNTS = 4, 2


def plot_ways(ways: Sequence[Way]) -> Figure:
    """One row a way: the shares of its results, and beside them when its runs are over."""
    figure = canvas(12.8, 1.1 + 0.42 * len(ways))
    left, right = figure.subplots(1, 2, sharey=True, width_ratios=(3, 2))
    plot_results(ways, left)
    plot_times(ways, right)
    return figure


def plot_results(ways: Sequence[Way], ax: Axes) -> None:
    """A bar a way, parted by result."""
    told = set[str]()
    for place, (_, study) in enumerate(ways):
        left = 0.0
        for result, color in RESULT_COLOURS.items():
            share = 100 * study.rate(result).value
            if not share:
                continue
            label = RESULT_WORDS[result] if result not in told else None
            ax.barh(place, share, left=left, color=color, height=0.62, label=label)
            told.add(result)
            if share >= 6:
                ink = "black" if result == "draw" else "white"
                ax.text(left + share / 2, place, f"{share:.1f} %", ha="center", va="center", color=ink, fontsize=10)
            left += share
    ax.set_yticks(range(len(ways)), [short(name, NAME) for name, _ in ways])
    ax.invert_yaxis()
    ax.set_xlim(0, 100)
    ax.set_xlabel("runs, %")
    ax.legend(loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=4, fontsize=9, frameon=False)
    ax.spines[["top", "right"]].set_visible(False)


def plot_times(ways: Sequence[Way], ax: Axes) -> None:
    """Draw when runs are over: nine of ten, half of them, the middle."""
    for place, (_, study) in enumerate(ways):
        low, first, middle, last, high = np.quantile(study.values("time"), (0.05, 0.25, 0.5, 0.75, 0.95))
        ax.plot([low, high], [place, place], color=GRAY, linewidth=1.5, label="nine of ten" if not place else None)
        ax.plot([first, last], [place, place], color=GRAY, linewidth=7, label="half" if not place else None)
        label = "" if place else "middle"
        ax.plot([middle], [place], color="black", marker="|", markersize=16, linestyle="", label=label)
    ax.set_xlim(left=0)
    ax.set_xlabel(f"runs are over, {ways[0][1].unit}")
    ax.legend(loc="lower left", bbox_to_anchor=(0.0, 1.0), ncols=3, fontsize=9, frameon=False)
    ax.spines[["top", "right"]].set_visible(False)


def plot_courses(ways: Sequence[Way]) -> Figure:
    """A column a way: who goes on and who ended how, over time, and below it the accounts; axes are shared."""
    shown = ways[:MOST_WAYS]
    accounts = list(shown[0][1].request.sampled)[:MOST_ACCOUNTS]
    rows = 1 + len(accounts)
    figure = canvas(12.8, 0.6 + 1.45 * rows)
    axes = figure.subplots(rows, len(shown), sharex=True, sharey="row", squeeze=False)
    latest = max(float(study.measures["time"].max()) for _, study in shown)
    for column, (name, study) in enumerate(shown):
        draw_survival(study, axes[0, column])
        for row, account in enumerate(accounts, start=1):
            draw_band(study, axes[row, column], account, legend=column == row - 1 == 0, time=False)
        axes[-1, column].set_xlabel(f"time ({study.unit})", fontsize=9)
        for row in range(rows):
            if row < rows - 1:
                axes[row, column].set_xlabel("")
            axes[row, column].set_xlim(0, 1.03 * latest)
            if column:
                axes[row, column].set_ylabel("")
            axes[row, column].set_title("" if row else short(name, NAME), loc="left", fontsize=11)
    return figure
