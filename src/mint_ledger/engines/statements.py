"""The statements of a program: each becomes one small Python function; a block calls them in turn."""

from __future__ import annotations

from collections.abc import Callable, Sequence

from mint_ledger.chance.philox import uniform
from mint_ledger.engines.accounts import Accounts
from mint_ledger.engines.moment import Execute, Frame
from mint_ledger.engines.work import MOST_WORK, POSTING_WORK
from mint_ledger.program import statements as st
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.program.row import WHAT_CODES, Row
from mint_ledger.program.walking import STATEMENTS, check_complete

GO_ON, LEFT_EACH, LEFT_PROCEDURE = 0, 1, 2
MAX_EVENTS = 100_000
DrawFunction = Callable[[int, int, int, int, int, int], float]
Happened = tuple[int, float, float, tuple[float, ...]]


class Statements(Accounts):
    """Carries out procedures. What they set off waits in a list until it is settled."""

    def __init__(
        self,
        program: Program,
        dials: Sequence[float] | None,
        seed: int,
        run: int,
        draw: DrawFunction = uniform,
    ) -> None:
        super().__init__(program, dials, seed, run)
        self.draw = draw
        self._ending = program.columns.ending.base
        self._winner = program.columns.winner.base
        self._events: list[Happened] = []
        # The procedure that is being made.
        self._owner: Handle | None = None

    def _settle(self, cause: float, actor: float, always: bool) -> None:
        """Work off what a `do` set off; see `ReferenceEngine`."""
        raise TypeError(f"{type(self).__name__} has no reactions")

    def _procedure(self, procedure: st.Procedure) -> Callable[..., float]:
        # What functions of arithmetic do is no work of a step; they may be made in the middle of another procedure.
        before, self._owner = self._owner, procedure.handle if procedure.handle in self.program.procedures else None
        body = self._block(procedure.body)
        self._owner = before
        rest = [0.0] * (procedure.locals - procedure.parameters)
        parameters = procedure.parameters
        result = self._expression(procedure.result) if procedure.result is not None else None

        def call(*arguments: float) -> float:
            if len(arguments) == parameters:
                frame = [*arguments, *rest]
            else:
                given = list(arguments[:parameters])
                frame = [*given, *[0.0] * (parameters - len(given)), *rest]
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

    def _spending(self) -> Callable[[int], None]:
        """Return what counts the rounds of what is being made."""
        owner = self._owner
        if owner is None:
            return lambda _: None

        def spend(rounds: int) -> None:
            self._work += rounds
            if self._work > MOST_WORK:
                self._too_much(float(self.program.cause_of(owner.owner)))

        return spend

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
        condition, then, other = self._condition(s.condition), self._block(s.then), self._block(s.other)
        if not s.other:
            return lambda frame: then(frame) if condition(frame) else GO_ON
        if not s.then:
            return lambda frame: GO_ON if condition(frame) else other(frame)
        return lambda frame: then(frame) if condition(frame) else other(frame)

    def _each_statement(self, s: st.Each) -> Execute:
        local, body, spend = s.local, self._block(s.body), self._spending()
        if s.repeat is not None:
            count = self._expression(s.repeat)

            def repeat(frame: Frame) -> int:
                for index in range(int(count(frame))):
                    spend(1)
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
            spend(len(slots))
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
            worked_out = tuple(value(frame) for value in values)
            if self.journal:
                step = self.state[self._step]
                who, doer, why = entity(frame), by(frame), cause(frame)
                self.rows.append(
                    Row(what, step, step, who, -1.0, 0.0, 0.0, 0.0, 0.0, 0.0, 0.0, why, doer, text, worked_out)
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
        spend = self._spending()

        def put(frame: Frame) -> int:
            spend(POSTING_WORK)
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
        condition, value = self._condition(s.condition), self._expression(s.value)

        def guard(frame: Frame) -> int:
            if not condition(frame):
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


check_complete(
    "engines/statements.py",
    [kind for kind in STATEMENTS if hasattr(Statements, f"_{kind.__name__.lower()}_statement")],
    STATEMENTS,
)
