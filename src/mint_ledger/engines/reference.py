"""The reference engine: what a program means, in plain Python.

Each primitive becomes one small Python function, made once when the engine is built; a step calls them in turn.
Every value is a float. The whole state is one list of floats and the journal's length, so a snapshot is both.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass
from typing import NoReturn

from mint_ledger.chance.philox import uniform
from mint_ledger.engines.stopping import describe_stop
from mint_ledger.errors import RunStopped
from mint_ledger.journal.row import WHAT_CODES, Row
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.program import Account, AccountSpec, Program, ScriptItem
from mint_ledger.program.state import Column

Frame = list[float]
Evaluate = Callable[[Frame], float]
Execute = Callable[[Frame], int]

GO_ON, LEFT_EACH, LEFT_PROCEDURE = 0, 1, 2
MAX_DEPTH = 64
MAX_EVENTS = 100_000
SPEC_LOCALS = 16
DUE_TOLERANCE = 1e-6
HIT, GONE, CUE = "hit", "gone", "cue"


class ArithmeticStop(Exception):
    """An operation without a result: a division by zero, the root or logarithm of a negative number."""


class Finished(Exception):
    """The run has come to its end in the middle of a step."""


@dataclass(frozen=True, slots=True)
class Snapshot:
    """A moment of a run, to which the engine can go back."""

    state: tuple[float, ...]
    rows: int


@dataclass(frozen=True, slots=True)
class Start:
    """An account that opens with another value than the file's."""

    column: Column
    entity: int
    value: float


