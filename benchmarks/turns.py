"""Games in turns, the example Ferry Toll and a skirmish, against the same games by hand in C.

    python benchmarks/turns.py [ROUNDS]

As `horde.py`: the same luck, every run the same; exits with 1 where a figure is missed.
"""

from __future__ import annotations

import sys

from horde import HERE, judged

WANTED = 2.0
FERRIES = (("ferry_toll", 20_000, WANTED, "chest", ""),)
FORTS = (("forts", 20_000, WANTED, "health", ""),)

if __name__ == "__main__":
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 5
    sys.exit(judged(FERRIES, HERE.parent / "examples", rounds) | judged(FORTS, HERE, rounds))
