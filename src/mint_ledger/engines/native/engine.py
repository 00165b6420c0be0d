"""The native engine as the rest of the library sees it: machine code of a program, and players of its runs."""

from __future__ import annotations

import copy
import ctypes
import hashlib
import logging
import math
import threading
import time
from collections.abc import Callable, Sequence
from functools import cache, lru_cache
from pathlib import Path

import numpy as np

from mint_ledger.engines.moment import DUE_TOLERANCE, Moment
from mint_ledger.engines.native.cache import machine_key, program_key
from mint_ledger.engines.native.context import EVENT_SIZE, FAILED, ROW_SIZE, SKIP_STEPS, STOPPED, Context
from mint_ledger.engines.native.machine import Machine
from mint_ledger.engines.statements import MAX_EVENTS
from mint_ledger.engines.tally import MOMENTS, tally_size
from mint_ledger.engines.threads import COMPILING
from mint_ledger.engines.work import MOST_ROWS, too_many_rows
from mint_ledger.errors import BrokenProgram, RunStopped
from mint_ledger.program import arithmetic
from mint_ledger.program import expressions as ex
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program, ScriptItem
from mint_ledger.program.row import WHATS, Row
from mint_ledger.program.state import Start
from mint_ledger.signed import load_entry, save_entry

Floats = np.ndarray[tuple[int, ...], np.dtype[np.float64]]
Integers = np.ndarray[tuple[int, ...], np.dtype[np.int64]]

_log = logging.getLogger(__name__)
# Of the way from one step to the next; float64 is a thousand times finer up to so many steps.
CLEAR = 1e-7
SURE_STEPS = 1_000_000
FIRST_ROWS = 4_096
HEAD = 15
FOREVER = 2**62


class CannotGoOn(Exception):
    """A run could not go on; `run` is its number. The reference engine can say why."""

    def __init__(self, run: int) -> None:
        super().__init__(run)
        self.run = run


class Interrupted(Exception):
    """Somebody set the stop flag."""


class NativeCode:
    """A program's machine code; it can be shared by any number of players and threads.

    `was_kept` says that it was made before this.
    """

    def __init__(
        self,
        program: Program,
        scripts: Sequence[Handle],
        pieces: int,
        code: bytes,
        *,
        thorough: bool,
        was_kept: bool = False,
    ) -> None:
        self.program = program
        self.scripts = tuple(scripts)
        self.pieces = pieces
        self.thorough = thorough
        self.was_kept = was_kept
        self._machine = _linked(code, arithmetic_code(thorough=thorough))
        state = [ctypes.c_void_p] * 4
        self.open = ctypes.CFUNCTYPE(ctypes.c_int32, *state)(self._machine.address("mint_open"))
        self.go = ctypes.CFUNCTYPE(ctypes.c_int32, *state, ctypes.c_int64)(self._machine.address("mint_go"))
        self.batch = ctypes.CFUNCTYPE(ctypes.c_int32, *state, ctypes.c_int64)(self._machine.address("mint_batch"))

    def of(self, program: Program) -> NativeCode:
        """The same machine code, for a program that differs from this one in the numbers of its dials alone."""
        other = copy.copy(self)
        other.program = program
        return other


@lru_cache(maxsize=8)
def _linked(code: bytes, shared: bytes) -> Machine:
    """Code that is linked already is taken again, as by a search that turns dials: what it is played with is no part
    of it.
    """
    return Machine(code, shared)


@cache
def arithmetic_code(*, thorough: bool) -> bytes:
    """The machine code of what all games share; made once on each machine, and thoroughly for the first game that is
    compiled so.
    """
    what = f"{machine_key()} arithmetic, {_sort(thorough=thorough)} "
    key = hashlib.sha256(what.encode() + Path(arithmetic.__file__).read_bytes()).hexdigest()
    code = load_entry(key)
    if code is None:
        from mint_ledger.engines.native.compiling import arithmetic_module, object_code

        code = object_code(arithmetic_module(), thorough=thorough)
        save_entry(key, code)
    return code


def known_code(program: Program, scripts: Sequence[Handle] = ()) -> NativeCode | None:
    """A program's machine code, if it was made before."""
    key = program_key(program, scripts)
    for thorough in (True, False):
        entry = load_entry(_entry(key, thorough=thorough))
        if entry is not None:
            pieces = int.from_bytes(entry[:8], "little")
            _log.info("machine code of %s taken as it was kept (%s)", program.title, _sort(thorough=thorough))
            return NativeCode(program, scripts, pieces, entry[8:], thorough=thorough, was_kept=True)
    return None


