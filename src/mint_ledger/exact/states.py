"""The states of a game in a form in which the same state comes again: relative to now, without what nothing reads."""

from __future__ import annotations

import math
from array import array
from collections.abc import Collection

from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.facts.states import columns_read, flow_state, horizon, period_of_turns, procedures
from mint_ledger.lowering.handles import begin
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.program import Account, Program
from mint_ledger.program.state import Column

NEVER = -1e17
DIGITS = 11


class NormalForm:
    """Brings the state of an engine between two steps into its normal form, and makes the key that tells states apart.

    Columns that are `wanted` (by their base) matter although nothing in the game reads them.

    Attributes:
        forgets: whether a state can come again later; else something looks at the clock itself.
    """

    def __init__(
        self, engine: ReferenceEngine, program: Program, comes_back: bool, wanted: Collection[int] = ()
    ) -> None:
        self._engine = engine
        self._program = program
        carried_out = procedures(program)
        self._period = period_of_turns(program, carried_out)
        self.forgets = self._period is not None
        read = columns_read(program, carried_out, wanted)
        known = program.columns
        self._step, self._present = known.step, known.present
        kept = (known.present, known.ending, known.winner)
        self.columns = [
            c
            for c in program.layout.columns
            if c in kept
            or (c.base in read and c.role not in ("draws", "measure") and c is not self._step and not c.memo)
        ]
        self._slots = [slot for c in self.columns for slot in range(c.base, c.base + c.count)]
        self._moments = [c for c in program.layout.columns if c.memo and c.role in ("time", "step")]
        self._times = [c for c in self.columns if c.role == "time"]
        self._steps = [c for c in self.columns if c.role == "step"]
        self._flows = [a for a in program.accounts if a.flow_columns is not None and a.column.base in read]
        flowing = {c.base for a in self._flows if a.flow_columns for c in flow_state(a.flow_columns)}
        self._oldest = {
            c.base: horizon(program, carried_out, c, self._worth)
            for c in (*self._times, *self._steps)
            if c.base not in flowing
        }
        self._timers = program.timers
        self._statuses = [(s.has, (s.until, s.began, s.ticks, s.giver)) for s in program.statuses]
        # What is set again as an entity appears is of no account while it is away; not so where levels keep it.
        self._begun = [] if comes_back else _set_as_it_begins(program)

    def _worth(self, e: ex.Expr) -> float | None:
        match e:
            case ex.Constant(value):
                return value
            case ex.Dial(index):
                return float(self._engine.dials[index])
            case ex.Checked(value, _):
                return self._worth(value)
        return None

    def settle(self) -> None:
        """Bring the engine's state into normal form."""
        for account in self._flows:
            self._anchor(account)
        state = self._engine.state
        # A memo that names a moment would have to go back with the others; it is forgotten instead.
        for column in self._moments:
            for slot in range(column.base, column.base + column.count):
                state[slot] = column.opening
        for timer in self._timers:
            for index in range(timer.base.count):
                base, count = timer.base.base + index, timer.count.base + index
                state[base] += state[count] * state[timer.period.base + index]
                state[count] = 0.0
        if self._period is not None:
            self._go_back(self._period)
        # What is not there has no moments; a status that is not had neither.
        for has, columns in self._statuses:
            for index in range(has.count):
                if state[has.base + index] == 0.0:
                    for column in columns:
                        state[column.base + index] = 0.0
        for column, first, count in self._begun:
            for entity in range(first, first + count):
                if state[self._present.offset + entity] == 0.0 and column.role in ("time", "counter", "mark"):
                    state[column.offset + entity] = 0.0

    def _anchor(self, account: Account) -> None:
        """A flow goes on from what it is worth now; what rests has forgotten what it was."""
        flows, state, engine = account.flow_columns, self._engine.state, self._engine
        assert flows is not None
        now = state[self._step.base]
        for first, count, spec in account.specs:
            for entity in range(first, first + count):
                rate = state[flows.rate.offset + entity]
                slot = account.column.offset + entity
                if rate == 0.0:
                    state[flows.anchor.offset + entity] = now
                    state[flows.to.offset + entity] = 0.0
                elif not spec.whole:
                    state[slot] = engine.value(account.column, entity)
                    state[flows.anchor.offset + entity] = now
                state[flows.booked.offset + entity] = state[slot]
                state[flows.since.offset + entity] = now
                if spec.flow is not None:
                    waits = [self._worth(w) for w in (spec.flow.after, spec.flow.after_limit) if w is not None]
                    longest = max(math.inf if w is None else w for w in waits)
                    since = flows.waits_from.offset + entity
                    state[since] = max(state[since], engine.time + engine.time_of(1.0) - longest)

    def _go_back(self, period: int) -> None:
        """Take time and steps back to where the step is counted from 0, or from whose turn it is."""
        state, engine = self._engine.state, self._engine
        now = state[self._step.base]
        back = now - now % period
        seconds = engine.time_of(now) - engine.time_of(now - back)
        # Nothing looks before the next step: whatever is due by then is alike.
        for columns, by, soon in (
            (self._times, seconds, engine.time - seconds + engine.time_of(1.0)),
            (self._steps, back, now - back),
        ):
            for column in columns:
                oldest = soon - self._oldest.get(column.base, math.inf)
                for slot in range(column.base, column.base + column.count):
                    state[slot] = max(state[slot] - by, oldest, NEVER)
        state[self._step.base] = now - back

    def key(self) -> bytes:
        """Return what tells this state from others, as float64; differences of a rounding are none."""
        state = self._engine.state
        slots = self._slots if self._period == 1 else (self._step.base, *self._slots)
        values = array("d", [state[slot] for slot in slots])
        return array("d", [v + 0.0 if v.is_integer() else rounded_value(v) for v in values]).tobytes()

    def values(self, key: bytes) -> list[float]:
        """The values of a key, in the order of `places`."""
        values = array("d")
        values.frombytes(key)
        return values.tolist()[0 if self._period == 1 else 1 :]

    def places(self) -> list[tuple[Column, int]]:
        """The columns and entities whose values make a key."""
        return [(c, c.first + index) for c in self.columns for index in range(c.count)]


def rounded_value(value: float) -> float:
    """A value in so many digits that those which differ by a rounding are the same."""
    if value == math.floor(value) or not math.isfinite(value):
        return value + 0.0
    return round(value, DIGITS - 1 - math.floor(math.log10(abs(value)))) + 0.0


def _set_as_it_begins(program: Program) -> list[tuple[Column, int, int]]:
    """The columns that `begin KIND` sets for its entity, with the entities of the kind."""
    columns = []
    for member in program.cast.members.values():
        procedure = program.procedures.get(begin(member.name))
        for statement in procedure.body if procedure is not None else ():
            if isinstance(statement, st.Set) and statement.entity == ex.Local(0):
                columns.append((statement.column, member.first, member.room))
    return columns
