"""What a dial may be set to: a number, yes or no, a word; or times so much what stands there."""

from __future__ import annotations

import re
from typing import Annotated, Any

from pydantic import PlainSerializer, PlainValidator, WithJsonSchema

from mint_ledger.formula.syntax import describe
from mint_ledger.game.parts import as_number

Value = float | bool | str
_TIMES = re.compile(r"\s*[x×]\s*(\d+\.?\d*|\.\d+)([eE][-+]?\d+)?\s*")


_PER_CENT = re.compile(r"\s*([+-−]?)\s*(\d+\.?\d*|\.\d+)\s*%\s*".replace("+-−", "+−-"))


def from_per_cent(text: str) -> float | str | None:
    """Return what a text in per cent sets a dial to: `60%` is 0.6, and `+20%` is 1.2 times its value (`x1.2`)."""
    match = _PER_CENT.fullmatch(text)
    if match is None:
        return None
    share = float(match[2]) / 100.0
    if not match[1]:
        return share
    factor = round(1.0 + share if match[1] == "+" else 1.0 - share, 12)
    return times(factor) if factor >= 0.0 else None


def times(factor: float) -> str:
    """A multiple as it is written: `x0.8`."""
    whole = factor == int(factor) and factor < 1e15
    return f"x{int(factor) if whole else factor!r}"


def factor_of(value: object) -> float | None:
    """By how much a value multiplies what stands there; none of a value that is set."""
    if not isinstance(value, str):
        return None
    match = _TIMES.fullmatch(value)
    return float(value.strip()[1:]) if match is not None else None


def is_pattern(name: str) -> bool:
    """Return whether a name means several dials."""
    return "*" in name


def read_value(value: object) -> Value:
    """Return what a file sets a dial to.

    Raises:
        ValueError: it is none of what a dial can be.
    """
    if isinstance(value, dict):
        if set(value) != {"times"}:
            raise ValueError("wants a number, a word, yes or no, or {times: 0.8}")
        factor = as_number(value["times"])  # refuses what is not finite
        if factor < 0:
            raise ValueError(f"times {factor:g}: a dial is multiplied by 0 or more")
        return times(factor)
    if isinstance(value, (bool, str)):
        return value
    if isinstance(value, (int, float)):
        return as_number(value)
    raise ValueError(f"wants a number, a word, yes or no, or {{times: 0.8}}, not {describe(value)}")


def _written(value: Value) -> Any:
    factor = factor_of(value)
    return {"times": factor} if factor is not None else value


DialValue = Annotated[
    Value,
    PlainValidator(read_value),
    PlainSerializer(_written),
    WithJsonSchema(
        {
            "description": "a number, a word, yes or no, or {times: 0.8} for all dials of a pattern",
            "anyOf": [
                {"type": ["number", "boolean", "string"]},
                {"type": "object", "properties": {"times": {"type": "number"}}, "additionalProperties": False},
            ],
        }
    ),
]
