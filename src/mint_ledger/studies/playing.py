"""Plays the blocks of a study: on all cores of this machine, or wherever an executor takes them."""

from __future__ import annotations

import contextlib
import multiprocessing
import os
import signal
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import BrokenExecutor, CancelledError, Executor, Future, ThreadPoolExecutor
from functools import lru_cache, partial
from typing import Any, ClassVar, TypeVar

import numpy as np

from mint_ledger.engines.names import compiling_takes
from mint_ledger.engines.native.cache import program_key
from mint_ledger.engines.native.engine import (
    Interrupted,
    NativeCode,
    NativePlayer,
    known_code,
    make_code,
    native_code,
)
from mint_ledger.engines.threads import COMPILING
from mint_ledger.errors import MintError, WorkersLost
from mint_ledger.program.program import Program, scripts_of
from mint_ledger.studies.block import (
    Block,
    BlockPart,
    NativeBlocks,
    Player,
    ReferenceBlocks,
    block_of,
    reference_engine,
)
from mint_ledger.studies.elsewhere import elsewhere
from mint_ledger.studies.request import Prepared, StudyRequest, prepare

Span = tuple[int, int]
"""The first run of a block and how many it has."""
Piece = TypeVar("Piece", Block, BlockPart)

WINDOW = 8
# Compiling thoroughly takes about so many times as long as quickly; then a run takes half as long.
THOROUGH = 2.0
# So much less has to be saved by it where the game was studied before: who studies it again does so again.
STUDIED_AGAIN = 5.0
# Studies of fewer runs are over too soon to be worth a look.
WORTH_A_LOOK = 100
# Where a run takes longer, nothing is played before the thorough code is there: a block would take as long.
SLOW_RUN = 0.01
# Where a run takes longer, the runs of few blocks are handed to the threads a few at a time, so that all end together.
LONG_RUN = 0.001
FEW_BLOCKS = 4
AT_A_TIME = 5


