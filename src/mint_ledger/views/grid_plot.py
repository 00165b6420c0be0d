"""A grid of who is best, as a figure: shades with their numbers, the best of each column framed."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from mint_ledger.studies.estimate import is_share
from mint_ledger.views.canvas import canvas
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import SIZE
from mint_ledger.views.study_text import digits_for, fixed

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from mint_ledger.balance.grid import Grid

NAME = 26
# Numbers stand in cells that are not too many.
MOST_NUMBERS = 150


def plot_grid(grid: Grid) -> Figure:
    """The estimates as shades, with their numbers; a frame where nothing else in the column is certainly higher."""
    from matplotlib.patches import Rectangle

    factor, unit = (100.0, ", %") if is_share(grid.measure) else (1.0, "")
    shape = (len(grid.rows), len(grid.columns))
    values = np.array(
        [[factor * grid.cells[row, column].value for column in range(shape[1])] for row in range(shape[0])]
    )
    figure = canvas(*SIZE)
    figure.suptitle(f"{grid.title} · {grid.runs:,} runs a cell · seed {grid.seed}", fontsize=13)
    axis = figure.subplots()
    low, high = (0.0, 100.0) if is_share(grid.measure) else (float(values.min()), float(values.max()))
    image = axis.imshow(values, cmap="cividis", vmin=low, vmax=high, aspect="auto")
    figure.colorbar(image, ax=axis, label=f"{grid.measure}{unit}")
    for column in range(shape[1]):
        for row in range(shape[0]):
            estimate = grid.cells[row, column].scaled(factor)
            dark = values[row, column] < (low + high) / 2
            if values.size <= MOST_NUMBERS:
                text = fixed(estimate.value, min(digits_for(estimate), 2))
                axis.text(column, row, text, ha="center", va="center", color="white" if dark else "black", fontsize=11)
        best = grid.best(column)
        for row in best if len(best) < shape[0] else []:
            place = (column - 0.48, row - 0.48)
            axis.add_patch(Rectangle(place, 0.96, 0.96, fill=False, edgecolor="#D55E00", linewidth=3))
    slant = max(map(len, grid.columns)) > 12
    names = [short(name, NAME) for name in grid.columns]
    axis.set_xticks(range(shape[1]), names, rotation=30 if slant else 0, ha="right" if slant else "center")
    axis.set_yticks(range(shape[0]), [short(name, NAME) for name in grid.rows])
    axis.set_ylabel(grid.axes[0].name)
    under = "framed: nothing else in the column is certainly higher"
    axis.set_xlabel(f"{grid.axes[1].name}\n{under}" if len(grid.axes) > 1 else under)
    return figure
