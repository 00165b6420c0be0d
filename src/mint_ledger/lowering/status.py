"""Lowers statuses: given, ended, ticking; what they do meanwhile stands in `status_effect.py`."""

from __future__ import annotations

from mint_ledger.errors import nearest
from mint_ledger.game.status import Status
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.do import emit_do
from mint_ledger.lowering.formulas import amount
from mint_ledger.lowering.handles import end_status, give_status
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.status_effect import BLOCK_WORDS, bearers, has_column, status_column
from mint_ledger.lowering.timer import MOST_IN_A_STEP, guard_number, guard_period
from mint_ledger.program.building import BlockBuilder, add, compare, const, higher_of, lower_of, mul, no
from mint_ledger.program.expressions import ONE, ZERO, And, At, Due, Expr, Local, Ranges, Time, inside
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import OrderLine
from mint_ledger.program.statements import Call, If, Leave, Let, Note, Set, Settle

FOREVER = 1e18
TICK_TOLERANCE = 1e-7


def lower_statuses(lowering: Lowering) -> None:
    """Make `give`, `end` and `tick` of each status."""
    for name, status in lowering.game.statuses.items():
        _check(lowering, name, status)
        _StatusLowering(lowering, name, status).lower()


def _check(lowering: Lowering, name: str, status: Status) -> None:
    game, path = lowering.game, ("statuses", name)
    known = [*game.actions, *game.attacks, *BLOCK_WORDS]
    for index, what in enumerate(status.blocks):
        if what not in known:
            lowering.fault(
                (*path, "blocks", index), f"unknown action or attack '{what}'{nearest(what, known)} (or moves, all)"
            )
    stats = {stat for member in lowering.cast.members.values() for stat in member.kind.stats}
    for stat in status.changes:
        if stat not in stats:
            lowering.fault((*path, "changes", stat), f"no kind has a stat '{stat}'{nearest(stat, stats)}")


