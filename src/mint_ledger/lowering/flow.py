"""Lowers flows: a stat that recovers or fades by itself (see section "Flows are anchored" of the method)."""

from __future__ import annotations

import math
from dataclasses import replace

from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.game.stat import Flow as FlowModel
from mint_ledger.game.stat import Follow, Stat
from mint_ledger.lowering import reading
from mint_ledger.lowering.columns import account_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.formulas import amount, condition
from mint_ledger.lowering.posting import account_owners, target
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.space import is_motion
from mint_ledger.lowering.timer import is_number
from mint_ledger.program.building import BlockBuilder, add, choose, compare, const
from mint_ledger.program.expressions import ONE, ZERO, At, Due, Expr, Local, Read, Seconds
from mint_ledger.program.handle import Path
from mint_ledger.program.program import FlowSpec, FlowWay, OrderLine
from mint_ledger.program.statements import Flow

WAYS: dict[str, FlowWay] = {"recover": "up", "fade": "down", "follows": "both"}


def lower_flow(
    lowering: Lowering, member: Member | None, name: str, stat: Stat, low: Expr | None, high: Expr | None
) -> FlowSpec:
    """Lower the flow of one kind's stat."""
    keys = [key for key in ("recover", "fade") if getattr(stat, key)] or ["follows"]
    flows = [_one_flow(lowering, member, name, stat, key, low, high, " and ".join(keys)) for key in keys]
    if len(flows) == 2:
        return _joined(Read(account_column(lowering, name), Local(0) if member else ZERO), *flows)
    return flows[0]


def _one_flow(
    lowering: Lowering,
    member: Member | None,
    name: str,
    stat: Stat,
    word: str,
    low: Expr | None,
    high: Expr | None,
    cause: str,
) -> FlowSpec:
    """Lower what stands under `recover`, `fade` or `follows`."""
    flow = stat.flow if word == "follows" else getattr(stat, word)
    assert isinstance(flow, FlowModel)
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
    elif flow.at_once and (high if word == "recover" else low) is None:
        side = "max" if word == "recover" else "min"
        lowering.fault(base, f"at_once wants an end to go to; give it a 'to: …', or the stat a '{side}: …'")
        end = ZERO
    elif word == "recover":
        end = high if high is not None else const(math.inf)
    else:
        end = low if low is not None else const(-math.inf)
    label = f"{member.name}.{name}" if member else name
    return FlowSpec(
        name=f"{label}.{word}",
        to=end,
        rate=number(flow.rate, "rate"),
        after=number(flow.after, "after"),
        after_limit=number(flow.after_limit, "after_limit") if flow.after_limit else None,
        gate=gate,
        at_once=flow.at_once,
        cause=lowering.cause("flow", cause, base if cause == word else base[:-1]),
        way=WAYS[word],
    )


def _joined(value: Expr, up: FlowSpec, down: FlowSpec) -> FlowSpec:
    """One flow of two: below the end of `recover` that one gives, above the end of `fade` that one takes."""
    gives = compare("<", value, up.to)
    takes = compare(">", value, down.to)

    def either(one: Expr | None, other: Expr | None, neither: Expr) -> Expr | None:
        if one is None and other is None:
            return None
        return choose(gives, one or neither, other or neither)

    return replace(
        up,
        to=choose(gives, up.to, choose(takes, down.to, value)),
        rate=choose(gives, up.rate, down.rate),
        after=choose(gives, up.after, down.after),
        after_limit=either(up.after_limit or up.after, down.after_limit or down.after, ZERO)
        if up.after_limit or down.after_limit
        else None,
        gate=either(up.gate, down.gate, ONE),
        way="both",
    )


def _followed(
    lowering: Lowering, scope: Scope, own: Path, follow: Follow, to: Formula | None
) -> tuple[Expr, Expr | None]:
    """Return what a stat follows, and since when it may: the other has been left alone for so long."""
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
