"""Attacks: who strikes whom, when, and with what; and what a hit meets on the other side."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, model_validator

from mint_ledger.formula.syntax import describe
from mint_ledger.game.choice import AttackAims
from mint_ledger.game.do import DoList
from mint_ledger.game.parts import Amount, Condition, Names, Part

Stage = Literal["dodge", "armor", "resist", "at_least", "at_most", "safe_for"]


class AttackWhen(Part):
    """When an attack is tried by itself: `{every: s}`, `meets` or `in_contact`."""

    every: Amount | None = None
    first: Amount | None = None
    meets: bool = False
    in_contact: bool = False

    @model_validator(mode="before")
    @classmethod
    def _bare_word(cls, data: Any) -> Any:
        if data in ("meets", "in_contact"):
            return {data: True}
        if isinstance(data, str):
            raise ValueError(f"unknown '{data}'; an attack is tried {{every: 2}}, 'meets' or 'in_contact'")
        if not isinstance(data, (dict, AttackWhen)):
            raise ValueError(f"wants {{every: 2}}, 'meets' or 'in_contact', not {describe(data)}")
        return data

    @model_validator(mode="after")
    def _one(self) -> AttackWhen:
        if (self.every is not None) + self.meets + self.in_contact != 1:
            raise ValueError("wants one of {every: 2}, 'meets' and 'in_contact'")
        if self.first is not None and self.every is None:
            raise ValueError("'first' belongs to 'every'")
        return self


class Crit(Part):
    """The chance that a hit does a multiple of its damage."""

    chance: Amount
    times: Amount


class Behind(Part):
    """What a strike from behind does: a multiple of the damage, and what it skips.

    Behind begins where the striker stands more than 90° off from where the target looks.
    """

    times: Amount | None = None
    skips: Annotated[list[Stage], BeforeValidator(lambda v: [v] if isinstance(v, str) else v)] | None = None


class Attack(Part):
    """One way to strike: from whom, at whom, when, whether it lands, and the damage.

    `arc` is the full angle, in degrees, around where the striker looks: 90 is 45 to each side. In `breaks_if`, `other`
    is the target.
    """

    from_: Names = Field(alias="from")
    to: Names
    when: AttackWhen | None = None
    aims: AttackAims = "first"
    lands: Amount | None = None
    damage: Amount | None = None
    type: str | None = None
    crit: Crit | None = None
    reach: Amount | None = None
    arc: Amount | None = None
    behind: Behind | None = None
    spares: Literal["side", "maker", "none"] = "side"
    cooldown: Amount | None = None
    lasts: Amount | None = None
    breaks_if: Condition | None = None
    needs: Condition | None = None
    costs: dict[str, Amount] | None = None
    skips: Annotated[list[Stage], BeforeValidator(lambda v: [v] if isinstance(v, str) else v)] | None = None
    uses_up: Literal["self"] | None = None
    also: DoList | None = None
    label: str | None = None


class Layer(Part):
    """One stat that takes damage: which share of it, and whether what is left over goes on."""

    layer: str
    share: Amount | None = None
    spill: bool = True
    if_: Condition | None = Field(None, alias="if")

    @model_validator(mode="before")
    @classmethod
    def _bare_name(cls, data: Any) -> Any:
        return {"layer": data} if isinstance(data, str) else data


class WhenHit(Part):
    """What a hit meets, in this order, before it reaches a stat."""

    safe_for: Amount | None = None
    safe_from: Literal["all", "source"] = "all"
    dodge: Amount | None = None
    armor: Amount | None = None
    resist: dict[str, Amount] | None = None
    at_least: Amount | None = None
    at_most: Amount | None = None
    through: Annotated[list[Layer], BeforeValidator(lambda v: [v] if isinstance(v, (str, dict)) else v)] = Field(
        default_factory=lambda: [Layer(layer="health")], min_length=1
    )
