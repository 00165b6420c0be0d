"""How much memory a study of a million runs of the demo takes, as a command of its own.

    python benchmarks/memory.py [--runs 1000000]

Prints the largest resident size of the process; exits with 1 if it is above 400 MB.
"""

from __future__ import annotations

import argparse
import resource
import subprocess
import sys
import tempfile
import time
from pathlib import Path

from mint_ledger.demo import demo_text

WANTED = 400


def main() -> int:
    """Measure, print, judge."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--runs", type=int, default=1_000_000)
    runs = parser.parse_args().runs
    with tempfile.TemporaryDirectory() as folder:
        path = Path(folder) / "saltmere.yaml"
        path.write_text(demo_text(), "utf-8")
        began = time.perf_counter()
        command = ["mint-ledger", "study", str(path), "--habit", "careful", "--runs", str(runs)]
        done = subprocess.run(command, check=True, capture_output=True, text=True)
        seconds = time.perf_counter() - began
    most = resource.getrusage(resource.RUSAGE_CHILDREN).ru_maxrss / 1024
    print(done.stdout)
    print(f"{runs:,} runs in {seconds:.0f} s, {most:.0f} MB at the most (wanted: {WANTED})")
    return 0 if most <= WANTED else 1


if __name__ == "__main__":
    sys.exit(main())
