"""Between which values accounts, formulas and all else of a program lie, whatever happens in a run.

The program is carried out on ranges of values (Cousot and Cousot, POPL 1977) until nothing more comes up; what grows
and grows is taken to grow without end. So a bound that is given is always right, and a formula that was never come to
has none. What happens from outside (a habit that is chosen, the level a run begins in, scripts) is taken to be
anything that it can be.
"""

from __future__ import annotations

import math
from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import assert_never

from mint_ledger.facts.between import (
    ANY,
    TRUTH,
    Between,
    as_truth,
    binary,
    compared,
    joined,
    one,
    some,
    truth,
    unary,
    within,
)
from mint_ledger.program import expressions as ex
from mint_ledger.program import parts
from mint_ledger.program import statements as st
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import Account, AccountSpec, Program
from mint_ledger.program.state import Column
from mint_ledger.program.walking import named_locals, nodes

ENTRIES = (parts.OPENING_ACCOUNTS, parts.OPENING, *parts.BEFORE_SCRIPT, *parts.AFTER_SCRIPT, parts.WATCH_GONE)
# How often a value may grow before it is taken to grow without end.
PATIENCE = 4
ROUNDS = 60
MOST_ONE_BY_ONE = 40
FUNCTIONS = {
    "cosine of degrees": Between(-1.0, 1.0),
    "sine of degrees": Between(-1.0, 1.0),
    "atan2": Between(-math.pi, math.pi),
    "turn": Between(0.0, 360.0),
    "exp": Between(0.0, math.inf),
}
# The largest number that is drawn is one step of 2⁻⁵³ below 1.
DRAWN = Between(0.0, 1.0 - 2.0**-53)
Locals = dict[int, Between]
Seen = tuple[Between, ...]
Work = Handle | tuple[Account, int, AccountSpec]
"""A procedure to carry out, or a flow to look at."""


@dataclass(frozen=True)
class Bounds:
    """What is known of a program's values.

    Attributes:
        accounts: for each stat and first entity of a run that has it, between which values it lies; none where it is
            never opened.
        ends: the same for what the account's flow goes to; `limits` for what its limits let through.
        formulas: for each formula of the file, by its number, between which values it lies; none where it is never
            come to.
    """

    program: Program = field(repr=False)
    accounts: dict[tuple[str, int], Between] = field(repr=False)
    ends: dict[tuple[str, int], Between] = field(repr=False)
    limits: dict[tuple[str, int], Between] = field(repr=False)
    formulas: dict[int, Between] = field(repr=False)

    def account(self, stat: str, entity: int) -> Between | None:
        """Between which values an account lies; none if there is none such, or it is never open."""
        return self.accounts.get((stat, self._first(stat, entity)))

    def end(self, stat: str, entity: int) -> Between | None:
        """Between which values lies what an account's flow goes to; none if it has no flow."""
        return self.ends.get((stat, self._first(stat, entity)))

    def limit(self, stat: str, entity: int) -> Between | None:
        """Between which values its limits hold an account; none where there is none such."""
        return self.limits.get((stat, self._first(stat, entity)))

    def _first(self, stat: str, entity: int) -> int:
        runs = [r for account in self.program.accounts if account.stat == stat for r in account.specs]
        return next((first for first, count, _ in runs if first <= entity < first + count), -1)

    def formula(self, path: Path) -> Between | None:
        """Between which values the formula at a path of the file lies; none where it is never come to."""
        between: Between | None = None
        for index, place in enumerate(self.program.formulas):
            if place.path == path:
                between = joined(between, self.formulas.get(index))
        return between


