"""Actions: what an entity can choose to do."""

from __future__ import annotations

from pydantic import Field, model_validator

from mint_ledger.game.do import DoList
from mint_ledger.game.parts import Amount, Condition, Names, Part


class Action(Part):
    """One action: by whom, what it needs and costs, how long it takes, and what it does as it ends, if anything.

    With `to` it is done to somebody, who is `other` in all its formulas; `self` among its names allows oneself.
    """

    by: Names
    to: Names | None = None
    needs: Condition | None = None
    costs: dict[str, Amount] | None = None
    lasts: Amount | None = None
    cooldown: Amount | None = None
    breaks_if: Condition | None = None
    during: str | None = None
    do: DoList = Field(default_factory=list)
    label: str | None = None

    @model_validator(mode="after")
    def _does_something(self) -> Action:
        if not self.do and self.lasts is None and not self.costs:
            raise ValueError(
                "'do' is missing; without it an action lasts a while ('lasts') or costs something ('costs')"
            )
        return self
