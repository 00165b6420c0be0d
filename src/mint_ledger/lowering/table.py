"""Lowers tables: `rank.health[k]`, `smooth(rank.health, k)`, `key_at(rank.xp, v)`; each is a search by halves."""

from __future__ import annotations

import ast
import itertools
from collections.abc import Callable, Sequence

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import shorten
from mint_ledger.game.parts import ACCOUNT_WORDS
from mint_ledger.game.table import Table, key_text
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import InFormula, Typed
from mint_ledger.program.building import add, choose, compare, const, div, mul, sub
from mint_ledger.program.expressions import Constant, Dial, Expr, Local, With
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
    """Whether a node is a column of a table (`rank.health`), and nothing that the formula knows by that name."""
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
    return Typed(_with(f, at, lambda value: _search(value, [const(key) for key in keys], cells)), "number")


def smooth(f: InFormula, arguments: list[ast.expr]) -> Typed:
    """`smooth(rank.health, k)`: straight from row to row, held at both ends."""
    table, name, column = _column(f, arguments[0])
    keys, cells = _keys(table), _cells(f, name, column)

    def between(value: Expr) -> Expr:
        pieces: list[Expr] = []
        for index, (low, high) in enumerate(itertools.pairwise(keys)):
            share = div(sub(value, const(low)), const(high - low))
            pieces.append(add(cells[index], mul(sub(cells[index + 1], cells[index]), share)))
        inner = _search(value, [const(key) for key in keys], [*pieces, cells[-1]])
        return choose(compare("<", value, const(keys[0])), cells[0], inner)

    return Typed(_with(f, f.number(arguments[1]), between), "number")


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
    keys: list[Expr] = [const(key) for key in _keys(table)]
    return Typed(_with(f, f.number(arguments[1]), lambda value: _search(value, cells, keys)), "number")


def not_alone(f: InFormula, node: ast.Attribute) -> str:
    """What is wrong with a column that stands without a key."""
    assert isinstance(node.value, ast.Name)
    table, name = f.scope.lowering.game.tables[node.value.id], node.value.id
    if node.attr not in table.columns:
        return f"the table '{name}' has no column '{shorten(node.attr)}'{nearest(node.attr, table.columns)}"
    return f"'{name}.{node.attr}' is a column of a table; write {name}.{node.attr}[…] with a key"


def _column(f: InFormula, node: ast.expr) -> tuple[Table, str, int]:
    tables = f.scope.lowering.game.tables
    if not isinstance(node, ast.Attribute) or not isinstance(node.value, ast.Name):
        raise Problem(f"'{shorten(ast.unparse(node))}' is no column of a table, like rank.health")
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
    """What `body` makes of a value that is worked out once."""
    if isinstance(value, (Constant, Dial, Local)):
        return body(value)
    local = f.scope.builder.new_local()
    return With(local, value, body(Local(local)))


def _search(value: Expr, rising: Sequence[Expr], results: Sequence[Expr]) -> Expr:
    """The result beside the last of rising values that is not above `value`; the first where all are."""
    if len(results) == 1:
        return results[0]
    half = len(results) // 2
    left = _search(value, rising[:half], results[:half])
    return choose(compare(">=", value, rising[half]), _search(value, rising[half:], results[half:]), left)