class ReferenceEngine:
    """Plays one run of a program.

    Args:
        program: the lowered game.
        dials: its dials' values, shape (len(program.dials.values),).
        seed: the study's seed, 0 to 2⁶⁴-1.
        run: the run's number in it.
        journal: whether rows are kept.
        only_script: no timers of attacks and rules, no habits.
        starts: accounts that open with other values.
        script: what happens from outside, in the order of its times.
    """

    def __init__(
        self,
        program: Program,
        dials: Sequence[float] | None = None,
        *,
        seed: int = 1,
        run: int = 0,
        journal: bool = True,
        only_script: bool = False,
        starts: Sequence[Start] = (),
        script: Sequence[ScriptItem] = (),
        draw: Callable[[int, int, int, int, int, int], float] = uniform,
    ) -> None:
        self.program = program
        self.dials = list(program.dials.values if dials is None else dials)
        self.seed = seed
        self.run = run
        self.journal = journal
        self.starts = starts
        self.script = script
        self.draw = draw
        self.rows: list[Row] = []
        self.state: list[float] = []
        self._events: list[tuple[int, float, float, tuple[float, ...]]] = []
        self._mark = 0
        self._depth = 0
        self._dirty = False
        self._chain = [0.0] * (MAX_DEPTH + 1)
        self._formula = -1
        self._formula_frame: Frame = []
        self._set_clock()
        column = program.layout.column
        self._step = column("step").base
        self._script_at = column("script position").base
        self._ending = column("ending").base
        self._winner = column("winner").base
        self._present = column("present")
        self._only_script = only_script
        self._accounts: dict[int, Account] = {account.column.base: account for account in program.accounts}
        self._expressions: dict[int, Evaluate] = {}
        self.state[:] = program.layout.opening()
        self._procedures: dict[str, Callable[..., float]] = {}
        for name in program.procedures:
            self._procedures[name] = self._procedure(program.procedures[name])
        self._handlers = [self._procedures.get(event.handler or "") for event in program.events]
        self._phases = [event.phase for event in program.events]
        self._watch = self._procedures["watch"]
        self._watch_gone = self._procedures["watch gone"]

    # The course of a run

    def play(self, until: float = math.inf) -> None:
        """Play to the end, or as long as time is not later than `until`."""
        if not self.is_open:
            self.open()
        while (
            not self.is_over and self.time_of(self.state[self._step] + 1.0) <= until + DUE_TOLERANCE / self._n
        ):
            self.step()

    def open(self) -> None:
        """Step 0: open the accounts, fire the start rules, judge the endings."""
        self.state[:] = self.program.layout.opening()
        self.state[self.program.layout.column("only script").base] = float(self._only_script)
        self.rows.clear()
        self._call("opening accounts")
        for start in self.starts:
            self._start(start)
        self._in_turn("opening", "part 7")
        self._expire()

    def step(self) -> None:
        """One step, in the seven parts of its order."""
        self.state[self._step] += 1.0
        try:
            self._call("part 1")
            self._part_2()
        except Finished:
            return
        self._in_turn("part 3", "part 4", "part 5", "part 6", "part 7")
        self._expire()

    def _in_turn(self, *parts: str) -> None:
        try:
            for part in parts:
                self._call(part)
        except Finished:
            return

    def _part_2(self) -> None:
        """What the script has for this step, as listed."""
        position = int(self.state[self._script_at])
        while position < len(self.script) and self._is_due(self.script[position].at):
            self.state[self._script_at] = float(position + 1)
            self._call(self.script[position].procedure)
            position += 1

    def _expire(self) -> None:
        if not self.is_over and self._is_due(self._evaluate(self.program.clock_limit, _spec_frame(0.0))):
            self.state[self._ending] = float(len(self.program.endings))
            self._close_flows()

    def _call(self, procedure: str) -> None:
        self._events.clear()
        self._mark = self._depth = 0
        try:
            self._procedures[procedure]()
        except Finished:
            self._close_flows()
            raise

    @property
    def is_open(self) -> bool:
        """Whether the accounts are open."""
        return self.state[self._ending] != -2.0

    @property
    def is_over(self) -> bool:
        """Whether the run has ended."""
        return self.state[self._ending] >= 0.0

    @property
    def ending(self) -> int:
        """The number of the ending; -1 as long as there is none, one past the last at the clock's limit."""
        return int(self.state[self._ending])

    @property
    def winner(self) -> int:
        """The entity that won, 0 for none."""
        return int(self.state[self._winner])

    @property
    def time(self) -> float:
        """The present time."""
        return self.time_of(self.state[self._step])

    def snapshot(self) -> Snapshot:
        """This moment; between steps it is the whole state of the run."""
        return Snapshot(tuple(self.state), len(self.rows))

    def restore(self, snapshot: Snapshot) -> None:
        """Go back to a moment of this run."""
        self.state[:] = snapshot.state
        del self.rows[snapshot.rows :]

    def value(self, column: Column, entity: int) -> float:
        """An account's value at this moment."""
        return self._read_account(self._accounts[column.base], float(entity))

    def ask(self, procedure: str) -> float:
        """The result of a procedure that only looks."""
        return self._procedures[procedure]()

    # Time

    def _set_clock(self) -> None:
        dials = self.program.dials
        step = self.program.clock.step
        index = dials.at(("clock", "step"))
        if index is not None:
            step = self.dials[index]
        clock = self.program.clock.model_copy(update={"step": step})
        self._n = clock.steps_per_second
        self._whole_n = clock.is_whole
        self._step_length = step

    def time_of(self, steps: float) -> float:
        """A number of steps in seconds (or turns)."""
        return steps / self._n if self._whole_n else steps * self._step_length

    def _is_due(self, when: float) -> bool:
        return self.time - when >= -DUE_TOLERANCE / self._n

    # Accounts and flows

    def _read_account(self, account: Account, entity: float) -> float:
        slot = account.column.offset + int(entity)
        flows = account.flow_columns
        value = self.state[slot]
        if flows is None or self.state[flows.rate.offset + int(entity)] == 0.0:
            return value
        return self._flowed(account, entity, value)

    def _flowed(self, account: Account, entity: float, value: float) -> float:
        """An anchored flow: clamp(v0 + rate·((k - k0)/n)), whole points for a whole stat."""
        flows = account.flow_columns
        assert flows is not None
        index = int(entity)
        rate = self.state[flows.rate.offset + index]
        end = self.state[flows.to.offset + index]
        moved = self._flow_amount(account, index)
        value = value + moved
        if rate > 0.0:
            return value if value < end else end
        return value if value > end else end

    def _flow_amount(self, account: Account, index: int) -> float:
        flows = account.flow_columns
        assert flows is not None
        steps = self.state[self._step] - self.state[flows.anchor.offset + index]
        moved = self.state[flows.rate.offset + index] * self.time_of(steps)
        spec = account.spec(index)
        assert spec is not None
        return float(math.trunc(moved + math.copysign(1e-9, moved))) + 0.0 if spec.whole else moved

    def _limits(self, spec: AccountSpec, entity: float) -> tuple[float, float]:
        frame = _spec_frame(entity)
        low = -math.inf if spec.low is None else self._evaluate(spec.low, frame)
        high = math.inf if spec.high is None else self._evaluate(spec.high, frame)
        if spec.whole:
            low = float(math.ceil(low)) if low > -math.inf else low
            high = float(math.floor(high)) if high < math.inf else high
        return low, high

    def _post(
        self, account: Account, entity: float, amount: float, cause: float, by: float, *, set_to: bool
    ) -> None:
        index = int(entity)
        spec = account.spec(index)
        if spec is None:
            return
        if self.state[self._present.offset + index] == 0.0:
            self._refuse(account, entity, cause, by)
            return
        self._book_flow(account, index)
        slot = account.column.offset + index
        before = self.state[slot]
        asked = amount - before if set_to else amount
        if not math.isfinite(asked):
            self._stop("this posting is not a finite number")
        whole = _rounded(asked, spec.round) if spec.whole else asked
        low, high = self._limits(spec, entity)
        wrapped = 0.0
        after = before + whole + 0.0
        if spec.wrap:
            after = _wrapped(after, low, high)
            wrapped = after - before - whole + 0.0
        elif whole > 0.0:
            after = min(after, max(high, before))
        elif whole < 0.0:
            after = max(after, min(low, before))
        if not math.isfinite(after):
            self._stop("this posting makes a value that is not finite")
        self.state[slot] = after
        self._dirty = True
        if self.journal:
            waste = 0.0 if spec.wrap else whole - (after - before) + 0.0
            step = self.state[self._step]
            rounded = whole - asked + 0.0
            self.rows.append(
                Row(
                    0.0,
                    step,
                    step,
                    entity,
                    self._stat(account),
                    before,
                    asked + 0.0,
                    rounded,
                    wrapped,
                    waste,
                    after,
                    cause,
                    by,
                    -1.0,
                )
            )
        if account.touched is not None and after != before:
            self.state[account.touched.offset + index] = self.state[self._step]
        if spec.flow is not None:
            self._after_posting(account, spec, index, before, after, (low, high))

    def _refuse(self, account: Account, entity: float, cause: float, by: float) -> None:
        """A posting to an entity that is not there changes nothing."""
        if self.journal:
            step = self.state[self._step]
            stat = self._stat(account)
            value = self.state[account.column.offset + int(entity)]
            code = WHAT_CODES["refused"]
            self.rows.append(
                Row(code, step, step, entity, stat, value, 0.0, 0.0, 0.0, 0.0, value, cause, by, -1.0)
            )

    def _stat(self, account: Account) -> float:
        return float(self.program.account_index[account.stat])

    def _open_account(self, account: Account, entity: float, value: float, cause: float, by: float) -> None:
        index = int(entity)
        spec = account.spec(index)
        if spec is None:
            return
        low, high = self._limits(spec, entity)
        value = min(max(_rounded(value, spec.round) if spec.whole else value, low), high) + 0.0
        slot = account.column.offset + index
        before = self.state[slot]
        self.state[slot] = value
        self._dirty = True
        step = self.state[self._step]
        if self.journal and cause >= 0.0:
            asked = value - before
            self.rows.append(
                Row(
                    0.0,
                    step,
                    step,
                    entity,
                    self._stat(account),
                    before,
                    asked,
                    0.0,
                    0.0,
                    0.0,
                    value,
                    cause,
                    by,
                    -1.0,
                )
            )
        if account.touched is not None:
            self.state[account.touched.offset + index] = step
        self._open_flow(account, index, value)

    def _open_flow(self, account: Account, index: int, value: float) -> None:
        flows = account.flow_columns
        if flows is None:
            return
        state = self.state
        state[flows.rate.offset + index] = 0.0
        state[flows.booked.offset + index] = value
        state[flows.anchor.offset + index] = state[flows.since.offset + index] = state[self._step]
        state[flows.waits_from.offset + index] = self.time
        state[flows.at_limit.offset + index] = 0.0

    def _start(self, start: Start) -> None:
        account = self._accounts[start.column.base]
        self.state[start.column.offset + start.entity] = start.value
        self._open_flow(account, start.entity, start.value)

    def _book_flow(self, account: Account, index: int) -> None:
        """Write what a flow has done so far as one row, and anchor it anew at this step."""
        flows = account.flow_columns
        if flows is None or self.state[flows.rate.offset + index] == 0.0:
            return
        state = self.state
        slot = account.column.offset + index
        value = self._read_account(account, float(index))
        moved = self._flow_amount(account, index)
        spec = account.spec(index)
        assert spec is not None and spec.flow is not None
        before = state[flows.booked.offset + index]
        step = state[self._step]
        if value != before and self.journal:
            asked = value - before
            since = state[flows.since.offset + index]
            cause = float(spec.flow.cause)
            self.rows.append(
                Row(
                    0.0,
                    step,
                    since,
                    float(index),
                    self._stat(account),
                    before,
                    asked,
                    0.0,
                    0.0,
                    0.0,
                    value,
                    cause,
                    0.0,
                    -1.0,
                )
            )
        state[slot] = value
        state[flows.booked.offset + index] = value
        state[flows.since.offset + index] = step
        if spec.whole and value != state[flows.to.offset + index]:
            # What has built up of the next point is kept: the anchor moves by the whole points alone.
            state[flows.anchor.offset + index] += self._steps_of(moved / state[flows.rate.offset + index])
        else:
            state[flows.anchor.offset + index] = step

    def _steps_of(self, seconds: float) -> float:
        return seconds * self._n if self._whole_n else seconds / self._step_length

    def _after_posting(
        self,
        account: Account,
        spec: AccountSpec,
        index: int,
        before: float,
        after: float,
        limits: tuple[float, float],
    ) -> None:
        flows, flow = account.flow_columns, spec.flow
        assert flows is not None and flow is not None
        self.state[flows.booked.offset + index] = after
        self.state[flows.since.offset + index] = self.state[self._step]
        end = min(max(self._evaluate(flow.to, _spec_frame(float(index))), limits[0]), limits[1])
        if abs(end - after) > abs(end - before):
            self.state[flows.waits_from.offset + index] = self.time
            away = limits[0] if after < end else limits[1]
            self.state[flows.at_limit.offset + index] = float(after == away)
        self._look_at_flow(account, spec, index)

    def _look_at_flow(self, account: Account, spec: AccountSpec, index: int) -> None:
        """Begin, end or change a flow as its wait, its gate, its rate and its end now say."""
        flows, flow = account.flow_columns, spec.flow
        if flows is None or flow is None:
            return
        state, frame = self.state, _spec_frame(float(index))
        low, high = self._limits(spec, float(index))
        end = min(max(self._evaluate(flow.to, frame), low), high)
        value = self._read_account(account, float(index))
        waits = flow.after
        if flow.after_limit is not None and state[flows.at_limit.offset + index] != 0.0:
            waits = flow.after_limit
        ready = state[self._present.offset + index] != 0.0 and self._is_due(
            state[flows.waits_from.offset + index] + self._evaluate(waits, frame)
        )
        if ready and flow.gate is not None:
            ready = self._evaluate(flow.gate, frame) != 0.0
        rate = 0.0
        if ready and value != end:
            if flow.at_once:
                self._move_at_once(account, spec, index, end)
                return
            size = self._evaluate(flow.rate, frame)
            if not 0.0 <= size < math.inf:
                self._stop(f"the rate of {flow.name} is {size:g}; a rate is 0 or more")
            rate = size if end > value else 0.0 - size
        if rate == state[flows.rate.offset + index] and (
            rate == 0.0 or end == state[flows.to.offset + index]
        ):
            return
        if rate == 0.0 or state[flows.rate.offset + index] == 0.0:
            self._book_flow(account, index)
            state[flows.since.offset + index] = state[self._step]
            state[flows.booked.offset + index] = value
        state[account.column.offset + index] = value
        state[flows.anchor.offset + index] = state[self._step]
        state[flows.rate.offset + index] = rate
        state[flows.to.offset + index] = end

    def _move_at_once(self, account: Account, spec: AccountSpec, index: int, end: float) -> None:
        flow, flows = spec.flow, account.flow_columns
        assert flow is not None and flows is not None
        slot = account.column.offset + index
        before = self.state[slot]
        self.state[slot] = end
        self._dirty = True
        step = self.state[self._step]
        if self.journal:
            cause = float(flow.cause)
            stat = self._stat(account)
            asked = end - before
            self.rows.append(
                Row(0.0, step, step, float(index), stat, before, asked, 0.0, 0.0, 0.0, end, cause, 0.0, -1.0)
            )
        self.state[flows.booked.offset + index] = end

    def _close_flows(self) -> None:
        """At the end of a run every flow writes its row."""
        for account in self.program.accounts:
            if account.flow_columns is None:
                continue
            for first, count, spec in account.specs:
                if spec.flow is not None:
                    for index in range(first, first + count):
                        self._book_flow(account, index)

    # Reactions

    def _settle(self, cause: float, actor: float, always: bool) -> None:
        """What a `do` set off follows at once, depth first: hits, what became true, who is gone, cues."""
        if self.state[self._ending] >= 0.0:
            raise Finished
        events = self._events
        start, end = self._mark, len(events)
        if start == end and not self._dirty and not always:
            return
        self._chain[self._depth] = cause
        if self._depth >= MAX_DEPTH:
            self._stop_loop()
        self._depth += 1
        self._mark = end
        self._dirty = False
        self._handle(start, end, HIT)
        self._watch(actor)
        self._mark = len(events)
        self._watch_gone(actor)
        self._mark = end = len(events)
        self._handle(start, end, GONE)
        self._handle(start, end, CUE)
        del events[start:]
        self._mark = start
        self._depth -= 1

    def _handle(self, start: int, end: int, phase: str) -> None:
        for position in range(start, end):
            event, entity, other, values = self._events[position]
            handler = self._handlers[event]
            if self._phases[event] == phase and handler is not None:
                handler(entity, other, *values)

    def _stop_loop(self) -> NoReturn:
        names = [self.program.causes[int(c)].name for c in self._chain[:MAX_DEPTH] if c >= 0]
        loop = list(dict.fromkeys(reversed(names)))[::-1]
        raise RunStopped(
            describe_stop(
                self,
                f"reactions went {MAX_DEPTH} deep without an end; they go round in: "
                + " → ".join([*loop, loop[0]]),
            )
        )

    def _stop(self, message: str, formula: int | None = None) -> NoReturn:
        raise RunStopped(describe_stop(self, message, self._formula if formula is None else formula))

    # Expressions

    def _evaluate(self, expression: ex.Expr, frame: Frame) -> float:
        key = id(expression)
        if key not in self._expressions:
            self._expressions[key] = self._expression(expression)
        return self._expressions[key](frame)

    def evaluate(self, expression: ex.Expr, entity: int = 0) -> float:
        """The value of an expression that sees at most one entity, as local 0."""
        return self._expression(expression)(_spec_frame(float(entity)))

    def _expression(self, expression: ex.Expr) -> Evaluate:
        """The Python function of an expression."""
        make: Callable[..., Evaluate] = getattr(self, "_" + type(expression).__name__.lower() + "_expression")
        return make(expression)

    def _constant_expression(self, e: ex.Constant) -> Evaluate:
        value = e.value
        return lambda _: value

    def _dial_expression(self, e: ex.Dial) -> Evaluate:
        value = self.dials[e.index]
        return lambda _: value

    def _dialof_expression(self, e: ex.DialOf) -> Evaluate:
        values = [self.dials[index] if index >= 0 else 0.0 for index in e.table]
        first, entity = e.first, self._expression(e.entity)
        return lambda frame: values[int(entity(frame)) - first]

    def _at_expression(self, e: ex.At) -> Evaluate:
        state, offset = self.state, e.column.offset
        if isinstance(e.entity, ex.Constant):
            slot = offset + int(e.entity.value)
            return lambda _: state[slot]
        entity, low, high = self._expression(e.entity), e.column.base, e.column.base + e.column.count

        def read(frame: Frame) -> float:
            slot = offset + int(entity(frame))
            return state[slot] if low <= slot < high else 0.0

        return read

    def _read_expression(self, e: ex.Read) -> Evaluate:
        account = self._accounts[e.column.base]
        if account.flow_columns is None:
            return self._at_expression(ex.At(e.column, e.entity))
        entity = self._expression(e.entity)
        state, offset, rates = self.state, e.column.offset, account.flow_columns.rate.offset
        low, high = e.column.base, e.column.base + e.column.count

        def read(frame: Frame) -> float:
            who = entity(frame)
            slot = offset + int(who)
            if not low <= slot < high:
                return 0.0
            if state[rates + int(who)] == 0.0:
                return state[slot]
            return self._flowed(account, who, state[slot])

        return read

    def _local_expression(self, e: ex.Local) -> Evaluate:
        index = e.index
        return lambda frame: frame[index]

    def _unary_expression(self, e: ex.Unary) -> Evaluate:
        value, operation = self._expression(e.value), _UNARY[e.op]
        return lambda frame: operation(value(frame))

    def _binary_expression(self, e: ex.Binary) -> Evaluate:
        left, right = self._expression(e.left), self._expression(e.right)
        if e.op == "+":
            return lambda frame: left(frame) + right(frame)
        if e.op == "-":
            return lambda frame: left(frame) - right(frame)
        if e.op == "*":
            return lambda frame: left(frame) * right(frame)
        operation = _BINARY[e.op]
        return lambda frame: operation(left(frame), right(frame))

    def _compare_expression(self, e: ex.Compare) -> Evaluate:
        left, right = self._expression(e.left), self._expression(e.right)
        match e.op:
            case "<":
                return lambda frame: 1.0 if left(frame) < right(frame) else 0.0
            case "<=":
                return lambda frame: 1.0 if left(frame) <= right(frame) else 0.0
            case ">":
                return lambda frame: 1.0 if left(frame) > right(frame) else 0.0
            case ">=":
                return lambda frame: 1.0 if left(frame) >= right(frame) else 0.0
            case "==":
                return lambda frame: 1.0 if left(frame) == right(frame) else 0.0
            case "!=":
                return lambda frame: 1.0 if left(frame) != right(frame) else 0.0

    def _and_expression(self, e: ex.And) -> Evaluate:
        items = [self._expression(item) for item in e.items]
        return lambda frame: 1.0 if all(item(frame) != 0.0 for item in items) else 0.0

    def _or_expression(self, e: ex.Or) -> Evaluate:
        items = [self._expression(item) for item in e.items]
        return lambda frame: 1.0 if any(item(frame) != 0.0 for item in items) else 0.0

    def _choose_expression(self, e: ex.Choose) -> Evaluate:
        condition, then, other = (
            self._expression(e.condition),
            self._expression(e.then),
            self._expression(e.other),
        )
        return lambda frame: then(frame) if condition(frame) != 0.0 else other(frame)

    def _fold_expression(self, e: ex.Fold) -> Evaluate:
        where, body, local = self._expression(e.where), self._expression(e.body), e.local
        entities = [float(entity) for first, count in e.ranges for entity in range(first, first + count)]
        if e.op == "nth":
            return self._nth(e)
        fold = _FOLDS[e.op]

        def folded(frame: Frame) -> float:
            def items() -> list[tuple[float, float]]:
                found = []
                for entity in entities:
                    frame[local] = entity
                    if where(frame) != 0.0:
                        found.append((entity, body(frame)))
                return found

            return fold(items())

        return folded

    def _nth(self, e: ex.Fold) -> Evaluate:
        where, position, local = self._expression(e.where), self._expression(e.body), e.local
        entities = [float(entity) for first, count in e.ranges for entity in range(first, first + count)]

        def nth(frame: Frame) -> float:
            index = int(position(frame))
            for entity in entities:
                frame[local] = entity
                if where(frame) != 0.0:
                    if index == 0:
                        return entity
                    index -= 1
            return -1.0

        return nth

    def _step_expression(self, _: ex.Step) -> Evaluate:
        state, step = self.state, self._step
        return lambda _: state[step]

    def _time_expression(self, _: ex.Time) -> Evaluate:
        return lambda _: self.time

    def _due_expression(self, e: ex.Due) -> Evaluate:
        value, state, step = self._expression(e.value), self.state, self._step
        tolerance, n, length = -DUE_TOLERANCE / self._n, self._n, self._step_length
        if self._whole_n:
            return lambda frame: 1.0 if state[step] / n - value(frame) >= tolerance else 0.0
        return lambda frame: 1.0 if state[step] * length - value(frame) >= tolerance else 0.0

    def _seconds_expression(self, e: ex.Seconds) -> Evaluate:
        steps = self._expression(e.steps)
        return lambda frame: self.time_of(steps(frame))

    def _apply_expression(self, e: ex.Apply) -> Evaluate:
        arguments = [self._expression(argument) for argument in e.arguments]
        procedures = self._procedures
        name = e.function
        if name not in procedures:
            procedures[name] = self._procedure(self.program.procedures[name])
        function = procedures[name]
        return lambda frame: function(*[argument(frame) for argument in arguments])

    def _checked_expression(self, e: ex.Checked) -> Evaluate:
        value, formula = self._expression(e.value), e.formula

        def checked(frame: Frame) -> float:
            self._formula, self._formula_frame = formula, frame
            try:
                result = value(frame)
            except ArithmeticStop as stop:
                self._formula_frame = frame
                self._stop(str(stop), formula)
            if not math.isfinite(result):
                self._formula_frame = frame
                self._stop("the result is not a finite number", formula)
            return result

        return checked

    def _only_expression(self, e: ex.Only) -> Evaluate:
        value, condition, fault = self._expression(e.value), self._expression(e.condition), e.fault

        def only(frame: Frame) -> float:
            if condition(frame) == 0.0:
                raise ArithmeticStop(fault)
            return value(frame)

        return only

    # Statements

    def _procedure(self, procedure: st.Procedure) -> Callable[..., float]:
        body = self._block(procedure.body)
        rest = [0.0] * (procedure.locals - procedure.parameters)
        parameters = procedure.parameters
        result = self._expression(procedure.result) if procedure.result is not None else None

        def call(*arguments: float) -> float:
            frame = list(arguments[:parameters])
            if len(frame) < parameters:
                frame += [0.0] * (parameters - len(frame))
            frame += rest
            body(frame)
            return result(frame) if result is not None else 0.0

        return call

    def _block(self, block: st.Block) -> Execute:
        steps = [self._statement(statement) for statement in block]
        if len(steps) == 1:
            return steps[0]

        def execute(frame: Frame) -> int:
            for step in steps:
                signal = step(frame)
                if signal:
                    return signal
            return GO_ON

        return execute

    def _statement(self, statement: st.Statement) -> Execute:
        """The Python function of a statement."""
        make: Callable[..., Execute] = getattr(self, "_" + type(statement).__name__.lower() + "_statement")
        return make(statement)

    def _post_statement(self, s: st.Post) -> Execute:
        account = self._accounts[s.column.base]
        entity, amount = self._expression(s.entity), self._expression(s.amount)
        cause, by, set_to = self._expression(s.cause), self._expression(s.by), s.mode == "set"

        def post(frame: Frame) -> int:
            self._post(account, entity(frame), amount(frame), cause(frame), by(frame), set_to=set_to)
            return GO_ON

        return post

    def _open_statement(self, s: st.Open) -> Execute:
        account = self._accounts[s.column.base]
        entity, value = self._expression(s.entity), self._expression(s.value)
        cause, by = self._expression(s.cause), self._expression(s.by)

        def open_account(frame: Frame) -> int:
            self._open_account(account, entity(frame), value(frame), cause(frame), by(frame))
            return GO_ON

        return open_account

    def _flow_statement(self, s: st.Flow) -> Execute:
        account = self._accounts[s.column.base]
        entity = self._expression(s.entity)

        def flow(frame: Frame) -> int:
            index = int(entity(frame))
            spec = account.spec(index)
            if spec is not None:
                self._look_at_flow(account, spec, index)
            return GO_ON

        return flow

    def _set_statement(self, s: st.Set) -> Execute:
        state, offset, is_fact = self.state, s.column.offset, s.column.role in ("flag", "value")
        entity, value = self._expression(s.entity), self._expression(s.value)
        low, high = s.column.base, s.column.base + s.column.count

        def set_slot(frame: Frame) -> int:
            slot = offset + int(entity(frame))
            if low <= slot < high:
                state[slot] = value(frame)
                if is_fact:
                    self._dirty = True
            return GO_ON

        return set_slot

    def _let_statement(self, s: st.Let) -> Execute:
        local, value = s.local, self._expression(s.value)

        def let(frame: Frame) -> int:
            frame[local] = value(frame)
            return GO_ON

        return let

    def _if_statement(self, s: st.If) -> Execute:
        condition, then, other = self._expression(s.condition), self._block(s.then), self._block(s.other)
        return lambda frame: then(frame) if condition(frame) != 0.0 else other(frame)

    def _each_statement(self, s: st.Each) -> Execute:
        local, body = s.local, self._block(s.body)
        if s.repeat is not None:
            count = self._expression(s.repeat)

            def repeat(frame: Frame) -> int:
                for index in range(int(count(frame))):
                    frame[local] = float(index)
                    signal = body(frame)
                    if signal:
                        return GO_ON if signal == LEFT_EACH else signal
                return GO_ON

            return repeat
        slots = [
            (self._present.offset + entity, float(entity))
            for first, n in s.ranges
            for entity in range(first, first + n)
        ]
        state = self.state

        def each(frame: Frame) -> int:
            for slot, entity in [item for item in slots if state[item[0]] != 0.0]:
                if state[slot] != 0.0:
                    frame[local] = entity
                    signal = body(frame)
                    if signal:
                        return GO_ON if signal == LEFT_EACH else signal
            return GO_ON

        return each

    def _draw_statement(self, s: st.Draw) -> Execute:
        state, entity, part, local = self.state, self._expression(s.entity), self._expression(s.part), s.local
        places, counts = s.places, s.count.offset

        def draw(frame: Frame) -> int:
            who, which = int(entity(frame)), int(part(frame))
            for first, count, place in places:
                if first <= who < first + count:
                    slot = counts + who
                    if which == 0:
                        state[slot] += 1.0
                    copy = who - first + 1
                    frame[local] = self.draw(self.seed, place, self.run, copy, int(state[slot]), which)
                    return GO_ON
            frame[local] = 0.0
            return GO_ON

        return draw

    def _note_statement(self, s: st.Note) -> Execute:
        what, text = WHAT_CODES[s.what], float(s.text)
        entity, by, cause = self._expression(s.entity), self._expression(s.by), self._expression(s.cause)
        values = [self._expression(value) for value in s.values]

        def note(frame: Frame) -> int:
            # Values are worked out with or without a journal: a formula that cannot be must stop every run alike.
            found = tuple(value(frame) for value in values)
            if self.journal:
                step = self.state[self._step]
                who, doer, why = entity(frame), by(frame), cause(frame)
                self.rows.append(
                    Row(what, step, step, who, -1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, why, doer, text, found)
                )
            return GO_ON

        return note

    def _call_statement(self, s: st.Call) -> Execute:
        arguments = [self._expression(argument) for argument in s.arguments]
        procedures, name, into = self._procedures, s.procedure, s.into

        def call(frame: Frame) -> int:
            result = procedures[name](*[argument(frame) for argument in arguments])
            if into is not None:
                frame[into] = result
            return GO_ON

        return call

    def _leave_statement(self, s: st.Leave) -> Execute:
        signal = LEFT_EACH if s.what == "each" else LEFT_PROCEDURE
        return lambda _: signal

    def _raise_statement(self, s: st.Raise) -> Execute:
        entity, other = self._expression(s.entity), self._expression(s.other)
        values, event, events = [self._expression(value) for value in s.values], s.event, self._events

        def put(frame: Frame) -> int:
            if len(events) >= MAX_EVENTS:
                self._stop(f"more than {MAX_EVENTS:,} things happened at once")
            events.append((event, entity(frame), other(frame), tuple(value(frame) for value in values)))
            return GO_ON

        return put

    def _settle_statement(self, s: st.Settle) -> Execute:
        cause, actor, always = self._expression(s.cause), self._expression(s.actor), s.always

        def settle(frame: Frame) -> int:
            self._settle(cause(frame), actor(frame), always)
            return GO_ON

        return settle

    def _guard_statement(self, s: st.Guard) -> Execute:
        condition, value = self._expression(s.condition), self._expression(s.value)

        def guard(frame: Frame) -> int:
            if condition(frame) == 0.0:
                self._formula_frame = frame
                self._stop(s.fault.format(value=f"{value(frame):g}"), s.formula)
            return GO_ON

        return guard

    def _finish_statement(self, s: st.Finish) -> Execute:
        winner, state = self._expression(s.winner), self.state

        def finish(frame: Frame) -> int:
            if state[self._ending] < 0.0:
                state[self._ending] = float(s.ending)
                state[self._winner] = winner(frame)
            return GO_ON

        return finish

    def formula_reads(self) -> list[tuple[str, float]]:
        """What the formula that stopped the run reads, by name, at this moment."""
        if not 0 <= self._formula < len(self.program.formulas):
            return []
        reads = self.program.formulas[self._formula].reads
        return [(name, self._expression(expression)(self._formula_frame)) for name, expression in reads]


