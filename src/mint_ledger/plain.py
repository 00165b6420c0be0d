"""Plain values: what JSON and terminals can take, and tables that say what they are of."""

from __future__ import annotations

import json
import math
import re
from collections.abc import Callable
from functools import wraps
from typing import TYPE_CHECKING, Any, TypeVar

from mint_ledger.errors import BadRequest

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow

Owner = TypeVar("Owner")


def plain_json(value: Any) -> Any:
    """Plain values in which what JSON cannot say (infinities, and what is no number) is null."""
    if isinstance(value, dict):
        return {key: plain_json(item) for key, item in value.items()}
    if isinstance(value, (list, tuple)):
        return [plain_json(item) for item in value]
    if isinstance(value, float):
        return float(value) if math.isfinite(value) else None
    if not isinstance(value, (str, bytes)) and hasattr(value, "item"):
        return plain_json(value.item())  # a number of NumPy's
    return value


def finite(method: Callable[[Owner], dict[str, Any]]) -> Callable[[Owner], dict[str, Any]]:
    """Let what a method gives hold only what JSON can say."""

    @wraps(method)
    def plain(owner: Owner) -> dict[str, Any]:
        content: dict[str, Any] = plain_json(method(owner))
        return content

    return plain


def labeled(owner: object, table: pd.DataFrame) -> pd.DataFrame:
    """A table whose `attrs` say what it is of, as far as its owner knows: title, seed, runs, and the unit of time."""
    known = {name: getattr(owner, name, None) for name in ("title", "seed", "runs", "unit", "habit", "variant")}
    table.attrs |= {name: value for name, value in known.items() if isinstance(value, (str, int, float))}
    return table


def labeled_table(method: Callable[[Owner], pd.DataFrame]) -> Callable[[Owner], pd.DataFrame]:
    """Let a table say in its `attrs` what it is of."""

    @wraps(method)
    def table(owner: Owner) -> pd.DataFrame:
        return labeled(owner, method(owner))

    return table


def neutral(text: str) -> str:
    r"""A text in which what steers a terminal or turns the direction of writing is shown and not sent: `\x1b`."""
    return text if text.isprintable() else text.translate(_SHOWN)


_STEERING = [*range(0x00, 0x0A), *range(0x0B, 0x20), *range(0x7F, 0xA0), 0x061C, 0x200E, 0x200F]
_STEERING += [*range(0x2028, 0x202F), *range(0x2066, 0x206A), 0xFEFF]
# What is no character (XML and fonts have none such), and halves, which no stream can write, are shown as well.
_STEERING += [0xFFFE, 0xFFFF, *range(0xFDD0, 0xFDF0)]
_STEERING += range(0xD800, 0xE000)
_SHOWN = {code: f"\\x{code:02x}" if code < 0x100 else f"\\u{code:04x}" for code in _STEERING}


# Within JSON they stand in strings alone, where JSON's own escapes mean the same letters.
_ESCAPED = {code: f"\\u{code:04x}" for code in _STEERING}


def json_text(value: object, indent: int | None = None) -> str:
    """Return plain values as JSON with all letters as they are, except those that would steer a terminal."""
    text = json.dumps(value, indent=indent, ensure_ascii=False)
    return text if text.replace("\n", "").isprintable() else text.translate(_ESCAPED)


_NUMBER = re.compile(r"[+-]?(?:(?:[0-9]+\.?[0-9]*|\.[0-9]+)(?:e[+-]?[0-9]+)?|inf|infinity|nan)", re.I | re.A)


def number_of(text: str) -> float:
    """Return the number that a cell holds, in ASCII digits only: `1_0` and digits of other scripts are refused.

    `inf` and `nan` are read, so that each caller can give its reason for refusing them.

    Raises:
        ValueError: the cell holds no number.
    """
    if _NUMBER.fullmatch(text.strip()) is None:
        raise ValueError(f"'{text}' is no number")
    return float(text)


def is_formula_like(text: str) -> bool:
    """Return whether a spreadsheet program would work a text out instead of showing it."""
    return text.lstrip("'")[:1] in ("=", "+", "-", "@", "\t", "\r") if text.strip("'") else False


def guarded(text: str) -> str:
    """A text as a CSV file can hold it, so that spreadsheet programs show it as it is; see `unguarded`."""
    return f"'{text}" if is_formula_like(text) else text


def cell_text(text: str) -> str:
    """Return a text as a cell of a file for other programs: shown as it is, and steering nothing."""
    return guarded(neutral(text))


def unguarded(text: str) -> str:
    """Return what `guarded` was given."""
    return text[1:] if text.startswith("'") and is_formula_like(text) else text


def arrow_table(table: pd.DataFrame) -> pyarrow.Table:
    """A table as Arrow has it, an index with a name first; what its `attrs` say stands in the metadata of its schema.

    Raises:
        BadRequest: the package pyarrow is not installed.
    """
    try:
        import pyarrow
    except ImportError:
        raise BadRequest("Arrow tables want the package pyarrow: pip install 'mint-ledger[parquet]'") from None
    whole = table.reset_index() if table.index.name is not None else table
    arrow = pyarrow.Table.from_pandas(whole, preserve_index=False)
    known = {str(name): str(value) for name, value in table.attrs.items()}
    return arrow.replace_schema_metadata({**(arrow.schema.metadata or {}), **known})
