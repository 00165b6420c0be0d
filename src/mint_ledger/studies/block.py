"""Blocks of fifty runs. Their borders never move, so no sum depends on who played what.

Most are played in one go; of a few long ones the runs are played apart by several threads, and added up in order.
"""

from __future__ import annotations

import threading
from collections.abc import Sequence
from dataclasses import dataclass
from typing import Any, Protocol

import numpy as np

from mint_ledger.engines.native.engine import CannotGoOn, NativeCode, NativePlayer
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.engines.tally import MOMENTS, tally_rows, tally_size
from mint_ledger.errors import MintError
from mint_ledger.studies.request import Prepared
from mint_ledger.studies.taking import Floats, Integers, take

BLOCK = 50


@dataclass(frozen=True)
class Block:
    """What is kept of the runs `first` to `first + len(ending) - 1`, one entry each.

    Attributes:
        ending: the number of the ending, one past the last at the clock's limit.
        steps: how many steps it took.
        level: the number of the level in which it ended.
        measures: the measures' values by name.
        sums: the sum over the runs of each number of the tallies, and of its squares and cubes about the mean, shape
            (numbers, 3).
        samples: values at the times of the grid, NaN once a run is over, shape (runs, times, accounts).
        visited: how many steps were looked at, of all runs together.
    """

    first: int
    ending: np.ndarray[Any, np.dtype[np.int16]]
    winner: np.ndarray[Any, np.dtype[np.int32]]
    steps: Integers
    level: np.ndarray[Any, np.dtype[np.int16]]
    measures: dict[str, Floats]
    sums: Floats
    samples: Floats
    visited: int


@dataclass(frozen=True)
class BlockPart:
    """Runs from `first` on, each apart, one entry a run.

    Attributes:
        taken: what is kept of each, shape (runs, slots).
        tallies: the numbers of the tallies, shape (runs, numbers).
        samples: as in a block.
        visited: how many steps were looked at.
    """

    first: int
    taken: Floats
    tallies: Floats
    samples: Floats
    visited: int


class Player(Protocol):
    """Whoever can play a block."""

    def block(self, first: int, count: int) -> Block:
        """Play the runs `first` to `first + count - 1`."""
        ...


def block_of(prepared: Prepared, parts: Sequence[BlockPart]) -> Block:
    """The block of runs that were played apart, from its first to its last: the same as if played in one go."""
    tallies = np.concatenate([part.tallies for part in parts])
    sums = np.zeros((tallies.shape[1], MOMENTS))
    for index, of_run in enumerate(tallies):
        _add_up(sums, of_run, index)
    taken = np.concatenate([part.taken for part in parts])
    samples = np.concatenate([part.samples for part in parts])
    return _make_block(prepared, parts[0].first, taken, sums, samples, sum(part.visited for part in parts))


def _add_up(sums: Floats, tallies: Floats, index: int) -> None:
    """Add a run's tallies to the sums of the `index` runs before it, as machine code does for a batch.

    Squares are about the mean of the runs so far (Welford, Technometrics 4, 1962), so that nothing cancels; and cubes
    (Pébay, SAND2008-6212).
    """
    off = tallies - sums[:, 0] / max(index, 1)
    grown, each = off * (index / (index + 1)) * off, off / (index + 1)
    sums[:, 2] += grown * each * (index - 1) - 3.0 * each * sums[:, 1]
    sums[:, 1] += grown
    sums[:, 0] += tallies


def _make_block(prepared: Prepared, first: int, taken: Floats, sums: Floats, samples: Floats, visited: int) -> Block:
    return Block(
        first,
        taken[:, 0].astype(np.int16),
        taken[:, 1].astype(np.int32),
        taken[:, 2].astype(np.int64),
        taken[:, 3].astype(np.int16) if prepared.lowered.levels else np.zeros(len(taken), dtype=np.int16),
        prepared.taking.measured(taken),
        sums,
        samples,
        visited,
    )


