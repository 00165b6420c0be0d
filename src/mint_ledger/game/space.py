"""Space: where things are, how large they are, and how they move."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BeforeValidator, Discriminator, Field, Tag, model_validator

from mint_ledger.formula.syntax import describe
from mint_ledger.game.choice import Goal, OneOf
from mint_ledger.game.parts import Amount, Condition, Number, Part

Point = Annotated[list[Number], Field(min_length=2, max_length=2)]
Position = Annotated[list[Amount], Field(min_length=2, max_length=2)]


def _place_tag(data: Any) -> str:
    return "(choice)" if isinstance(data, (dict, OneOf)) else "(position)"


Place = Annotated[Annotated[Position, Tag("(position)")] | Annotated[OneOf, Tag("(choice)")], Discriminator(_place_tag)]
MOVE_KEYS = ("toward", "away", "ahead", "between", "along", "still")


class Space(Part):
    """That the game has places; distances are in whatever unit the designer means."""


class Move(Part):
    """One way to move: `{toward: keeper, speed: 3}`, `{ahead: speed}` or `{between: [[0, 0], [5, 0]], speed: 2}`."""

    toward: Goal | None = None
    away: str | None = None
    ahead: Amount | None = None
    between: Annotated[list[Point], Field(min_length=2, max_length=2)] | None = None
    along: Annotated[list[Point], Field(min_length=1, max_length=50)] | None = None
    still: bool | None = None
    speed: Amount | None = None
    if_: Condition | None = Field(None, alias="if")

    @model_validator(mode="before")
    @classmethod
    def _bare_word(cls, data: Any) -> Any:
        if data == "still":
            return {"still": True}
        if isinstance(data, str):
            raise ValueError(f"unknown '{data}'; write 'still' or a mapping like {{toward: keeper, speed: 3}}")
        if not isinstance(data, (dict, Move)):
            raise ValueError(f"wants a mapping like {{toward: keeper, speed: 3}}, not {describe(data)}")
        return data

    @model_validator(mode="after")
    def _one_way(self) -> Move:
        given = [key for key in MOVE_KEYS if getattr(self, key) is not None]
        if len(given) != 1:
            raise ValueError(f"wants one of {', '.join(MOVE_KEYS)}")
        if (self.speed is not None) != (given[0] in ("toward", "away", "between", "along")):
            has = "has its speed in 'ahead' itself" if given[0] == "ahead" else "wants 'speed: …'"
            raise ValueError("'still' has no speed" if given[0] == "still" else f"'{given[0]}' {has}")
        return self

    @property
    def key(self) -> str:
        """Which way of moving it is."""
        return next(key for key in MOVE_KEYS if getattr(self, key) is not None)


Moves = Annotated[list[Move], BeforeValidator(lambda v: v if isinstance(v, list) else [v]), Field(min_length=1)]
