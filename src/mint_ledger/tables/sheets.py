"""The numbers of a game as sheets: a row for each kind, copy, attack or action, a column for each number."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass

from mint_ledger.game.dial_value import is_pattern
from mint_ledger.game.dials import Path
from mint_ledger.game.sections import SECTIONS
from mint_ledger.lowering.playable import PlayableGame

GAME = "the game"
TODAY = "today"
NUMBERS, VARIANTS = "numbers", "variants"
TABLE = "table "
# The names of sheets in a book have 31 letters at most.
LONGEST_TABLE = 31 - len(TABLE)
OF_SECTION = {section.name: section.sheet for section in SECTIONS}
SHEETS = (*dict.fromkeys(filter(None, OF_SECTION.values())), NUMBERS, VARIANTS)
_CHANCES = {"chance", "lands", "dodge", "slips"}
_TIMES = {"after", "after_limit", "every", "first", "lasts", "cooldown", "safe_for", "for", "reaction"}


@dataclass(frozen=True, slots=True)
class SheetRow:
    """One row of a sheet: whose numbers they are, what people call it, and a number, a word or nothing for each."""

    name: str
    label: str
    numbers: tuple[float | str | None, ...]


@dataclass(frozen=True, slots=True)
class Sheet:
    """One table; `dials` has for each row and column the dial that it holds."""

    name: str
    columns: tuple[str, ...]
    units: tuple[str, ...]
    lines: tuple[SheetRow, ...]
    dials: Mapping[tuple[str, str], str]


def make_sheets(game: PlayableGame) -> list[Sheet]:
    """All sheets of a game; those without a number are left out."""
    by_sheet: dict[str, dict[tuple[str, str], str]] = {name: {} for name in SHEETS}
    for path, name in zip(game.dials.paths, game.dials.names, strict=True):
        sheet, row, column = _where(path, name)
        by_sheet.setdefault(sheet, {})[row, column] = name
    sheets = [_sheet(game, name, cells) for name, cells in by_sheet.items() if cells and name != "variants"]
    return [*sheets, *([_variants(game)] if game.variants else [])]


def _where(path: Path, name: str) -> tuple[str, str, str]:
    """The sheet, row and column of a dial."""
    if path[0] == "stats":
        return "stats", GAME, name
    if path[0] == "tables" and len(str(path[1])) <= LONGEST_TABLE:
        # The dial of a cell is called `rank.health[3]`.
        column, _, key = name[len(str(path[1])) + 1 :].partition("[")
        return f"{TABLE}{path[1]}", key.removesuffix("]"), column
    if path[0] == "kinds":
        owner = str(path[1])
        if path[2] == "copies" and len(path) > 3:
            owner = f"{owner}[{int(path[3]) + 1}]"
        return "stats", owner, name[len(owner) + 1 :]
    sheet = OF_SECTION[str(path[0])]
    return (sheet, str(path[1]), name[len(str(path[1])) + 1 :]) if sheet else (NUMBERS, name, "value")


def _sheet(game: PlayableGame, name: str, cells: dict[tuple[str, str], str]) -> Sheet:
    rows = list(dict.fromkeys(row for row, _ in cells))
    columns = tuple(dict.fromkeys(column for _, column in cells))
    if name == "stats":
        rows.sort(key=lambda row: _place(game, row))
    lines = tuple(
        SheetRow(
            row,
            _label(game, name, row),
            tuple(game.dials.shown(cells[row, c]) if (row, c) in cells else None for c in columns),
        )
        for row in rows
    )
    units = tuple(_unit(game, rows[0] if columns == ("value",) else column) for column in columns)
    return Sheet(name, columns, units if columns != ("value",) else ("",), lines, cells)


def is_sheet(name: str) -> bool:
    """Return whether a sheet of that name can be one of a game's."""
    return name in SHEETS or name.startswith(TABLE)


def _place(game: PlayableGame, row: str) -> tuple[int, str]:
    """The game first, then the kinds as in the file, a kind's copies below it."""
    if row == GAME:
        return -1, ""
    return list(game.kinds).index(row.split("[", maxsplit=1)[0]), row


def _variants(game: PlayableGame) -> Sheet:
    names = tuple(game.variants)
    dials = list(dict.fromkeys(dial for variant in game.variants.values() for dial in variant))
    # A pattern has no value of its own; in the file it is multiplied.
    lines = tuple(
        SheetRow(
            dial,
            "",
            (
                None if is_pattern(dial) or dial in game.dials.formulas else game.dials.shown(dial),
                *(game.variants[name].get(dial) for name in names),
            ),
        )
        for dial in dials
    )
    cells = {(dial, name): dial for dial in dials for name in names if dial in game.variants[name]}
    return Sheet("variants", (TODAY, *names), ("",) * (len(names) + 1), lines, cells)


def _label(game: PlayableGame, sheet: str, row: str) -> str:
    section = "kinds" if sheet == "stats" else sheet
    part = getattr(game, section).get(row.split("[", maxsplit=1)[0]) if OF_SECTION.get(section) else None
    return (getattr(part, "label", None) or "") if part is not None else ""


def _unit(game: PlayableGame, column: str) -> str:
    words = column.split(".")
    time = "turns" if game.clock.unit == "turn" else "s"
    if words[-1] == "rate":
        return f"points per {'turn' if time == 'turns' else 's'}"
    if words[-1] in _TIMES:
        return time
    if words[-1] in _CHANCES:
        return "chance, 0 to 1"
    if len(words) > 1 and words[-2] == "resist":
        return "share, 0 to 1"
    return {"times": "times", "copies": "copies"}.get(words[-1], "")
