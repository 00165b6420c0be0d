"""CPU of everyday commands on the demo, in times of `python -c "import numpy"`, side by side in one run.

    python benchmarks/everyday.py [ROUNDS]

Each round runs every command once, beside an import of NumPy; told are the medians of the rounds (five), once for a
file that was seen before (cached) and once for one that was just saved (a comment is new in it). Code is compiled and
the folder of machine code warm.
"""

from __future__ import annotations

import os
import resource
import statistics
import subprocess
import sys
import tempfile
from pathlib import Path

from mint_ledger.demo import demo_text

# Command → wanted where the file was seen before, and where it was just saved.
WANTED: dict[str, tuple[float, float | None]] = {
    "--help": (1, None),
    "run": (4, 6),
    "why": (4, 6),
    "statement": (4, 6),
    "study --runs 1000": (4.5, 6.5),
    "check": (6, 8),
    "targets": (9, 11),
    "compare": (9, 11),
    "audit --quick": (18, None),
    "matchup": (9, None),
}
FILE = "saltmere.yaml"
# What stands on the line when Tab is pressed: a command's name, an option, a name of the game.
TABS = ("mint-ledger st", "mint-ledger study --r", f"mint-ledger study {FILE} --habit c")
WANTED_OF_TAB = 1.5


def cpu(command: list[str], folder: Path, environment: dict[str, str]) -> float:
    """Seconds of CPU that a command takes, with all that it begins."""
    before = resource.getrusage(resource.RUSAGE_CHILDREN)
    done = subprocess.run(command, cwd=folder, env=environment, check=False, capture_output=True)
    # 0: well, 1: fell short (a target is missed).
    assert done.returncode in (0, 1), done.stderr.decode()
    after = resource.getrusage(resource.RUSAGE_CHILDREN)
    return after.ru_utime + after.ru_stime - before.ru_utime - before.ru_stime


def arguments(command: str) -> list[str]:
    """The command on the demo."""
    name, *options = command.split(" ")
    if name.startswith("-"):
        return ["mint-ledger", name]
    options += {"compare": ["changed.yaml"], "why": ["keeper.health"], "statement": ["keeper.health"]}.get(name, [])
    return ["mint-ledger", name, FILE, *options]


def tab(line: str, folder: Path, environment: dict[str, str]) -> float:
    """Seconds of CPU from Tab to what may stand there."""
    asked = {"_MINT_LEDGER_COMPLETE": "complete_bash", "COMP_WORDS": line, "COMP_CWORD": str(line.count(" "))}
    return cpu(["mint-ledger"], folder, {**environment, **asked})


def main() -> int:
    """Measure, print, judge."""
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 5
    environment = {**os.environ}
    environment.pop("PYTHONDONTWRITEBYTECODE", None)
    met = True
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        environment["MINT_LEDGER_CACHE"] = str(folder / "code")
        text = demo_text()
        (folder / FILE).write_text(text, "utf-8")
        (folder / "changed.yaml").write_text(text.replace("health += 45", "health += 40"), "utf-8")
        for command in WANTED:
            cpu(arguments(command), folder, environment)
        base: list[float] = []
        cached: dict[str, list[float]] = {command: [] for command in WANTED}
        saved: dict[str, list[float]] = {command: [] for command in WANTED}
        tabs: dict[str, list[float]] = {line: [] for line in TABS}
        for number in range(-1, rounds):
            for line in TABS:
                taken = tab(line, folder, environment)
                if number >= 0:
                    tabs[line].append(taken)
        for number in range(rounds):
            for command in WANTED:
                base.append(cpu([sys.executable, "-c", "import numpy"], folder, environment))
                cached[command].append(cpu(arguments(command), folder, environment))
            for place, command in enumerate(WANTED):
                (folder / FILE).write_text(f"{text}\n# saved {number} {place}\n", "utf-8")
                saved[command].append(cpu(arguments(command), folder, environment))
            (folder / FILE).write_text(text, "utf-8")
    unit = statistics.median(base)
    print(f"python -c 'import numpy': {unit:.2f} s of CPU")
    print(f"{'command':<20}{'cached':>8}{'wanted':>8}{'saved':>10}{'wanted':>8}")
    for command, (most, most_saved) in WANTED.items():
        times, after = statistics.median(cached[command]) / unit, statistics.median(saved[command]) / unit
        met &= times <= most and (most_saved is None or after <= most_saved)
        told = f"{most_saved:g}" if most_saved else ""
        print(f"{command:<20}{times:>8.1f}{most:>8g}{after:>10.1f}{told:>8}")
    print(f"{'Tab behind':<40}{'':>8}{'wanted':>8}")
    for line, taken in tabs.items():
        times = statistics.median(taken) / unit
        met &= times <= WANTED_OF_TAB
        print(f"{line:<40}{times:>8.1f}{WANTED_OF_TAB:>8g}")
    print("all figures are met" if met else "a figure is missed")
    return 0 if met else 1


if __name__ == "__main__":
    sys.exit(main())
