"""A study: many runs of one game, each with luck of its own."""

from __future__ import annotations

import multiprocessing
import os
import signal
from collections.abc import Callable, Iterator, Sequence
from concurrent.futures import Executor, ProcessPoolExecutor, as_completed
from contextlib import contextmanager
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mint_ledger.engines.accounts import Start
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest
from mint_ledger.lowering import Lowered
from mint_ledger.playing.run import check_seed
from mint_ledger.playing.settings import habit_starts
from mint_ledger.program.program import Program
from mint_ledger.studies.estimate import Estimate, quantile, rate

if TYPE_CHECKING:
    import pandas as pd

MAX_RUNS = 10_000_000
RESULTS = ("win", "lose", "draw", "unfinished")
Outcome = tuple[int, int, float]


@dataclass(frozen=True)
class Study:
    """The runs of a study.

    Attributes:
        measures: one row a run, by its number: result, ending, winner, time (seconds or turns).
    """

    title: str
    unit: str
    seed: int
    measures: pd.DataFrame

    @property
    def runs(self) -> int:
        """How many runs it has."""
        return len(self.measures)

    def rate(self, what: str) -> Estimate:
        """How often a result (`win`, `lose`, `draw`, `unfinished`) or an ending of that name came up."""
        column = "result" if what in RESULTS else "ending"
        return rate(int((self.measures[column] == what).sum()), self.runs)

    def quantile(self, measure: str, q: float) -> Estimate:
        """A quantile of a numeric measure, like `time`."""
        if measure != "time":
            raise BadRequest(f"there is no measure '{measure}'; this study has 'time'")
        return quantile(self.measures[measure].tolist(), q)

    def median(self, measure: str) -> Estimate:
        """The median of a numeric measure."""
        return self.quantile(measure, 0.5)

    def endings(self) -> list[str]:
        """The endings that came up, the most frequent first; runs without one are left out."""
        found = self.measures.loc[self.measures["ending"] != "", "ending"].value_counts()
        return [str(name) for name in found.index]

    def winners(self) -> list[str]:
        """The entities that won at least once, in the order of their names."""
        return sorted(str(name) for name in set(self.measures["winner"]) if name)

    def winner(self, entity: str) -> Estimate:
        """How often an entity won."""
        return rate(int((self.measures["winner"] == entity).sum()), self.runs)

    def summary(self) -> str:
        """Outcomes and times with their intervals, for people."""
        from mint_ledger.views.study_text import study_text

        return study_text(self)

    def as_json(self) -> dict[str, Any]:
        """The summary as plain values."""

        def plain(e: Estimate) -> dict[str, Any]:
            keys = ("value", "low", "high", "method", "confidence")
            return {key: getattr(e, key) for key in keys}

        return {
            "title": self.title,
            "seed": self.seed,
            "runs": self.runs,
            "results": {name: plain(self.rate(name)) for name in RESULTS},
            "winners": {name: plain(self.winner(name)) for name in self.winners()},
            "endings": {name: plain(self.rate(name)) for name in self.endings()},
            "time": {f"{q:g}": plain(self.quantile("time", q)) for q in (0.1, 0.5, 0.9)},
        }


def make_study(
    lowered: Lowered,
    runs: int,
    seed: int,
    *,
    habit: str | None = None,
    executor: Executor | None = None,
    progress: Callable[[int, int], None] | None = None,
) -> Study:
    """Play runs 0 to runs-1 of a seed; see `Game.study`.

    Raises:
        BadRequest: the number of runs or the seed makes no sense.
        RunStopped: one of the runs could not go on.
    """
    if isinstance(runs, bool) or not isinstance(runs, int) or not 1 <= runs <= MAX_RUNS:
        raise BadRequest(f"a study has 1 to {MAX_RUNS:,} runs, not {runs}")
    check_seed(seed)
    starts = habit_starts(lowered, habit)
    outcomes: list[Outcome | None] = [None] * runs
    done = 0
    chunks = _chunks(runs)
    with _pool(executor, runs) as pool:
        if pool is None:
            results: Iterator[tuple[range, list[Outcome]]] = (
                (c, play_runs(lowered.program, seed, c, starts)) for c in chunks
            )
        else:
            futures = {pool.submit(play_runs, lowered.program, seed, chunk, starts): chunk for chunk in chunks}
            results = ((futures[future], future.result()) for future in as_completed(futures))
        for chunk, found in results:
            outcomes[chunk.start : chunk.stop] = found
            done += len(chunk)
            if progress:
                progress(done, runs)
    return _study(lowered.program, seed, habit, [outcome for outcome in outcomes if outcome is not None])


@contextmanager
def _pool(executor: Executor | None, runs: int) -> Iterator[Executor | None]:
    if executor is not None:
        yield executor
        return
    cores = os.cpu_count() or 1
    if runs < 20 or cores == 1:
        yield None
        return
    pool = ProcessPoolExecutor(cores, initializer=_leave_interrupts_to_the_parent)
    try:
        yield pool
    except BaseException:
        pool.shutdown(wait=False, cancel_futures=True)
        for worker in multiprocessing.active_children():
            worker.terminate()
        raise
    pool.shutdown()


def _leave_interrupts_to_the_parent() -> None:
    signal.signal(signal.SIGINT, signal.SIG_IGN)


def _chunks(runs: int) -> list[range]:
    size = max(1, min(20, runs // 8))
    return [range(start, min(start + size, runs)) for start in range(0, runs, size)]


def play_runs(program: Program, seed: int, numbers: Sequence[int], starts: Sequence[Start]) -> list[Outcome]:
    """Play some runs and return (ending, winner, time) of each."""
    engine = ReferenceEngine(program, seed=seed, journal=False, starts=starts)
    outcomes: list[Outcome] = []
    for number in numbers:
        engine.run = number
        engine.open()
        engine.play()
        outcomes.append((engine.ending, engine.winner, engine.time))
    return outcomes


def _study(program: Program, seed: int, habit: str | None, outcomes: Sequence[Outcome]) -> Study:
    import pandas as pd

    results = [*(ending.result for ending in program.endings), "unfinished"]
    names = [*(ending.name for ending in program.endings), ""]
    table = pd.DataFrame(
        {
            "result": [results[ending] for ending, _, _ in outcomes],
            "ending": [names[ending] for ending, _, _ in outcomes],
            "winner": [program.cast.entity_name(winner) for _, winner, _ in outcomes],
            "time": [time for _, _, time in outcomes],
        }
    )
    table.index.name = "run"
    title = f"{program.title} · {habit}" if habit else program.title
    return Study(title, "turns" if program.clock.unit == "turn" else "s", seed, table)
