"""Plays the blocks of a study: on all cores of this machine, or wherever an executor takes them."""

from __future__ import annotations

import multiprocessing
import os
import signal
import threading
import time
from collections import deque
from collections.abc import Callable, Iterable, Iterator
from concurrent.futures import Executor, Future, ThreadPoolExecutor
from functools import lru_cache, partial

import numpy as np

from mint_ledger.engines.names import compiling_takes
from mint_ledger.engines.native.engine import NativeCode, known_code, make_code, native_code
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.engines.threads import COMPILING
from mint_ledger.studies.block import Block, NativeBlocks, Player, ReferenceBlocks
from mint_ledger.studies.request import Prepared, StudyRequest, prepare

Span = tuple[int, int]
"""The first run of a block and how many it has."""

WORTH_OPTIMISING = 4.0
WINDOW = 8


def cores() -> int:
    """How many cores this process may use."""
    return len(os.sched_getaffinity(0)) if hasattr(os, "sched_getaffinity") else os.cpu_count() or 1


def play_blocks(
    prepared: Prepared, request: StudyRequest, spans: Iterable[Span], runs: int, executor: Executor | None = None
) -> Iterator[Block]:
    """Play blocks and give them in their order. `runs` is about how many there are to be, to plan for.

    Raises:
        RunStopped: a run could not go on; the first such run is told.
    """
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
    program = prepared.lowered.program
    if request.engine == "native":
        return native_code(program, list(dict.fromkeys(item.procedure for item in prepared.script)))
    if runs <= 2:
        return None
    code = known_code(program)
    if code is not None:
        return code
    began = time.perf_counter()
    engine = ReferenceEngine(program, seed=prepared.seed, journal=False, starts=prepared.starts)
    engine.open()
    patience = compiling_takes(program)
    while not engine.is_over and (time.perf_counter() - began) * runs < patience:
        engine.step()
    return None if engine.is_over else make_code(program)


def _by_machine_code(blocks: NativeBlocks, spans: Iterable[Span], runs: int) -> Iterator[Block]:
    threads = cores()
    began = time.perf_counter()
    played = 0
    improving: threading.Thread | None = None
    pool = ThreadPoolExecutor(threads)
    try:
        for block in _in_order(pool, blocks.block, spans, threads * WINDOW):
            played += len(block.ending)
            left = (time.perf_counter() - began) / played * (runs - played)
            if improving is None and not blocks.code.thorough and left > WORTH_OPTIMISING:
                improving = threading.Thread(target=_improve, args=(blocks,), name=COMPILING)
                improving.start()
            yield block
    finally:
        blocks.stop[0] = 1
        pool.shutdown(wait=True, cancel_futures=True)


def _improve(blocks: NativeBlocks) -> None:
    """Compile more thoroughly while runs go on; the players take the better code for their next block."""
    blocks.code = make_code(blocks.code.program, blocks.code.scripts, thorough=True)


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


def _in_order(
    executor: Executor, play: Callable[[int, int], Block], spans: Iterable[Span], most: int
) -> Iterator[Block]:
    """Keep an executor busy, and give what it brings in the order in which it was asked for."""
    waiting: deque[Future[Block]] = deque()
    try:
        for first, count in spans:
            waiting.append(executor.submit(play, first, count))
            if len(waiting) >= most:
                yield waiting.popleft().result()
        while waiting:
            yield waiting.popleft().result()
    finally:
        for future in waiting:
            future.cancel()


@lru_cache(maxsize=4)
def _player(request: StudyRequest) -> Player:
    prepared = prepare(request)
    if request.engine == "reference":
        return ReferenceBlocks(prepared)
    return NativeBlocks(prepared, native_code(prepared.lowered.program), np.zeros(1, dtype=np.int64))


_one_at_a_time = threading.Lock()


def play_elsewhere(request: StudyRequest, first: int, count: int) -> Block:
    """Play a block from nothing but its description, as another process or machine does."""
    with _one_at_a_time:
        player = _player(request)
        if isinstance(player, ReferenceBlocks):
            return player.block(first, count)
    return player.block(first, count)
