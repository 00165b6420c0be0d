"""What the conditions of a program hold accounts against: `score >= goal`, however it is written."""

from __future__ import annotations

from collections.abc import Collection, Iterator
from dataclasses import dataclass

from mint_ledger.program import expressions as ex
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Program
from mint_ledger.program.walking import Node, children, nodes

_TURNED: dict[ex.CompareOp, ex.CompareOp] = {"<": ">", "<=": ">=", ">": "<", ">=": "<=", "==": "==", "!=": "!="}


@dataclass(frozen=True, slots=True)
class AccountComparison:
    """An account, or its size, against a number.

    Attributes:
        stat: whose account.
        size: whether it is the size that is asked for, as in `abs(x) > 5`.
        op: the account stands to the left of it.
        value: what it is held against; none where that is not one number.
    """

    stat: str
    size: bool
    op: ex.CompareOp
    value: float | None


@dataclass(frozen=True)
class Comparisons:
    """What the formulas of a program hold accounts against.

    Attributes:
        by_path: by the path of each formula of the file, its comparisons.
        constants: the numbers that stand in formulas.
    """

    by_path: dict[Path, list[AccountComparison]]
    constants: set[float]


def comparisons_of(program: Program) -> Comparisons:
    """Return what the formulas of a program hold accounts against."""
    stats = {account.column.base: account.stat for account in program.accounts}
    known = Comparisons({}, set())
    for formula, node in _within_formulas(program):
        path = program.formulas[formula].path
        if isinstance(node, (ex.Compare, ex.Binary, ex.Apply)):
            known.constants.update(child.value for child in children(node) if isinstance(child, ex.Constant))
        if not isinstance(node, ex.Compare):
            continue
        for side, other, op in ((node.left, node.right, node.op), (node.right, node.left, _TURNED[node.op])):
            inner = side.value if isinstance(side, ex.Unary) and side.op == "abs" else side
            stat = _account(inner, stats)
            if stat is not None:
                comparison = AccountComparison(stat, inner is not side, op, _number(program, other))
                if comparison not in known.by_path.setdefault(path, []):
                    known.by_path[path].append(comparison)
    return known


def moves(program: Program, value: ex.Expr | None, stats: Collection[str]) -> bool:
    """Return whether a value may change in a run in which only the accounts of some stats do."""
    names = {account.column.base: account.stat for account in program.accounts}
    still = (ex.Constant, ex.Dial, ex.DialOf, ex.Local, ex.Read)
    for node in nodes(value):
        if isinstance(node, ex.Read) and names[node.column.base] in stats:
            return True
        if not isinstance(node, still) and not tuple(children(node)):
            return True  # the clock, or what is kept beside the accounts
        if isinstance(node, (ex.At, ex.Fold)):
            return True
    return False


def _within_formulas(program: Program) -> Iterator[tuple[int, Node]]:
    """Return what whole formulas of the file are made of, each with the formula's number."""
    for procedure in program.procedures.values():
        for node in nodes((procedure.body, procedure.result)):
            if isinstance(node, ex.Checked) and node.formula >= 0:
                yield from ((node.formula, inner) for inner in nodes(node.value))


def _account(node: Node, stats: dict[int, str]) -> str | None:
    """The stat of the one account that a value is, whatever a status makes of it."""
    while isinstance(node, ex.With):
        node = node.body
    if isinstance(node, ex.Choose):
        either = {_account(node.then, stats), _account(node.other, stats)} - {None}
        return either.pop() if len(either) == 1 else None
    return stats.get(node.column.base) if isinstance(node, ex.Read) else None


def _number(program: Program, node: Node) -> float | None:
    if isinstance(node, ex.Constant):
        return node.value
    if isinstance(node, ex.Dial):
        return program.dials.numbers[node.index]
    if isinstance(node, ex.Unary) and node.op == "negate":
        number = _number(program, node.value)
        return -number if number is not None else None
    return None
