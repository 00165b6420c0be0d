"""The clock: how time passes in a game."""

from __future__ import annotations

from typing import Literal

from pydantic import model_validator

from mint_ledger.game.parts import Number, Part

MAX_STEPS = 10_000_000


class Clock(Part):
    """How long a step is and when a run ends at the latest.

    In seconds unless `unit: turn`, where one step is one turn.
    """

    unit: Literal["second", "turn"] = "second"
    step: Number = 0.05
    limit: Number = 600.0

    @model_validator(mode="before")
    @classmethod
    def _turns_step_by_one(cls, data: object) -> object:
        if isinstance(data, dict) and data.get("unit") == "turn":
            return {"step": 1, "limit": 1000, **data}
        return data

    @model_validator(mode="after")
    def _sizes(self) -> Clock:
        if not self.step > 0:
            raise ValueError(f"the step has to be longer than 0, not {self.step:g}")
        if not self.limit > 0:
            raise ValueError(f"the limit has to be later than 0, not {self.limit:g}")
        if self.unit == "turn" and self.step != 1:
            raise ValueError("in a game of turns a step is one turn; leave 'step' out")
        if self.limit / self.step > MAX_STEPS:
            raise ValueError(
                f"{self.limit:g} at {self.step:g} a step are more than {MAX_STEPS:,} steps; "
                "a longer step or an earlier limit would do"
            )
        return self

    @property
    def steps_per_second(self) -> float:
        """Steps in a second (or turn); whole wherever 1/step is whole within rounding."""
        n = 1.0 / self.step
        return float(round(n)) if self.is_whole else n

    @property
    def is_whole(self) -> bool:
        """Return whether a second is a whole number of steps; then time is counted as step / n, without drift."""
        n = 1.0 / self.step
        return round(n) >= 1 and abs(n - round(n)) < 1e-9 * n
