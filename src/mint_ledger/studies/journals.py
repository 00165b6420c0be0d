"""The journals of many runs as numbers: for questions that are about what happened, and not only about how it ended."""

from __future__ import annotations

from collections.abc import Iterator, Mapping, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np

from mint_ledger.engines.names import EngineName
from mint_ledger.engines.native.engine import CannotGoOn, NativePlayer, native_code
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.setting import Setting, habit_starts
from mint_ledger.program.program import Program, ScriptItem, scripts_of
from mint_ledger.program.row import MAX_VALUES, WHAT_CODES, Row
from mint_ledger.program.state import Start
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.elsewhere import chosen_engine
from mint_ledger.studies.estimate import checked_sure

MOST_RUNS = 1_000_000
# The rows of so many runs are held at a time.
AT_ONCE = 100
# A row as numbers: the fields of `Row`, how many values it has, and those.
COLUMNS = {name: place for place, name in enumerate(Row._fields[:-1])}
VALUES = len(COLUMNS) + 1
WIDTH = VALUES + MAX_VALUES
Floats = np.ndarray[Any, np.dtype[np.float64]]
Integers = np.ndarray[Any, np.dtype[np.int64]]


@dataclass(frozen=True)
class Journals:
    """The rows of some runs that follow one another.

    Attributes:
        first: the number of the first run.
        rows: shape (rows, WIDTH), in the order of the runs.
        starts: where the rows of each run begin, and last where they end, shape (runs + 1,).
        states: the state of each run as it ended, shape (runs, numbers of the state).
    """

    program: Program
    first: int
    rows: Floats
    starts: Integers
    states: Floats

    def __len__(self) -> int:
        return len(self.states)

    def column(self, name: str) -> Floats:
        """One field of all rows, by its name in `Row`."""
        return np.asarray(self.rows[:, COLUMNS[name]])

    def what(self, name: str) -> np.ndarray[Any, np.dtype[np.bool_]]:
        """Which rows are of a sort: `posting`, `hit`, `level` and more."""
        return np.asarray(self.rows[:, COLUMNS["what"]] == WHAT_CODES[name])

    @property
    def account(self) -> Integers:
        """The slot of the account that each posting is to; -1 for other rows."""
        offsets = np.array([account.column.offset for account in self.program.accounts] or [0], dtype=np.int64)
        stat = np.maximum(self.column("stat").astype(np.int64), 0)
        slots = offsets[stat] + self.column("entity").astype(np.int64)
        return np.where(self.what("posting"), slots, -1)

    @property
    def steps(self) -> Floats:
        """Return how many steps each run took."""
        return np.asarray(self.states[:, self.program.columns.step.base])


def journals(
    game: PlayableGame,
    runs: int,
    setting: Setting,
    engine: EngineName = "auto",
    progress: Progress | None = None,
    measures: Mapping[str, str] | None = None,
) -> Iterator[Journals]:
    """Play a game many times, and give the journals of some runs after the other; run k has the luck of any study's.

    With `measures` their columns are in the states.

    Raises:
        NotFound: there is no such habit, variant or dial.
        BadRequest: the number of runs makes no sense.
        RunStopped: a run could not go on.
    """
    engine = chosen_engine(engine)
    checked_sure(setting.sure)
    if not 1 <= runs <= MOST_RUNS:
        raise BadRequest(f"journals are kept of 1 to {MOST_RUNS:,} runs, not of {runs:,}")
    turned = setting.of(game)
    lowered = turned.lowered_with(measures or {})
    program = lowered.program
    starts = habit_starts(lowered, setting.habit)
    play = _by_hand if engine == "reference" else _by_machine
    played = _Played(program, setting.seed, starts, lowered.script)
    for first in range(0, runs, AT_ONCE):
        count = min(AT_ONCE, runs - first)
        if progress is not None:
            progress(first, runs)
        parts: list[Floats] = []
        states: list[Floats] = []
        for rows, state in play(played, range(first, first + count)):
            parts.append(rows)
            states.append(state)
        ends = np.cumsum([0, *map(len, parts)])
        yield Journals(program, first, np.concatenate(parts), ends, np.array(states))
    if progress is not None:
        progress(runs, runs)


@dataclass(frozen=True, slots=True)
class _Played:
    """What all runs have in common."""

    program: Program
    seed: int
    starts: Sequence[Start]
    script: Sequence[ScriptItem]


def _by_machine(played: _Played, runs: range) -> Iterator[tuple[Floats, Floats]]:
    code = native_code(played.program, scripts_of(played.script))
    player = NativePlayer(code, seed=played.seed, starts=played.starts, script=played.script)
    for run in runs:
        try:
            yield player.rows(run), player.state.copy()
        except CannotGoOn:
            # The reference engine says why.
            yield from _by_hand(played, range(run, run + 1))


def _by_hand(played: _Played, runs: range) -> Iterator[tuple[Floats, Floats]]:
    for run in runs:
        engine = ReferenceEngine(played.program, seed=played.seed, run=run, starts=played.starts, script=played.script)
        engine.play()
        yield _numbers(engine.rows), np.array(engine.state)


def _numbers(rows: list[Row]) -> Floats:
    numbers = np.zeros((len(rows), WIDTH))
    for place, row in enumerate(rows):
        numbers[place, : VALUES - 1] = row[:-1]
        numbers[place, VALUES - 1] = len(row.values)
        numbers[place, VALUES : VALUES + len(row.values)] = row.values
    return numbers
