"""Fits a text to a terminal that is narrower than its lines: tables are laid out anew, sentences wrapped.

A table gives up, in this order: the room between its columns, the length of its bars, the width of names and words
(which go on in the next line), its last columns.
"""

from __future__ import annotations

import io
import re
import textwrap
from collections.abc import Sequence
from dataclasses import dataclass
from itertools import groupby

GAP = 2
# A bar that is shorter than this tells nothing.
SHORTEST_BAR = 8
# Names and words are no narrower than this while there are other columns to give up.
NARROWEST = 10
_ROW = re.compile(r"\S {2,}\S")
_BAR = re.compile(r"[█▉▊▋▌▍▎▏]+")
_NUMBER = re.compile(r"[+−-]?\d")
_CHUNK = re.compile(r"\S+(?: \S+)*")


def fitted(text: str, columns: int) -> str:
    """A text in lines of so many letters at most; the same text where they are no longer."""
    lines = text.split("\n")
    if columns >= max(map(len, lines)):
        return text
    fitting: list[str] = []
    for is_row, group in groupby(lines, key=lambda line: bool(_ROW.search(line.strip()))):
        rows = list(group)
        if columns >= max(map(len, rows)):
            fitting += rows
        elif is_row:
            fitting += _table(rows, columns)
        else:
            for line in rows:
                fitting += _sentence(line, columns)
    return "\n".join(fitting)


def _sentence(line: str, columns: int) -> list[str]:
    if len(line) <= columns:
        return [line]
    indent = min(len(line) - len(line.lstrip()), columns // 2)
    more = min(indent + 2, columns // 2)
    return textwrap.wrap(line.strip(), columns, initial_indent=" " * indent, subsequent_indent=" " * more) or [""]


@dataclass
class _Column:
    """The cells of a column, and whether they stand at its right."""

    cells: list[str]
    is_right: bool

    @property
    def width(self) -> int:
        return max(map(len, self.cells))

    @property
    def least(self) -> int:
        return min(self.width, NARROWEST) if self.is_words else self.width

    @property
    def is_bars(self) -> bool:
        told = [cell for cell in self.cells if cell]
        return any(map(_BAR.fullmatch, told)) and all(_BAR.fullmatch(cell) for cell in told[1:])

    @property
    def is_words(self) -> bool:
        """Return whether what stands in it may go on in the next line."""
        return not self.is_right and not any(_NUMBER.match(cell.strip()) for cell in self.cells[1:])


def _table(rows: Sequence[str], columns: int) -> list[str]:
    """Rows of a table in so many letters, by rich's way of sharing out the room."""
    from rich.console import Console
    from rich.padding import Padding
    from rich.table import Table
    from rich.text import Text

    indent = min(len(row) - len(row.lstrip()) for row in rows)
    heads = _heads(rows)
    spans = _spans(rows[heads:], indent)
    parts = [_column(rows[heads:], low, high, is_first=low == indent) for low, high in spans]
    for head in reversed(rows[:heads]):
        for part, cell in zip(parts, _head_cells(head, spans), strict=True):
            part.cells.insert(0, cell)
    parts = _shortened(parts, columns - indent)
    whole = len(parts)
    gap = GAP if _least(parts, GAP) <= columns - indent else 1
    while len(parts) > 1 and _least(parts, gap) > columns - indent:
        parts.pop()
    left = whole - len(parts)
    note = [" " * indent + f"… {left} column{'s' if left > 1 else ''} more on a wider terminal"] if left else []
    table = Table(box=None, show_header=False, pad_edge=False, padding=(0, gap, 0, 0))
    for part in parts:
        table.add_column(
            justify="right" if part.is_right else "left",
            no_wrap=not part.is_words,
            overflow="fold" if part.is_words else "ellipsis",
        )
    for cells in zip(*(part.cells for part in parts), strict=True):
        # What goes on in the next line stands as deep as it began.
        table.add_row(*(Padding(Text(cell.lstrip()), (0, 0, 0, len(cell) - len(cell.lstrip()))) for cell in cells))
    out = io.StringIO()
    Console(file=out, width=columns - indent, color_system=None, legacy_windows=False).print(table)
    return [*((" " * indent + line).rstrip() for line in out.getvalue().rstrip("\n").split("\n")), *note]


def _least(parts: Sequence[_Column], gap: int) -> int:
    """Return how wide a table is at least."""
    return sum(part.least + gap for part in parts) - gap


def _heads(rows: Sequence[str]) -> int:
    """Return how many rows are headings: those before the first whose columns are numbers for the most part."""
    for place, row in enumerate(rows):
        cells = _CHUNK.findall(row)[1:]
        if sum(bool(_NUMBER.match(cell)) for cell in cells) * 2 >= len(cells):
            return place
    return 0


def _head_cells(head: str, spans: Sequence[tuple[int, int]]) -> list[str]:
    """The words of a heading, each over the column that it stands over for the most part, or nearest to."""
    cells = [""] * len(spans)
    for chunk in _CHUNK.finditer(head):
        shared = [min(high, chunk.end()) - max(low, chunk.start()) for low, high in spans]
        over = [place for place, letters in enumerate(shared) if letters > 0]
        words = chunk.group().split()
        if len(words) != len(over):
            over, words = [shared.index(max(shared))], [chunk.group()]
        for place, word in zip(over, words, strict=True):
            cells[place] = f"{cells[place]} {word}".strip()
    return cells


def _spans(rows: Sequence[str], indent: int) -> list[tuple[int, int]]:
    """Return where the columns stand: between gaps that all rows have."""
    width = max(map(len, rows))
    used = [any(place < len(row) and row[place] != " " for row in rows) for place in range(width)]
    used[indent] = True
    spans: list[tuple[int, int]] = []
    for is_used, group in groupby(range(width), key=lambda place: used[place]):
        places = list(group)
        if is_used and spans and places[0] - spans[-1][1] < GAP:
            spans[-1] = (spans[-1][0], places[-1] + 1)
        elif is_used:
            spans.append((places[0], places[-1] + 1))
    return spans


def _column(rows: Sequence[str], low: int, high: int, *, is_first: bool) -> _Column:
    raw = [row[low:high].ljust(high - low) for row in rows]
    told = [cell for cell in raw if cell.strip()]
    at_left, at_right = (sum(cell[end] != " " for cell in told) for end in (0, -1))
    is_right = not is_first and (at_right, bool(told and _NUMBER.match(told[-1].strip()))) > (at_left, False)
    return _Column([cell.lstrip() if is_right else cell.rstrip() for cell in raw], is_right)


def _shortened(parts: list[_Column], columns: int) -> list[_Column]:
    """With bars as long as there is room for, all by the same measure."""
    bars = [part for part in parts if part.is_bars]
    rest = sum(part.width + GAP for part in parts if not part.is_bars)
    longest = max((part.width for part in bars), default=0)
    room = columns - rest
    if bars and room < SHORTEST_BAR:
        return [part for part in parts if not part.is_bars]
    for part in bars if room < longest else []:
        scale = room / longest
        part.cells = ["█" * round(len(cell) * scale) if _BAR.fullmatch(cell) else cell for cell in part.cells]
    return parts
