"""Several habits or variants together, as one text: `hard + trowel`. Later ones win over earlier ones."""

from __future__ import annotations

from collections.abc import Collection, Sequence
from typing import Annotated

from pydantic import BeforeValidator, WithJsonSchema

from mint_ledger.errors import NotFound, nearest
from mint_ledger.formula.syntax import describe

JOIN = " + "


def together(names: str | Sequence[str] | None) -> str | None:
    """Names as one text; none where there are none."""
    if names is None or isinstance(names, str):
        return names
    return JOIN.join(names) or None


def apart(text: str | None, known: Collection[str], what: str) -> list[str]:
    """The names that a text has together.

    Raises:
        NotFound: one of them is not known; `what` says what it should be.
    """
    if text is None:
        return []
    # A name may have the sign in it itself.
    names = [text] if text in known else [name.strip() for name in text.split(JOIN.strip())]
    for name in names:
        if name not in known:
            raise NotFound(f"there is no {what} '{name}'{nearest(name, known)}")
    return list(dict.fromkeys(names))


def _read(value: object) -> object:
    if isinstance(value, (list, tuple)):
        if not value or not all(isinstance(item, str) for item in value):
            raise ValueError(f"wants a name or a list of names, not {describe(value)}")
        return together(value)
    return value


Together = Annotated[
    str | None,
    BeforeValidator(_read),
    WithJsonSchema(
        {"type": ["string", "array", "null"], "items": {"type": "string"}, "description": "a name, or several"}
    ),
]
