"""How much a run may do: what one step may take, and how long its journal may be."""

from __future__ import annotations

# Rounds of loops in one step; a posting or a happening counts for as many as it takes about as long.
MOST_WORK = 10_000_000
POSTING_WORK = 50
# Rows that a journal keeps.
MOST_ROWS = 1_000_000


def too_many_rows() -> str:
    """Return what is said of a run whose journal is too long."""
    return (
        f"its journal has more than {MOST_ROWS:,} rows; play a shorter time of it (an earlier clock.limit), or "
        "study it: studies keep no rows"
    )
