"""Lowers endings: judged at the end of each step, the first that holds ends the run."""

from __future__ import annotations

from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.formulas import condition
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.program import parts
from mint_ledger.program.building import BlockBuilder
from mint_ledger.program.expressions import ZERO, Constant, Expr
from mint_ledger.program.program import EndingSpec, OrderLine
from mint_ledger.program.statements import Finish, Note, Settle


def ending_specs(lowering: Lowering) -> tuple[EndingSpec, ...]:
    """The endings as the program keeps them."""
    return tuple(EndingSpec(name, ending.result, lowering.word(name)) for name, ending, _, _ in lowering.list_endings())


def finish(lowering: Lowering, b: BlockBuilder, index: int, winner: Expr) -> None:
    """Emit the end of the run, and its row."""
    name, _, _, path = lowering.list_endings()[index]
    b.emit(Note("ending", winner, ZERO, Constant(float(lowering.cause("ending", name, path)))))
    b.emit(Finish(index, winner))


def lower_endings(lowering: Lowering) -> None:
    """Make part 7 of a step."""
    b = BlockBuilder()
    for index, (name, ending, holders, path) in enumerate(lowering.list_endings()):
        if ending.if_ is None:
            continue
        lowering.order.append(OrderLine("7 endings", f"{name}: {ending.result} if {ending.if_}", path))
        if not holders:
            scope = Scope(lowering, b, path, no_chance="an ending", watched=True)
            test = condition(scope, ending.if_, "if")
            with b.when(test):
                finish(lowering, b, index, ZERO)
                b.emit(Settle(Constant(-1.0), ZERO))
            continue
        with b.each(ranges_of(holders)) as who:
            scope = Scope(
                lowering,
                b,
                path,
                self_=EntityRef(who, holders),
                no_chance="an ending",
                watched=True,
            )
            with b.when(condition(scope, ending.if_, "if")):
                finish(lowering, b, index, who)
                b.emit(Settle(Constant(-1.0), ZERO))
    lowering.procedure(b.procedure(parts.ENDINGS))
