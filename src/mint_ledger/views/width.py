"""How wide texts are: 80 letters, or as wide as the terminal that they are for.

Who shows them says so, once; views ask. Columns of names take what room there is more; where there is less, who shows
a table lays it out again (`cli/fitting.py`).
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from contextlib import contextmanager
from contextvars import ContextVar

USUAL, LEAST, MOST = 80, 60, 160
_width: ContextVar[int] = ContextVar("width", default=USUAL)


def line_width() -> int:
    """Return how many letters a line may have."""
    return _width.get()


def room(usual: int, names: Iterable[str] = (), least: int | None = None) -> int:
    """Return how wide a column of names is that usually has so many letters: wider where its names want that and may.

    Where there is less room than usual it gives some up, if it says how many letters it wants at least.
    """
    more = line_width() - USUAL
    return min(max(usual, *map(len, names), 0), max(usual + more, least or usual))


def set_width(columns: int) -> None:
    """Let texts be as wide as a terminal, from 60 to 160 letters."""
    _width.set(min(max(columns, LEAST), MOST))


@contextmanager
def texts_of(columns: int) -> Iterator[None]:
    """The same for a while."""
    token = _width.set(min(max(columns, LEAST), MOST))
    try:
        yield
    finally:
        _width.reset(token)
