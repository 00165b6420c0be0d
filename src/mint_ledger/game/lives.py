"""Lives: the short form of what every game writes."""

from __future__ import annotations

from functools import cached_property

from pydantic import Field

from mint_ledger.game.parts import Amount, Condition, Part
from mint_ledger.game.rule import Rule
from mint_ledger.game.space import Position


class Lives(Part):
    """A life is spent when a condition becomes true: the stat counts down; except for the last, others are filled."""

    stat: str
    spent_if: Condition
    fill: list[str] = Field(default_factory=list)
    safe_for: Amount | None = None
    where: Position | None = None

    @cached_property
    def rule(self) -> Rule:
        """The rule that it stands for; with the last life nothing is filled any more."""
        steps: list[object] = [f"fill {stat}" for stat in self.fill]
        if self.safe_for is not None:
            steps.append({"safe": "self", "for": self.safe_for.plain()})
        if self.where is not None:
            steps.append({"move": "self", "to": [part.plain() for part in self.where]})
        do: list[object] = [f"{self.stat} -= 1"]
        if steps:
            do.append({"if": f"{self.stat} > 0", "do": steps})
        return Rule.model_validate({"name": "a life is spent", "when": {"becomes": self.spent_if.text}, "do": do})
