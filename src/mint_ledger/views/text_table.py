"""Lay out a table: columns with their usual widths, which grow where a cell needs more, at the cost of the names.

Where a line has less room than that, a table gives up, in this order: the room between its columns, the length of its
bars, the width of names and words (which go on in the next line), its last columns.
"""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Sequence
from dataclasses import dataclass, replace
from typing import Literal

from mint_ledger.views.page import Meaning, Sentence, Spans
from mint_ledger.views.short import short
from mint_ledger.views.width import line_width

# The least room between two columns where one has grown, and how narrow names may become for it.
GAP = 2
NARROWEST_NAMES = 12
# Names and words are no narrower than this while there are other columns to give up; a shorter bar shows nothing.
NARROWEST = 10
SHORTEST_BAR = 8
BAR_SIGNS = frozenset("█▉▊▋▌▍▎▏")
# What the cells of a column mean: what each of them says itself, a change by its sign, or all the same.
Sort = Literal["", "change", "bar", "aside"]


class MarkedCell(str):
    """A cell that means something itself: a verdict, a result."""

    __slots__ = ("meaning",)
    meaning: Meaning

    def __new__(cls, text: str, meaning: Meaning) -> MarkedCell:
        """Return a text with its meaning."""
        cell = super().__new__(cls, text)
        cell.meaning = meaning
        return cell


@dataclass(frozen=True)
class TextColumn:
    """A column: its heading, its usual width in letters and the side at which its cells are aligned.

    The width of a column aligned at the right includes the room before it, so that one cell of that length would touch
    the column before; a column aligned at the left has `before` letters in front of it. Neighbors with the same word in
    `over` share a heading above their own; of a column of words (`is_words`) long cells go on in the next line where
    there is little room.
    """

    head: str = ""
    width: int = 0
    at_left: bool = False
    before: int = 0
    sort: Sort = ""
    over: str = ""

    @property
    def is_words(self) -> bool:
        """Return whether what stands in it may go on in the next line."""
        return self.at_left and not self.sort


def name_column(head: str, width: int) -> TextColumn:
    """Return the first column of a table."""
    return TextColumn(head, width, at_left=True)


def right_column(head: str, width: int = 0, sort: Sort = "", over: str = "") -> TextColumn:
    """Return a column that is aligned at the right; its usual width includes the room before it."""
    return TextColumn(head, width, sort=sort, over=over)


def left_column(head: str, width: int = 0, before: int = 0, sort: Sort = "", over: str = "") -> TextColumn:
    """Return a column that is aligned at the left, with `before` letters of room in front of it."""
    return TextColumn(head, width, at_left=True, before=before, sort=sort, over=over)


def change_column(head: str, width: int = 0) -> TextColumn:
    """Return a column of changes, at the right: what is gained has a `+`, what is lost a `−`."""
    return TextColumn(head, width, sort="change")


def interval_column(head: str, width: int = 0) -> TextColumn:
    """Return a column of intervals, three letters behind the numbers that they belong to."""
    return TextColumn(head, width, at_left=True, before=3, sort="aside")


def bar_column(before: int = 0) -> TextColumn:
    """Return a column of bars."""
    return TextColumn("", at_left=True, before=before, sort="bar")


