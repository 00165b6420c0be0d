"""Statuses: what an entity has for a while, what it does meanwhile, and what it changes."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Field, model_serializer, model_validator

from mint_ledger.formula.syntax import describe
from mint_ledger.game.do import DoList
from mint_ledger.game.parts import Amount, Part, Whole

MAX_STACK = 20


class StatChange(Part):
    """How a status alters what formulas read of a stat: the last `to`, then all `plus`, then all `times`."""

    to: Amount | None = None
    plus: Amount | None = None
    times: Amount | None = None

    @model_validator(mode="after")
    def _one(self) -> StatChange:
        if self.plus is None and self.times is None and self.to is None:
            raise ValueError("wants {plus: …}, {times: …} or {to: …}")
        return self


class Again(Part):
    """What happens when a status is given to an entity that has it."""

    rule: Literal["restart", "extend", "ignore", "stack"] = "restart"
    stack: Annotated[Whole, Field(ge=1, le=MAX_STACK)] = 1

    @model_validator(mode="before")
    @classmethod
    def _short(cls, data: Any) -> Any:
        if isinstance(data, str):
            if data not in ("restart", "extend", "ignore"):
                raise ValueError(f"'{data}' is not one of restart, extend, ignore or {{stack: 3}}")
            return {"rule": data}
        if isinstance(data, dict) and set(data) == {"stack"}:
            return {"rule": "stack", **data}
        if isinstance(data, Again) or data == {}:
            return data
        raise ValueError(f"wants restart, extend, ignore or {{stack: 3}}, not {describe(data)}")

    @model_serializer
    def _as_short(self) -> Any:
        return {"stack": self.stack} if self.rule == "stack" else self.rule


class Status(Part):
    """A status: how long it lasts, what it does every so often, what it changes and blocks."""

    lasts: Amount | None = None
    every: Amount | None = None
    do: DoList | None = None
    changes: dict[str, StatChange] = Field(default_factory=dict)
    blocks: Annotated[list[str], BeforeValidator(lambda v: [v] if isinstance(v, str) else v)] = Field(
        default_factory=list
    )
    again: Again = Field(default_factory=Again)
    label: str | None = None

    @model_validator(mode="after")
    def _ticks(self) -> Status:
        if (self.every is None) != (self.do is None):
            raise ValueError("'every' and 'do' belong together: what is done, and how often")
        return self
