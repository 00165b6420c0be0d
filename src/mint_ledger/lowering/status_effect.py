"""What statuses do to others: what they change of what formulas read, and what they block."""

from __future__ import annotations

from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.game.parts import bare_names
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.scope import EntityRef, InFormula, Scope
from mint_ledger.program.building import add, choose, compare, const, mul
from mint_ledger.program.expressions import ZERO, At, Expr, Or
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import StatusColumns
from mint_ledger.program.state import Column

MOVES = "moves"
BLOCK_WORDS = (MOVES, "all")


def has_column(lowering: Lowering, name: str) -> Column:
    """Return how many times an entity has a status: 0, 1, or more where it stacks."""
    return lowering.layout.column(Handle("status", ("statuses", name)), "flag", 0, lowering.cast.size)


def has_status(lowering: Lowering, name: str, entity: Expr) -> Expr:
    """Return whether an entity has a status."""
    return compare(">", At(has_column(lowering, name), entity), ZERO)


def status_column(lowering: Lowering, what: str, name: str, role: str = "time") -> Column:
    """One of the columns in which a status keeps its state."""
    return lowering.layout.column(Handle(f"status {what}", ("statuses", name)), role, 0, lowering.cast.size)  # type: ignore[arg-type]


def status_columns(lowering: Lowering) -> tuple[StatusColumns, ...]:
    """Return where each status keeps its state."""
    return tuple(
        StatusColumns(
            name,
            has=has_column(lowering, name),
            until=status_column(lowering, "until", name),
            began=status_column(lowering, "began", name),
            ticks=status_column(lowering, "ticks", name, "counter"),
            giver=status_column(lowering, "giver", name, "mark"),
            changes=tuple(status.changes),
        )
        for name, status in lowering.game.statuses.items()
    )


def bearers(lowering: Lowering, name: str) -> tuple[Member, ...]:
    """The kinds that can have a status: all that have the stats which it names, and are not immune."""
    status, game = lowering.game.statuses[name], lowering.game
    shared = {*game.stats, *game.numbers, *game.kinds}
    stats = {stat for member in lowering.cast.members.values() for stat in member.kind.stats}
    needed = {used for used in bare_names(status) if used in stats and used not in shared}
    return tuple(
        m
        for m in lowering.cast.members.values()
        if m.room and name not in (m.kind.immune or []) and needed <= set(m.kind.stats)
    )


def blocked(lowering: Lowering, what: str, entity: Expr) -> Expr | None:
    """Return whether a status keeps an entity from an action or attack; none where no status ever does."""
    tests = [
        has_status(lowering, name, entity)
        for name, status in lowering.game.statuses.items()
        if what in status.blocks or "all" in status.blocks
    ]
    if not tests:
        return None
    return tests[0] if len(tests) == 1 else Or(tuple(tests))


def altered(f: InFormula, ref: EntityRef, member: Member | None, stat: str, value: Expr) -> Expr:
    """Return what formulas read of a stat: the booked value, or the last `to`; then all `plus`, then all `times`."""
    if member is None:
        return value
    lowering = f.scope.lowering
    mark = f"{member.name}.{stat} changed"
    if mark in f.scope.within:
        return value
    for key in ("to", "plus", "times"):
        for name, status in lowering.game.statuses.items():
            change = status.changes.get(stat)
            formula = getattr(change, key) if change is not None else None
            if formula is None or name in (member.kind.immune or []):
                continue
            path = ("statuses", name, "changes", stat, key)
            amount = _change_amount(f, ref, member, path, formula, mark)
            count = At(has_column(lowering, name), ref.entity)
            if key == "to":
                value = choose(compare(">=", count, const(1)), amount, value)
                continue
            for times in range(1, status.again.stack + 1):
                changed = add(value, amount) if key == "plus" else mul(value, amount)
                value = choose(compare(">=", count, const(times)), changed, value)
    return value


def _change_amount(f: InFormula, ref: EntityRef, member: Member, path: Path, formula: Formula, mark: str) -> Expr:
    scope = Scope(
        f.scope.lowering,
        f.scope.builder,
        path[:-1],
        self_=EntityRef(ref.entity, (member,)),
        no_chance="what a status changes",
        within=(*f.scope.within, mark),
        reads_for=f.scope.reads_for,
    )
    return f.amount(scope, formula, path[-1])
