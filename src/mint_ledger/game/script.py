"""Scripts: what happens from outside, and when; and playtests, which expect something of it."""

from __future__ import annotations

import math
import re
from dataclasses import dataclass
from typing import Annotated, Any, Literal

from pydantic import Field, PlainSerializer, PlainValidator, WithJsonSchema, model_validator

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula, parse_formula
from mint_ledger.formula.syntax import describe
from mint_ledger.game.dial_value import DialValue
from mint_ledger.game.parts import Amount, Number, Part, Posting, Span, Whole
from mint_ledger.game.several import Together

MOST_RUNS = 100_000
HAPPENINGS = ("hit", "meet", "cue", "set", "remove", "spawn", "attack", "act", "give", "end", "go", "move", "habit")


class Happening(Part):
    """One thing that happens at a time: a hit, a meeting, a cue, a value that is set and more."""

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
            ("to", ("give", "end", "move", "act")),
            ("with_", ("hit", "cue")),
        ):
            if getattr(self, key) and not any(getattr(self, owner) is not None for owner in owners):
                raise ValueError(f"'{key.rstrip('_')}' belongs to {' and '.join(owners)}")
        return self

    @property
    def key(self) -> str:
        """Which happening it is."""
        return next(key for key in HAPPENINGS if getattr(self, key) is not None)


@dataclass(frozen=True, slots=True)
class Wanted:
    """What is expected of many runs: an estimate, and between which values it should lie."""

    measure: str
    want: Span
    text: str

    def plain(self) -> str:
        """As it stands in the file."""
        return self.text


_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_WANTED = re.compile(
    rf"\s*(?:({_NUMBER})\s*<=?\s*)?((?:rate|mean|median|quantile)\s*\(.+\))\s*(?:(<=?|>=?)\s*({_NUMBER}))?\s*"
)


def _expected(value: object) -> Formula | Wanted:
    match = _WANTED.fullmatch(value) if isinstance(value, str) else None
    if match is None or not (match[1] or match[4]):
        return value if isinstance(value, Wanted) else parse_formula(value)
    low = float(match[1]) if match[1] else -math.inf
    high = math.inf
    if match[4] and match[3].startswith(">"):
        if match[1]:
            raise ValueError("write the smaller number first, as in 0.5 <= rate(win) <= 0.6")
        low = float(match[4])
    elif match[4]:
        high = float(match[4])
    if low > high:
        raise ValueError("write the smaller number first, as in 0.5 <= rate(win) <= 0.6")
    return Wanted(match[2].strip(), Span(low, high, str(value)), str(value))


def _many_runs(value: object) -> int:
    match = re.fullmatch(r"\s*(\d[\d_,]*)\s*(?:runs?)?\s*", str(value)) if not isinstance(value, bool) else None
    runs = int(re.sub(r"[_,]", "", match[1])) if match else 0
    if not 1 <= runs <= MOST_RUNS:
        raise ValueError(f"'in' wants a number of runs like '500 runs', 1 to {MOST_RUNS:,}, not {describe(value)}")
    return runs


class Expectation(Part):
    """What should hold at a time or at the end; or in many runs of the playtest, of an estimate."""

    at: Number | Literal["end"] | None = None
    in_: Annotated[int, PlainValidator(_many_runs), WithJsonSchema({"type": ["string", "number"]})] | None = Field(
        None, alias="in"
    )
    that: Annotated[
        Formula | Wanted,
        PlainValidator(_expected),
        PlainSerializer(lambda f: f.plain()),
        WithJsonSchema(
            {
                "type": ["boolean", "string"],
                "description": "a condition, or 0.5 <= rate(win) <= 0.6",
                "format": "formula",
            }
        ),
    ]

    @model_validator(mode="after")
    def _when(self) -> Expectation:
        if (self.at is None) == (self.in_ is None):
            raise ValueError("wants 'at: …', a time or end, or 'in: 500 runs'")
        if (self.in_ is None) == isinstance(self.that, Wanted):
            raise ValueError("what is expected of many runs is like 0.5 <= rate(win) <= 0.6, and wants 'in: 500 runs'")
        return self

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
    habit: Together = None
    variant: Together = None
    dials: dict[str, DialValue] = Field(default_factory=dict)
    start: dict[str, Amount] = Field(default_factory=dict)
    script: list[Happening] = Field(default_factory=list)
    expect: list[Expectation] = Field(min_length=1)