class Carrying:
    """Carries a program out on ranges of values; passes that want to see what is done look on by their own methods."""

    def __init__(self, program: Program) -> None:
        self.program = program
        self.slots: dict[int, Between | None] = {c.base: one(c.opening) for c in program.layout.columns}
        self.accounts: dict[tuple[int, int], Between | None] = {}
        self.formulas: dict[int, Between] = {}
        self._given: dict[Handle, list[Between]] = {}
        self._results: dict[Handle, Between | None] = {}
        self._grown: dict[object, int] = {}
        self._ends: dict[tuple[int, int], Between] = {}
        self._by_column = {account.column.base: account for account in program.accounts}
        # What is to be carried out again, and who looked at what: a change of it makes them wait.
        self._waiting: dict[Work, None] = {}
        self._users: dict[object, dict[Work, None]] = {}
        self._at_work: Work | None = None
        # For each statement of the procedure at work the locals that nothing asks for behind it.
        self._last_asked: dict[int, list[int]] = {}
        self._from_outside()

    def run(self, scripts: Iterable[Handle] = ()) -> None:
        """Carry out all that a run may come to, and these happenings, until nothing more comes up."""
        for handle in (*ENTRIES, *scripts):
            self.give(handle, ())
        for account in self.program.accounts:
            for first, _, spec in account.specs:
                if spec.flow is not None:
                    self._flow(account, first, spec)
        self._work_off()
        # What the game hears of and never gives comes from outside, with whatever that brings.
        for event in self.program.events:
            if event.handler is not None and event.handler not in self._given:
                self.hear(event.handler)
        self._work_off()

    def hear(self, handler: Handle) -> None:
        """Let an event come from outside."""
        self.give(handler, (ANY,) * self.program.procedures[handler].parameters)

    def _work_off(self) -> None:
        while self._waiting:
            now = next(iter(self._waiting))
            del self._waiting[now]
            if isinstance(now, Handle):
                self.procedure(now)
            else:
                self._flow(*now)

    def found(self) -> Bounds:
        """Return what was found."""
        stats = {account.column.base: account.stat for account in self.program.accounts}
        known = {(stats[base], first): found for (base, first), found in self.accounts.items() if found is not None}
        ends = {(stats[base], first): end for (base, first), end in self._ends.items()}
        limits = {
            (account.stat, first): self.limits(spec, first, count)
            for account in self.program.accounts
            for first, count, spec in account.specs
        }
        return Bounds(self.program, known, ends, limits, dict(self.formulas))

    def _from_outside(self) -> None:
        known, program = self.program.columns, self.program
        count = len(program.cast.members)
        self.slots[known.first_level.base] = Between(0.0, float(max(count, 1_000)))
        for column in (known.only_script, known.present):
            self.slots[column.base] = TRUTH
        if known.habit is not None:
            self.slots[known.habit.base] = Between(0.0, math.inf)

    # What is known so far

    def _grow(self, key: object, old: Between | None, new: Between | None) -> Between | None:
        """Return what is known of something, with more of it; what grew often enough has no end on that side."""
        whole = joined(old, new)
        if whole == old or whole is None:
            return old
        self._waiting.update(self._users.get(key, {}))
        times = self._grown[key] = self._grown.get(key, 0) + 1
        if old is None or times <= PATIENCE or (whole.low, whole.high) == (old.low, old.high):
            return whole if times <= 2 * PATIENCE else Between(whole.low, whole.high)
        return Between(
            whole.low if whole.low == old.low else -math.inf, whole.high if whole.high == old.high else math.inf
        )

    def set_slot(self, column: Column, value: Between) -> None:
        """Note what a slot may hold."""
        self.slots[column.base] = self._grow(column.base, self.slots.get(column.base), value)

    def _look(self, key: object) -> None:
        if self._at_work is not None:
            self._users.setdefault(key, {})[self._at_work] = None

    def give(self, handle: Handle, values: Seen) -> None:
        """Note what a procedure may be given; one that was not come to before is now."""
        wanted = self.program.procedures[handle].parameters
        padded = [*values[:wanted], *[one(0.0)] * (wanted - len(values))]
        known = self._given.get(handle)
        if known is None:
            self._given[handle] = padded
            self._waiting[handle] = None
            return
        for index, value in enumerate(padded):
            grown = self._grow((handle, index), known[index], value)
            assert grown is not None
            if grown != known[index]:
                known[index] = grown
                self._waiting[handle] = None

    def owner_runs(self, account: Account, entity: Between) -> list[tuple[int, int, AccountSpec]]:
        """The runs of entities with a stat that an entity can be one of."""
        return [
            (first, count, spec)
            for first, count, spec in account.specs
            if entity.low < first + count
            and entity.high >= first
            and (entity.named is None or any(first <= who < first + count for who in entity.named))
        ]

    def limits(self, spec: AccountSpec, first: int, count: int) -> Between:
        """The least and the most that an account may be made to hold."""
        frame = {0: some(float(who) for who in range(first, first + count))}
        low = -math.inf if spec.low is None else self.of(spec.low, frame).low
        high = math.inf if spec.high is None else self.of(spec.high, frame).high
        return Between(low, max(low, high))

    def post(self, account: Account, entity: Between, mode: str, amount: Between) -> None:
        """Note what a posting may make of an account."""
        for first, count, spec in self.owner_runs(account, entity):
            key = (account.column.base, first)
            self._look(key)
            old = self.accounts.get(key)
            if old is None and mode == "add":
                continue  # it is not open
            limits = self.limits(spec, first, count)
            if mode == "set":
                new = within(_rounded(amount) if spec.whole else amount, limits)
            elif spec.wrap:
                new = limits
            else:
                assert old is not None
                low = min(old.low, limits.low) if amount.low < 0.0 else old.low
                high = max(old.high, limits.high) if amount.high > 0.0 else old.high
                new = Between(low, high)
            if mode == "set" and amount.named is not None and all(limits.low <= v <= limits.high for v in amount.named):
                new = amount
            self.accounts[key] = self._grow(key, old, new)

    def _flow(self, account: Account, first: int, spec: AccountSpec) -> None:
        key = (account.column.base, first)
        self._at_work = (account, first, spec)
        self._look(key)
        old = self.accounts.get(key)
        if spec.flow is None or old is None:
            return
        count = next(n for f, n, _ in account.specs if f == first)
        frame = {0: some(float(who) for who in range(first, first + count))}
        if self.of(spec.flow.rate, frame).never and not spec.flow.at_once:
            return
        end = self._ends[key] = within(self.of(spec.flow.to, frame), self.limits(spec, first, count))
        low = old.low if spec.flow.way == "up" else min(old.low, end.low)
        high = old.high if spec.flow.way == "down" else max(old.high, end.high)
        self.accounts[key] = self._grow(key, old, Between(low, high))
        for formula in (spec.flow.after, spec.flow.after_limit, spec.flow.gate):
            if formula is not None:
                self.of(formula, frame)
        flows = account.flow_columns
        for column in (flows.rate, flows.to, flows.booked) if flows is not None else ():
            self.set_slot(column, ANY)
        for column in (flows.anchor, flows.since, flows.waits_from, flows.at_limit) if flows is not None else ():
            self.set_slot(column, Between(-1e18, math.inf))

    # Statements

    def procedure(self, handle: Handle) -> None:
        """Carry out a procedure with all that it may be given."""
        procedure = self.program.procedures[handle]
        self._at_work = handle
        self._last_asked = _last_asked(procedure)
        frame: Locals | None = dict(enumerate(self._given[handle]))
        left: list[Locals] = []
        frame = self.block(procedure.body, frame, left, left)
        for other in left:
            frame = _either(frame, other)
        if procedure.result is not None and frame is not None:
            result = self.of(procedure.result, frame)
            self._results[handle] = self._grow(("result", handle), self._results.get(handle), result)

    def block(
        self, block: st.Block, frame: Locals | None, each: list[Locals], procedure: list[Locals]
    ) -> Locals | None:
        """Carry out statements; gives what is known behind them, none where that is never come to."""
        for statement in block:
            if frame is None:
                return None
            frame = self.statement(statement, frame, each, procedure)
            self.forget(statement, frame)
        return frame

    def forget(self, statement: st.Statement, frame: Locals | None) -> None:
        """Let go of the locals that nothing behind a statement of the procedure asks for."""
        if frame is not None:
            for local in self._last_asked.get(id(statement), ()):
                frame.pop(local, None)

    def statement(self, s: st.Statement, frame: Locals, each: list[Locals], procedure: list[Locals]) -> Locals | None:
        """Carry out one statement; what leaves the repetition or the procedure is added to those lists."""
        match s:
            case st.Post():
                for part in (s.cause, s.by):
                    self.of(part, frame)
                entity, amount = self.of(s.entity, frame), self.of(s.amount, frame)
                self.post(self._by_column[s.column.base], entity, s.mode, amount)
            case st.Open():
                entity, value = self.of(s.entity, frame), self.of(s.value, frame)
                self.post(self._by_column[s.column.base], entity, "set", value)
            case st.Flow():
                self.of(s.entity, frame)
            case st.Set():
                self.of(s.entity, frame)
                self.set_slot(s.column, self.of(s.value, frame))
            case st.Let():
                frame[s.local] = self.of(s.value, frame)
            case st.If():
                return self._if(s, frame, each, procedure)
            case st.Each():
                return self._each(s, frame, procedure)
            case st.Draw():
                self.of(s.entity, frame)
                frame[s.local] = DRAWN
            case st.Note():
                for part in (s.entity, s.by, s.cause, *s.values):
                    self.of(part, frame)
            case st.Call():
                self.give(s.procedure, tuple(self.of(argument, frame) for argument in s.arguments))
                if s.into is not None:
                    self._look(("result", s.procedure))
                    result = self._results.get(s.procedure)
                    if result is None:
                        return None  # it never came back so far
                    frame[s.into] = result
            case st.Leave():
                (each if s.what == "each" else procedure).append(frame)
                return None
            case st.Raise():
                self.happen(s, tuple(self.of(part, frame) for part in (s.entity, s.other, *s.values)))
            case st.Settle():
                self.of(s.cause, frame)
                self.give(parts.WATCH, (self.of(s.actor, frame),))
                self.give(parts.WATCH_GONE, (self.of(s.actor, frame),))
            case st.Guard():
                self.of(s.value, frame)
                if self.of(s.condition, frame).never:
                    return None
            case st.Finish():
                self.set_slot(self.program.columns.winner, self.of(s.winner, frame))
                self.set_slot(self.program.columns.ending, one(float(s.ending)))
            case _:
                assert_never(s)
        return frame

    def happen(self, s: st.Raise, values: Seen) -> None:
        """Note what an event may bring to those who hear of it."""
        handler = self.program.events[s.event].handler
        if handler is not None:
            self.give(handler, values)

    def _if(self, s: st.If, frame: Locals, each: list[Locals], procedure: list[Locals]) -> Locals | None:
        holds = self.of(s.condition, frame)
        then = None if holds.never else self.way(s, True, dict(frame), each, procedure)
        other = None if holds.always else self.way(s, False, dict(frame), each, procedure)
        return _either(then, other)

    def way(self, s: st.If, holds: bool, frame: Locals, each: list[Locals], procedure: list[Locals]) -> Locals | None:
        """Carry out one of two blocks."""
        return self.block(s.then if holds else s.other, frame, each, procedure)

    def _each(self, s: st.Each, frame: Locals, procedure: list[Locals]) -> Locals | None:
        if s.repeat is not None:
            times = self.of(s.repeat, frame)
            if times.is_one and times.high <= MOST_ONE_BY_ONE:
                return self._one_by_one(s, frame, int(times.high), procedure)
            top = times.high
            which = Between(0.0, max(top - 1.0, 0.0)) if top != 1.0 else one(0.0)
        else:
            who = [float(entity) for first, count in s.ranges for entity in range(first, first + count)]
            if not who:
                return frame
            which = some(who)
        known: Locals = frame
        for round_ in range(ROUNDS):
            left: list[Locals] = []
            behind = self.block(s.body, {**known, s.local: which}, left, procedure)
            for other in left:
                behind = _either(behind, other)
            more = _either(known, behind)
            assert more is not None
            if more == known:
                return known
            known = more if round_ < PATIENCE else {k: _endless(known.get(k), v) for k, v in more.items()}
        return dict.fromkeys(known, ANY)

    def _one_by_one(self, s: st.Each, frame: Locals, times: int, procedure: list[Locals]) -> Locals | None:
        left: list[Locals] = []
        known: Locals | None = frame
        for index in range(times):
            if known is not None:
                known = self.block(s.body, {**known, s.local: one(float(index))}, left, procedure)
        for other in left:
            known = _either(known, other)
        return known

    # Expressions

    def of(self, e: ex.Expr, frame: Locals) -> Between:
        """Between which values an expression lies."""
        match e:
            case ex.Constant(value):
                return one(value)
            case ex.Dial(index):
                return one(self.program.dials.numbers[index])
            case ex.DialOf(table, first, entity):
                return self._dial_of(table, first, self.of(entity, frame))
            case ex.At(column, entity):
                self.of(entity, frame)
                return self._slot(column)
            case ex.Read(column, entity):
                return self._account(column, self.of(entity, frame))
            case ex.Local(index):
                return frame.get(index, one(0.0))
            case ex.Unary(op, value):
                return unary(op, self.of(value, frame))
            case ex.Binary(op, left, right):
                return binary(op, self.of(left, frame), self.of(right, frame))
            case ex.Compare(op, left, right):
                return compared(op, self.of(left, frame), self.of(right, frame))
            case ex.And(items):
                return self._items(items, frame, decides=False)
            case ex.Or(items):
                return self._items(items, frame, decides=True)
            case ex.Choose(condition, then, other):
                holds = self.of(condition, frame)
                ways = [way for way, out in ((then, holds.never), (other, holds.always)) if not out]
                between = None
                for way in ways:
                    between = joined(between, self.of(way, frame))
                assert between is not None
                return between
            case ex.Fold():
                return self._fold(e, frame)
            case ex.With(local, value, body):
                return self.of(body, {**frame, local: self.of(value, frame)})
            case ex.Step():
                return Between(0.0, self._last_step(frame))
            case ex.Time():
                return Between(0.0, self._last_step(frame) / self.program.clock.steps_per_second)
            case ex.Due(value):
                self.of(value, frame)
                return TRUTH
            case ex.Seconds(steps):
                return binary("/", self.of(steps, frame), one(self.program.clock.steps_per_second))
            case ex.Apply(function, arguments):
                return self._apply(function, tuple(self.of(argument, frame) for argument in arguments))
            case ex.Checked(value, formula, whole):
                between = self.of(value, frame)
                if formula >= 0 and whole:
                    known = joined(self.formulas.get(formula), between)
                    assert known is not None
                    self.formulas[formula] = known
                return between
            case ex.Only(value, condition, _):
                self.of(condition, frame)
                return self.of(value, frame)
            case _:
                assert_never(e)

    def _last_step(self, frame: Locals) -> float:
        """The number of the step in which the clock's limit ends a run."""
        return math.ceil(self.of(self.program.clock_limit, frame).high * self.program.clock.steps_per_second - 1e-6)

    def _dial_of(self, table: tuple[int, ...], first: int, entity: Between) -> Between:
        values = self.program.dials.numbers
        which = [
            values[dial] if dial >= 0 else 0.0
            for place, dial in enumerate(table)
            if first + place in entity or entity.named is None
        ]
        return some(which) if which else one(0.0)

    def _slot(self, column: Column) -> Between:
        account = self._by_column.get(column.base)
        if account is not None:
            return self._account(column, ANY)
        self._look(column.base)
        known = self.slots.get(column.base)
        return ANY if known is None else known

    def _account(self, column: Column, entity: Between) -> Between:
        account = self._by_column[column.base]
        between: Between | None = None
        for first, _, _ in self.owner_runs(account, entity):
            self._look((column.base, first))
            between = joined(between, self.accounts.get((column.base, first)))
        # Before an account is open it holds 0; nothing reads it then but openings that are never so.
        return one(0.0) if between is None else between

    def _items(self, items: tuple[ex.Expr, ...], frame: Locals, *, decides: bool) -> Between:
        """`and` and `or`: what comes behind an item that decides is never asked."""
        surely = True
        for item in items:
            holds = as_truth(self.of(item, frame))
            if holds.is_one and (holds.low == 1.0) is decides:
                return one(float(decides))
            surely = surely and holds.is_one
        return one(float(not decides)) if surely else TRUTH

    def _fold(self, e: ex.Fold, frame: Locals) -> Between:
        who = [float(entity) for first, count in e.ranges for entity in range(first, first + count)]
        if not who:
            return truth(e.op == "all", e.op != "all") if e.op not in ("argmin", "argmax", "nth") else one(-1.0)
        inner = {**frame, e.local: some(who)}
        asked = as_truth(self.of(e.where, inner))
        body = self.of(e.body, frame if e.op == "nth" else inner)
        if asked.never:
            return truth(e.op == "all", e.op != "all") if e.op not in ("argmin", "argmax", "nth") else one(-1.0)
        most = float(len(who))
        match e.op:
            case "sum":
                least = most if asked.always else 0.0
                low = body.low * (most if body.low < 0.0 else least) if body.low else 0.0
                high = body.high * (most if body.high > 0.0 else least) if body.high else 0.0
                return Between(low, high)
            case "count":
                return Between(most if asked.always else 0.0, most)
            case "min" | "max":
                return body if asked.always else Between(min(body.low, 0.0), max(body.high, 0.0))
            case "any" | "all":
                holds = as_truth(body)
                settled = holds.never if e.op == "any" else holds.always
                return one(float(e.op == "all")) if settled else TRUTH
            case "argmin" | "argmax" | "nth":
                return some([*who, -1.0])
            case _:
                assert_never(e.op)

    def _apply(self, function: str, arguments: Seen) -> Between:
        if function == "modulo" and arguments[1].low > 0.0:
            return Between(0.0, arguments[1].high)
        return FUNCTIONS.get(function, ANY)


