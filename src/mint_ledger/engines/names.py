"""The engines by the names that people choose them by."""

from __future__ import annotations

from typing import Literal

from mint_ledger.errors import NotFound, nearest
from mint_ledger.program.program import Program

EngineName = Literal["auto", "native", "reference"]
ENGINES = ("auto", "native", "reference")


def compiling_takes(program: Program) -> float:
    """About how many seconds it takes to make machine code of a program."""
    return max(0.8, 0.005 * len(program.procedures))


def check_engine(name: str) -> None:
    """Refuse what is no engine.

    Raises:
        NotFound: there is no such engine.
    """
    if name not in ENGINES:
        raise NotFound(f"there is no engine '{name}'{nearest(name, ENGINES)}; there are {', '.join(ENGINES)}")
