"""Many in space: a horde that chases one, ours against the same game by hand in C, measured in one run.

    python benchmarks/horde.py [ROUNDS]

Both play the same runs in turns on one core; told is the median of the rounds' ratios. Wants gcc. Exits with 1 where
the figure is missed or the C program disagrees in a single run.
"""

from __future__ import annotations

import ctypes
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import numpy as np

import mint_ledger as mint
from mint_ledger.engines.native.engine import NativePlayer, make_code

HERE = Path(__file__).parent
SEED = 1
RUNS = 100
WANTED = 3.0


def c_program(source: str, folder: Path) -> ctypes.CDLL:
    """A game by hand in C, compiled now."""
    library = folder / f"{Path(source).stem}.so"
    flags = ["-O2", "-ffp-contract=off", "-fno-math-errno", "-shared", "-fPIC"]
    subprocess.run(["gcc", *flags, "-o", str(library), str(HERE / source), "-lm"], check=True)
    return ctypes.CDLL(str(library))


def main() -> int:
    """Measure, print, judge."""
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 5
    program = mint.load(HERE / "horde.yaml").lowered.program
    glow = next(account.column.offset for account in program.accounts if account.stat == "glow") + 1
    first, present = 2, program.columns.present.offset
    player = NativePlayer(make_code(program, thorough=True), seed=SEED, starts=[])
    size = program.layout.size
    player.take(np.arange(size), [], RUNS)
    steps, left = np.zeros(RUNS, np.int32), np.zeros(RUNS, np.int32)
    glows = np.zeros(RUNS)
    by_c, by_ours = [], []
    with tempfile.TemporaryDirectory() as folder:
        c = c_program("horde.c", Path(folder))
        c.nights.argtypes = [ctypes.c_uint64, ctypes.c_uint32, ctypes.c_int64, *[ctypes.c_void_p] * 3]
        for _ in range(rounds + 1):
            began = time.thread_time()
            c.nights(SEED, 0, RUNS, steps.ctypes.data, glows.ctypes.data, left.ctypes.data)
            by_c.append((time.thread_time() - began) / RUNS)
            began = time.thread_time()
            player.batch(0, RUNS)
            by_ours.append((time.thread_time() - began) / RUNS)
    taken = player.taken
    alike = (
        (taken[:, program.columns.step.base] == steps)
        & (taken[:, glow] == glows)
        & (taken[:, present + first : present + first + 300].sum(axis=1) == left)
    )
    # The first round warms up.
    ratio = statistics.median(ours / theirs for ours, theirs in zip(by_ours[1:], by_c[1:], strict=True))
    print(f"{len(left)} runs of a horde, {left.mean():.0f} of it left at the end; per run on one core:")
    print(f"  by hand in C, every step   {1e3 * min(by_c[1:]):6.2f} ms   agrees in {alike.sum()} of {RUNS} runs")
    print(f"  ours                       {1e3 * min(by_ours[1:]):6.2f} ms   {ratio:.2f} of C (wanted: {WANTED:g})")
    met = bool(alike.all()) and ratio <= WANTED
    print("all figures are met" if met else "a figure is missed")
    return 0 if met else 1


if __name__ == "__main__":
    sys.exit(main())
