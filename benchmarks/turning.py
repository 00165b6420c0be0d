"""What another number costs: a game with a dial turned, against lowering it anew.

    python benchmarks/turning.py

Both are measured in one run, in turn, so that the ratio holds on any machine.
"""

from __future__ import annotations

import statistics
import time

import mint_ledger as mint
from mint_ledger.lowering.lower import lower

REPEATS = 30


def main() -> None:
    game = mint.load(mint.demo_path())
    game.with_dials({"crab.bite": 9})
    turned, lowered = [], []
    for value in range(REPEATS):
        began = time.perf_counter()
        found = game.with_dials({"crab.bite": 5 + value})
        turned.append(time.perf_counter() - began)
        began = time.perf_counter()
        assert lower(found).program.dials.numbers == found.dials.numbers
        lowered.append(time.perf_counter() - began)
    one, other = statistics.median(turned), statistics.median(lowered)
    print(f"a dial turned: {1_000 * one:.2f} ms; the game lowered: {1_000 * other:.1f} ms; {other / one:.0f} times")


if __name__ == "__main__":
    main()
