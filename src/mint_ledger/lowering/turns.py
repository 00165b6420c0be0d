"""Lowers turns: whose turn it is, and what passes it on."""

from __future__ import annotations

from mint_ledger.game.cast import Member
from mint_ledger.lowering.columns import turn_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.entities import whose
from mint_ledger.lowering.formulas import entity_text
from mint_ledger.lowering.handles import cue_event
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import Scope
from mint_ledger.program.building import BlockBuilder, add, compare, const, sub
from mint_ledger.program.expressions import ONE, ZERO, And, Apply, At, Constant, Expr, Or, Step
from mint_ledger.program.program import OrderLine
from mint_ledger.program.statements import Note, Set


def find_turn_order(lowering: Lowering) -> None:
    """Note who takes turns, in their order; a kind stands for all its copies."""
    turns = lowering.game.turns
    order: list[tuple[int, Member]] = []
    for index, text in enumerate(turns.order if turns else []):
        member = lowering.cast.members.get(text)
        if member is not None and member.room > 1:
            order.extend((entity, member) for entity in member.entities)
            continue
        try:
            ref = entity_text(Scope(lowering, BlockBuilder(), ("turns",)), text)
        except Problem as problem:
            lowering.fault(("turns",), f"{index + 1}: {problem}")
            continue
        if isinstance(ref.entity, Constant):
            order.append((int(ref.entity.value), ref.members[0]))
    lowering.turn_order = order
    if turns is not None and len(order) == 1:
        lowering.fault(("turns",), f"only {turns.order[0]} takes turns; there are two players at least")


def out_of_turn(lowering: Lowering, who: Expr) -> Expr | None:
    """Return whether an entity would act out of turn; none where the game has no turns."""
    if lowering.game.turns is None:
        return None
    order = lowering.turn_order
    if not order:
        return None
    tests = [compare("==", who, const(entity)) for entity, _ in order]
    plays = tests[0] if len(tests) == 1 else Or(tuple(tests))
    return And((plays, compare("!=", who, whose(lowering).entity)))


def _emit_note(lowering: Lowering, b: BlockBuilder) -> None:
    """A row that says whose turn it is."""
    if lowering.turn_order:
        b.emit(Note("turn", whose(lowering).entity, ZERO, const(-1)))


def lower_turns(lowering: Lowering) -> None:
    """Wire what passes the turn on: where a cue does, after all rules that hear it."""
    turns = lowering.game.turns
    if turns is None:
        return
    if lowering.game.clock.unit != "turn":
        lowering.fault(("turns",), "turns want a clock of turns: clock: {unit: turn, limit: 100}")
    count = const(max(len(lowering.turn_order), 1))
    column = turn_column(lowering)
    if turns.pass_ is None:

        def next_turn(b: BlockBuilder) -> None:
            b.emit(Set(column, ZERO, Apply("modulo", (sub(Step(), ONE), count))))
            _emit_note(lowering, b)

        lowering.wiring.new_step.append(next_turn)
        lowering.order.append(OrderLine("1 time", "the next player's turn", ("turns",)))
        return
    event = lowering.event(cue_event(turns.pass_.cue), "cue")

    def passes(b: BlockBuilder, _: Expr, __: Expr, ___: tuple[Expr, ...]) -> None:
        b.emit(Set(column, ZERO, Apply("modulo", (add(At(column, ZERO), ONE), count))))
        _emit_note(lowering, b)

    lowering.on_opening.append(lambda b: _emit_note(lowering, b))
    lowering.wiring.on_event(event, passes)
    lowering.order.append(OrderLine("reactions: cues", f"the turn passes (cue {turns.pass_.cue})", ("turns",)))
