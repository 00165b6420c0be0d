"""Scripts: what happens from outside, and when; and playtests, which expect something of it."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, model_validator

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import describe
from mint_ledger.game.parts import Amount, Condition, Number, Part, Posting, Whole

HAPPENINGS = ("hit", "meet", "cue", "set", "remove", "spawn", "attack", "act", "give", "end", "go", "move", "habit")


class Happening(Part):
    """One thing that happens at a time: a hit, a meeting, a cue, a value that is set …"""

    at: Number = Field(ge=0)
    hit: str | None = None
    meet: list[str] | None = Field(None, min_length=2, max_length=2)
    cue: str | None = None
    set: Posting | None = None
    remove: str | None = None
    spawn: str | None = None
    attack: str | None = None
    act: str | None = None
    give: str | None = None
    end: str | None = None
    move: str | None = None
    to: str | list[Amount] | None = None
    go: str | None = None
    habit: str | None = None
    with_: str | dict[str, Amount] | None = Field(None, alias="with")
    by: str | None = None
    for_: Amount | None = Field(None, alias="for")
    sure: bool = False

    @model_validator(mode="before")
    @classmethod
    def _mapping(cls, data: Any) -> Any:
        if not isinstance(data, (dict, Happening)):
            raise ValueError(f"wants a happening like {{at: 2, cue: landed}}, not {describe(data)}")
        return data

    @model_validator(mode="after")
    def _one_happening(self) -> Happening:
        given = [key for key in HAPPENINGS if getattr(self, key) is not None]
        if len(given) != 1:
            extra = next(iter(self.model_extra or {}), "")
            raise ValueError(
                f"wants one of {', '.join(HAPPENINGS)}"
                + (nearest(extra, HAPPENINGS) if extra else f", not {len(given)}")
            )
        if self.hit is not None and not isinstance(self.with_, str):
            raise ValueError("a hit wants 'with: …', the attack that strikes")
        if self.cue is not None and isinstance(self.with_, str):
            raise ValueError("a cue's 'with' is a mapping like {speed: 9}")
        for key, owners in (
            ("sure", ("hit",)),
            ("for_", ("meet", "give")),
            ("to", ("give", "end", "move")),
            ("with_", ("hit", "cue")),
        ):
            if getattr(self, key) and not any(getattr(self, owner) is not None for owner in owners):
                raise ValueError(f"'{key.rstrip('_')}' belongs to {' and '.join(owners)}")
        return self

    @property
    def key(self) -> str:
        """Which happening it is."""
        return next(key for key in HAPPENINGS if getattr(self, key) is not None)


class Expectation(Part):
    """What should hold at a time, or at the end."""

    at: Number | Literal["end"]
    that: Condition

    @model_validator(mode="before")
    @classmethod
    def _time(cls, data: Any) -> Any:
        if isinstance(data, dict) and "at" in data:
            at = data["at"]
            if at != "end" and (isinstance(at, bool) or not isinstance(at, (int, float)) or not at >= 0):
                raise ValueError(f"'at' wants a time or 'end', not {describe(at)}")
        return data


class Playtest(Part):
    """A scripted play with expectations: the designer's own test."""

    about: str | None = None
    seed: Whole = 1
    only_script: bool = False
    level: str | None = None
    habit: str | None = None
    variant: str | None = None
    dials: dict[str, Number] = Field(default_factory=dict)
    start: dict[str, Amount] = Field(default_factory=dict)
    script: list[Happening] = Field(default_factory=list)
    expect: list[Expectation] = Field(min_length=1)
