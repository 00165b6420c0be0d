"""What measures count on the way through a run, carried beside each state: it is part of what tells states apart."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import Any

import numpy as np

from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.exact.states import rounded_value
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.measure import Measure, Reading, readings_of
from mint_ledger.program.program import Program
from mint_ledger.studies.taking import Floats, Taking

Counts = tuple[float, ...]


class Counted:
    """Counts for the readings of some measures; see `Reading`.

    Attributes:
        readings: what the measures are made of.
        on_the_way: whether rows of a run have to be looked at.
        columns: the columns (by their base) whose values are wanted at a run's end.
    """

    def __init__(self, program: Program, measures: Sequence[Measure]) -> None:
        self.readings = readings_of(measure.value for measure in measures)
        self._program = program
        self.on_the_way = any(r.sort not in ("closing", "time", "level") for r in self.readings)
        accounts = {a.column.base + index: a for a in program.accounts for index in range(a.column.count)}
        self._closing = {r: accounts[r.slot] for r in self.readings if r.sort == "closing"}
        self.columns = {a.column.base for a in self._closing.values()}
        self.columns |= {r.slot for r in self.readings if r.sort == "level"}
        self._flowing = any(
            accounts[r.slot].flow_columns is not None for r in self.readings if r.sort in ("total", "lowest", "highest")
        )

    def opening(self, engine: ReferenceEngine) -> Counts:
        """The counts as the accounts are open, before anything has happened."""
        return tuple(engine.opening[r.slot] if r.sort in ("lowest", "highest") else 0.0 for r in self.readings)

    def further(self, engine: ReferenceEngine, counts: Counts) -> Counts:
        """The counts after what the engine's rows tell. Flows write theirs before."""
        if self.on_the_way:
            if self._flowing:
                engine.book_flows()
            after = list(counts)
            for row in engine.rows:
                self._row(row, after)
            engine.rows.clear()
            counts = tuple(rounded_value(value) for value in after)
        return counts

    def _row(self, row: Any, counts: list[float]) -> None:
        cause, what = int(row.cause), int(row.what)
        slot = -1
        if what == 0:
            slot = self._program.accounts[int(row.stat)].column.offset + int(row.entity)
        for index, reading in enumerate(self.readings):
            if reading.sort == "rows":
                counts[index] += what == reading.what and cause in reading.causes
            elif what != 0 or slot != reading.slot:
                continue
            elif reading.sort == "lowest":
                counts[index] = min(counts[index], row.after)
            elif reading.sort == "highest":
                counts[index] = max(counts[index], row.after)
            elif cause >= 0 and (not reading.causes or cause in reading.causes):
                match reading.sort:
                    case "total":
                        counts[index] += row.after - row.before
                    case "waste":
                        counts[index] += row.waste
                    case "changes":
                        counts[index] += 1.0

    def closing(self, engine: ReferenceEngine, counts: Counts) -> Counts:
        """The counts, with what stands in the engine's state at this moment where a measure asks for that."""
        values = list(counts)
        for index, reading in enumerate(self.readings):
            if reading.sort == "closing":
                account = self._closing[reading]
                values[index] = rounded_value(engine.value(account.column, reading.slot - account.column.offset))
            elif reading.sort == "level":
                values[index] = engine.state[reading.slot]
        return tuple(values)


def countable(lowered: Lowered, measures: Sequence[Measure]) -> tuple[tuple[Measure, ...], dict[str, str]]:
    """The measures that can be counted so, and why the others cannot."""
    flows = {
        (account.column.offset + entity): spec.flow.cause
        for account in lowered.program.accounts
        for first, count, spec in account.specs
        if spec.flow is not None
        for entity in range(first, first + count)
    }
    kept, why_not = [], {}
    for measure in measures:
        readings = readings_of([measure.value])
        if any(r.sort in ("kept", "stretch") for r in readings):
            why_not[measure.name] = "what is worked out after each step is not among exact answers"
        elif any(r.sort in ("held", "summed", "first") for r in readings):
            why_not[measure.name] = "how long or when first something held is not among exact answers"
        elif any(r.sort == "changes" and flows.get(r.slot, -1) in (r.causes or flows.values()) for r in readings):
            why_not[measure.name] = "what recovers or fades has no number of changes of its own"
        else:
            kept.append(measure)
    return tuple(kept), why_not


def taking_of(engine: ReferenceEngine, measures: Sequence[Measure], readings: Sequence[Reading]) -> Taking:
    """Return how the measures are worked out of one column a reading."""
    columns: dict[Reading, tuple[int, ...]] = {reading: (index,) for index, reading in enumerate(readings)}
    slots = np.arange(len(columns), dtype=np.int64)
    return Taking(tuple(measures), (), slots, columns, engine.steps_per_second, engine.step_length, engine.is_whole)


def collected(values: Floats, chances: Floats) -> tuple[Floats, Floats]:
    """Values with their chances, each value once and going up; a value that is none (nan) stands at the end."""
    keys = np.array([value if math.isnan(value) else rounded_value(value) for value in values.tolist()])
    once, where = np.unique(keys, return_inverse=True)
    return once, np.bincount(where, weights=chances, minlength=len(once)).astype(np.float64)
