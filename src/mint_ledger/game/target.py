"""Targets: what the designer wants of a measure."""

from __future__ import annotations

import re
from typing import Annotated

from pydantic import BeforeValidator, Field

from mint_ledger.formula.syntax import describe
from mint_ledger.game.parts import Number, Part, Range

ESTIMATE = re.compile(r"\s*(rate|mean|median|quantile)\s*\(\s*(.+?)\s*\)\s*")


def _estimate(value: object) -> str:
    if not isinstance(value, str) or ESTIMATE.fullmatch(value) is None:
        shown = f"'{value}'" if isinstance(value, str) else describe(value)
        raise ValueError(f"wants an estimate like rate(win), mean(time) or median(closing(keeper.health)), not {shown}")
    return value


class Target(Part):
    """One thing that is wanted: of which estimate, played how, and between which values it should lie.

    Without a habit it is wanted of every habit.
    """

    name: str
    measure: Annotated[str, BeforeValidator(_estimate)]
    habit: str | None = None
    variant: str | None = None
    want: Range
    weight: Number = Field(1.0, gt=0)