def make_code(program: Program, scripts: Sequence[Handle] = (), *, thorough: bool = False) -> NativeCode:
    """Compile a program, and keep the result in the cache."""
    # Not imported before it is needed: a game seen before starts without it.
    from mint_ledger.engines.native.compiling import module_text, object_code

    began = time.perf_counter()
    text, pieces = module_text(program, scripts, thorough=thorough)
    code = _apart(lambda: object_code(text, thorough=thorough))
    took = time.perf_counter() - began
    _log.info("machine code of %s compiled in %.2f s (%s)", program.title, took, _sort(thorough=thorough))
    save_entry(_entry(program_key(program, scripts), thorough=thorough), pieces.to_bytes(8, "little") + code)
    return NativeCode(program, scripts, pieces, code, thorough=thorough)


def _sort(*, thorough: bool) -> str:
    return "thorough" if thorough else "quick"


def _apart(make: Callable[[], bytes]) -> bytes:
    """Run what takes long without hearing Ctrl-C next to the main thread, so that this one hears it."""
    if threading.current_thread() is not threading.main_thread():
        return make()
    made: list[bytes | BaseException] = []

    def work() -> None:
        try:
            made.append(make())
        except BaseException as error:
            made.append(error)

    thread = threading.Thread(target=work, name=COMPILING)
    thread.start()
    while thread.is_alive():
        thread.join(0.05)
    if isinstance(made[0], BaseException):
        raise made[0]
    return made[0]


def native_code(program: Program, scripts: Sequence[Handle] = ()) -> NativeCode:
    """A program's machine code, from the cache or made now."""
    return known_code(program, scripts) or make_code(program, scripts)


def _entry(key: str, *, thorough: bool) -> str:
    return f"{key}-{'thorough' if thorough else 'quick'}"


def _horizon(program: Program, dials: Floats, moment: Moment) -> int:
    """A step after the last that a run can come to."""
    match program.clock_limit:
        case ex.Dial(index):
            limit = float(dials[index])
        case ex.Constant(value):
            limit = value
        case _:
            return FOREVER >> 2
    last = limit * moment.steps_per_second
    return math.ceil(last) + 2 if last < float(FOREVER >> 2) else FOREVER >> 2


