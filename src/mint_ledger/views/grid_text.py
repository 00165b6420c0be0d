"""A grid of who is best, as text: the estimates, the best of each column marked, and what it comes to."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.studies.estimate import Estimate, is_share, sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.short import short
from mint_ledger.views.study_text import digits_for, fixed
from mint_ledger.views.text_table import TextTable, name_column, right_column
from mint_ledger.views.width import USUAL, line_width, room

if TYPE_CHECKING:
    from mint_ledger.balance.grid import Grid

NAME = 22
# Columns that have room for intervals, and for numbers alone.
WITH_INTERVALS = 3
AT_ONCE = 6


def grid_text(grid: Grid) -> Page:
    """All cells, some columns at a time, and what they come to."""
    unit = ", %" if is_share(grid.measure) else ""
    lines: Parts = [f"{grid.title} · {grid.measure}{unit} · {grid.runs:,} runs a cell · seed {grid.seed}"]
    lines += [""] if grid.sentences else []
    for sentence in grid.sentences[:2]:
        lines.append(Sentence(sentence, 2))
    at_once = WITH_INTERVALS if len(grid.columns) <= WITH_INTERVALS else AT_ONCE
    for first in range(0, len(grid.columns), at_once):
        lines += ["", _block(grid, range(first, min(first + at_once, len(grid.columns))), at_once)]
    sure = sure_words(grid.sure)
    note = f"* nothing else in its column is certainly higher: {sure}, all pairs together, run by run"
    if len(grid.columns) <= WITH_INTERVALS:
        note += f"; behind each number the {sure} interval of its cell"
    lines += ["", Sentence(note, 2)]
    for sentence in grid.sentences[2:]:
        lines.append(Sentence(sentence, 2))
    return Page(*lines)


def _block(grid: Grid, columns: range, at_once: int) -> TextTable:
    wide = room(NAME, grid.rows)
    width = (max(line_width(), USUAL) - wide - 2) // at_once
    factor = 100.0 if is_share(grid.measure) else 1.0
    best = {column: grid.best(column) for column in columns}
    corner = grid.axes[0].name
    heads = []
    if len(grid.axes) > 1:
        corner = f"{short(corner, 10)} \\ {short(grid.axes[1].name, 9)}"
        heads = [short(grid.columns[column], width - 1) for column in columns]
    table = TextTable(name_column(corner, wide), *(right_column(head, width) for head in heads or [""] * len(columns)))
    for row, name in enumerate(grid.rows):
        cells = []
        for column in columns:
            estimate = grid.cells[row, column].scaled(factor)
            mark = "*" if row in best[column] else " "
            cells.append(f"{_cell(estimate, width - 3 if at_once == WITH_INTERVALS else 0)} {mark}")
        table.add(name, *cells)
    return table


def _cell(estimate: Estimate, room: int) -> str:
    """A number with its interval, where there is room for that."""
    digits = min(digits_for(estimate), 2)
    value, low, high = (fixed(end, digits) for end in (estimate.value, estimate.low, estimate.high))
    text = f"{value} {low}–{high}"
    return text if len(text) <= room and "inf" not in text else value
