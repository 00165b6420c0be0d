"""Makes long names short enough for a column or a legend; what tells them apart often stands at their end."""

from __future__ import annotations


def short(name: str, width: int) -> str:
    """A name in so many letters at most, its beginning and its end."""
    if len(name) <= width:
        return name
    tail = (width - 1) // 3
    return f"{name[: width - 1 - tail]}…{name[len(name) - tail :]}"
