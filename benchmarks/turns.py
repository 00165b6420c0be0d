"""A game in turns, the example Ferry Toll, against the same game by hand in C.

    python benchmarks/turns.py [ROUNDS]

As `horde.py`: the same luck, every run the same; exits with 1 where the figure is missed.
"""

from __future__ import annotations

import sys
from pathlib import Path

from horde import judged

GAMES = (("ferry_toll", 20_000, 2.0, "chest", ""),)

if __name__ == "__main__":
    examples = Path(__file__).parent.parent / "examples"
    sys.exit(judged(GAMES, examples, int(sys.argv[1]) if len(sys.argv) > 1 else 5))