def _spec_frame(entity: float) -> Frame:
    """The frame of an account's limits and flow: the entity, and room for what folds go over."""
    return [entity] + [0.0] * SPEC_LOCALS


def _rounded(amount: float, how: str) -> float:
    """A whole amount, rounded by its size; nearest takes halves away from zero."""
    size = abs(amount)
    if how == "down":
        whole = math.floor(size)
    elif how == "up":
        whole = math.ceil(size)
    else:
        whole = math.floor(size)
        whole += size - whole >= 0.5
    return float(whole) if amount > 0.0 else 0.0 - float(whole)


def _wrapped(value: float, low: float, high: float) -> float:
    """A counter that runs over: high + 1 is low again (an 8-bit counter goes from 255 to 0)."""
    size = high - low + 1.0
    return low + (value - low) % size if size > 0.0 else low


def _scaled(value: float, power: float) -> float:
    try:
        return math.ldexp(value, int(max(min(power, 5000.0), -5000.0)))
    except OverflowError:
        return math.copysign(math.inf, value)


def _divided(left: float, right: float) -> float:
    if right == 0.0:
        raise ArithmeticStop("division by zero")
    return left / right


def _root(value: float) -> float:
    if value < 0.0:
        raise ArithmeticStop("the square root of a negative number")
    return math.sqrt(value)


