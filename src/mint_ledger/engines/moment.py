"""A moment of a run: the state vector, the clock, and what accounts are worth just now."""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence

from mint_ledger.program.program import Account, Program
from mint_ledger.program.row import Row

Frame = list[float]
Evaluate = Callable[[Frame], float]
Execute = Callable[[Frame], int]

DUE_TOLERANCE = 1e-6


class Moment:
    """The state of a run: one list of floats, and the rows written so far."""

    def __init__(self, program: Program, dials: Sequence[float] | None) -> None:
        self.program = program
        self.dials = list(program.dials.numbers if dials is None else dials)
        self.state: list[float] = program.layout.opening()
        self.rows: list[Row] = []
        self._step = program.columns.step.base
        self._present = program.columns.present
        self._accounts: dict[int, Account] = {account.column.base: account for account in program.accounts}
        self._set_clock()

    def _set_clock(self) -> None:
        dials = self.program.dials
        step = self.program.clock.step
        index = dials.at(("clock", "step"))
        if index is not None:
            step = self.dials[index]
        clock = self.program.clock.model_copy(update={"step": step})
        self.steps_per_second = clock.steps_per_second
        self.is_whole = clock.is_whole
        self.step_length = step

    @property
    def time(self) -> float:
        """The present time."""
        return self.time_of(self.state[self._step])

    def time_of(self, steps: float) -> float:
        """A number of steps in seconds (or turns)."""
        return steps / self.steps_per_second if self.is_whole else steps * self.step_length

    def _is_due(self, when: float) -> bool:
        return self.time - when >= -DUE_TOLERANCE / self.steps_per_second

    def _read_account(self, account: Account, entity: float) -> float:
        slot = account.column.offset + int(entity)
        flows = account.flow_columns
        value = self.state[slot]
        if flows is None or self.state[flows.rate.offset + int(entity)] == 0.0:
            return value
        return self._flowed(account, entity, value)

    def _flowed(self, account: Account, entity: float, value: float) -> float:
        """An anchored flow: clamp(v0 + rate·((k - k0)/n)), whole points for a whole stat."""
        flows = account.flow_columns
        assert flows is not None
        index = int(entity)
        rate = self.state[flows.rate.offset + index]
        end = self.state[flows.to.offset + index]
        moved = self._flow_amount(account, index)
        value = value + moved
        if rate > 0.0:
            return value if value < end else end
        return value if value > end else end

    def _flow_amount(self, account: Account, index: int) -> float:
        flows = account.flow_columns
        assert flows is not None
        steps = self.state[self._step] - self.state[flows.anchor.offset + index]
        moved = self.state[flows.rate.offset + index] * self.time_of(steps)
        spec = account.spec(index)
        assert spec is not None
        return float(math.trunc(moved + math.copysign(1e-9, moved))) + 0.0 if spec.whole else moved

    def _steps_of(self, seconds: float) -> float:
        return seconds * self.steps_per_second if self.is_whole else seconds / self.step_length
