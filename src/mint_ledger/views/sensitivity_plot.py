"""Which dials matter, as a figure: a bar for each with its interval, the strongest on top."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.balance.sensitivity import Sensitivity
from mint_ledger.studies.estimate import is_share, sure_words
from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import BLUE, ORANGE

if TYPE_CHECKING:
    from matplotlib.figure import Figure

MOST_BARS = 20


def plot_sensitivity(ranking: Sensitivity) -> Figure:
    """Draw the strongest dials; what lowers the estimate is hatched, so that it can be read in gray.

    The figure is 12.8 by 8 inches at 100 dots an inch.
    """
    figure = canvas(12.8, 8.0)
    axis = figure.subplots()
    factor = 100.0 if is_share(ranking.measure) else 1.0
    shown = [dial for dial in ranking.moved if dial.is_certain][:MOST_BARS]
    for place, dial in enumerate(shown):
        value = factor * dial.effect.value
        axis.barh(
            place,
            value,
            height=0.65,
            color=BLUE if value > 0 else ORANGE,
            hatch=None if value > 0 else "//",
            edgecolor="white",
        )
        axis.plot([factor * dial.effect.low, factor * dial.effect.high], [place, place], color="black", linewidth=1.4)
    axis.set_yticks(range(len(shown)), [dial.dial for dial in shown], fontsize=11)
    axis.invert_yaxis()
    axis.axvline(0, color="black", linewidth=0.9)
    unit = "points" if is_share(ranking.measure) else "units"
    axis.set_xlabel(
        f"change of {ranking.measure} for +1 % of the dial ({unit}), with {sure_words(ranking.sure)} intervals",
        fontsize=12,
    )
    axis.spines[["top", "right"]].set_visible(False)
    axis.grid(axis="x", color="#dddddd", linewidth=0.6)
    axis.set_title(f"{ranking.title}: which dials matter ({ranking.runs:,} runs each)", fontsize=14)
    return figure