def cores() -> int:
    """Return how many cores this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def play_blocks(
    prepared: Prepared, request: StudyRequest, spans: Iterable[Span], runs: int, executor: Executor | None = None
) -> Iterator[Block]:
    """Play blocks and give them in their order. `runs` is about how many there are to be, to plan for.

    Raises:
        RunStopped: a run could not go on; the first such run is told.
    """
    executor = executor or elsewhere()
    if executor is not None:
        yield from _in_order(executor, partial(play_elsewhere, request), spans, cores() * WINDOW)
        return
    code = None if request.engine == "reference" else _code(prepared, request, runs)
    if code is None:
        yield from _by_reference(prepared, request, spans, runs)
    else:
        yield from _by_machine_code(NativeBlocks(prepared, code), spans, runs)


def _code(prepared: Prepared, request: StudyRequest, runs: int) -> NativeCode | None:
    """The machine code to play with; none where compiling would take longer than playing."""
    program, scripts = prepared.lowered.program, scripts_of(prepared.script)
    if request.engine == "native":
        return native_code(program, scripts)
    code = known_code(program, scripts)
    if code is not None:
        return code
    began = time.perf_counter()
    engine = reference_engine(prepared, journal=False)
    engine.open()
    patience = compiling_takes(program)
    while not engine.is_over and (time.perf_counter() - began) * runs < patience:
        engine.step()
    return None if engine.is_over else make_code(program, scripts)


def _by_machine_code(blocks: NativeBlocks, spans: Iterable[Span], runs: int) -> Iterator[Block]:
    threads = cores()
    pool = ThreadPoolExecutor(threads)
    spans = list(spans)
    may_be_shared = threads > 1 and len(spans) <= FEW_BLOCKS * threads and runs > AT_A_TIME
    may_be_improved = runs > WORTH_A_LOOK and not blocks.code.thorough
    try:
        # One run more than is asked for tells how long they take.
        takes = pool.submit(_seconds_of_a_run, blocks).result() if may_be_shared or may_be_improved else 0.0
        if may_be_improved:
            saved, costs = takes * runs / 2, THOROUGH * compiling_takes(blocks.code.program)
            if saved > (costs / STUDIED_AGAIN if blocks.code.was_kept else costs):
                better = _Improvement.of(blocks)
                while takes > SLOW_RUN and better.is_alive():
                    better.join(0.05)
        if may_be_shared and takes > LONG_RUN:
            yield from _in_parts(pool, blocks, spans)
        else:
            yield from _in_order(pool, blocks.block, spans, threads * WINDOW)
    finally:
        blocks.stop[0] = 1
        pool.shutdown(wait=True, cancel_futures=True)


def _seconds_of_a_run(blocks: NativeBlocks) -> float:
    """Seconds that the first run takes on this core; none where it cannot be played, which its block will tell."""
    blocks.player()
    began = time.thread_time()
    try:
        blocks.block(0, 1)
    except (MintError, Interrupted):
        return 0.0
    return time.thread_time() - began


class _Improvement(threading.Thread):
    """Compiles a program more thoroughly while runs go on; who plays it takes the better code for the next block."""

    _running: ClassVar[dict[str, _Improvement]] = {}
    _lock: ClassVar[threading.Lock] = threading.Lock()

    def __init__(self, key: str, code: NativeCode) -> None:
        super().__init__(name=COMPILING)
        self._key, self._code = key, code
        self._waiting: list[NativeBlocks] = []

    @classmethod
    def of(cls, blocks: NativeBlocks) -> _Improvement:
        """The one that makes the code for some blocks, begun now if there is none."""
        key = program_key(blocks.code.program, blocks.code.scripts)
        with cls._lock:
            one = cls._running.get(key)
            if one is None:
                one = cls._running[key] = cls(key, blocks.code)
                one.start()
            one._waiting.append(blocks)
            return one

    def run(self) -> None:
        """Compile."""
        code: NativeCode | None = None
        with contextlib.suppress(Exception):  # what cannot be made better is played as it is
            code = make_code(self._code.program, self._code.scripts, thorough=True)
        with self._lock:
            del self._running[self._key]
        if code is not None:
            for blocks in self._waiting:
                blocks.code = code.of(blocks.code.program)


def _by_reference(prepared: Prepared, request: StudyRequest, spans: Iterable[Span], runs: int) -> Iterator[Block]:
    # Another thread may hold a lock just now (that of the compiler, say), which a process made of this one would wait
    # for without end.
    # A worker of somebody's own pool may have no processes below it.
    lone = cores() == 1 or threading.active_count() > 1 or multiprocessing.current_process().daemon
    if runs <= 100 or lone:
        player = ReferenceBlocks(prepared)
        for first, count in spans:
            yield player.block(first, count)
        return
    from concurrent.futures import ProcessPoolExecutor

    pool = ProcessPoolExecutor(cores(), initializer=_leave_interrupts_to_the_parent)
    try:
        yield from _in_order(pool, partial(play_elsewhere, request), spans, cores() * 2)
    finally:
        processes = list((pool._processes or {}).values())
        pool.shutdown(wait=False, cancel_futures=True)
        for process in processes:
            process.terminate()


def _leave_interrupts_to_the_parent() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _in_parts(pool: Executor, blocks: NativeBlocks, spans: Iterable[Span]) -> Iterator[Block]:
    """Play the runs of a few blocks a few at a time, and give each block when it is whole."""
    pieces = []
    ends = set()
    for first, count in spans:
        pieces += [(at, min(AT_A_TIME, first + count - at)) for at in range(first, first + count, AT_A_TIME)]
        ends.add(first + count)
    parts: list[BlockPart] = []
    for part in _in_order(pool, blocks.part, pieces, len(pieces)):
        parts.append(part)
        if part.first + len(part.taken) in ends:
            yield block_of(blocks.prepared, parts)
            parts = []


def _in_order(
    executor: Executor, play: Callable[[int, int], Piece], spans: Iterable[Span], most: int
) -> Iterator[Piece]:
    """Keep an executor busy, and give what it brings in the order in which it was asked for.

    Raises:
        WorkersLost: its workers have ended, or nobody answers for them any more.
    """
    waiting: deque[Future[Piece]] = deque()
    try:
        for first, count in spans:
            waiting.append(executor.submit(play, first, count))
            if len(waiting) >= most:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
    except (BrokenExecutor, CancelledError) as error:
        why = " ".join(str(error).split())
        raise WorkersLost(f"the workers that played the runs are lost{f': {why}' if why else ''}") from None
    finally:
        for future in waiting:
            future.cancel()


@lru_cache(maxsize=4)
def _player(request: StudyRequest) -> Player:
    prepared = prepare(request)
    if request.engine == "reference":
        return ReferenceBlocks(prepared)
    code = native_code(prepared.lowered.program, scripts_of(prepared.script))
    return NativeBlocks(prepared, code, np.zeros(1, dtype=np.int64))


_one_at_a_time = threading.Lock()


def play_elsewhere(request: StudyRequest, first: int, count: int) -> Block:
    """Play a block from nothing but its description, as another process or machine does."""
    with _one_at_a_time:
        player = _player(request)
        if isinstance(player, ReferenceBlocks):
            return player.block(first, count)
    return player.block(first, count)


def taken_again(prepared: Prepared, program: Program, seed: int, slots: Any, first: int, count: int) -> Any:
    """Some slots of the state at the end of each of some runs, played again: shape (runs, slots).

    Raises:
        CannotGoOn: one stops with an error.
    """
    code = native_code(program, scripts_of(prepared.script))
    threads = min(cores(), max(1, count // 50))
    borders = [round(count * part / threads) for part in range(threads + 1)]

    def some(start: int, end: int) -> Any:
        player = NativePlayer(
            code, seed=seed, starts=prepared.starts, script=prepared.script, only_script=prepared.only_script
        )
        player.take(slots.astype(np.int64), prepared.taking.tallied, end - start)
        player.batch(first + start, end - start)
        return player.taken.copy()

    if threads == 1:
        return some(0, count)
    with ThreadPoolExecutor(threads) as pool:
        parts = list(pool.map(some, borders[:-1], borders[1:]))
    return np.concatenate(parts)
