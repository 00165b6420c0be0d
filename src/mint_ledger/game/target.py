"""Targets: what the designer wants of a measure."""

from __future__ import annotations

import math
import re
from typing import Annotated

from pydantic import BeforeValidator, Field, WithJsonSchema, model_validator

from mint_ledger.formula.syntax import describe
from mint_ledger.game.parts import Number, Part, Range, Span
from mint_ledger.game.several import Together

ESTIMATE = re.compile(r"\s*(rate|mean|median|quantile)\s*\(\s*(.+?)\s*\)\s*")


def _estimate(value: object) -> str:
    if not isinstance(value, str) or ESTIMATE.fullmatch(value) is None:
        shown = f"'{value}'" if isinstance(value, str) else describe(value)
        raise ValueError(f"wants an estimate like rate(win), mean(time) or median(closing(keeper.health)), not {shown}")
    return value


def _listed(value: object) -> object:
    return [value] if isinstance(value, str) else value


def not_a_share(measure: str, want: Span) -> str:
    """Return why a range can be none of a share of runs; nothing where it can."""
    ends = [end for end in (want.low, want.high) if math.isfinite(end)]
    if not measure.strip().startswith("rate") or all(0.0 <= end <= 1.0 for end in ends):
        return ""
    meant = "..".join(f"{end / 100:g}" if math.isfinite(end) else "" for end in dict.fromkeys((want.low, want.high)))
    hint = f"; {meant}?" if all(1.0 < end <= 100.0 for end in ends) else ""
    return f"{measure} is a share of the runs, from 0 (none) to 1 (all), not {want}{hint}"


class Each(Part):
    """The habits and variants in each of which a target is wanted; several in a list inside play together."""

    habit: Annotated[list[Together] | None, BeforeValidator(_listed)] = None
    variant: Annotated[list[Together] | None, BeforeValidator(_listed)] = None


class Target(Part):
    """One thing that is wanted: of which estimate, played how, and between which values it should lie.

    Without a habit it is wanted of every habit; with `each` of every combination of its habits and variants.
    """

    name: str
    measure: Annotated[str, BeforeValidator(_estimate), WithJsonSchema({"type": "string", "format": "measure"})]
    habit: Together = None
    variant: Together = None
    each: Each | None = None
    want: Range
    weight: Number = Field(1.0, gt=0)

    @model_validator(mode="after")
    def _says_it_once(self) -> Target:
        if problem := not_a_share(self.measure, self.want):
            raise ValueError(problem)
        for key in ("habit", "variant"):
            if self.each is not None and getattr(self, key) is not None and getattr(self.each, key) is not None:
                raise ValueError(f"names its {key} twice: once by itself, and once in 'each'")
        return self

    def combinations(self) -> list[Target]:
        """This target for each combination of habit and variant that it is wanted of."""
        if self.each is None:
            return [self]
        habits, variants = self.each.habit or [self.habit], self.each.variant or [self.variant]
        return [
            self.model_copy(update={"habit": habit, "variant": variant, "each": None})
            for habit in habits
            for variant in variants
        ]
