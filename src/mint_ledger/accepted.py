"""What calls accept in the place of plain numbers: those of NumPy and pandas, alone or in arrays and series."""

from __future__ import annotations

import operator
from collections.abc import Mapping, Sequence
from typing import TYPE_CHECKING, Any, TypeAlias, cast, overload

if TYPE_CHECKING:
    import numpy as np
    import pandas as pd

    from mint_ledger.game.dial_value import Value

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
    """Dials with plain values."""
    if dials is None:
        return {}
    plain = {str(name): value.item() if hasattr(value, "item") else value for name, value in dials.items()}
    return cast("dict[str, Value]", plain)
