"""What is kept of each run: the numbers that the measures need, and tallies of chosen accounts by cause."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Sequence
from dataclasses import dataclass
from typing import Any

import numpy as np
import numpy.typing as npt

from mint_ledger.engines.moment import Moment
from mint_ledger.engines.tally import TALLY_HEAD, TALLY_OF_CAUSE, tally_size
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.measure import Calculation, Measure, Reading, Value, readings_of
from mint_ledger.program.program import Program
from mint_ledger.program.row import WHATS

Floats = npt.NDArray[np.float64]
Integers = npt.NDArray[np.int64]

OPERATORS: dict[str, Callable[..., Any]] = {
    "+": np.add,
    "-": np.subtract,
    "*": np.multiply,
    "/": np.divide,
    "<": lambda a, b: np.less(a, b).astype(float),
    "<=": lambda a, b: np.less_equal(a, b).astype(float),
    ">": lambda a, b: np.greater(a, b).astype(float),
    ">=": lambda a, b: np.greater_equal(a, b).astype(float),
    "==": lambda a, b: np.equal(a, b).astype(float),
    "!=": lambda a, b: np.not_equal(a, b).astype(float),
    "if": lambda test, a, b: np.where(np.asarray(test) != 0.0, a, b),
    "abs": np.abs,
}


@dataclass(frozen=True)
class Taking:
    """What is kept of each run.

    Attributes:
        measures: the measures that are worked out of it.
        tallied: the slots of the accounts that are tallied, in the order of their tallies.
        slots: which numbers are taken: slots of the state; from the state's size on numbers of the counts (by sort
            of row and cause); then numbers of the tallies.
        columns: for each reading where its numbers stand among those taken.
    """

    measures: tuple[Measure, ...]
    tallied: tuple[int, ...]
    slots: Integers
    columns: dict[Reading, tuple[int, ...]]
    steps_per_second: float
    step_length: float
    is_whole: bool

    def seconds(self, steps: Floats) -> Floats:
        """Numbers of steps in seconds (or turns)."""
        return steps / self.steps_per_second if self.is_whole else steps * self.step_length

    def measured(self, taken: Floats) -> dict[str, Floats]:
        """The measures of some runs, from what was taken of them, shape (runs, len(slots))."""
        with np.errstate(divide="ignore", invalid="ignore", over="ignore"):
            return {m.name: np.broadcast_to(self._value(m.value, taken), len(taken)).copy() for m in self.measures}

    def _value(self, value: Value, taken: Floats) -> Floats:
        if isinstance(value, Reading):
            return self._read(value, taken)
        if isinstance(value, Calculation):
            parts = [self._value(part, taken) for part in value.parts]
            if value.operator in ("min", "max"):
                pick = np.minimum if value.operator == "min" else np.maximum
                whole = parts[0]
                for part in parts[1:]:
                    whole = pick(whole, part)
                return whole
            worked_out: Floats = OPERATORS[value.operator](*parts)
            return worked_out
        return np.full(len(taken), float(value))

    def _read(self, reading: Reading, taken: Floats) -> Floats:
        parts = [taken[:, column] for column in self.columns[reading]]
        match reading.sort:
            case "time":
                return self.seconds(parts[0])
            case "first":
                return np.where(parts[0] < 0.0, np.nan, self.seconds(parts[0]))
            case "held":
                total, held, since, steps = parts
                return self.seconds(total + np.where(held != 0.0, steps - since, 0.0))
            case "summed":
                total, held, since, steps = parts
                return self.seconds(total + held * (steps - since))
            case "level":
                return parts[0] + 1.0
            case "stretch":
                longest, idle, since, steps = parts
                return self.seconds(np.maximum(longest, np.where(idle != 0.0, steps - since, 0.0)))
            case "ended":
                return np.isin(parts[0], reading.causes).astype(float)
        sums = np.zeros(len(taken))
        for part in parts:
            sums = sums + part
        return sums


def make_taking(lowered: Lowered, accounts: Iterable[int]) -> Taking:
    """Return what has to be kept for the measures of a game, with tallies for the accounts in some slots as well."""
    program = lowered.program
    readings = readings_of(measure.value for measure in lowered.measures)
    wanted = [r.slot for r in readings if r.sort in ("lowest", "highest", "total", "waste", "changes")]
    tallied = tuple(dict.fromkeys([*accounts, *wanted]))
    known = program.columns
    level = known.level or known.step
    slots = [known.ending.base, known.winner.base, known.step.base, level.base]
    columns: dict[Reading, tuple[int, ...]] = {}
    for reading in readings:
        needed = _slots_of(program, reading, tallied)
        slots += [slot for slot in needed if slot not in slots]
        columns[reading] = tuple(slots.index(slot) for slot in needed)
    moment = Moment(program, None)
    return Taking(
        lowered.measures,
        tallied,
        np.array(slots, dtype=np.int64),
        columns,
        moment.steps_per_second,
        moment.step_length,
        moment.is_whole,
    )


def _slots_of(program: Program, reading: Reading, tallied: tuple[int, ...]) -> list[int]:
    size, causes = program.layout.size, len(program.causes)
    step = program.columns.step.base
    match reading.sort:
        case "closing" | "first" | "level" | "kept" | "ended":
            return [reading.slot]
        case "time":
            return [step]
        case "held" | "summed" | "stretch":
            return [reading.slot, reading.slot + 1, reading.slot + 2, step]
        case "rows":
            return [size + reading.what * causes + cause for cause in reading.causes]
    tally = size + len(WHATS) * causes + tallied.index(reading.slot) * tally_size(program)
    if reading.sort in ("lowest", "highest"):
        return [tally + (reading.sort == "highest")]
    number = ("total", "waste", "changes").index(reading.sort)
    chosen = reading.causes or range(causes)
    return [tally + TALLY_HEAD + TALLY_OF_CAUSE * cause + number for cause in chosen]


def cause_slots(program: Program, tallied: Sequence[int], account: int) -> list[int]:
    """Where each cause's total of a tallied account stands among the numbers that may be taken, cause after cause."""
    first = program.layout.size + len(WHATS) * len(program.causes) + tallied.index(account) * tally_size(program)
    return [first + TALLY_HEAD + TALLY_OF_CAUSE * cause for cause in range(len(program.causes))]


def changes_slots(program: Program, tallied: Sequence[int], account: int) -> list[int]:
    """Return where it stands how often each cause changed a tallied account, cause after cause."""
    return [slot + TALLY_OF_CAUSE - 1 for slot in cause_slots(program, tallied, account)]


def take(program: Program, taking: Taking, state: Sequence[float], tallies: Floats, counts: Floats) -> Floats:
    """The numbers that are taken of one run."""
    everything = np.concatenate((np.asarray(state), counts, tallies))
    return everything[taking.slots]
