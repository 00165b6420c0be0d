"""Levels: who is there, what is set as it opens, when it ends and what comes next."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field

from mint_ledger.game.parts import Amount, Condition, Part, Whole


class Way(Part):
    """One way out of a level: `{if: condition, go: level}`."""

    if_: Condition | None = Field(None, alias="if")
    go: str


def read_ways(value: Any) -> Any:
    """`next` may be the name of a level alone."""
    return [{"go": value}] if isinstance(value, str) else value


class Level(Part):
    """One level of the game."""

    about: str | None = None
    present: dict[str, Annotated[Whole, Field(ge=0)]] = Field(default_factory=dict)
    start: dict[str, Amount] = Field(default_factory=dict)
    until: Condition | None = None
    next: Annotated[list[Way], BeforeValidator(read_ways)] = Field(default_factory=list)
    again: Literal["fresh", "as_left"] = "fresh"
