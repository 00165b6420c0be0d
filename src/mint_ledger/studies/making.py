"""How a study is made: its blocks played or taken from a store, and gathered in order, until enough is known."""

from __future__ import annotations

import logging
import math
import operator
import re
import time
from collections.abc import Iterator, Sequence
from concurrent.futures import Executor
from contextlib import AbstractContextManager
from dataclasses import replace
from typing import Any, Protocol

from mint_ledger.errors import BadRequest, Partial, WorkersLost
from mint_ledger.playing.setting import check_seed
from mint_ledger.studies.block import BLOCK, Block
from mint_ledger.studies.budget import Done, Progress
from mint_ledger.studies.columns import gathered_columns
from mint_ledger.studies.estimate import joined_sums
from mint_ledger.studies.playing import Span, play_blocks
from mint_ledger.studies.request import Prepared, StudyRequest
from mint_ledger.studies.study import Study, Until

_log = logging.getLogger(__name__)
MAX_RUNS = 10_000_000
MOST_UNKNOWN = 50_000


class KeptBlocks(Protocol):
    """Where the blocks of a study are kept."""

    def has(self, span: Span) -> bool:
        """Return whether a block is there."""

    @property
    def replayed(self) -> int:
        """Return how many runs had to be played again."""

    def get(self, span: Span) -> Block | None:
        """A block that is there; none where it is damaged, so that it has to be played again."""

    def put(self, block: Block) -> None:
        """Keep a block."""

    def writing(self) -> AbstractContextManager[None]:
        """While nobody else writes."""


def make_study(
    prepared: Prepared,
    request: StudyRequest,
    runs: int,
    *,
    until: Until | None = None,
    executor: Executor | None = None,
    progress: Progress | None = None,
    stored: KeptBlocks | None = None,
    first: int = 0,
) -> Study:
    """Play runs 0 to runs-1 of a request, or as many from `first` on; see `Game.study`.

    Raises:
        BadRequest: the number of runs or the seed makes no sense.
        RunStopped: one of the runs could not go on.
        Partial: it was stopped with Ctrl-C; what was played until then is a study too.
        WorkersLost: the workers of the executor ended before all was played.
    """
    runs = _whole(runs)
    check_seed(request.seed)
    began = time.perf_counter()
    gathered = _GatheredBlocks(prepared, request, first)
    while True:
        starts = range(len(gathered), runs, BLOCK)
        spans = [(first + start, min(BLOCK, runs - start)) for start in starts]
        try:
            for block in _blocks(prepared, request, spans, runs, executor, stored):
                gathered.add(block)
                _log.debug("runs %d to %d are played", block.first, len(gathered) - 1)
                if progress:
                    progress(Done(len(gathered), gathered.wins), runs)
        except KeyboardInterrupt:
            if not len(gathered):
                raise
            part = gathered.study(None)
            raise Partial(part, part.runs, runs) from None
        except WorkersLost as lost:
            kept = "; they are kept in the store, and the same study goes on from there" if stored is not None else ""
            raise WorkersLost(f"{lost}. {len(gathered):,} of {runs:,} runs were played{kept}") from None
        if until is None:
            break
        estimate = gathered.study(until).estimate(until.measure)
        known_to = estimate.known_to
        if known_to <= until.half_width or runs >= MAX_RUNS:
            break
        if math.isinf(known_to) and runs >= MOST_UNKNOWN:
            break  # all runs are alike, or a few of them say all: more of them may never tell
        _refuse_long(runs, known_to / until.half_width, time.perf_counter() - began, until)
        runs = _more_runs(runs, known_to / until.half_width)
        gathered.drop_short_block()
    _log.info(
        "%s: %d runs of seed %d in %.3f s, %d wins",
        prepared.lowered.program.title,
        len(gathered),
        request.seed,
        time.perf_counter() - began,
        gathered.wins,
    )
    study = gathered.study(until)
    return replace(study, replayed=stored.replayed) if stored is not None and stored.replayed else study


def _whole(runs: int) -> int:
    """A number of runs; NumPy's whole numbers are some too."""
    try:
        whole = operator.index(runs)
    except TypeError:
        whole = 0
    if isinstance(runs, bool) or not 1 <= whole <= MAX_RUNS:
        raise BadRequest(f"a study has 1 to {MAX_RUNS:,} runs, not {runs}")
    return whole


