"""Lots: one of several things happens, by weights; a branch may be sure to come after so many drawings without it."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import Field, model_validator

from mint_ledger.game.do import DoList
from mint_ledger.game.parts import Amount, Part, Whole

MOST_BRANCHES, LATEST = 50, 10_000


class Branch(Part):
    """One thing that may come of a lot: its weight, by which drawing it comes at the latest, and what it does."""

    weight: Amount
    sure_by: Annotated[Whole, Field(ge=1, le=LATEST)] | None = None
    do: DoList = Field(default_factory=list)

    @model_validator(mode="before")
    @classmethod
    def _bare_weight(cls, data: Any) -> Any:
        return {"weight": data} if isinstance(data, (int, float, str)) and not isinstance(data, bool) else data


class Lot(Part):
    """A drawing of one branch by weight. A branch that is sure by a drawing counts for each self, or for the game."""

    of: Annotated[dict[str, Branch], Field(min_length=1, max_length=MOST_BRANCHES)]
    shared: bool = False
    label: str | None = None
