"""Lowers the readout: its lines become texts with values, its bars an account each."""

from __future__ import annotations

from dataclasses import dataclass

from mint_ledger.formula import FormulaError
from mint_ledger.formula.syntax import parse_expression
from mint_ledger.game.readout import Bar, split_text
from mint_ledger.lowering import entities, posting
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.formulas import FormulaLowerer, lower_formula
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import Scope
from mint_ledger.program.building import BlockBuilder
from mint_ledger.program.expressions import Constant
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import Column


@dataclass(frozen=True, slots=True)
class ReadoutBar:
    """A bar of one account."""

    label: str
    stat: str
    column: Column
    entity: int


@dataclass(frozen=True, slots=True)
class ReadoutLine:
    """A line of text: pieces, and between them (procedure, type) of values."""

    pieces: tuple[str, ...]
    values: tuple[tuple[Handle, str], ...]


def lower_readout(lowering: Lowering) -> tuple[ReadoutBar | ReadoutLine, ...]:
    """Lower all items of the readout; faults are noted at their places."""
    lines: list[ReadoutBar | ReadoutLine] = []
    for index, item in enumerate(lowering.game.readout):
        scope = Scope(lowering, BlockBuilder(), ("readout", index), no_chance="the readout")
        try:
            lines.append(_bar(scope, item) if isinstance(item, Bar) else _line(lowering, scope, item.line, index))
        except (Problem, FormulaError) as problem:
            lowering.fault(("readout", index), str(problem))
    return tuple(lines)


def _bar(scope: Scope, item: Bar) -> ReadoutBar:
    ref, stat = posting.target(scope, parse_expression(item.bar))
    if not isinstance(ref.entity, Constant):
        raise Problem(f"'{item.bar}' is no account")
    owner = ref.members[0].kind.stats if ref.members else scope.lowering.game.stats
    if stat not in owner or not owner[stat].is_account:
        raise Problem(f"'{item.bar}' is no account")
    scope.lowering.sites.show(scope.path, ref.members, stat)
    label = owner[stat].label or item.bar
    column = scope.lowering.accounts[stat].column
    return ReadoutBar(label, stat, column, int(ref.entity.value))


def _line(lowering: Lowering, scope: Scope, text: str, index: int) -> ReadoutLine:
    pieces, formulas = split_text(text)
    values = []
    for number, formula in enumerate(formulas):
        b = BlockBuilder()
        inner = Scope(lowering, b, scope.path, no_chance="the readout")
        typed = lower_formula(inner, formula)
        handle = Handle("readout", ("readout", index, number))
        lowering.procedure(b.procedure(handle, typed.expr))
        values.append((handle, typed.type))
    return ReadoutLine(tuple(pieces), tuple(values))


__all__ = ["FormulaLowerer", "ReadoutBar", "ReadoutLine", "entities", "lower_readout"]
