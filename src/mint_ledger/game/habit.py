"""Habits: how simulated players choose what to do."""

from __future__ import annotations

from typing import Annotated, Literal

from pydantic import BeforeValidator, Field, field_validator, model_validator

from mint_ledger.game.choice import HabitAims, Whom
from mint_ledger.game.parts import Amount, Condition, Names, Part, as_list
from mint_ledger.game.space import Moves


class Act(Part):
    """One thing that a player may choose, if it can be done and its `if` holds: the first of them, or by weight.

    `wait` is no action: whoever chooses it does nothing until the next look.
    """

    do: str
    if_: Condition | None = Field(None, alias="if")
    to: Whom | None = None
    weight: Amount | None = None
    every: Amount | None = None


class Habit(Part):
    """How one sort of simulated player plays."""

    by: Names
    about: str | None = None
    reaction: Amount
    slips: Amount | None = None
    choose: Literal["first", "random"] = "first"
    goes_on: bool = False
    acts: Annotated[list[Act], BeforeValidator(as_list)] = Field(default_factory=list)
    sees: list[str] | None = None
    aims: dict[str, HabitAims] = Field(default_factory=dict)
    moves: Moves | None = None
    meets: Annotated[list[dict[str, Amount]], BeforeValidator(as_list)] = Field(default_factory=list)

    @model_validator(mode="after")
    def _weighs_what_it_draws(self) -> Habit:
        if self.choose == "first" and any(act.weight is not None for act in self.acts):
            raise ValueError("an act has a 'weight' where the habit has 'choose: random'; else the first is chosen")
        return self

    @field_validator("meets")
    @classmethod
    def _one_kind_each(cls, value: list[dict[str, object]]) -> list[dict[str, object]]:
        for item in value:
            if len(item) != 1:
                raise ValueError("each entry of meets names one kind: {oil_can: 30}")
        return value
