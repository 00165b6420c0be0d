"""Between which values a measure lies in any run, by the facts of the program: what no run can leave bounds a mean."""

from __future__ import annotations

from functools import lru_cache
from typing import cast

from mint_ledger.facts.between import ANY, TRUTH, Between, binary, joined, one
from mint_ledger.facts.bounds import Bounds, bounds_of
from mint_ledger.lowering.measure import Calculation, Reading, Value
from mint_ledger.program.expressions import BinaryOp
from mint_ledger.program.program import Program

_COUNTS = ("changes", "rows")
_TIMES = ("time", "first", "held", "stretch")


class ByIdentity:
    """A program as a key: two are the same only if they are one."""

    def __init__(self, program: Program) -> None:
        self.program = program

    def __hash__(self) -> int:
        return id(self.program)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, ByIdentity) and other.program is self.program


@lru_cache(maxsize=8)
def _bounds(key: ByIdentity) -> Bounds:
    return bounds_of(key.program)


def draws_something(program: Program) -> bool:
    """Return whether anything in a program is left to chance; if not, all runs of a study are the same."""
    return any(column.role == "draws" for column in program.layout.columns)


def time_limit(program: Program) -> float:
    """The latest moment that a run can come to, in seconds (or turns): the end of the step in which the limit lies."""
    limit = program.dials.value("clock.limit") if "clock.limit" in program.dials.names else program.clock.limit
    return float(limit) + program.clock.step


def measure_bounds(program: Program, value: Value) -> Between:
    """Between which values a measure lies, whatever happens in a run that nobody meddles with."""
    if isinstance(value, Reading):
        return _reading(program, value)
    if isinstance(value, Calculation):
        return _calculation(value.operator, [measure_bounds(program, part) for part in value.parts])
    return one(float(value))


def _calculation(operator: str, parts: list[Between]) -> Between:
    if operator in ("+", "-", "*", "/", "min", "max") and len(parts) == 2:
        return binary(cast(BinaryOp, operator), parts[0], parts[1])
    return TRUTH if operator in ("<", "<=", ">", ">=", "==", "!=", "and", "or", "not") else ANY


def _reading(program: Program, reading: Reading) -> Between:
    if reading.sort in (*_COUNTS, "summed"):
        return Between(0.0, float("inf"))
    if reading.sort in _TIMES:
        return Between(0.0, time_limit(program))
    if reading.sort not in ("closing", "lowest", "highest"):
        return ANY
    known = _bounds(ByIdentity(program))
    for account in program.accounts:
        entity = reading.slot - account.column.offset
        if account.column.base <= reading.slot < account.column.base + account.column.count:
            # Who never appears has nothing, which is told as 0.
            return joined(known.account(account.stat, entity), one(0.0)) or ANY
    return ANY