def _floor(value: float) -> float:
    return float(math.floor(value)) + 0.0 if math.isfinite(value) else value


def _nearest(value: float) -> float:
    return _rounded(value, "nearest") + 0.0 if math.isfinite(value) else value


def _total(items: list[tuple[float, float]]) -> float:
    # A plain loop: Python's sum() compensates from 3.12 on, so its bits differ from version to version.
    total = 0.0
    for _, value in items:
        total += value
    return total


def _arg(items: list[tuple[float, float]], sign: float) -> float:
    chosen, best = -1.0, 0.0
    for entity, value in items:
        if chosen < 0.0 or value * sign < best * sign:
            chosen, best = entity, value
    return chosen


def _extreme(items: list[tuple[float, float]], sign: float) -> float:
    best, found = 0.0, False
    for _, value in items:
        if not found or value * sign < best * sign:
            best, found = value, True
    return best


_UNARY: dict[str, Callable[[float], float]] = {
    "negate": lambda a: 0.0 - a,
    "not": lambda a: 1.0 if a == 0.0 else 0.0,
    "abs": abs,
    "floor": _floor,
    "ceil": lambda a: 0.0 - _floor(0.0 - a),
    "round": _nearest,
    "sqrt": _root,
    "exponent": lambda a: float(math.frexp(a)[1]),
}
_BINARY: dict[str, Callable[[float, float], float]] = {
    "/": _divided,
    "min": lambda a, b: a if a < b else b,
    "max": lambda a, b: a if a > b else b,
    "scale": _scaled,
}
_FOLDS: dict[str, Callable[[list[tuple[float, float]]], float]] = {
    "sum": _total,
    "count": lambda items: float(len(items)),
    "min": lambda items: _extreme(items, 1.0),
    "max": lambda items: _extreme(items, -1.0),
    "any": lambda items: 1.0 if any(value != 0.0 for _, value in items) else 0.0,
    "all": lambda items: 1.0 if all(value != 0.0 for _, value in items) else 0.0,
    "argmin": lambda items: _arg(items, 1.0),
    "argmax": lambda items: _arg(items, -1.0),
}
