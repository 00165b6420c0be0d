"""Formulas of the file's own: named once, with what they want handed to them, and called in other formulas."""

from __future__ import annotations

from typing import Annotated

from pydantic import BeforeValidator, Field, field_validator, model_validator

from mint_ledger.game.parts import Amount, Part

MOST_VALUES = 20


def _names(value: object) -> list[str]:
    items = [value] if isinstance(value, str) else value
    if not isinstance(items, (list, tuple)) or not all(isinstance(item, str) for item in items):
        raise ValueError("wants a name or a list of names, like [power, armor]")
    return list(items)


class NamedFormula(Part):
    """`soft: {of: [x], is: x / (x + 100)}`, called as `soft(armor)`: it reads what is handed to it, and the game."""

    of: Annotated[list[str], BeforeValidator(_names)] = Field(default_factory=list)
    is_: Amount = Field(alias="is")
    about: str | None = None

    @field_validator("of")
    @classmethod
    def _each_once(cls, value: list[str]) -> list[str]:
        twice = next((name for name in value if value.count(name) > 1), None)
        if twice is not None:
            raise ValueError(f"'{twice}' stands twice in 'of'")
        if len(value) > MOST_VALUES:
            raise ValueError(f"a formula takes {MOST_VALUES} values at most, not {len(value)}")
        return value

    @model_validator(mode="after")
    def _is_no_number(self) -> NamedFormula:
        if self.is_.number is not None:
            raise ValueError("this is a number and no formula; under 'numbers:' it is a dial")
        return self
