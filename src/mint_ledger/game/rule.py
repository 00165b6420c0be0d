"""Rules: when something happens, if a condition holds, do this."""

from __future__ import annotations

from typing import Any

from pydantic import Field, model_validator

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import describe
from mint_ledger.game.choice import LetValue
from mint_ledger.game.do import Do, DoList
from mint_ledger.game.parts import Amount, Condition, Conditions, Names, Part
from mint_ledger.game.trade_words import trigger_hint

WHEN_KEYS = (
    "start",
    "every",
    "while",
    "becomes",
    "enters",
    "leaves",
    "meets",
    "meet",
    "in_contact",
    "hit",
    "missed",
    "struck",
    "gone",
    "appears",
    "cue",
    "act",
    "level",
)


class When(Part):
    """What sets a rule off: one key of `start every while becomes enters leaves meets … cue`.

    `{every: 500, of: score}` is no timer: it is set off at each multiple of 500 that the score reaches.
    """

    start: bool | None = None
    every: Amount | None = None
    first: Amount | None = None
    of: Amount | None = None
    while_: Conditions | None = Field(None, alias="while")
    becomes: Conditions | None = None
    enters: Names | None = None
    leaves: Names | None = None
    meets: Names | None = None
    meet: list[str] | None = None
    in_contact: Names | None = None
    hit: Names | None = None
    missed: Names | None = None
    struck: Names | None = None
    gone: Names | None = None
    appears: Names | None = None
    cue: Names | None = None
    act: Names | None = None
    level: Names | None = None

    @model_validator(mode="before")
    @classmethod
    def _bare_word(cls, data: Any) -> Any:
        if data == "start":
            return {"start": True}
        if data in ("gone", "appears"):
            return {data: "self"}
        if isinstance(data, str):
            hint = trigger_hint(data)
            if hint:
                raise ValueError(f"unknown trigger '{data}'{hint}")
            raise ValueError(f"unknown trigger '{data}'; write it like {{every: 2}} or {{becomes: health <= 0}}")
        if not isinstance(data, (dict, When)):
            raise ValueError(f"wants a trigger like {{every: 2}}, not {describe(data)}")
        return data

    @model_validator(mode="after")
    def _one_trigger(self) -> When:
        given = self.given()
        unknown = next(iter(self.model_extra or {}), None)
        if not given and unknown is not None:
            hint = trigger_hint(unknown)
            raise ValueError(f"unknown trigger '{unknown}'{hint or nearest(unknown, WHEN_KEYS)}")
        if len(given) != 1:
            raise ValueError(
                f"wants one trigger, not {len(given)}; several go in a list"
                if given
                else "wants a trigger like {every: 2}"
            )
        for key in ("first", "of"):
            if getattr(self, key) is not None and self.every is None:
                example = {"first": 100, "of": "score"}[key]
                raise ValueError(f"'{key}' belongs to 'every': {{every: 500, {key}: {example}}}")
        if self.meet is not None and len(self.meet) != 2:
            raise ValueError("meet wants two kinds, like [crab, keeper]")
        return self

    def given(self) -> list[str]:
        """The trigger's key (one, once the part is valid)."""
        return [key for key in WHEN_KEYS if getattr(self, "while_" if key == "while" else key) is not None]

    @property
    def key(self) -> str:
        """The trigger's key; `of` where it counts a value instead of time."""
        return "of" if self.of is not None else self.given()[0]


def when_list(data: Any) -> Any:
    """`when` may be one trigger or a list of them."""
    return data if isinstance(data, (list, tuple)) else [data]


class Rule(Part):
    """When, if, do: under a kind it runs for each entity of it, as `self`."""

    name: str | None = None
    when: list[When] = Field(min_length=1)
    if_: Condition | None = Field(None, alias="if")
    chance: Amount | None = None
    cooldown: Amount | None = None
    at_most: Amount | None = None
    let: dict[str, LetValue] | None = None
    do: DoList = Field(min_length=1)

    @model_validator(mode="before")
    @classmethod
    def _lists(cls, data: Any) -> Any:
        if isinstance(data, dict) and "when" in data:
            data = {**data, "when": when_list(data["when"])}
        return data

    def title(self) -> str:
        """Its name, or its text where it has none."""
        if self.name:
            return self.name
        trigger = "; ".join(_trigger_text(when) for when in self.when)
        return f"{trigger}: {', '.join(_do_text(item) for item in self.do)}"


def _trigger_text(when: When) -> str:
    value = getattr(when, "while_" if when.key == "while" else when.key)
    if when.key == "start":
        return "start"
    if when.key == "of":
        return f"every {when.every} of {when.of}"
    return f"{when.key} {', '.join(str(v) for v in value) if isinstance(value, list) else value}"


def _do_text(item: Do) -> str:
    return item.summary()
