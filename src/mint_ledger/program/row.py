"""What one row of a journal holds: numbers alone, so that any engine can write it."""

from __future__ import annotations

from typing import NamedTuple

POSTING = "posting"
WHATS = (
    POSTING,
    "hit",
    "miss",
    "blocked",
    "refused",
    "gone",
    "spawn",
    "cue",
    "dropped",
    "tell",
    "contact",
    "ending",
    "status",
    "act",
    "called off",
    "slip",
    "level",
    "dodge",
    "lot",
    "turn",
)
WHAT_CODES = {what: float(code) for code, what in enumerate(WHATS)}
MAX_VALUES = 8


class Row(NamedTuple):
    """One row; entities, stats, causes and texts are numbers of the program, -1 where there is none.

    For a posting `asked` is what the cause wanted, `rounded` what rounding added to that, `wrapped` what running
    over at the limits added, `waste` what a limit refused; `after - before` was applied.
    """

    what: float
    step: float
    since: float
    entity: float
    stat: float
    before: float
    asked: float
    rounded: float
    wrapped: float
    waste: float
    after: float
    cause: float
    by: float
    text: float
    values: tuple[float, ...] = ()