class TextTable:
    """Rows of cells under headings; the first column holds names, which are shortened where the line is full.

    Args:
        names: the first column.
        columns: the others.
        indent: how deep it stands.
        heads: whether its headings are shown.

    Attributes:
        columns: all of them.
        rows: their cells, and the lines between them that are no rows.
    """

    def __init__(self, names: TextColumn, *columns: TextColumn, indent: int = 2, heads: bool = True) -> None:
        self.columns = (names, *columns)
        self._indent = indent
        self._heads = heads
        self.rows: list[tuple[str, ...] | Sentence] = []

    def add(self, *cells: str) -> None:
        """Add a row; cells that it leaves out at its end are empty."""
        self.rows.append(cells)

    def note(self, line: str) -> None:
        """Add a line that is no row."""
        self.rows.append(Sentence(line.strip(), len(line) - len(line.lstrip())))

    def mapped(self, change: Callable[[str], str]) -> TextTable:
        """Return it with every text changed."""
        columns = [replace(one, head=change(one.head), over=change(one.over)) for one in self.columns]
        table = TextTable(*columns, indent=self._indent, heads=self._heads)
        for row in self.rows:
            table.rows.append(row.mapped(change) if isinstance(row, Sentence) else tuple(_same(c, change) for c in row))
        return table

    def lines(self) -> list[str]:
        """Return its lines as texts, at the usual width."""
        return ["".join(text for text, _ in spans) for spans in self.usual()]

    def usual(self) -> list[Spans]:
        """Return the headings, where they are wanted, and the rows, without room at their ends."""
        rows = [row for row in self.rows if not isinstance(row, Sentence)]
        widths = [self._wide(place, rows) for place in range(len(self.columns))]
        full = self._indent + sum(widths) + sum(column.before for column in self.columns)
        if self.columns[-1].at_left:
            full += max((len(row[-1]) for row in rows if len(row) == len(widths)), default=0) - widths[-1]
        usual = self.columns[0].width
        if full > line_width() and widths[1:] != [column.width for column in self.columns[1:]]:
            widths[0] = max(usual - (full - line_width()), min(usual, NARROWEST_NAMES))
        shown = [self._line(head, widths) for head in self.head_rows()]
        for row in self.rows:
            shown += row.usual() if isinstance(row, Sentence) else [self._line(row, widths)]
        return shown

    def narrow(self, columns: int) -> list[Spans]:
        """Return it in so many letters; see the head of this file."""
        room = columns - self._indent
        rows = [row for row in self.rows if not isinstance(row, Sentence)]
        parts = [
            _Part(column, [row[at] if at < len(row) else "" for row in rows], [head[at] for head in self.head_rows()])
            for at, column in enumerate(self.columns)
        ]
        parts = _shortened([part for part in parts if part.natural], room)
        gap = GAP if _least(parts, GAP) <= room else 1
        whole = len(parts)
        while len(parts) > 1 and _least(parts, gap) > room:
            parts.pop()
        widths = _shared_out(parts, room - gap * (len(parts) - 1))
        shown = [
            spans
            for at in range(len(self.head_rows()))
            for spans in self._folded([p.heads[at] for p in parts], parts, widths, gap)
        ]
        place = 0
        for row in self.rows:
            if isinstance(row, Sentence):
                shown += row.narrow(columns)
                continue
            shown += self._folded([part.cells[place] for part in parts], parts, widths, gap)
            place += 1
        left = whole - len(parts)
        if left:
            shown.append(
                [(f"{' ' * self._indent}… {left} column{'s' if left > 1 else ''} more on a wider terminal", "")]
            )
        return shown

    def head_rows(self) -> list[tuple[str, ...]]:
        """Return the rows of headings: those that neighbors share, above the last of them, and their own."""
        if not self._heads:
            return []
        own = tuple(column.head for column in self.columns)
        over = [column.over for column in self.columns]
        shared = tuple("" if over[place + 1 : place + 2] == [word] else word for place, word in enumerate(over))
        return [shared, own] if any(over) else [own]

    def _wide(self, place: int, rows: list[tuple[str, ...]]) -> int:
        column = self.columns[place]
        if place == 0:
            return column.width
        cells = [row[place] for row in rows if len(row) > place] + [column.head] * self._heads
        longest = max(map(len, cells), default=0)
        if not longest:
            return column.width
        if column.at_left:
            is_last = place == len(self.columns) - 1
            return column.width if is_last or longest < column.width else longest + GAP
        return column.width if longest < column.width else longest + GAP

    def _line(self, cells: Sequence[str], widths: list[int]) -> Spans:
        name = cells[0]
        depth = len(name) - len(name.lstrip())
        told = short(name.lstrip(), max(widths[0] - depth, 1))
        spans: Spans = [(" " * (self._indent + depth), ""), (told, meaning_of(name, self.columns[0]))]
        behind = widths[0] - depth - len(told)
        for cell, column, width in zip(cells[1:], self.columns[1:], widths[1:], strict=False):
            # A heading that neighbors share begins in the room of those before.
            room = max(width - len(cell), 0) if column.at_left else width - len(cell)
            behind += column.before + (0 if column.at_left else room)
            if cell:
                spans += [(" " * max(behind, 0), ""), (cell, meaning_of(cell, column))]
                behind = room if column.at_left else 0
            elif column.at_left:
                behind += room
        return spans

    def _folded(self, cells: Sequence[str], parts: Sequence[_Part], widths: Sequence[int], gap: int) -> list[Spans]:
        """Return a row whose names and words go on in the next lines, as deep as they began."""
        folded = [part.folded(cell, width) for cell, part, width in zip(cells, parts, widths, strict=True)]
        lines: list[Spans] = []
        for at in range(max(map(len, folded))):
            spans: Spans = []
            blank = self._indent
            for texts, cell, part, width in zip(folded, cells, parts, widths, strict=True):
                text = texts[at] if at < len(texts) else ""
                before = 0 if part.column.at_left else width - len(text)
                if text:
                    spans += [(" " * (blank + before), ""), (text, meaning_of(cell, part.column))]
                    blank = 0
                else:
                    blank += before
                blank += gap + (width - len(text) if part.column.at_left else 0)
            lines.append(spans)
        return lines


