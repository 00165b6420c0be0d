"""Which tests take long: those that plain `pytest` leaves to `pytest -m slow`, so that it takes five minutes.

    python benchmarks/durations.py [LONGEST] [REPORT]

Runs the quick tests and the long ones once (or reads the report of such a run, of `pytest --durations=0`), and writes
into tests/long.txt those that took longer than LONGEST seconds (0.9 by default, beside other work). Of each file the
shortest test stays where all would go.
"""

from __future__ import annotations

import re
import subprocess
import sys
from collections import Counter, defaultdict
from pathlib import Path

ROOT = Path(__file__).parent.parent
LIST = ROOT / "tests" / "long.txt"
LINE = re.compile(r"\s*([\d.]+)s (?:call|setup|teardown)\s+(tests/.+?)\s*$")


def report() -> str:
    """What `pytest` tells of all tests but those of a night and those that are slow by design."""
    asked = [sys.executable, "-m", "pytest", "--durations=0", "--durations-min=0.01", "tests", "-p", "no:cacheprovider"]
    return subprocess.run(asked, cwd=ROOT, capture_output=True, text=True, check=False).stdout


def main() -> None:
    longest = float(sys.argv[1]) if len(sys.argv) > 1 else 0.9
    text = Path(sys.argv[2]).read_text("utf-8") if len(sys.argv) > 2 else report()
    took: Counter[str] = Counter()
    for line in text.splitlines():
        if found := LINE.match(line):
            took[found[2]] += float(found[1])
    asked = [
        sys.executable,
        "-m",
        "pytest",
        "--collect-only",
        "-q",
        "-o",
        "addopts=-m 'not slow and not night'",
        "tests",
    ]
    listed = subprocess.run(asked, cwd=ROOT, capture_output=True, text=True, check=False).stdout
    names = [line for line in listed.splitlines() if "::" in line]
    by_file = defaultdict(list)
    for name in names:
        by_file[name.partition("::")[0]].append(name)
    long = {name for name in names if took[name] >= longest}
    for some in by_file.values():
        if long.issuperset(some):
            long.discard(min(some, key=lambda name: took[name]))
    LIST.write_text("".join(f"{name}\n" for name in sorted(long)), "utf-8")
    print(
        f"{len(long)} of {len(names)} tests take longer than {longest:g} s, {sum(took[n] for n in long):.0f} s together"
    )


if __name__ == "__main__":
    main()