def parse_until(text: str | float, patience: float = math.inf) -> Until:
    """`±0.01` (of the share of wins), or an estimate and how sure it is to be: `mean(time) ±0.5`.

    Raises:
        BadRequest: the text says no width.
    """
    match = re.fullmatch(r"(.*?)\s*(?:±|\+-|\+/-)?\s*([0-9.eE+-]+)\s*", str(text))
    try:
        width = float(match[2]) if match else math.nan
    except ValueError:
        width = math.nan
    if match is None or not 0 < width < math.inf:
        raise BadRequest(f"'{text}' is no width of an interval; write ±0.01 for wins, or 'mean(time) ±0.5'")
    return Until(match[1].strip() or "rate(win)", width, patience)


def _refuse_long(runs: int, too_wide: float, spent: float, until: Until) -> None:
    """Refuse what would likely take longer than somebody has patience for, as an interval narrows with its root.

    Raises:
        BadRequest: it would.
    """
    wanted = min(runs * too_wide**2, MAX_RUNS) if math.isfinite(too_wide) else MOST_UNKNOWN
    seconds = spent / runs * wanted
    if seconds > until.patience:
        shown = f"{seconds / 60:.0f} minutes" if seconds < 7_200 else f"{seconds / 3600:.1f} hours"
        raise BadRequest(
            f"{until.measure} ±{until.half_width:g} would take some {wanted:,.0f} runs, about {shown}; ask for a wider "
            "interval, or say --yes"
        )


def _more_runs(runs: int, too_wide: float) -> int:
    """How many runs will do, as an interval narrows with their root; twice as many at least, ten times at most."""
    wanted = runs * min(max(too_wide**2 * 1.05, 2.0), 10.0)
    return min(MAX_RUNS, math.ceil(wanted / BLOCK) * BLOCK)


def _blocks(
    prepared: Prepared,
    request: StudyRequest,
    spans: Sequence[Span],
    runs: int,
    executor: Executor | None,
    stored: KeptBlocks | None,
) -> Iterator[Block]:
    """The blocks of some spans in order: those that are stored already, and the others played (and stored)."""
    if stored is None:
        yield from play_blocks(prepared, request, spans, runs, executor)
        return
    missing = [span for span in spans if not stored.has(span)]
    played = play_blocks(prepared, request, missing, sum(count for _, count in missing), executor)
    with stored.writing():
        wanted = set(missing)
        for span in spans:
            if span in wanted:
                block = next(played)
                stored.put(block)
            else:
                kept = stored.get(span)
                if kept is None:
                    # What was damaged is played again, and kept in its place.
                    [block] = play_blocks(prepared, request, [span], span[1], executor)
                    stored.put(block)
                else:
                    block = kept
            yield block


class _GatheredBlocks:
    """The blocks of a study that have come in, in order."""

    def __init__(self, prepared: Prepared, request: StudyRequest, begins: int = 0) -> None:
        self.prepared = prepared
        self.begins = begins
        self.request = request
        self.blocks: list[Block] = []
        self.wins = 0
        self._runs = 0
        self._sums: Any = None
        self._last_sums: Any = None
        self._winning = [ending.result == "win" for ending in prepared.lowered.program.endings] + [False]

    def __len__(self) -> int:
        return self._runs

    def add(self, block: Block) -> None:
        # The sums of all but the last block are one array: a million runs have twenty thousand blocks.
        self._sums = self._all_sums()
        self._last_sums = block.sums
        self.blocks.append(replace(block, sums=block.sums[:0].copy()))
        self._runs += len(block.ending)
        self.wins += sum(self._winning[ending] for ending in block.ending.tolist())

    def _all_sums(self) -> Any:
        if self._sums is None or self._last_sums is None:
            return self._sums if self._last_sums is None else self._last_sums
        last = len(self.blocks[-1].ending)
        return joined_sums(self._sums, self._runs - last, self._last_sums, last)

    def drop_short_block(self) -> None:
        """A block at the end that is not full is played again from its start."""
        if self.blocks and len(self.blocks[-1].ending) < BLOCK:
            last = self.blocks.pop()
            self._last_sums = None
            self._runs -= len(last.ending)
            self.wins -= sum(self._winning[ending] for ending in last.ending.tolist())

    def study(self, until: Until | None) -> Study:
        columns = gathered_columns(self.prepared, self.blocks)
        sums = self._all_sums()
        steps = int(sum(int(block.steps.sum()) for block in self.blocks))
        visited = sum(block.visited for block in self.blocks)
        import numpy as np

        samples = np.concatenate([block.samples for block in self.blocks])
        return Study(
            self.prepared.lowered, self.request, columns, sums, samples, visited, steps, until, begins=self.begins
        )
