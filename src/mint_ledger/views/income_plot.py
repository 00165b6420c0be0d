"""What comes into an account and goes out of it, as a figure: by cause over time, and what there is."""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import GRAY
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import CAUSE_COLOURS, OTHERS, SIZE, SKY

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.studies.income import Income

HATCHES = ("", "//", "..")
MOST = len(CAUSE_COLOURS) * len(HATCHES) - 1
NAME = 30


def plot_income(income: Income) -> Figure:
    """Stacked bars of what each cause did in each interval; below them what there is, with bands."""
    figure = canvas(*SIZE)
    figure.suptitle(f"{income.title} · {income.account} · {income.runs:,} runs · seed {income.seed}", fontsize=13)
    above, below = figure.subplots(2, 1, sharex=True, height_ratios=(3, 2))
    plot_flows(income, above)
    plot_stock(income, below)
    below.set_xlabel(f"time, {income.unit}")
    return figure


def plot_flows(income: Income, ax: Axes) -> None:
    """What came in (up) and went out (down) in each interval, by cause, on average of the runs that still go on."""
    widths = np.diff(income.edges)
    going = np.maximum(income.going, 1)
    ordered = sorted(income.flows, key=lambda cause: -float(np.abs(income.flows[cause]).sum()))
    up, down, net = np.zeros(len(widths)), np.zeros(len(widths)), np.zeros(len(widths))
    rest = sum((income.flows[cause] for cause in ordered[MOST:]), np.zeros((2, len(widths))))
    drawn = [(cause, income.flows[cause]) for cause in ordered[:MOST]]
    if ordered[MOST:]:
        drawn.append((f"{len(ordered) - MOST} others", rest))
    for place, (cause, flow) in enumerate(drawn):
        points = flow / going
        net += points.sum(axis=0)
        color = CAUSE_COLOURS[place % len(CAUSE_COLOURS)] if place < MOST else OTHERS
        hatch = HATCHES[place // len(CAUSE_COLOURS) % len(HATCHES)] if place < MOST else ""
        bars: dict[str, Any] = {"color": color, "hatch": hatch, "edgecolor": "white", "align": "edge"}
        for sign, bottom in enumerate((up, down)):
            label = short(cause, NAME) if sign == int(not points[0].any()) else None
            ax.bar(income.edges[:-1], points[sign], widths * 0.94, bottom=bottom, label=label, **bars)
        up, down = up + points[0], down + points[1]
    middle = income.edges[:-1] + widths * 0.47
    ax.plot(middle, net, color="black", marker="o", markersize=4, linewidth=1.5, label="net")
    ax.axhline(0.0, color="black", linewidth=0.8)
    ax.set_ylabel("points an interval")
    ax.spines[["top", "right"]].set_visible(False)
    ax.legend(loc="upper left", bbox_to_anchor=(1.0, 1.0), fontsize=9, frameon=False)


def plot_stock(income: Income, ax: Axes) -> None:
    """Draw what there is at the end of each interval: half of the runs, and nine of ten."""
    ends = np.append(0.0, income.edges[1:])
    opening = [float(np.quantile(income.opening, q)) for q in (0.05, 0.5, 0.95)]
    bands = np.array([opening, *(income.bands(place) for place in range(len(income.going)))])
    ax.fill_between(ends, bands[:, 0], bands[:, 2], color=SKY, alpha=0.4, linewidth=0, label="nine runs of ten")
    ax.plot(ends, bands[:, 1], color=GRAY, marker="o", markersize=4, label="median")
    ax.set_ylabel(f"{short(income.account, NAME)} there is")
    ax.spines[["top", "right"]].set_visible(False)
    ax.legend(loc="upper left", bbox_to_anchor=(1.0, 1.0), fontsize=9, frameon=False)
