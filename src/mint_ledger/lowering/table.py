"""Lowers tables: `rank.health[k]`, `smooth(rank.health, k)`, `key_at(rank.xp, v)`; each is a search by halves."""

from __future__ import annotations

import ast
import itertools
from collections.abc import Callable, Sequence

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import shorten, written
from mint_ledger.game.parts import ACCOUNT_WORDS
from mint_ledger.game.table import Table, key_text
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import InFormula, Typed
from mint_ledger.program.building import add, choose, compare, const, div, lower_of, mul, sub
from mint_ledger.program.expressions import And, Constant, Dial, DialOf, Expr, Local, Unary, With
from mint_ledger.program.handle import Path


def check_tables(lowering: Lowering) -> None:
    """Fault what is no table of numbers: names, rows that are too short, texts, keys that do not rise."""
    game = lowering.game
    for name, table in game.tables.items():
        path: Path = ("tables", name)
        for section in ("numbers", "kinds"):
            if name in getattr(game, section):
                lowering.fault(path, f"'{name}' is the name of one of the {section} already")
        _check_columns(lowering, path, table)
        _check_rows(lowering, path, table)


def _check_columns(lowering: Lowering, path: Path, table: Table) -> None:
    for index, column in enumerate(table.columns):
        where = (*path, "columns", index)
        if not column.isidentifier() or column.startswith("_"):
            lowering.fault(where, f"'{column}' is no name that a formula can use; a name has letters, digits and _")
        elif column in ACCOUNT_WORDS and index:
            lowering.fault(where, f"every account has a '{column}'; choose another name for the column")
        elif column in table.columns[:index]:
            lowering.fault(where, f"the column '{column}' stands here twice")
    if len(table.columns) < 2:
        lowering.fault((*path, "columns"), "wants two columns at least: the keys, and numbers to look up by them")


def _check_rows(lowering: Lowering, path: Path, table: Table) -> None:
    before: float | None = None
    for index, row in enumerate(table.rows):
        where = (*path, "rows", index)
        if len(row) != len(table.columns):
            lowering.fault(where, f"has {len(row)} cells, and the table has {len(table.columns)} columns")
        for column, cell in enumerate(row[: len(table.columns)]):
            if isinstance(cell, str):
                lowering.fault((*where, column), f"{_cell_name(table, index, column)} wants a number, not '{cell}'")
        key = table.key(index)
        if isinstance(key, float):
            if before is not None and key <= before:
                message = f"the keys rise from row to row, and {key_text(key)} comes after {key_text(before)}"
                lowering.fault((*where, 0), message)
            before = key


def _cell_name(table: Table, row: int, column: int) -> str:
    return f"'{table.columns[column]}' in row {row + 1}" if column else f"the key of row {row + 1}"


def is_table(f: InFormula, node: ast.expr) -> bool:
    """Return whether a node is a column of a table (`rank.health`), and nothing that the formula knows by that name."""
    return (
        isinstance(node, ast.Attribute)
        and isinstance(node.value, ast.Name)
        and node.value.id in f.scope.lowering.game.tables
        and node.attr not in ACCOUNT_WORDS
    )


def looked_up(f: InFormula, node: ast.Subscript) -> Typed:
    """`rank.health[k]`: the row with the greatest key not above k, held at both ends."""
    table, name, column = _column(f, node.value)
    keys = _keys(table)
    cells = _cells(f, name, column)
    at = f.number(node.slice)
    if isinstance(at, Constant):
        return Typed(cells[max(sum(key <= at.value for key in keys) - 1, 0)], "number")
    return Typed(_with(f, at, lambda value: _cell_at(cells, _row_of(value, keys))), "number")


def smooth(f: InFormula, arguments: list[ast.expr]) -> Typed:
    """`smooth(rank.health, k)`: straight from row to row, held at both ends."""
    table, name, column = _column(f, arguments[0])
    keys, cells = _keys(table), _cells(f, name, column)

    def between(value: Expr) -> Expr:
        if len(keys) == 1:
            return cells[0]
        # The last row goes on to itself, so that nothing rises behind it.
        return _with(f, _row_of(value, keys), lambda row: _line(value, row, keys, cells))

    return Typed(_with(f, f.number(arguments[1]), between), "number")


def _line(value: Expr, row: Expr, keys: list[float], cells: list[Expr]) -> Expr:
    low, high = _cell_at(cells, row), _cell_at([*cells[1:], cells[-1]], row)
    if _are_counted(keys):
        share = sub(value, add(row, const(keys[0])))
    else:
        widths = [following - key for key, following in itertools.pairwise(keys)]
        share = div(sub(value, _number_at(keys, row)), _number_at([*widths, 1.0], row))
    held = choose(compare("<", value, const(keys[0])), const(0.0), share)
    return add(low, mul(sub(high, low), held))


def key_at(f: InFormula, arguments: list[ast.expr]) -> Typed:
    """`key_at(rank.xp, v)`: the greatest key whose cell is not above v; the first where all are."""
    table, name, column = _column(f, arguments[0])
    lowering = f.scope.lowering
    cells = _cells(f, name, column)
    numbers = [row[column] for row in table.rows if len(row) > column]
    for index, (one, following) in enumerate(itertools.pairwise(numbers)):
        if isinstance(one, float) and isinstance(following, float) and following < one:
            where = f"{name}.{table.columns[column]}[{key_text(table.key(index + 1))}]"
            message = f"key_at() wants a column that does not fall, and {where} is {following:g} after {one:g}"
            lowering.fault(("tables", name, "rows", index + 1, column), message)
    lowering.rising.append(tuple(cell.index for cell in cells if isinstance(cell, Dial)))
    keys = _keys(table)

    def found(value: Expr) -> Expr:
        return _with(f, _last_not_above(f, value, cells), lambda row: _key_of(keys, row))

    return Typed(_with(f, f.number(arguments[1]), found), "number")


