"""The reference engine: what a program means, in plain Python.

Its parts, each of which stands on the one before: `moment` (state and clock), `expressions`, `accounts` (postings
and flows), `statements`, and here the course of a run: steps and reactions. Every value is a float. The whole state
is one list of floats and the journal's length, so a snapshot is both.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import NoReturn

from mint_ledger.chance.philox import uniform
from mint_ledger.engines.expressions import spec_frame
from mint_ledger.engines.moment import DUE_TOLERANCE
from mint_ledger.engines.operations import ArithmeticStop
from mint_ledger.engines.statements import DrawFunction, Statements
from mint_ledger.engines.stopping import run_stopped
from mint_ledger.engines.work import MOST_ROWS, too_many_rows
from mint_ledger.program import parts
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program, ScriptItem
from mint_ledger.program.state import Start

MAX_DEPTH = 64
HIT, CONDITION, GONE, CUE = "hit", "condition", "gone", "cue"
PHASES = (HIT, CONDITION, GONE, CUE)


class Finished(Exception):
    """The run has come to its end in the middle of a step."""


@dataclass(frozen=True, slots=True)
class Snapshot:
    """A moment of a run, to which the engine can go back."""

    state: tuple[float, ...]
    rows: int


class _Made(dict[Handle, Callable[..., float]]):
    """The Python functions of procedures; each is made when it is first called."""

    def __init__(self, engine: ReferenceEngine) -> None:
        super().__init__()
        self._engine = engine

    def __missing__(self, handle: Handle) -> Callable[..., float]:
        engine = self._engine
        function = self[handle] = engine._procedure(engine.program.procedures[handle])
        return function


class ReferenceEngine(Statements):
    """Plays one run of a program.

    Args:
        program: the lowered game.
        dials: its dials' values, shape (len(program.dials.numbers),).
        seed: the study's seed, 0 to 2⁶⁴-1.
        run: the run's number in it.
        journal: whether rows are kept.
        only_script: no timers of attacks and rules, no habits.
        starts: accounts that open with other values.
        script: what happens from outside, in the order of its times.
        draw: where uniform numbers come from.

    Attributes:
        deepest: the causes of the longest chain of reactions so far.
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
        draw: DrawFunction = uniform,
    ) -> None:
        super().__init__(program, dials, seed, run, draw)
        self.journal = journal
        self.starts = starts
        self.script = script
        self.opening: tuple[float, ...] = ()
        self._from_outside: Sequence[Handle] = ()
        self._mark = 0
        self._depth = 0
        self._chain = [0.0] * (MAX_DEPTH + 1)
        self.deepest: tuple[float, ...] = ()
        self._only_script = only_script
        self._script_at = program.columns.script_position.base
        self._handlers: list[Handle | None] = []
        self._phases: list[str] = []
        self._procedures = _Made(self)
        self._take_procedures(program)
        self._watch = self._procedures[parts.WATCH]
        self._watch_gone = self._procedures[parts.WATCH_GONE]

    def set_up(self, *, seed: int, only_script: bool, starts: Sequence[Start], script: Sequence[ScriptItem]) -> None:
        """Make ready for another run of the same program and dials; `open` or `play` begins it."""
        self.seed, self.starts, self.script, self._only_script = seed, starts, script, only_script
        self.state[:] = self.program.layout.opening()
        self._dirty = False
        self.deepest = ()

    def _take_procedures(self, program: Program) -> None:
        self._handlers = [event.handler for event in program.events]
        self._phases = [event.phase for event in program.events]

    def grow(self, program: Program) -> None:
        """Go on with a program to which procedures and columns were added since; nothing else of it may differ."""
        if program is self.program:
            return
        self.program = program
        self.state.extend(program.layout.opening()[len(self.state) :])
        self._take_procedures(program)

    def step_with(self, procedures: Sequence[Handle]) -> None:
        """One step in which these happen from outside, after what the script has for it."""
        self._from_outside = procedures
        try:
            self.step()
        finally:
            self._from_outside = ()

    def play(self, until: float = math.inf) -> None:
        """Play to the end, or as long as time is not later than `until`."""
        if not self.is_open:
            self.open()
        while (
            not self.is_over
            and self.time_of(self.state[self._step] + 1.0) <= until + DUE_TOLERANCE / self.steps_per_second
        ):
            self.step()

    def open(self) -> None:
        """Step 0: open the accounts, fire the start rules, judge the endings."""
        self.prepare_accounts()
        self._in_turn(parts.OPENING, parts.ENDINGS, parts.MEASURES)
        self._expire()

    def prepare_accounts(self) -> None:
        """Open the accounts, before anything happens."""
        self._work = 0
        self.state[:] = self.program.layout.opening()
        self.state[self.program.columns.only_script.base] = float(self._only_script)
        self.rows.clear()
        self._call(parts.OPENING_ACCOUNTS)
        for start in self.starts:
            self._start(start)
        self.opening = tuple(self.state)

    def put(self, values: Sequence[Start]) -> None:
        """Give accounts other values as the run stands; there are no rows of it."""
        for value in values:
            self._start(value)

    def step(self) -> None:
        """One step, in the seven parts of its order."""
        self.state[self._step] += 1.0
        self._work = 0
        if len(self.rows) > MOST_ROWS:
            raise run_stopped(self, too_many_rows())
        try:
            for part in parts.BEFORE_SCRIPT:
                self._call(part)
            self._part_2()
        except Finished:
            return
        self._in_turn(*parts.AFTER_SCRIPT)
        self._expire()

    def _in_turn(self, *parts: Handle) -> None:
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
        for procedure in self._from_outside:
            self._call(procedure)

    def _expire(self) -> None:
        if not self.is_over and self._is_due(self._evaluate(self.program.clock_limit, spec_frame(0.0, 1))):
            self.state[self._ending] = float(len(self.program.endings))
            self.book_flows()

    def _call(self, procedure: Handle) -> None:
        self._events.clear()
        self._mark = self._depth = 0
        try:
            self._procedures[procedure]()
        except ArithmeticStop as stop:
            raise run_stopped(self, str(stop)) from None
        except Finished:
            self.book_flows()
            # What only measures looks at the step in which the run ends, too.
            self._procedures[parts.MEASURES]()
            raise

    @property
    def is_open(self) -> bool:
        """Return whether the accounts are open."""
        return self.state[self._ending] != -2.0

    @property
    def is_over(self) -> bool:
        """Return whether the run has ended."""
        return self.state[self._ending] >= 0.0

    @property
    def step_number(self) -> int:
        """The number of the step."""
        return int(self.state[self._step])

    @property
    def ending(self) -> int:
        """The number of the ending; -1 as long as there is none, one past the last at the clock's limit."""
        return int(self.state[self._ending])

    @property
    def winner(self) -> int:
        """The entity that won, 0 for none."""
        return int(self.state[self._winner])

    @property
    def is_dirty(self) -> bool:
        """Return whether something was posted that no condition was asked about yet."""
        return self._dirty

    def take_up(self, state: Iterable[float], dirty: bool) -> None:
        """Go on from a state between two steps, without its journal."""
        self.state[:] = state
        self._dirty = dirty

    def snapshot(self) -> Snapshot:
        """This moment; between steps it is the whole state of the run."""
        return Snapshot(tuple(self.state), len(self.rows))

    def restore(self, snapshot: Snapshot) -> None:
        """Go back to a moment of this run."""
        # What was added to the program since then (see `grow`) stands as before it was used.
        self.state[:] = [*snapshot.state, *self.program.layout.opening()[len(snapshot.state) :]]
        del self.rows[snapshot.rows :]

    def ask(self, procedure: Handle | str, *arguments: float) -> float:
        """The result of a procedure that only looks, or of a function of arithmetic by its name."""
        self._work = 0
        called = self._function(procedure) if isinstance(procedure, str) else self._procedures[procedure]
        try:
            return called(*arguments)
        except ArithmeticStop as stop:
            raise run_stopped(self, str(stop)) from None

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
        if self._depth > len(self.deepest):
            self.deepest = tuple(self._chain[: self._depth])
        self._mark = end
        self._dirty = False
        self._handle(start, end, HIT)
        # All conditions are looked at before the first that turned true is acted on, so that none is overlooked
        # because a reaction to an earlier one has already undone it.
        self._watch(actor)
        self._mark = end = len(events)
        self._handle(start, end, CONDITION)
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
                self._procedures[handler](entity, other, *values)

    def _stop_loop(self) -> NoReturn:
        names = [self.program.causes[int(c)].name if c >= 0 else "a step" for c in self._chain[:MAX_DEPTH]]
        before = next((i for i in range(len(names) - 2, -1, -1) if names[i] == names[-1]), 0)
        chain = " → ".join(names[before:])
        raise run_stopped(self, f"reactions went {MAX_DEPTH} deep without an end; they go round in: {chain}")
