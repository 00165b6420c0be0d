"""Lowers `{every: period, first: …}`: the nth firing is due at first + (n-1)·period, without drift."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass

from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.lowering.columns import only_script_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.formulas import amount
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.named_formula import draws
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.program.building import BlockBuilder, add, choose, compare, const, mul, no, sub
from mint_ledger.program.expressions import ONE, ZERO, And, At, Checked, Constant, Dial, Due, Expr, Time
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import TimerColumns
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Guard, If, Leave, Set

MOST_IN_A_STEP = 10_000
BAD_PERIOD = "a period has to be longer than 0, and this one is {value}"
TOO_OFTEN = f"this is due more than {MOST_IN_A_STEP:,} times in one step: its period is {{value}}"


@dataclass(frozen=True)
class Timer:
    """A timer of a rule or attack, for each entity of `members` (none: of the game)."""

    lowering: Lowering
    luck: Luck
    path: Path
    every: Formula
    first: Formula | None
    members: tuple[Member, ...]

    def column(self, what: str, role: str = "time") -> Column:
        """A column of the timer."""
        handle = Handle(f"timer {what}", self.path)
        if not self.members:
            return self.lowering.layout.column(handle, role)  # type: ignore[arg-type]
        return self.lowering.entity_column(handle, self.members, role)

    def scope(self, b: BlockBuilder, who: Expr) -> Scope:
        """Return what the period's formula sees; its luck has a place of its own."""
        ref = EntityRef(who, self.members) if self.members else None
        return Scope(self.lowering, b, self.path, self_=ref, luck=self.luck.again())

    def period(self, b: BlockBuilder, who: Expr) -> Expr:
        """The period at this moment, guarded to be longer than 0."""
        value = b.let(amount(self.scope(b, who), self.every, "every"))
        guard_period(b, value, self._place())
        return value

    def guard_number(self, b: BlockBuilder, so_far: Expr, period: Expr) -> None:
        """Stop what fires without end in one step."""
        guard_number(b, so_far, period, self._place())

    def _place(self) -> int:
        return self.lowering.formula_place(self.every, (*self.path, "every"))

    def first_wait(self, b: BlockBuilder, who: Expr, period: Expr) -> Expr:
        """Return how long until the first firing."""
        if self.first is None:
            return period
        return amount(self.scope(b, who), self.first, "first")


def guard_period(b: BlockBuilder, period: Expr, formula: int) -> None:
    """Stop the run where a period is not longer than 0."""
    b.emit(Guard(compare(">", period, ZERO), BAD_PERIOD, formula, period))


def guard_number(b: BlockBuilder, so_far: Expr, period: Expr, formula: int) -> None:
    """Stop the run where something came `MOST_IN_A_STEP` times in this step and is due again: never be late unsaid."""
    b.emit(Guard(compare("<", so_far, const(MOST_IN_A_STEP)), TOO_OFTEN, formula, period))


def add_timer(timer: Timer, fire: Callable[[BlockBuilder, Expr], None]) -> None:
    """Wire a timer: set it as an entity appears, and fire it in part 5 of each step."""
    lowering = timer.lowering
    is_random = draws(lowering, timer.every.tree)
    set_up = _set_random if is_random else _set_steady
    tick = _tick_random if is_random else _tick_steady
    ranges = ranges_of(timer.members)
    only_script = only_script_column(lowering)

    def poll(b: BlockBuilder) -> None:
        with b.when(no(At(only_script, ZERO))):
            if not timer.members:
                tick(timer, b, ZERO, fire)
            else:
                with b.each(ranges) as who:
                    tick(timer, b, who, fire)

    lowering.wiring.polled.append((timer.luck.owner, poll))
    if not is_random:
        columns = timer.column("base"), timer.column("count", "counter"), timer.column("period", "mark")
        lowering.timers.append(TimerColumns(*columns))
    if not timer.members:
        lowering.on_opening.append(lambda b: set_up(timer, b, ZERO))
    elif ranges:
        lowering.on_appear.append((timer.luck.owner, ranges, lambda b, who: set_up(timer, b, who)))
    else:
        # Nobody has this timer, but its formulas are still looked at for faults.
        set_up(timer, BlockBuilder(1), ZERO)


def _set_random(timer: Timer, b: BlockBuilder, who: Expr) -> None:
    wait = timer.first_wait(b, who, ZERO) if timer.first else timer.period(b, who)
    b.emit(Set(timer.column("due"), who, add(Time(), wait)))


def _tick_random(timer: Timer, b: BlockBuilder, who: Expr, fire: Callable[[BlockBuilder, Expr], None]) -> None:
    due = timer.column("due")
    with b.repeat(const(MOST_IN_A_STEP + 1)) as so_far:
        _leave_each_unless(b, _still(timer, who, Due(At(due, who))))
        period = timer.period(b, who)
        timer.guard_number(b, so_far, period)
        b.emit(Set(due, who, add(At(due, who), period)))
        fire(b, who)


def _set_steady(timer: Timer, b: BlockBuilder, who: Expr) -> None:
    period = timer.period(b, who)
    b.emit(Set(timer.column("base"), who, add(Time(), timer.first_wait(b, who, period))))
    b.emit(Set(timer.column("count", "counter"), who, ZERO))
    b.emit(Set(timer.column("period", "mark"), who, period))
    if timer.first is not None:
        b.emit(Set(timer.column("fired", "counter"), who, ZERO))


def _tick_steady(timer: Timer, b: BlockBuilder, who: Expr, fire: Callable[[BlockBuilder, Expr], None]) -> None:
    base, count, period = timer.column("base"), timer.column("count", "counter"), timer.column("period", "mark")
    if timer.every.number is None:
        _count_from_last_firing(timer, b, who)
    with b.repeat(const(MOST_IN_A_STEP + 1)) as so_far:
        due = add(At(base, who), mul(At(count, who), At(period, who)))
        _leave_each_unless(b, _still(timer, who, Due(due)))
        timer.guard_number(b, so_far, At(period, who))
        b.emit(Set(count, who, add(At(count, who), ONE)))
        if timer.first is not None:
            b.emit(Set(timer.column("fired", "counter"), who, ONE))
        fire(b, who)


def _count_from_last_firing(timer: Timer, b: BlockBuilder, who: Expr) -> None:
    """A period that has changed counts from the last firing (or from the appearance, where there was none)."""
    base, count, period = timer.column("base"), timer.column("count", "counter"), timer.column("period", "mark")
    now = timer.period(b, who)
    with b.when(compare("!=", now, At(period, who))):
        last = add(At(base, who), mul(sub(At(count, who), ONE), At(period, who)))
        moved = add(last, now)
        if timer.first is not None:
            moved = choose(At(timer.column("fired", "counter"), who), moved, At(base, who))
        b.emit(Set(base, who, moved))
        b.emit(Set(count, who, ZERO))
        b.emit(Set(period, who, now))


def _still(timer: Timer, who: Expr, due: Expr) -> Expr:
    return And((due, timer.lowering.present(who))) if timer.members else due


def _leave_each_unless(b: BlockBuilder, condition: Expr) -> None:
    b.emit(If(condition, (), (Leave("each"),)))


def is_number(value: Expr) -> bool:
    """Return whether an expression is a plain number of the file."""
    return isinstance(value, (Constant, Dial)) or (isinstance(value, Checked) and is_number(value.value))