class NativeBlocks:
    """Plays blocks with the native engine; each thread has a player of its own."""

    def __init__(self, prepared: Prepared, code: NativeCode, stop: Integers | None = None) -> None:
        self.prepared = prepared
        self.code = code
        self.stop = np.zeros(1, dtype=np.int64) if stop is None else stop
        self._players = threading.local()

    def player(self) -> NativePlayer:
        """This thread's player."""
        player: NativePlayer | None = getattr(self._players, "player", None)
        if player is None:
            prepared = self.prepared
            player = NativePlayer(
                self.code,
                seed=prepared.seed,
                starts=prepared.starts,
                script=prepared.script,
                only_script=prepared.only_script,
                stop=self.stop,
            )
            player.take(prepared.taking.slots, prepared.taking.tallied, BLOCK)
            player.sample(prepared.grid, prepared.sampled, BLOCK)
            self._players.player = player
        # Better code may have come in the meantime.
        player.code = self.code
        return player

    def block(self, first: int, count: int) -> Block:
        """Play a block.

        Raises:
            RunStopped: a run could not go on.
            Interrupted: the stop flag was set.
        """
        player = self.player()
        visited = self._batch(player, first, count)
        taken, samples = player.taken[:count].copy(), player.samples[:count].copy()
        return _make_block(self.prepared, first, taken, player.sums.copy(), samples, visited)

    def part(self, first: int, count: int) -> BlockPart:
        """Play some runs of a block, each apart.

        Raises:
            RunStopped: a run could not go on.
            Interrupted: the stop flag was set.
        """
        player = self.player()
        taken, tallies, samples, visited = [], [], [], 0
        for run in range(first, first + count):
            visited += self._batch(player, run, 1)
            taken.append(player.taken[:1].copy())
            tallies.append(player.sums[None, :, 0].copy())
            samples.append(player.samples[:1].copy())
        return BlockPart(first, np.concatenate(taken), np.concatenate(tallies), np.concatenate(samples), visited)

    def _batch(self, player: NativePlayer, first: int, count: int) -> int:
        try:
            return player.batch(first, count)
        except CannotGoOn as stop:
            raise self._why(stop.run) from None

    def _why(self, run: int) -> MintError:
        """Play a run that could not go on with the reference engine, which says why."""
        prepared = self.prepared
        engine = reference_engine(prepared, run, journal=False)
        try:
            engine.play()
        except MintError as error:
            return error
        return MintError(f"run {run} stopped in the native engine and not in the reference engine; please report this")


def reference_engine(prepared: Prepared, run: int = 0, *, journal: bool = True) -> ReferenceEngine:
    """The reference engine for one run of a study."""
    return ReferenceEngine(
        prepared.lowered.program,
        seed=prepared.seed,
        run=run,
        journal=journal,
        starts=prepared.starts,
        script=prepared.script,
        only_script=prepared.only_script,
    )


class ReferenceBlocks:
    """Plays blocks with the reference engine."""

    def __init__(self, prepared: Prepared) -> None:
        self.prepared = prepared
        self._engine = reference_engine(prepared)

    def block(self, first: int, count: int) -> Block:
        """Play a block."""
        prepared, engine = self.prepared, self._engine
        program, taking = prepared.lowered.program, prepared.taking
        taken = np.zeros((count, len(taking.slots)))
        sums = np.zeros((len(taking.tallied) * tally_size(program), MOMENTS))
        samples = np.full((count, len(prepared.grid), len(prepared.sampled)), np.nan)
        visited = 0
        for index in range(count):
            engine.run = first + index
            engine.open()
            self._play(samples[index])
            tallies, counts = tally_rows(program, taking.tallied, engine.opening, engine.rows)
            taken[index] = take(program, taking, engine.state, tallies, counts)
            _add_up(sums, tallies, index)
            visited += int(taken[index, 2])
        return _make_block(prepared, first, taken, sums, samples, visited)

    def _play(self, samples: Floats) -> None:
        prepared, engine = self.prepared, self._engine
        accounts = {
            account.column.offset + entity: (account.column, entity)
            for account in prepared.lowered.program.accounts
            for first, count, _ in account.specs
            for entity in range(first, first + count)
        }
        for point, step in enumerate(prepared.grid):
            while not engine.is_over and engine.step_number < step:
                engine.step()
            if engine.step_number >= step:
                for index, slot in enumerate(prepared.sampled):
                    samples[point, index] = engine.value(*accounts[slot])
        engine.play()
