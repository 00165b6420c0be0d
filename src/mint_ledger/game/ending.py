"""Endings: what ends a run, and how it then counts."""

from __future__ import annotations

from typing import Literal

from pydantic import Field

from mint_ledger.game.parts import Condition, Part


class Ending(Part):
    """One way a run can end; without `if` only `{finish: …}` reaches it."""

    result: Literal["win", "lose", "draw"]
    if_: Condition | None = Field(None, alias="if")
    label: str | None = None
