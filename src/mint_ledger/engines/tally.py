"""Tallies: what came in and went out of an account by cause, in one run; and rows of other sorts, counted."""

from __future__ import annotations

from collections.abc import Iterable, Sequence
from typing import Any

import numpy as np

from mint_ledger.program.program import Program
from mint_ledger.program.row import WHATS, Row

TALLY_HEAD = 2
TALLY_OF_CAUSE = 3
# Of each number over runs: its sum, and its squares and cubes about the mean.
MOMENTS = 3
"""A tally: lowest, highest, and for each cause what was applied, what was wasted, how many changes."""

Floats = np.ndarray[Any, np.dtype[np.float64]]


def tally_size(program: Program) -> int:
    """Return how many numbers a tally has."""
    return TALLY_HEAD + TALLY_OF_CAUSE * len(program.causes)


def tally_rows(
    program: Program, slots: Sequence[int], opening: Sequence[float], rows: Iterable[Row]
) -> tuple[Floats, Floats]:
    """The tallies of the accounts in some slots, one after another, and the counts by sort of row and cause.

    This is what the native engine adds up while it plays.
    """
    size = tally_size(program)
    tallies = np.zeros(len(slots) * size)
    counts = np.zeros(len(WHATS) * len(program.causes))
    heads = {slot: index * size for index, slot in enumerate(slots)}
    for slot, head in heads.items():
        tallies[head] = tallies[head + 1] = opening[slot]
    for row in rows:
        cause = int(row.cause)
        if row.what != 0.0:
            if cause >= 0:
                counts[int(row.what) * len(program.causes) + cause] += 1.0
            continue
        tally = heads.get(program.accounts[int(row.stat)].column.offset + int(row.entity))
        if tally is None:
            continue
        tallies[tally] = min(tallies[tally], row.after)
        tallies[tally + 1] = max(tallies[tally + 1], row.after)
        if cause >= 0:
            first = tally + TALLY_HEAD + TALLY_OF_CAUSE * cause
            tallies[first] += row.after - row.before
            tallies[first + 1] += row.waste
            tallies[first + 2] += 1.0
    return tallies, counts
