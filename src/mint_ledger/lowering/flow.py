"""Lowers flows: a stat that recovers or fades by itself (see section "Flows are anchored" of the method)."""

from __future__ import annotations

from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.game.stat import Stat
from mint_ledger.lowering import reading
from mint_ledger.lowering.columns import account_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.entities import world
from mint_ledger.lowering.formulas import amount, condition
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.space import is_motion
from mint_ledger.program.building import BlockBuilder
from mint_ledger.program.expressions import ZERO, Expr, Local
from mint_ledger.program.program import FlowSpec, OrderLine
from mint_ledger.program.statements import Flow


def lower_flow(
    lowering: Lowering, member: Member | None, name: str, stat: Stat, low: Expr | None, high: Expr | None
) -> FlowSpec:
    """Lower the flow of one kind's stat."""
    flow = stat.flow
    assert flow is not None
    word = "recover" if stat.recover else "fade"
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

    if flow.to is not None:
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
        gate=condition(scope, flow.if_, "if") if flow.if_ else None,
        at_once=flow.at_once,
        cause=lowering.cause("flow", f"{word}", base),
    )


def emit_flows(lowering: Lowering, b: BlockBuilder) -> None:
    """Look at every flow once: some begin, some have come to their end."""
    for account in lowering.accounts.values():
        for first, count, spec in account.specs:
            if spec.flow is None:
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
