"""Matchups as a heat map: the median of the hits to defeat, attacks against targets."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.balance.matchup import Matchups
from mint_ledger.errors import BadRequest
from mint_ledger.views.canvas import canvas

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def plot_matchups(matchups: Matchups) -> Figure:
    """Draw the median of the hits to defeat; a dash stands where nobody is defeated.

    The figure is 12.8 by 8 inches at 100 dots an inch.

    Raises:
        BadRequest: no attack does damage.
    """
    import numpy as np

    if not matchups.pairs:
        raise BadRequest("no attack does damage, so there is nothing to draw")
    rows = list(dict.fromkeys(f"{pair.attacker}: {pair.attack}" for pair in matchups.pairs))
    columns = list(dict.fromkeys(pair.target for pair in matchups.pairs))
    values = np.full((len(rows), len(columns)), np.nan)
    for pair in matchups.pairs:
        if pair.hits:
            values[rows.index(f"{pair.attacker}: {pair.attack}"), columns.index(pair.target)] = pair.hits[1]
    figure = canvas(12.8, 8.0)
    axis = figure.subplots()
    image = axis.imshow(values, cmap="cividis", aspect="auto")
    middle = (np.nanmin(values) + np.nanmax(values)) / 2 if not np.isnan(values).all() else 0.0
    asked = {(rows.index(f"{p.attacker}: {p.attack}"), columns.index(p.target)) for p in matchups.pairs}
    for row, column in asked:
        value = values[row, column]
        text = "–" if np.isnan(value) else f"{value:.0f}"
        dark = not np.isnan(value) and value < middle
        axis.text(column, row, text, ha="center", va="center", fontsize=14, color="white" if dark else "black")
    axis.set_xticks(range(len(columns)), columns, fontsize=12)
    axis.set_yticks(range(len(rows)), rows, fontsize=12)
    axis.set_xlabel("who is struck", fontsize=12)
    axis.set_ylabel("who strikes, with what", fontsize=12)
    figure.colorbar(image, ax=axis, label="hits to defeat (median)")
    axis.set_title(f"{matchups.title}: hits to defeat, one against one", fontsize=14)
    return figure
