"""Lay out a table: columns with their usual widths, which grow where a cell needs more, at the cost of the names."""

from __future__ import annotations

from dataclasses import dataclass

from mint_ledger.views.short import short
from mint_ledger.views.width import line_width

# The least room between two columns where one has grown, and how narrow names may become for it.
GAP = 2
NARROWEST_NAMES = 12


@dataclass(frozen=True)
class TextColumn:
    """A column: its heading, its usual width in letters and the side at which its cells are aligned.

    The width of a column aligned at the right includes the room before it, so that one cell of that length would touch
    the column before; a column aligned at the left has `before` letters in front of it.
    """

    head: str = ""
    width: int = 0
    at_left: bool = False
    before: int = 0


def name_column(head: str, width: int) -> TextColumn:
    """Return the first column of a table."""
    return TextColumn(head, width, at_left=True)


def right_column(head: str, width: int = 0) -> TextColumn:
    """Return a column that is aligned at the right; its usual width includes the room before it."""
    return TextColumn(head, width)


def left_column(head: str, width: int = 0, before: int = 0) -> TextColumn:
    """Return a column that is aligned at the left, with `before` letters of room in front of it."""
    return TextColumn(head, width, at_left=True, before=before)


class TextTable:
    """Rows of cells under headings; the first column holds names, which are shortened where the line is full."""

    def __init__(self, names: TextColumn, *columns: TextColumn, indent: int = 2) -> None:
        self._columns = (names, *columns)
        self._indent = indent
        self._rows: list[tuple[str, ...] | str] = []

    def add(self, *cells: str) -> None:
        """Add a row; cells that it leaves out at its end are empty."""
        self._rows.append(cells)

    def note(self, line: str) -> None:
        """Add a line that is no row, as it is."""
        self._rows.append(line)

    def lines(self, *, heads: bool = True) -> list[str]:
        """Return the headings, where they are wanted, and the rows, without room at their ends."""
        rows = [row for row in self._rows if not isinstance(row, str)]
        widths = [self._wide(place, rows, heads=heads) for place in range(len(self._columns))]
        full = self._indent + sum(widths) + sum(column.before for column in self._columns)
        if self._columns[-1].at_left:
            full += max((len(row[-1]) for row in rows if len(row) == len(widths)), default=0) - widths[-1]
        usual = self._columns[0].width
        if full > line_width() and widths[1:] != [column.width for column in self._columns[1:]]:
            widths[0] = max(usual - (full - line_width()), min(usual, NARROWEST_NAMES))
        told = [self._line([column.head for column in self._columns], widths)] if heads else []
        return told + [row if isinstance(row, str) else self._line(row, widths) for row in self._rows]

    def _wide(self, place: int, rows: list[tuple[str, ...]], *, heads: bool) -> int:
        column = self._columns[place]
        if place == 0:
            return column.width
        cells = [row[place] for row in rows if len(row) > place] + [column.head] * heads
        longest = max(map(len, cells), default=0)
        if column.at_left:
            is_last = place == len(self._columns) - 1
            return column.width if is_last or longest < column.width else longest + GAP
        return column.width if longest < column.width else longest + GAP

    def _line(self, cells: tuple[str, ...] | list[str], widths: list[int]) -> str:
        name = cells[0]
        depth = len(name) - len(name.lstrip())
        line = " " * (self._indent + depth) + short(name.lstrip(), max(widths[0] - depth, 1)).ljust(widths[0] - depth)
        for cell, column, width in zip(cells[1:], self._columns[1:], widths[1:], strict=False):
            line += " " * column.before + (cell.ljust(width) if column.at_left else cell.rjust(width))
        return line.rstrip()
