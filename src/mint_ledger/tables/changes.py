"""What a table that comes back changes in the game: each cell held against the dial that it stands for."""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass

from mint_ledger.errors import BadRequest, nearest
from mint_ledger.game.dial_value import Value
from mint_ledger.game.dials import plain_value
from mint_ledger.game.source import Source
from mint_ledger.lowering.patched import with_numbers
from mint_ledger.lowering.playable import PlayableGame, game_of
from mint_ledger.tables.book import HEAD, UNITS, Cell, Grid
from mint_ledger.tables.sheets import TODAY, Sheet, make_sheets

MOST_FAULTS = 20


@dataclass(frozen=True, slots=True)
class CellChange:
    """One number that differs: where it stands in the table, its dial (of a variant), and both values."""

    place: str
    dial: str
    variant: str | None
    before: float | bool | str
    after: float | bool | str


def find_changes(game: PlayableGame, book: Mapping[str, Grid]) -> list[CellChange]:
    """The numbers in which tables differ from the game.

    Raises:
        BadRequest: a cell is no number, a row is not the game's or stands twice …; all that is wrong, one line each.
    """
    known = {sheet.name: sheet for sheet in make_sheets(game)}
    faults: list[str] = []
    changes: list[CellChange] = []
    for name, grid in book.items():
        if name not in known:
            if len(grid) > 2:
                faults.append(f"{name}: the game has no {name}, so this table has nothing to change")
            continue
        changes += _sheet_changes(known[name], grid, faults)
    if faults:
        more = [f"… and {len(faults) - MOST_FAULTS} faults more"] if len(faults) > MOST_FAULTS else []
        raise BadRequest("\n".join([*faults[:MOST_FAULTS], *more]))
    return changes


def changed_source(game: PlayableGame, changes: Sequence[CellChange]) -> Source:
    """The game's file, and those of its tables, with these numbers in them; all else stays as it is.

    Raises:
        BadRequest: a number cannot be put in without touching anything else.
        GameError: the numbers make the game impossible.
    """
    for variant in dict.fromkeys(change.variant for change in changes):
        values: dict[str, Value] = {}
        for change in changes:
            if change.variant == variant:
                own = change.after
                values[change.dial] = own if isinstance(own, (bool, str)) else plain_value(own)
        game = game_of(with_numbers(game, values, variant), PlayableGame)
    return game.source


def _sheet_changes(sheet: Sheet, grid: Grid, faults: list[str]) -> list[CellChange]:
    head = next(((r, row) for r, row in enumerate(grid) if row and row[0].value == HEAD[0]), None)
    if head is None:
        faults.append(f"{sheet.name}: there is no heading row that begins with '{HEAD[0]}'; is this one of our tables?")
        return []
    at, heading = head
    columns = _columns(sheet, heading, faults)
    lines = {line.name: line for line in sheet.lines}
    rows = [row for row in grid[at + 1 :] if any(cell.value is not None for cell in row)]
    seen: dict[str, str] = {}
    changes: list[CellChange] = []
    for row in rows:
        # Rows of the game's tables are called by their keys, which a spreadsheet takes for numbers.
        name = str(row[0].value).removesuffix(".0") if row[0].value is not None else ""
        if name == UNITS:
            continue
        if name not in lines:
            new = "" if sheet.name != "stats" else "; a new kind is made in the game file, under 'kinds'"
            faults.append(f"{row[0].place}: the game has no '{name}' here{nearest(name, lines)}{new}")
            continue
        if name in seen:
            faults.append(f"{row[0].place}: '{name}' stands twice, first in {seen[name]}")
            continue
        seen[name] = row[0].place
        numbers = dict(zip(sheet.columns, lines[name].numbers, strict=True))
        for cell, column in zip(row[len(HEAD) :], columns, strict=False):
            if column is not None:
                change = _cell_change(sheet, cell, name, column, numbers[column], faults)
                if change is not None:
                    changes.append(change)
    return changes


def _columns(sheet: Sheet, heading: Sequence[Cell], faults: list[str]) -> list[str | None]:
    columns: list[str | None] = []
    for cell in heading[len(HEAD) :]:
        name = None if cell.value is None else str(cell.value)
        if name is not None and name not in sheet.columns:
            faults.append(f"{cell.place}: there is no number '{name}' in {sheet.name}{nearest(name, sheet.columns)}")
            name = None
        elif name is not None and name in columns:
            faults.append(f"{cell.place}: the column '{name}' stands twice")
            name = None
        columns.append(name)
    return columns


def _cell_change(
    sheet: Sheet, cell: Cell, row: str, column: str, before: float | bool | str | None, faults: list[str]
) -> CellChange | None:
    value = cell.value
    if sheet.name == "variants" and column == TODAY:
        return None
    if before is None:
        if value is not None:
            faults.append(f"{cell.place}: {row} has no '{column}' in the game file yet; write it there first")
        return None
    if value is None:
        faults.append(f"{cell.place}: is empty, and the game has {before} there; write it again")
    elif isinstance(before, str):
        if not isinstance(value, str):
            faults.append(f"{cell.place}: '{value}' is no word, and the game has '{before}' there")
        elif value != before:
            return CellChange(
                cell.place, sheet.dials[row, column], column if sheet.name == "variants" else None, before, value
            )
    elif isinstance(value, bool) or not isinstance(value, (int, float)):
        faults.append(f"{cell.place}: '{value}' is no number")
    elif not math.isfinite(value):
        faults.append(f"{cell.place}: wants a finite number, not {value}")
    elif float(value) != before:
        variant = column if sheet.name == "variants" else None
        return CellChange(cell.place, sheet.dials[row, column], variant, before, float(value))
    return None