class NativePlayer:
    """Plays runs of a program, one at a time; each thread has one of its own.

    Args:
        code: the machine code.
        dials: the dials' values, shape (len(program.dials.numbers),).
        seed: the study's seed.
        starts: accounts that open with other values.
        script: what happens from outside; its procedures have to be among the code's scripts.
        only_script: no timers of attacks and rules, no habits.
        skips: what is left out where it would do nothing: SKIP_NOTHING, SKIP_PARTS of steps, SKIP_STEPS; the results
            are the same.
        stop: an integer that stops the run when it is not 0, shape (1,).
    """

    def __init__(
        self,
        code: NativeCode,
        dials: Sequence[float] | None = None,
        *,
        seed: int = 1,
        starts: Sequence[Start] = (),
        script: Sequence[ScriptItem] = (),
        only_script: bool = False,
        skips: int = SKIP_STEPS,
        stop: Integers | None = None,
    ) -> None:
        self.code = code
        program = code.program
        self.program = program
        self.state = np.zeros(program.layout.size)
        self.dials = np.array(program.dials.numbers if dials is None else dials, dtype=np.float64)
        if not len(self.dials):
            self.dials = np.zeros(1)
        self.wakes = np.zeros(code.pieces, dtype=np.int64)
        self._kept: dict[str, np.ndarray[tuple[int, ...], np.dtype[np.generic]]] = {}
        self.context = Context()
        moment = Moment(program, list(self.dials))
        context = self.context
        context.seed = ctypes.c_int64(seed).value
        context.steps_per_second = moment.steps_per_second
        context.step_length = moment.step_length
        context.one_step = moment.time_of(1.0)
        context.is_whole = int(moment.is_whole)
        context.tolerance = -DUE_TOLERANCE / moment.steps_per_second
        context.skips = skips
        context.only_script = float(only_script)
        context.horizon = _horizon(program, self.dials, moment)
        context.sure_steps = float(min(context.horizon, SURE_STEPS))
        context.due_early = -DUE_TOLERANCE
        context.clear_from, context.clear_to = CLEAR, 1 - CLEAR
        self._give("events", np.zeros(MAX_EVENTS * EVENT_SIZE))
        self._give("rows", np.zeros(ROW_SIZE))
        context.row_room = 1
        self._give("stop", np.zeros(1, dtype=np.int64) if stop is None else stop)
        self._give("opening", np.array(program.layout.opening()))
        slots = [start.column.offset + start.entity for start in starts]
        context.start_count = len(slots)
        self._give("start_slots", np.array([*slots, 0], dtype=np.int64))
        self._give("start_values", np.array([*(start.value for start in starts), 0.0]))
        context.script_count = len(script)
        self._give("script_times", np.array([*(item.at for item in script), 0.0]))
        numbers = [code.scripts.index(item.procedure) for item in script]
        self._give("script_procedures", np.array([*numbers, 0], dtype=np.int64))
        self.taken = self.sums = self.samples = np.zeros((0, 0))

    def _give(self, name: str, array: np.ndarray[tuple[int, ...], np.dtype[np.generic]]) -> None:
        self._kept[name] = array
        setattr(self.context, name, array.ctypes.data)

    def _pointers(self) -> tuple[int, int, int, int]:
        return (
            self.state.ctypes.data,
            self.dials.ctypes.data,
            ctypes.addressof(self.context),
            self.wakes.ctypes.data,
        )

    def _heed(self, signal: int) -> None:
        if signal == STOPPED:
            raise Interrupted
        if signal == FAILED:
            raise CannotGoOn(int(self.context.run))

    def play(self, run: int = 0, until_step: int = FOREVER) -> None:
        """Play a run from its opening, to its end or to a step.

        Raises:
            CannotGoOn: a formula has no result, a posting is not finite, reactions go round.
            Interrupted: the stop flag was set.
        """
        self.context.run = run
        self._heed(self.code.open(*self._pointers()))
        self._heed(self.code.go(*self._pointers(), until_step))

    def go_on(self, until_step: int) -> None:
        """Go on with the run to a step, or to its end."""
        self._heed(self.code.go(*self._pointers(), until_step))

    @property
    def step(self) -> int:
        """The number of the step."""
        return int(self.state[self.program.columns.step.base])

    def journal(self, run: int = 0) -> list[Row]:
        """Play a run and return its rows."""
        return rows_of(self.rows(run))

    def rows(self, run: int = 0) -> Floats:
        """Play a run and return its rows as numbers, shape (rows, ROW_SIZE).

        Where the room does not suffice, it is played again with more; the room stays for the next.
        """
        while True:
            room = max(int(self.context.row_room), FIRST_ROWS)
            if room != self.context.row_room:
                self._give("rows", np.zeros(room * ROW_SIZE))
            self.context.row_room = room
            self.context.listens = 1
            self.play(run)
            needed = int(self.context.row_count) + 1
            if needed > MOST_ROWS:
                raise RunStopped(f"{self.program.title}: {too_many_rows()}")
            if needed <= room:
                return self._kept["rows"].reshape(room, ROW_SIZE)[1:needed].copy()  # type: ignore[return-value]
            self._give("rows", np.zeros(needed * ROW_SIZE))
            self.context.row_room = needed

    def take(self, slots: Integers, tallied: Sequence[int], room: int) -> None:
        """Keep numbers of each run of a batch (at most `room` runs): see `studies.taking.Taking`."""
        program = self.program
        size = tally_size(program)
        context = self.context
        by_slot = np.full(program.layout.size, -1, dtype=np.int64)
        by_slot[list(tallied)] = range(len(tallied))
        self._give("tallied", by_slot)
        self._give("tallies", np.zeros(max(1, len(tallied) * size)))
        self._give("counts", np.zeros(max(1, len(WHATS) * len(program.causes))))
        self._give("taken_slots", slots)
        self.taken = np.zeros((room, len(slots)))
        self._give("taken", self.taken)
        self.sums = np.zeros((len(tallied) * size, MOMENTS))
        self._give("sums", self.sums if len(tallied) else np.zeros((1, MOMENTS)))
        context.tally_count = len(tallied)
        context.taken_count = len(slots)
        # Counts of rows stand right after the state among the numbers that may be taken.
        context.listens = int(len(tallied) > 0 or bool((slots >= program.layout.size).any()))

    def sample(self, steps: Sequence[int], slots: Sequence[int], room: int) -> None:
        """Read slots at some steps of each run of a batch (at most `room` runs)."""
        self._give("grid_steps", np.array([*steps, 0], dtype=np.int64))
        self._give("sampled_slots", np.array([*slots, 0], dtype=np.int64))
        self.samples = np.full((room, len(steps), len(slots)), np.nan)
        self._give("samples", self.samples if self.samples.size else np.zeros(1))
        self.context.grid_count = len(steps)
        self.context.sampled_count = len(slots)

    def batch(self, first: int, count: int) -> int:
        """Play the runs `first` to `first + count - 1`, keep what is to be taken, and say how many steps were visited.

        Raises:
            CannotGoOn: a run could not go on.
            Interrupted: the stop flag was set.
        """
        if not 0 <= count <= len(self.taken):
            raise BrokenProgram(f"a batch of {count:,} runs has room for {len(self.taken):,}")
        self.context.run = first
        self.context.visited_in_all = 0
        self.sums[:] = 0.0
        self.samples[:] = np.nan
        self._heed(self.code.batch(*self._pointers(), count))
        return int(self.context.visited_in_all)

    @property
    def visited(self) -> int:
        """Return how many steps were visited in the last run."""
        return int(self.context.visited)


def rows_of(numbers: np.ndarray[tuple[int, ...], np.dtype[np.generic]]) -> list[Row]:
    """Rows from their numbers, shape (rows, ROW_SIZE)."""
    plain: list[list[float]] = numbers.tolist()
    return [Row._make((*row[: HEAD - 1], tuple(row[HEAD : HEAD + int(row[HEAD - 1])]))) for row in plain]
