"""A longer fuzz: broken games, formulas, `try` lines, books, stores and texts in an editor, for so many minutes.

python benchmarks/fuzz.py [MINUTES] [SEED]; prints how many inputs were tried, what came of them, each fault of our own
with the seed of its input, hangs beyond ten seconds of CPU, and the most memory that a process took.
"""

from __future__ import annotations

import multiprocessing
import random
import resource
import sys
import tempfile
import time
import traceback
from collections import Counter
from pathlib import Path

ROOT = Path(__file__).parent.parent
sys.path.insert(0, str(ROOT / "tests"))

from fuzzing import HOST, Hung, broken_text, try_book, try_editor, try_formula, try_game, try_line, try_store  # noqa: E402

import mint_ledger as mint  # noqa: E402
from mint_ledger.cli.hand_table import Table  # noqa: E402
from mint_ledger.tables.book import write_book  # noqa: E402
from mint_ledger.tables.sheets import make_sheets  # noqa: E402

MOST_MEMORY = 2 * 1024**3
COIN = """
title: Coin
clock: {step: 1, limit: 3}
rules: [{name: toss, when: start, do: [{if: chance(0.4), do: [{finish: heads}]}]}]
endings: {heads: {result: win}}
"""


def work(given: tuple[int, float]) -> tuple[Counter[str], list[str], int]:
    """Try inputs until a moment."""
    seed, until = given
    resource.setrlimit(resource.RLIMIT_AS, (MOST_MEMORY * 4, MOST_MEMORY * 4))
    plain = HOST.format(where="do: [b += 1]")
    texts = [plain, *(mint.load(path).to_yaml() for path in sorted((ROOT / "examples").glob("*.yaml")))]
    texts.append(mint.demo_path().read_text("utf-8"))
    folder = Path(tempfile.mkdtemp())
    write_book(folder / "book.xlsx", make_sheets(mint.loads(plain)))
    content = (folder / "book.xlsx").read_bytes()
    truth = mint.loads(COIN).study(120, seed=3, store=folder / "good.sqlite")
    stored = (folder / "good.sqlite").read_bytes()
    table = Table(mint.loads(plain).play(), folder / "game.yaml")
    seen: Counter[str] = Counter()
    faults: list[str] = []
    number = 0
    while time.time() < until:
        number += 1
        luck = random.Random(f"{seed} {number}")
        sort = luck.choices(("formula", "game", "editor", "line", "book", "store"), (60, 7, 1, 30, 2, 1))[0]
        try:
            match sort:
                case "formula":
                    came = try_formula(luck)
                case "game":
                    came = try_game(broken_text(luck, luck.choice(texts)))
                case "editor":
                    came = try_editor(luck, broken_text(luck, luck.choice(texts)))
                case "line":
                    if number % 300 == 0:
                        table = Table(mint.loads(plain).play(), folder / "game.yaml")
                    came = try_line(luck, table)
                case "book":
                    came = try_book(luck, content, folder)
                case _:
                    came = try_store(luck, stored, folder, truth)
        except Hung:
            came = "HUNG"
            faults.append(f"{sort} {seed} {number}: hung")
        except BaseException as error:
            came = "FAULT"
            last = traceback.extract_tb(error.__traceback__)[-1]
            faults.append(f"{sort} {seed} {number}: {type(error).__name__}: {error} at {last.filename}:{last.lineno}")
        seen[f"{sort}: {came}"] += 1
    return seen, faults, resource.getrusage(resource.RUSAGE_SELF).ru_maxrss


def main() -> None:
    """Fuzz for some minutes."""
    minutes = float(sys.argv[1]) if len(sys.argv) > 1 else 10.0
    seed = int(sys.argv[2]) if len(sys.argv) > 2 else int(time.time())
    cores = multiprocessing.cpu_count()
    until = time.time() + 60 * minutes
    with multiprocessing.Pool(cores) as pool:
        parts = pool.map(work, [(seed + core, until) for core in range(cores)])
    seen = sum((part[0] for part in parts), Counter())
    faults = [fault for part in parts for fault in part[1]]
    print(f"{sum(seen.values()):,} inputs in {minutes:g} minutes on {cores} cores, seed {seed}")
    for name, count in sorted(seen.items()):
        print(f"  {name:<28}{count:>9,}")
    print(f"faults and hangs: {len(faults)}; most memory {max(part[2] for part in parts) / 1024:,.0f} MB")
    # Each sort of fault once, with how often it came and the first input that shows it.
    sorts: dict[str, list[str]] = {}
    for fault in faults:
        sorts.setdefault(f"{fault.split(' ')[0]} {fault.rpartition(' at ')[2]}", []).append(fault)
    for known in sorted(sorts.values(), key=len, reverse=True)[:40]:
        print(f"  {len(known):>5,} times, first {known[0][:300]}")
    sys.exit(1 if faults else 0)


if __name__ == "__main__":
    main()