class _StatusLowering:
    def __init__(self, lowering: Lowering, name: str, status: Status) -> None:
        self.lowering = lowering
        self.name = name
        self.status = status
        self.path = ("statuses", name)
        self.cause = const(lowering.cause("status", name, self.path))
        self.bearers = bearers(lowering, name)
        self.ranges: Ranges = ranges_of(self.bearers)
        self.has = has_column(lowering, name)
        self.until = status_column(lowering, "until", name)
        self.began = status_column(lowering, "began", name)
        self.ticks = status_column(lowering, "ticks", name, "counter")
        self.giver = status_column(lowering, "giver", name, "mark")

    def scope(self, b: BlockBuilder, entity: Expr, **more: object) -> Scope:
        """Return what the status's formulas see: whoever has it as self."""
        return Scope(
            self.lowering,
            b,
            self.path,
            self_=EntityRef(entity, self.bearers),
            luck=Luck(self.path, (f"status {self.name}",)),
            **more,  # type: ignore[arg-type]
        )

    def lower(self) -> None:
        self._lower_give()
        self._lower_end()
        if self.status.do is not None:
            self._lower_tick()
        if self.ranges:
            self.lowering.on_appear.append((self.path, self.ranges, lambda b, who: b.emit(Set(self.has, who, ZERO))))

    def _note(self, b: BlockBuilder, what: str, entity: Expr, by: Expr, text: str, *values: Expr) -> None:
        b.emit(Note(what, entity, by, self.cause, self.lowering.text([text]), values))

    def _lower_give(self) -> None:
        """`give NAME` (entity, by, seconds): it begins, or what `again` says; seconds below 0 mean its own `lasts`."""
        b = BlockBuilder(3)
        entity, by, seconds = Local(0), Local(1), Local(2)
        b.leave_unless(self.lowering.present(entity))
        with b.when(no(inside(entity, self.ranges))):
            self._note(b, "refused", entity, by, "it cannot have it")
            b.emit(Leave("procedure"))
        length = b.new_local()
        own = amount(self.scope(b, entity), self.status.lasts, "lasts") if self.status.lasts else const(FOREVER)
        with b.block() as given:
            b.emit(Let(length, seconds))
        with b.block() as default:
            b.emit(Let(length, own))
        b.emit(If(compare(">=", seconds, ZERO), tuple(given), tuple(default)))
        count = b.let(At(self.has, entity))
        with b.when(compare(">", count, ZERO)):
            self._emit_again(b, entity, by, count, Local(length))
            b.emit(Leave("procedure"))
        self._begin(b, entity, Local(length))
        b.emit(Set(self.giver, entity, by))
        self._note(b, "status", entity, by, "begins", Local(length), ONE)
        self.lowering.procedure(b.procedure(give_status(self.name)))

    def _begin(self, b: BlockBuilder, entity: Expr, length: Expr) -> None:
        b.emit(Set(self.has, entity, ONE))
        b.emit(Set(self.until, entity, add(Time(), length)))
        b.emit(Set(self.began, entity, Time()))
        b.emit(Set(self.ticks, entity, ZERO))

    def _emit_again(self, b: BlockBuilder, entity: Expr, by: Expr, count: Expr, length: Expr) -> None:
        match self.status.again.rule:
            case "ignore":
                self._note(b, "refused", entity, by, "has it already")
            case "extend":
                b.emit(Set(self.until, entity, add(At(self.until, entity), length)))
                self._note(b, "status", entity, by, "is extended", length, count)
            case "stack":
                more = lower_of(add(count, ONE), const(self.status.again.stack))
                b.emit(Set(self.has, entity, more))
                b.emit(Set(self.until, entity, higher_of(At(self.until, entity), add(Time(), length))))
                self._note(b, "status", entity, by, "stacks", length, more)
            case _:
                self._begin(b, entity, length)
                self._note(b, "status", entity, by, "begins again", length, ONE)

    def _lower_end(self) -> None:
        """`end NAME` (entity, by)."""
        b = BlockBuilder(2)
        b.leave_unless(compare(">", At(self.has, Local(0)), ZERO))
        b.emit(Set(self.has, Local(0), ZERO))
        self._note(b, "status", Local(0), Local(1), "ends")
        self.lowering.procedure(b.procedure(end_status(self.name)))

    def _lower_tick(self) -> None:
        """`tick NAME` (entity): what it does, once; whoever gave it started it all."""
        b = BlockBuilder(1)
        assert self.status.do is not None
        emit_do(self.scope(b, Local(0)).at("do"), self.status.do, self.cause)
        b.emit(Settle(self.cause, At(self.giver, Local(0))))
        self.lowering.procedure(b.procedure(Handle("tick", self.path)))

    def emit_ticks(self, b: BlockBuilder) -> None:
        """The ticks that are due, one at the very end of the status included."""
        if self.status.every is None or not self.ranges:
            return
        with b.each(self.ranges) as who, b.when(At(self.has, who)):
            every = b.let(amount(self.scope(b, who, no_chance="how often a status ticks"), self.status.every, "every"))
            place = self.lowering.formula_place(self.status.every, (*self.path, "every"))
            guard_period(b, every, place)
            with b.repeat(const(MOST_IN_A_STEP + 1)) as so_far:
                due = b.let(add(At(self.began, who), mul(add(At(self.ticks, who), ONE), every)))
                in_time = compare("<=", due, add(At(self.until, who), const(TICK_TOLERANCE)))
                going_on = And((At(self.has, who), self.lowering.present(who)))
                b.emit(If(And((going_on, Due(due), in_time)), (), (Leave("each"),)))
                guard_number(b, so_far, every, place)
                b.emit(Set(self.ticks, who, add(At(self.ticks, who), ONE)))
                with b.repeat(At(self.has, who)):
                    b.emit(Call(Handle("tick", self.path), (who,)))

    def emit_ends(self, b: BlockBuilder) -> None:
        """The end of what has lasted long enough."""
        if not self.ranges:
            return
        with b.each(self.ranges) as who, b.when(And((At(self.has, who), Due(At(self.until, who))))):
            b.emit(Call(end_status(self.name), (who, ZERO)))


def emit_status_part(lowering: Lowering, b: BlockBuilder) -> None:
    """The statuses' share of part 1: ticks first, then ends."""
    statuses = [_StatusLowering(lowering, name, status) for name, status in lowering.game.statuses.items()]
    for status in statuses:
        status.emit_ticks(b)
        if status.status.every is not None:
            every = f"every {status.status.every}"
            lowering.order.append(OrderLine("1 time", f"{status.name}: ticks {every}", status.path))
    for status in statuses:
        status.emit_ends(b)
        lowering.order.append(OrderLine("1 time", f"{status.name}: ends", status.path))
