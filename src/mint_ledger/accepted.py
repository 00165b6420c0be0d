"""What calls accept in the place of plain numbers: those of NumPy and pandas, alone or in arrays and series."""

from __future__ import annotations

import operator
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypeAlias, cast, overload

from mint_ledger.errors import BadRequest
from mint_ledger.formula.syntax import describe
from mint_ledger.game.dial_value import Value, read_value

if TYPE_CHECKING:
    import numpy as np
    import pandas as pd

Whole: TypeAlias = "int | np.integer[Any]"
"""A whole number."""
Number: TypeAlias = "float | np.integer[Any] | np.floating[Any]"
"""A number."""
Numbers: TypeAlias = "Sequence[Number] | np.ndarray[Any, np.dtype[Any]] | pd.Series[Any]"
"""Several numbers."""
Words: TypeAlias = "Sequence[Number | str] | np.ndarray[Any, np.dtype[Any]] | pd.Series[Any]"
"""Several numbers or words."""
Settings: TypeAlias = "Mapping[str, Value | Number | np.bool_] | pd.Series[Any]"
"""What dials are set to, by their names."""


@overload
def whole(value: Whole) -> int: ...
@overload
def whole(value: Whole | None) -> int | None: ...
def whole(value: Whole | None) -> int | None:
    """A whole number as Python's own; what is none is left to whoever asks for it, who says what it is for."""
    if value is None or isinstance(value, bool) or not hasattr(value, "__index__"):
        return cast("int | None", value)
    return operator.index(value)


def plain_numbers(values: Words) -> list[float]:
    """Several numbers (or words) as Python's own."""
    listed = values.tolist() if hasattr(values, "tolist") else list(values)
    plain: list[Any] = [value.item() if hasattr(value, "item") else value for value in listed]
    return plain


def plain_ranges(ranges: Mapping[str, str | Words]) -> dict[str, str | list[float]]:
    """Ranges of dials, as texts or as lists of plain numbers (or words)."""
    return {name: text if isinstance(text, str) else plain_numbers(text) for name, text in ranges.items()}


def plain_dials(dials: Settings | None) -> dict[str, Value]:
    """Dials with plain values; `{"times": 1.5}` is `x1.5`.

    Raises:
        BadRequest: they are no mapping, or a value is none that a dial can have; the message names the dial.
    """
    if dials is None:
        return {}
    if not hasattr(dials, "items"):
        raise BadRequest(f"dials are set by their names, like {{'crab.bite': 9}}, not by {describe(dials)}")
    plain: dict[str, Value] = {}
    for name, value in dials.items():
        own = value.item() if hasattr(value, "item") else value
        try:
            known = read_value(own)
            # A number is told as it was given: 9, and not 9.0.
            plain[str(name)] = own if isinstance(own, (int, float)) else known
        except ValueError as error:
            raise BadRequest(f"'{name}' {error}") from None
    return plain


def plain_time(time: object) -> float:
    """A moment of a run, in seconds or turns.

    Raises:
        BadRequest: it is no number of 0 or more.
    """
    number = time.item() if hasattr(time, "item") else time
    if isinstance(number, bool) or not isinstance(number, (int, float)) or not number >= 0.0:
        raise BadRequest(f"a time is a number of 0 or more, in seconds or turns, not {time!r}")
    return float(number)
