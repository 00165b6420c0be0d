"""Turns: whose turn it is, and what passes it on."""

from __future__ import annotations

from typing import Any

from pydantic import Field, model_validator

from mint_ledger.formula.syntax import describe
from mint_ledger.game.parts import Part


class Pass(Part):
    """What passes the turn on; without it, every step does."""

    cue: str


class Turns(Part):
    """The order of the players: entities, or kinds with all their copies, `[amber, teal]`."""

    order: list[str] = Field(min_length=1)
    pass_: Pass | None = Field(None, alias="pass")

    @model_validator(mode="before")
    @classmethod
    def _bare_list(cls, data: Any) -> Any:
        if isinstance(data, list):
            return {"order": data}
        if not isinstance(data, (dict, Turns)):
            raise ValueError(f"wants a list of players, not {describe(data)}")
        return data
