"""How much memory a study of a million runs of the demo takes.

    python benchmarks/memory.py [--runs 1000000]

Prints the largest resident size of the process; exits with 1 if it is 1 GB or more.
"""

from __future__ import annotations

import argparse
import resource
import sys
import time

import mint_ledger as mint
from mint_ledger.demo import demo_text


def main() -> int:
    """Measure, print, judge."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--runs", type=int, default=1_000_000)
    runs = parser.parse_args().runs
    game = mint.loads(demo_text(), "saltmere.yaml")
    game.study(60, habit="careful", engine="native")
    before = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    began = time.perf_counter()
    study = game.study(runs, habit="careful", measures=["closing(keeper.health)"])
    seconds = time.perf_counter() - began
    after = resource.getrusage(resource.RUSAGE_SELF).ru_maxrss / 1024
    table = study.measures.memory_usage(deep=True).sum() / runs
    print(f"{runs:,} runs in {seconds:.0f} s, {table:.0f} bytes a run in the table")
    print(f"{after:.0f} MB at the most ({before:.0f} MB before)")
    print(f"wins {100 * study.rate('win').value:.2f} % ± {100 * study.rate('win').half_width:.2f}")
    return 0 if after < 1000 else 1


if __name__ == "__main__":
    sys.exit(main())
