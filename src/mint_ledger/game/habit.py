"""Habits: how simulated players choose what to do."""

from __future__ import annotations

from typing import Literal

from pydantic import Field, field_validator

from mint_ledger.game.parts import Amount, Condition, Names, Part
from mint_ledger.game.space import Moves


class Act(Part):
    """One thing that a player may choose: the first in the list that can be done and whose `if` holds."""

    do: str
    if_: Condition | None = Field(None, alias="if")
    every: Amount | None = None


class Habit(Part):
    """How one sort of simulated player plays."""

    by: Names
    about: str | None = None
    reaction: Amount
    slips: Amount | None = None
    acts: list[Act] = Field(default_factory=list)
    aims: dict[str, Literal["nearest", "first", "weakest", "strongest"]] = Field(default_factory=dict)
    moves: Moves | None = None
    meets: list[dict[str, Amount]] = Field(default_factory=list)

    @field_validator("meets")
    @classmethod
    def _one_kind_each(cls, value: list[dict[str, object]]) -> list[dict[str, object]]:
        for item in value:
            if len(item) != 1:
                raise ValueError("each entry of meets names one kind: {oil_can: 30}")
        return value
