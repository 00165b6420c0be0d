"""Stats: named quantities with a start, limits, bands and flows."""

from __future__ import annotations

import ast
import re
from functools import cached_property
from typing import Any, Literal

from pydantic import Field, model_validator

from mint_ledger.formula import parse_formula
from mint_ledger.formula.syntax import describe
from mint_ledger.formula.trade_words import sign_hint
from mint_ledger.game.parts import Amount, Condition, Part, Range

# What other files call true and false.
SWITCHES = ("yes", "no", "on", "off")


class Flow(Part):
    """A steady movement of a stat: `recover` only gives, up to the max; `fade` only takes, down to the min.

    Without an end (no `to`, no max or min) it runs on.
    """

    rate: Amount | None = None
    to: Amount | None = None
    at_once: bool = False
    after: Amount | None = None
    after_limit: Amount | None = None
    if_: Condition | None = Field(None, alias="if")

    @model_validator(mode="after")
    def _moves(self) -> Flow:
        if (self.rate is None) == (not self.at_once):
            raise ValueError("wants either 'rate: …' (per second) or 'at_once: true'")
        return self


class Follow(Part):
    """A value that is shown late: it comes after another stat, once that has been left alone for `after`.

    `rate` is how fast it comes, a second (or turn); without one it is there at once.
    """

    stat: str
    after: Amount | None = None
    rate: Amount | None = None


_OF_FORMULAS = {"formula", "label", "group", "bands", "one_of"}


def _of_text(data: str) -> str:
    """Return what a stat that is written as a text has to be: a number with another sign, or a formula."""
    share = re.fullmatch(r"\s*(\d+(?:\.\d+)?)\s*%\s*", data)
    comma = re.fullmatch(r"\s*(\d+),(\d+)\s*", data)
    if share is not None:
        return f"write {float(share[1]) / 100:g} for {data.strip()}"
    if comma is not None:
        return f"write {comma[1]}.{comma[2]} for {data.strip()}: a decimal point"
    hint = sign_hint(data) or sign_hint(data.replace("()", ""))
    if hint:
        return f"{hint}, as a formula: {{formula: …}}, or {{start: …}} for a value that is drawn once"
    return f"is a number, true or false, or a mapping; for a calculated stat write {{formula: {data}}}"


class Stat(Part):
    """A named quantity of a kind, or of the whole game."""

    start: Amount | None = None
    min: Amount | None = None
    max: Amount | None = None
    whole: bool = False
    round: Literal["nearest", "down", "up"] = "nearest"
    at_limit: Literal["hold", "wrap"] = "hold"
    one_of: list[str] | None = None
    formula: Amount | None = None
    recover: Flow | None = None
    fade: Flow | None = None
    follows: Follow | None = None
    bands: dict[str, Range] | None = None
    resets: Literal["level"] | None = None
    group: str | None = None
    label: str | None = None

    @model_validator(mode="before")
    @classmethod
    def _bare_number(cls, data: Any) -> Any:
        if isinstance(data, (bool, int, float)):
            return {"start": data}
        if isinstance(data, str):
            if data.lower() in SWITCHES:
                meant = "true" if data.lower() in ("yes", "on") else "false"
                raise ValueError(f"'{data}' is a word; write {meant}")
            raise ValueError(_of_text(data))
        if not isinstance(data, (dict, Stat)):
            raise ValueError(f"wants a number, true or false, or a mapping, not {describe(data)}")
        if isinstance(data, dict) and "start" not in data and isinstance(data.get("follows"), dict):
            followed = data["follows"].get("stat")
            # It opens where the other does.
            return {**data, "start": followed} if isinstance(followed, str) else data
        return data

    @model_validator(mode="after")
    def _fits_together(self) -> Stat:
        if self.formula is not None and self.model_fields_set - _OF_FORMULAS:
            extra = sorted(self.model_fields_set - _OF_FORMULAS)
            raise ValueError(f"a stat with a formula is worked out, so '{extra[0]}' has no meaning for it")
        if self.one_of is not None:
            if not self.one_of or len(set(self.one_of)) != len(self.one_of):
                raise ValueError("one_of wants a list of different words")
            if self.start is not None and self.start.text not in self.one_of and not self.starts_by_formula:
                raise ValueError(f"starts as '{self.start}', which is not one of {', '.join(self.one_of)}")
            if self.min is not None or self.max is not None or self.recover or self.fade or self.bands:
                raise ValueError("a word has no limits, flows or bands")
            if self.follows:
                raise ValueError("a word follows nothing")
        if self.follows is not None and (self.recover is not None or self.fade is not None):
            raise ValueError("a stat that follows another neither recovers nor fades")
        if self.recover is not None and self.fade is not None and self.recover.at_once != self.fade.at_once:
            raise ValueError("where a stat recovers and fades, both have a 'rate', or both are 'at_once'")
        if self.at_limit == "wrap" and (self.min is None or self.max is None):
            raise ValueError("a stat that wraps wants a min and a max")
        if self.at_limit == "wrap" and self.flow:
            raise ValueError("a stat that wraps cannot recover or fade")
        return self

    @property
    def flow(self) -> Flow | None:
        """The flow of the stat; `recover` where it has both ways."""
        return self.recover or self.fade or self._coming_after

    @cached_property
    def _coming_after(self) -> Flow | None:
        if self.follows is None:
            return None
        return Flow(to=parse_formula(self.follows.stat), rate=self.follows.rate, at_once=self.follows.rate is None)

    @property
    def flow_key(self) -> str:
        """The key under which the flow stands."""
        return "recover" if self.recover else "fade" if self.fade else "follows"

    @property
    def starts_by_formula(self) -> bool:
        """Return whether its start has to be worked out as it opens."""
        if self.start is None or self.start.number is not None:
            return False
        return self.one_of is None or not isinstance(self.start.tree, (ast.Name, ast.Constant))

    @property
    def is_account(self) -> bool:
        """Return whether changes can be posted to it."""
        return self.formula is None

    @property
    def value_type(self) -> Literal["number", "flag", "word"]:
        """Return what sort of value it holds."""
        if self.one_of is not None:
            return "word"
        return "flag" if self.start is not None and self.start.is_flag else "number"
