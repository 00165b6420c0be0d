"""Lowers flows: a stat that recovers or fades by itself (see section "Flows are anchored" of the method)."""

from __future__ import annotations

from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.game.stat import Follow, Stat
from mint_ledger.lowering import reading
from mint_ledger.lowering.columns import account_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.entities import world
from mint_ledger.lowering.formulas import amount, condition
from mint_ledger.lowering.posting import account_owners, target
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.space import is_motion
from mint_ledger.lowering.timer import is_number
from mint_ledger.program.building import BlockBuilder, add
from mint_ledger.program.expressions import ZERO, At, Due, Expr, Local, Seconds
from mint_ledger.program.handle import Path
from mint_ledger.program.program import FlowSpec, OrderLine
from mint_ledger.program.statements import Flow


def lower_flow(
    lowering: Lowering, member: Member | None, name: str, stat: Stat, low: Expr | None, high: Expr | None
) -> FlowSpec:
    """Lower the flow of one kind's stat."""
    flow = stat.flow
    assert flow is not None
    word = stat.flow_key
    base = (*reading.stat_path(lowering, member, name), word)
    own = (*reading.member_stat_path(member, name), word)
    ref = EntityRef(Local(0), (member,)) if member else None
    scope = Scope(
        lowering,
        BlockBuilder(1),
        base,
        self_=ref,
        no_chance=f"what a stat {word}s by",
    )

    def number(formula: Formula | None, key: str) -> Expr:
        if formula is None:
            return ZERO
        dial_scope = scope.with_path(own) if lowering.dial_index((*own, key)) is not None else scope
        return amount(dial_scope, formula, key)

    gate = condition(scope, flow.if_, "if") if flow.if_ else None
    if stat.follows is not None:
        end, gate = _followed(lowering, scope, own, stat.follows, flow.to)
    elif flow.to is not None:
        end = number(flow.to, "to")
    elif stat.recover:
        end = high if high is not None else reading.start_value(scope, ref or world(), name, member, stat)
    elif low is not None:
        end = low
    else:
        lowering.fault(base, "fades to its min, and it has none; give it 'min: 0' or the fade a 'to: …'")
        end = ZERO
    label = f"{member.name}.{name}" if member else name
    return FlowSpec(
        name=f"{label}.{word}",
        to=end,
        rate=number(flow.rate, "rate"),
        after=number(flow.after, "after"),
        after_limit=number(flow.after_limit, "after_limit") if flow.after_limit else None,
        gate=gate,
        at_once=flow.at_once,
        cause=lowering.cause("flow", f"{word}", base),
    )


def _followed(
    lowering: Lowering, scope: Scope, own: Path, follow: Follow, to: Formula | None
) -> tuple[Expr, Expr | None]:
    """What a stat follows, and since when it may: the other has been left alone for so long."""
    assert to is not None
    end = amount(scope, to, "stat")
    try:
        ref, name = target(scope, to.tree)
        account_owners(scope, ref, name)
    except Problem as problem:
        lowering.fault((*scope.path, "stat"), str(problem).replace("to change", "to follow"))
        return ZERO, None
    if follow.after is None:
        return end, None
    moved = Seconds(At(reading.touched_column(lowering, name), ref.entity))
    dial_scope = scope.with_path(own) if lowering.dial_index((*own, "after")) is not None else scope
    return end, Due(add(moved, amount(dial_scope, follow.after, "after")))


def emit_flows(lowering: Lowering, b: BlockBuilder) -> None:
    """Look at every flow once: some begin, some have come to their end.

    Motion is looked at in part 4, at each posting and as somebody appears, and nothing else can turn it, unless the
    limits of a place move.
    """
    for name, account in lowering.accounts.items():
        for first, count, spec in account.specs:
            fixed = all(limit is None or is_number(limit) for limit in (spec.low, spec.high))
            if spec.flow is None or (fixed and is_motion(lowering.cast.member_of(first), name)):
                continue
            with b.each(((first, count),)) as who:
                b.emit(Flow(account.column, who))
            path = lowering.causes[spec.flow.cause].path
            lowering.order.append(OrderLine("6 flows", spec.flow.name, path))


def emit_flows_of(lowering: Lowering, b: BlockBuilder, entity: Expr, member: Member | None) -> None:
    """Look at the flows of one entity (as it appears or leaves)."""
    for name, stat in reading.stats_of(lowering, member).items():
        if stat.is_account and (stat.flow is not None or is_motion(member, name)):
            b.emit(Flow(account_column(lowering, name), entity))
