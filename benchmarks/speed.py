"""The demo, careful keeper: ours against the same game by hand in plain Python and in C, measured in one run.

    python benchmarks/speed.py [--runs 10000]

Wants gcc. Exits with 1 where a figure is missed or the C program disagrees in a single night.
"""

from __future__ import annotations

import argparse
import ctypes
import random
import statistics
import subprocess
import sys
import tempfile
import time
from pathlib import Path

import by_hand
import numpy as np

import mint_ledger as mint
from mint_ledger.demo import demo_text
from mint_ledger.engines.native.context import SKIP_NOTHING, SKIP_PARTS, SKIP_STEPS
from mint_ledger.engines.native.engine import NativePlayer, make_code
from mint_ledger.playing.setting import habit_starts

HERE = Path(__file__).parent
SEED = 1
REPEATS = 5
# Of the time of C that steps.
WANTED = 0.5
ENDINGS = ("lamp out", "keeper lost", "harbour safe", "")


def c_program(folder: Path) -> ctypes.CDLL:
    """The game by hand in C, compiled now."""
    library = folder / "saltmere.so"
    command = [
        "gcc",
        "-O2",
        "-ffp-contract=off",
        "-shared",
        "-fPIC",
        "-o",
        str(library),
        str(HERE / "saltmere.c"),
        "-lm",
    ]
    subprocess.run(command, check=True)
    loaded = ctypes.CDLL(str(library))
    loaded.nights.argtypes = [ctypes.c_uint64, ctypes.c_uint32, ctypes.c_int64, ctypes.c_void_p, ctypes.c_void_p]
    return loaded


def main() -> int:
    """Measure, print, judge."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--runs", type=int, default=10_000)
    runs = parser.parse_args().runs
    game = mint.loads(demo_text(), "saltmere.yaml")
    program = game.lowered.program
    starts = habit_starts(game.lowered, "careful")
    code = make_code(program, thorough=True)
    few = runs // 5
    ending, steps = np.zeros(few, np.int8), np.zeros(few, np.int32)
    seconds: dict[object, list[float]] = {}
    with tempfile.TemporaryDirectory() as folder:
        c = c_program(Path(folder))
        for _ in range(REPEATS):
            began = time.perf_counter()
            c.nights(SEED, 0, few, ending.ctypes.data, steps.ctypes.data)
            seconds.setdefault("c", []).append((time.perf_counter() - began) / few)
            for skips in (SKIP_STEPS, SKIP_PARTS, SKIP_NOTHING):
                player = NativePlayer(code, seed=SEED, starts=starts, skips=skips)
                count = few if skips else few // 5
                player.take(np.zeros(0, np.int64), [], count)
                began = time.perf_counter()
                player.batch(0, count)
                seconds.setdefault(skips, []).append((time.perf_counter() - began) / count)
    began = time.perf_counter()
    study = game.study(runs, SEED, habit="careful")
    whole = time.perf_counter() - began
    by_ours = study.measures[:few]
    same = (by_ours["ending"].astype(str) == [ENDINGS[e] for e in ending]) & (
        np.rint(by_ours["time"] * 20).astype(int) == steps
    )
    rng = random.Random(SEED)
    nights = max(20, runs // 200)
    began = time.perf_counter()
    by_python = [by_hand.play(rng) for _ in range(nights)]
    python = (time.perf_counter() - began) / nights
    best = {key: min(found) for key, found in seconds.items()}
    of_c = {
        key: statistics.median(a / b for a, b in zip(found, seconds["c"], strict=True))
        for key, found in seconds.items()
    }
    one = best[SKIP_STEPS]
    share = sum(name == "harbour safe" for name, _ in by_python) / nights
    print(f"Saltmere Light, careful, per run on one core ({few:,} runs each):")
    print(f"  by hand in plain Python        {1e6 * python:10,.0f} µs   wins {100 * share:.0f} % of {nights}")
    print(f"  ours, nothing left out         {1e6 * best[SKIP_NOTHING]:10,.0f} µs")
    print(f"  ours, every step visited       {1e6 * best[SKIP_PARTS]:10,.0f} µs   {of_c[SKIP_PARTS]:.3f} of C")
    print(f"  ours, quiet steps skipped      {1e6 * one:10,.0f} µs   {of_c[SKIP_STEPS]:.3f} of C (wanted: {WANTED})")
    print(f"  by hand in C, every step       {1e6 * best['c']:10,.0f} µs   agrees in {same.sum():,} of {few:,} nights")
    print(f"game.study({runs:,}) on all cores: {whole:.2f} s, wins {100 * study.rate('win').value:.1f} %")
    print(f"plain Python / ours, one core:   {python / one:,.0f} times (wanted: 100)")
    print(f"plain Python / the whole study:  {python * runs / whole:,.0f} times (wanted: 100)")
    print(f"times are the best of {REPEATS}, shares of C the median of {REPEATS} rounds in which both play by turns")
    met = same.all() and python / one >= 100 and of_c[SKIP_STEPS] <= WANTED
    print("all figures are met" if met else "a figure is missed")
    return 0 if met else 1


if __name__ == "__main__":
    sys.exit(main())