def not_alone(f: InFormula, node: ast.Attribute) -> str:
    """Return what is wrong with a column that stands without a key."""
    assert isinstance(node.value, ast.Name)
    table, name = f.scope.lowering.game.tables[node.value.id], node.value.id
    if node.attr not in table.columns:
        return f"the table '{name}' has no column '{shorten(node.attr)}'{nearest(node.attr, table.columns)}"
    return f"'{name}.{node.attr}' is a column of a table; write {name}.{node.attr}[…] with a key"


def _column(f: InFormula, node: ast.expr) -> tuple[Table, str, int]:
    tables = f.scope.lowering.game.tables
    if not isinstance(node, ast.Attribute) or not isinstance(node.value, ast.Name):
        raise Problem(f"'{shorten(written(node))}' is no column of a table, like rank.health")
    name = node.value.id
    if name not in tables:
        hint = nearest(name, tables) or ("; the game has no tables" if not tables else "")
        raise Problem(f"there is no table '{shorten(name)}'{hint}")
    table = tables[name]
    if node.attr not in table.columns:
        raise Problem(f"the table '{name}' has no column '{shorten(node.attr)}'{nearest(node.attr, table.columns)}")
    return table, name, table.columns.index(node.attr)


def _keys(table: Table) -> list[float]:
    return [key for key in (table.key(row) for row in range(len(table.rows))) if isinstance(key, float)]


def _cells(f: InFormula, name: str, column: int) -> list[Expr]:
    """The cells of a column, for rows that have a key; those of the first column are the keys."""
    lowering = f.scope.lowering
    table = lowering.game.tables[name]
    cells: list[Expr] = []
    for index, row in enumerate(table.rows):
        key = table.key(index)
        if not isinstance(key, float):
            continue
        dial = lowering.dial_index(("tables", name, "rows", index, column)) if column else None
        cell = row[column] if column < len(row) else 0.0
        cells.append(Dial(dial) if dial is not None else const(cell if isinstance(cell, float) else 0.0))
    if not cells:
        raise Problem(f"the table '{name}' has no rows")
    return cells


def _with(f: InFormula, value: Expr, body: Callable[[Expr], Expr]) -> Expr:
    """Return what `body` makes of a value that is worked out once."""
    if isinstance(value, (Constant, Dial, Local)):
        return body(value)
    local = f.scope.builder.new_local()
    return With(local, value, body(Local(local)))


def _are_counted(keys: list[float]) -> bool:
    """Return whether keys go up in ones, so that the row of a key is known without a search."""
    return all(following - key == 1.0 for key, following in itertools.pairwise(keys))


def _row_of(value: Expr, keys: list[float]) -> Expr:
    """The position of the row with the greatest key not above a value; the first where all are."""
    if _are_counted(keys):
        row = lower_of(Unary("floor", sub(value, const(keys[0]))), const(len(keys) - 1))
        # Below the first key, and where there is no number, it is the first.
        return choose(compare(">=", value, const(keys[0])), row, const(0.0))
    return _search(value, [const(key) for key in keys], [const(row) for row in range(len(keys))])


def _last_not_above(f: InFormula, value: Expr, cells: list[Expr]) -> Expr:
    """The position of the last of rising cells that is not above a value, by halves; the first where all are."""
    last = len(cells) - 1

    def further(row: Expr, step: int) -> Expr:
        if step == 0:
            return row
        local = f.scope.builder.new_local()
        ahead = add(Local(local), const(step))
        reached = And((compare("<=", ahead, const(last)), compare(">=", value, _cell_at(cells, ahead))))
        return With(local, row, further(choose(reached, ahead, Local(local)), step // 2))

    return further(const(0.0), 1 << (last.bit_length() - 1) if last else 0)


def _key_of(keys: list[float], row: Expr) -> Expr:
    return add(row, const(keys[0])) if _are_counted(keys) else _number_at(keys, row)


def _cell_at(cells: Sequence[Expr], row: Expr) -> Expr:
    """The cell of a column in a row."""
    dials = [cell.index for cell in cells if isinstance(cell, Dial)]
    if len(set(cells)) == 1:
        return cells[0]
    if len(dials) == len(cells):
        return DialOf(tuple(dials), 0, row)
    return _search(row, [const(index) for index in range(len(cells))], cells)


def _number_at(numbers: Sequence[float], row: Expr) -> Expr:
    """One of several numbers, by its position."""
    if len(set(numbers)) == 1:
        return const(numbers[0])
    return _search(row, [const(index) for index in range(len(numbers))], [const(number) for number in numbers])


def _search(value: Expr, rising: Sequence[Expr], results: Sequence[Expr]) -> Expr:
    """The result beside the last of rising values that is not above `value`; the first where all are."""
    if len(results) == 1:
        return results[0]
    half = len(results) // 2
    left = _search(value, rising[:half], results[:half])
    return choose(compare(">=", value, rising[half]), _search(value, rising[half:], results[half:]), left)
