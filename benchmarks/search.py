"""How near the best habit that is found comes to the best play of all: three duels of five acts, several seeds.

What could be won at most is worked out by value iteration in tests/duels.py, without this package.

    python benchmarks/search.py [SEEDS]
"""

from __future__ import annotations

import sys
import time
from pathlib import Path

sys.path.insert(0, str(Path(__file__).parent.parent / "tests"))

from duels import DUELS  # type: ignore[import-not-found]

import mint_ledger as mint


def main(seeds: int) -> None:
    """Search in each duel with each seed, and print the share of the optimum and the seconds of CPU."""
    for name, duel in DUELS.items():
        best = duel.optimum()
        for seed in range(1, seeds + 1):
            began = time.process_time()
            play = mint.loads(duel.text).play_range("plain", seed=seed)
            took = time.process_time() - began
            told = f"{play.best.value:.4f} of {best:.4f}, {play.best.value / best:.1%}"
            print(f"{name:<8} seed {seed}: {told} in {took:.0f} s", flush=True)


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 5)
