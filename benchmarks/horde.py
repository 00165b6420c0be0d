"""Things in space: a horde that chases one, and two games in which few meet, against the same games by hand in C.

    python benchmarks/horde.py [ROUNDS]

Both play the same runs in turns on one core; told is the median of the rounds' ratios. Wants gcc. Exits with 1 where
a figure is missed or a C program disagrees in a single run.
"""

from __future__ import annotations

import ctypes
import statistics
import subprocess
import sys
import tempfile
import time
from collections.abc import Iterable
from pathlib import Path

import numpy as np

import mint_ledger as mint
from mint_ledger.engines.native.engine import NativePlayer, make_code
from mint_ledger.program.program import Program

HERE = Path(__file__).parent
SEED = 1
# The game; how many runs; how many times the time of C it may take; the stat, and the kind of which presence counts.
GAMES = (("horde", 100, 3.0, "glow", "moth"), ("rounds", 2_000, 1.0, "calm", ""), ("barges", 1_000, 1.0, "bells", ""))


def c_program(name: str, folder: Path) -> ctypes.CDLL:
    """A game by hand in C, compiled now."""
    library = folder / f"{name}.so"
    flags = ["-O2", "-ffp-contract=off", "-fno-math-errno", "-shared", "-fPIC"]
    subprocess.run(["gcc", *flags, "-o", str(library), str(HERE / f"{name}.c"), "-lm"], check=True)
    loaded = ctypes.CDLL(str(library))
    loaded.nights.argtypes = [ctypes.c_uint64, ctypes.c_uint32, ctypes.c_int64, ctypes.c_void_p, ctypes.c_void_p]
    return loaded


def slots_of(program: Program, stat: str, counted: str) -> list[list[int]]:
    """The slots of all that the C programs tell of each run: the step, a stat of all, and who of a kind is left."""
    account = next(account for account in program.accounts if account.stat == stat)
    whole = [account.column.offset + who for first, count, _ in account.specs for who in range(first, first + count)]
    left = []
    if counted:
        kind = program.cast.members[counted]
        first = program.columns.present.offset + kind.first
        left = list(range(first, first + kind.room))
    return [[program.columns.step.base], whole, left]


def judged(games: Iterable[tuple[str, int, float, str, str]], folder: Path, rounds: int) -> int:
    """Measure some games of a folder, print, judge: 0 where all figures are met."""
    met = True
    for name, runs, wanted, stat, counted in games:
        game = mint.load(folder / f"{name}.yaml")
        program = game.lowered.program
        player = NativePlayer(make_code(program, thorough=True), seed=SEED, starts=[])
        slots = slots_of(program, stat, counted)
        player.take(np.array([slot for some in slots for slot in some]), [], runs)
        steps, amount = np.zeros(runs, np.int32), np.zeros(runs)
        by_c, by_ours, visited = [], [], 0
        with tempfile.TemporaryDirectory() as made:
            c = c_program(name, Path(made))
            for _ in range(rounds + 1):
                began = time.thread_time()
                c.nights(SEED, 0, runs, steps.ctypes.data, amount.ctypes.data)
                by_c.append((time.thread_time() - began) / runs)
                began = time.thread_time()
                visited = player.batch(0, runs)
                by_ours.append((time.thread_time() - began) / runs)
        step, whole, left = np.split(player.taken, np.cumsum([len(some) for some in slots])[:-1], axis=1)
        # A thousand more for each that is left.
        alike = (step[:, 0] == steps) & (whole.sum(axis=1) + 1000.0 * left.sum(axis=1) == amount)
        # The first round warms up.
        ratio = statistics.median(ours / theirs for ours, theirs in zip(by_ours[1:], by_c[1:], strict=True))
        print(f"{game.title}, per run on one core:")
        print(f"  by hand in C, every step  {1e3 * min(by_c[1:]):7.3f} ms   agrees in {alike.sum():,} of {runs:,} runs")
        looked = f"{100 * visited / steps.sum():.0f} % of the steps looked at"
        print(f"  ours                      {1e3 * min(by_ours[1:]):7.3f} ms   {looked}")
        print(f"  times C                   {ratio:7.2f}      wanted: {wanted:g} at most")
        met &= bool(alike.all()) and ratio <= wanted
    print("all figures are met" if met else "a figure is missed")
    return 0 if met else 1


def main() -> int:
    """All of them."""
    return judged(GAMES, HERE, int(sys.argv[1]) if len(sys.argv) > 1 else 5)


if __name__ == "__main__":
    sys.exit(main())
