"""How often the 90 % intervals of a fit hold the truth: habits with known numbers, their plays, what is fitted to them.

python benchmarks/fits.py [REPEATS] [PLAYS]; prints for each dial in how many repeats its interval held the truth, how
wide intervals are (of the range), how many answers said that nothing fits, and the CPU time of a fit.
"""

from __future__ import annotations

import sys
import tempfile
import time
from pathlib import Path

import numpy as np

import mint_ledger as mint
from mint_ledger.players.recorded import make_plays

SMITHY = """
title: Smithy
clock: {step: 0.05, limit: 60}
numbers: {wait: 0.5, rest_at: 20}
kinds:
  smith:
    stats:
      nails: {start: 0, min: 0, whole: true}
      arm: {start: 60, min: 0, max: 60, recover: {rate: 9, after: 0.5}}
actions: {strike: {by: smith, costs: {arm: 8}, do: [nails += 1]}}
rules: [{name: brittle iron, when: {every: 5}, chance: 0.3, do: [smith.nails -= 3]}]
endings: {filled: {result: win, if: smith.nails >= 34}, noon: {result: lose, if: time >= 50}}
habits:
  steady:
    by: smith
    reaction: between(0.7 * wait, 1.3 * wait)
    slips: 0.1
    acts: [{do: strike, if: arm >= rest_at}]
measures: {nails: closing(smith.nails), strikes: "count_of(smith.arm, strike)", arm: closing(smith.arm)}
"""
RANGES = {"wait": (0.2, 1.5), "rest_at": (8.0, 50.0)}
HEADS = ["result", "time", "nails", "strikes", "arm"]


def main(repeats: int, plays: int) -> None:
    """Fit as often as that, and count."""
    game = mint.loads(SMITHY)
    luck = np.random.default_rng(8)
    store = Path(tempfile.mkdtemp()) / "kept.sqlite"
    held = dict.fromkeys(RANGES, 0)
    left = {name: [] for name in RANGES}
    unfit, began = 0, time.process_time()
    for repeat in range(repeats):
        truth = {name: float(luck.uniform(*ends)) for name, ends in RANGES.items()}
        rows = game.study(plays, seed=50_000 + repeat, dials=truth, accounts=[]).measures[HEADS].to_numpy().tolist()
        fit = game.fit_plays(make_plays(game, HEADS, rows), RANGES, store=store)
        unfit += not fit.fits
        for dial in fit.dials:
            held[dial.name] += dial.value.low <= truth[dial.name] <= dial.value.high
            left[dial.name].append((dial.value.high - dial.value.low) / (dial.high - dial.low))
    for name in RANGES:
        print(f"{name}: held {held[name]} of {repeats}, {100 * np.median(left[name]):.0f} % of the range")
    print(f"called unfit: {unfit} of {repeats}; {(time.process_time() - began) / repeats:.1f} s of CPU a fit")


if __name__ == "__main__":
    main(int(sys.argv[1]) if len(sys.argv) > 1 else 40, int(sys.argv[2]) if len(sys.argv) > 2 else 100)