def _rounded(value: Between) -> Between:
    low = math.floor(value.low) if math.isfinite(value.low) else value.low
    return Between(low, math.ceil(value.high) if math.isfinite(value.high) else value.high)


def _last_asked(procedure: st.Procedure) -> dict[int, list[int]]:
    """For each statement of a procedure (by its identity) the locals that are named there last."""
    last: dict[int, int] = {}
    for statement in procedure.body:
        for node in nodes(statement):
            for local in named_locals(node):
                last[local] = id(statement)
    for node in nodes(procedure.result):
        for local in named_locals(node):
            last.pop(local, None)
    ends: dict[int, list[int]] = {}
    for local, number in last.items():
        ends.setdefault(number, []).append(local)
    return ends


def _either(first: Locals | None, second: Locals | None) -> Locals | None:
    """Return what is known of locals where two ways meet."""
    if first is None or second is None:
        return second if first is None else first
    zero = one(0.0)
    both: Locals = {}
    for key in {**first, **second}:
        if key in first and first[key] is second.get(key):
            both[key] = first[key]
            continue
        whole = joined(first.get(key, zero), second.get(key, zero))
        assert whole is not None
        both[key] = whole
    return both


def _endless(old: Between | None, new: Between) -> Between:
    """What still grows after some rounds grows without end."""
    if old is None or old == new:
        return new
    low = new.low if new.low == old.low else -math.inf
    return Between(low, new.high if new.high == old.high else math.inf)


def bounds_of(program: Program, scripts: Iterable[Handle] = ()) -> Bounds:
    """Between which values accounts and formulas of a program lie; see `Bounds`."""
    carried = Carrying(program)
    carried.run(scripts)
    return carried.found()


__all__ = ["Bounds", "Carrying", "bounds_of"]