class _Part:
    """The cells of a column that is laid out in little room."""

    def __init__(self, column: TextColumn, cells: list[str], heads: list[str]) -> None:
        self.column = column
        self.cells = cells
        self.heads = heads

    @property
    def natural(self) -> int:
        return max(map(len, [*self.cells, *self.heads]), default=0)

    @property
    def least(self) -> int:
        return min(self.natural, NARROWEST) if self.column.is_words else self.natural

    def folded(self, cell: str, width: int) -> list[str]:
        if len(cell) <= width or not self.column.is_words:
            return [cell]
        depth = " " * min(len(cell) - len(cell.lstrip()), width // 2)
        return textwrap.wrap(cell.strip(), width, initial_indent=depth, subsequent_indent=depth) or [""]


def _least(parts: Sequence[_Part], gap: int) -> int:
    """Return how wide a table is at least."""
    return sum(part.least + gap for part in parts) - gap


def _shared_out(parts: Sequence[_Part], room: int) -> list[int]:
    """Return the widths of columns: what is left of the room goes to names and words, the shortest first."""
    widths = [part.least for part in parts]
    left = room - sum(widths)
    waiting = sorted(
        (at for at, part in enumerate(parts) if part.natural > widths[at]), key=lambda at: parts[at].natural
    )
    for count, at in enumerate(waiting):
        more = min(parts[at].natural - widths[at], max(left, 0) // (len(waiting) - count))
        widths[at] += more
        left -= more
    # A last column that is too wide by itself is cut by its neighbors' room no longer: its words fold.
    return [min(width, room) if part.column.is_words else width for part, width in zip(parts, widths, strict=True)]


def _shortened(parts: list[_Part], room: int) -> list[_Part]:
    """Return the columns with bars as long as there is room for, all by the same measure."""
    bars = [part for part in parts if part.column.sort == "bar"]
    longest = max((len(cell) for part in bars for cell in part.cells), default=0)
    left = (room - sum(part.natural + GAP for part in parts if part.column.sort != "bar")) // max(len(bars), 1)
    if not bars or left >= longest:
        return parts
    if left < SHORTEST_BAR:
        return [part for part in parts if part.column.sort != "bar"]
    for part in bars:
        part.cells = [_shrunk(cell, left / longest) for cell in part.cells]
    return parts


def _shrunk(bar: str, scale: float) -> str:
    """Return a bar by a smaller measure; runs of the same sign shrink alike."""
    shown, at = "", 0
    while at < len(bar):
        end = at
        while end < len(bar) and bar[end] == bar[at]:
            end += 1
        shown += bar[at] * (round(end * scale) - round(at * scale))
        at = end
    return shown


def meaning_of(cell: str, column: TextColumn) -> Meaning:
    """Return what a cell means: by itself, or by its column."""
    if isinstance(cell, MarkedCell):
        return cell.meaning
    if column.sort == "change":
        return "good" if cell.startswith("+") else "bad" if cell.startswith("−") else ""
    return column.sort if cell != column.head else ""


def _same(cell: str, change: Callable[[str], str]) -> str:
    """Return a cell whose text is changed, and that means the same."""
    return MarkedCell(change(cell), cell.meaning) if isinstance(cell, MarkedCell) else change(cell)
