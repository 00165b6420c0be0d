"""How long tuning takes, what pairing saves, and how often the reported interval holds the true value.

    python benchmarks/tuning.py [--repeats 100]

Exits with 1 where a figure is missed: `tune` of one dial of the demo to ± 1 point of wins in less than 10 s; a paired
comparison wants at most a third of the runs of an unpaired one; the true value is held in 93 of 100 repeats.
"""

from __future__ import annotations

import argparse
import math
import sys
import time

import mint_ledger as mint
from mint_ledger.balance.comparison import compare_studies
from mint_ledger.demo import demo_text

COIN = """
title: Coin
clock: {step: 1, limit: 3}
numbers: {luck: 0.3}
stats: {heads: {start: 0, min: 0, max: 1, whole: true}}
rules:
  - {name: the toss, when: {every: 1}, at_most: 1, if: chance(luck), do: [heads = 1]}
endings:
  heads: {result: win, if: heads == 1}
  tails: {result: lose, if: time >= 1}
"""


def tuning() -> bool:
    """One dial of the demo, to an interval of ± 1 point of wins."""
    game = mint.loads(demo_text(), "saltmere.yaml")
    game.study(100, habit="careful")
    began = time.perf_counter()
    found = game.tune("crab.bite", "1..30", "rate(win)", "0.55..0.65", habit="careful", runs=10_000)
    seconds = time.perf_counter() - began
    half = found.confirmed.half_width if found.confirmed else math.inf
    print(
        f"tune: {seconds:.1f} s, {found.runs:,} runs, wins known to ± {100 * half:.2f} points (wanted: 10 s, 1 point)"
    )
    return seconds < 10.0 and half <= 0.01


def pairing(runs: int = 5_000) -> bool:
    """The runs that a paired comparison wants for an interval, as a share of those of an unpaired one."""
    game = mint.loads(demo_text(), "saltmere.yaml")
    met = True
    for dial, value in (("cudgel.crit.chance", 0.15), ("oil_can.amount", 16), ("crab.bite", 12.5)):
        one = game.study(runs, habit="careful")
        other = game.study(runs, habit="careful", dials={dial: value})
        paired = compare_studies(one, other).differences[0].difference.half_width
        rates = [study.rate("win").value for study in (one, other)]
        unpaired = 1.96 * math.sqrt(sum(r * (1 - r) / runs for r in rates))
        share = (paired / unpaired) ** 2
        print(f"pairing: {dial} = {value}: {100 * share:.0f} % of the runs (wanted: 33 %)")
        met = met and share <= 1 / 3
    return met


def coverage(repeats: int) -> bool:
    """A game whose answer is known: won with the chance that the dial says."""
    game = mint.loads(COIN, "coin.yaml")
    held = 0
    for seed in range(repeats):
        found = game.tune("luck", "0..1 by 0.01", "rate(win)", 0.42, runs=2_000, seed=seed)
        held += found.possible is not None and found.possible[0] - 1e-9 <= 0.42 <= found.possible[1] + 1e-9
    print(f"coverage: the true value was held in {held} of {repeats} (wanted: 93 of 100)")
    return held >= 0.93 * repeats


def main() -> int:
    """Measure, print, judge."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--repeats", type=int, default=100)
    options = parser.parse_args()
    return 0 if all([tuning(), pairing(), coverage(options.repeats)]) else 1


if __name__ == "__main__":
    sys.exit(main())
