"""Actions: what an entity can choose to do."""

from __future__ import annotations

from pydantic import Field

from mint_ledger.game.do import DoList
from mint_ledger.game.parts import Amount, Condition, Names, Part


class Action(Part):
    """One action: by whom, what it needs and costs, how long it takes, and what it does as it ends."""

    by: Names
    needs: Condition | None = None
    costs: dict[str, Amount] | None = None
    lasts: Amount | None = None
    cooldown: Amount | None = None
    breaks_if: Condition | None = None
    during: str | None = None
    do: DoList = Field(min_length=1)
    label: str | None = None
