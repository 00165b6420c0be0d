"""The engines by the names that people choose them by."""

from __future__ import annotations

from typing import Literal

from mint_ledger.errors import NotFound, nearest

EngineName = Literal["auto", "native", "reference"]
ENGINES = ("auto", "native", "reference")


def check_engine(name: str) -> None:
    """Refuse what is no engine.

    Raises:
        NotFound: there is no such engine.
    """
    if name not in ENGINES:
        raise NotFound(f"there is no engine '{name}'{nearest(name, ENGINES)}; there are {', '.join(ENGINES)}")
