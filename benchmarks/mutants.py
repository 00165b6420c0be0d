"""How many small faults the tests see: a fault is put into a copy of the code, and the tests nearest to it are run.

    python benchmarks/mutants.py --count 40 --seed 1 balance audit studies views

Each mutant changes one operator, one number or one condition (DeMillo, Lipton and Sayward, "Hints on test data
selection", Computer 11 (1978)). It is killed where a test fails, survives where none does, and is put aside where the
code cannot be imported. Survivors are printed with their line, to be read: each needs a test, or does as before.
"""

from __future__ import annotations

import argparse
import ast
import os
import random
import shutil
import subprocess
import sys
import tempfile
from collections.abc import Callable
from dataclasses import dataclass
from pathlib import Path
from typing import Any

Change = Callable[[Any], None]
ROOT = Path(__file__).parent.parent
SOURCE = ROOT / "src" / "mint_ledger"
# The tests that are nearest to the code of each folder.
NEAREST = {
    "balance": "test_balance test_tune test_tune_many test_tune_most test_shares test_matchup test_sensitivity "
    "test_grid test_attacks test_scaling test_sure",
    "audit": "audit test_audit",
    "studies": "test_studies test_intervals test_seats test_shape test_ends test_course test_income test_raised "
    "test_store test_measures test_sure",
    "views": "test_text_table test_golden test_width test_cli test_income test_course test_ends test_shares test_grid "
    "test_attacks test_readme",
    "players": "test_players test_plays test_fit test_mixture test_skill test_optimum",
    "exact": "test_exact test_exact_measures test_optimum",
    "journal": "test_books test_story test_cli test_try",
    "chance": "test_chance test_arithmetic",
    "formula": "test_formulas test_named_formulas test_errors",
    "game": "test_errors test_limits test_sections test_including test_meaning test_formats",
    "lowering": "test_rules test_flow test_attacks test_hits test_status test_level test_habit test_meaning test_space",
    "facts": "test_facts test_raised test_quiet test_exact",
    "playing": "test_session test_scripted test_try test_examples",
}
COMPARISONS = {ast.Lt: ast.LtE, ast.LtE: ast.Lt, ast.Gt: ast.GtE, ast.GtE: ast.Gt, ast.Eq: ast.NotEq, ast.NotEq: ast.Eq}
OPERATORS = {ast.Add: ast.Sub, ast.Sub: ast.Add, ast.Mult: ast.Div, ast.Div: ast.Mult}
MOST_SECONDS = 600


@dataclass(frozen=True)
class Mutant:
    """One fault: the file, which part of it in the order of its tree, and which of the faults that part can have."""

    file: Path
    part: int
    which: int

    def made(self) -> tuple[str, str, int, str]:
        """Return what the part was and is now, its line, and the whole text with it."""
        tree = ast.parse(self.file.read_text("utf-8"))
        part = list(ast.walk(tree))[self.part]
        was = ast.unparse(part)
        changes(part)[self.which](part)
        return was, ast.unparse(part), getattr(part, "lineno", 0), ast.unparse(ast.fix_missing_locations(tree))


def changes(node: ast.AST) -> list[Change]:
    """Return the faults that can be put into a part."""
    if isinstance(node, ast.Compare) and type(node.ops[0]) in COMPARISONS:
        return [lambda part: part.ops.__setitem__(0, COMPARISONS[type(part.ops[0])]())]
    if isinstance(node, ast.BinOp) and type(node.op) in OPERATORS:
        return [lambda part: setattr(part, "op", OPERATORS[type(part.op)]())]
    if isinstance(node, ast.BoolOp):
        return [lambda part: setattr(part, "op", ast.Or() if isinstance(part.op, ast.And) else ast.And())]
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.USub):
        return [lambda part: setattr(part, "op", ast.UAdd())]
    if isinstance(node, ast.UnaryOp) and isinstance(node.op, ast.Not):
        return [lambda part: setattr(part, "operand", ast.UnaryOp(ast.Not(), part.operand))]
    if isinstance(node, ast.Constant) and isinstance(node.value, bool):
        return [lambda part: setattr(part, "value", not part.value)]
    if isinstance(node, ast.Constant) and type(node.value) in (int, float):
        times_ten: list[Change] = [lambda part: setattr(part, "value", part.value * 10)] if node.value else []
        return [lambda part: setattr(part, "value", part.value + 1), *times_ten]
    return []


def drawn(folder: str, luck: random.Random, count: int) -> list[Mutant]:
    """Draw mutants of a folder, each fault of its files as likely as any other."""
    every = []
    for file in sorted((SOURCE / folder).rglob("*.py")):
        for part, node in enumerate(ast.walk(ast.parse(file.read_text("utf-8")))):
            every += [Mutant(file, part, which) for which in range(len(changes(node)))]
    return luck.sample(every, min(count, len(every)))


def fails(work: Path, *words: str) -> bool:
    """Return whether Python ends with a fault, or does not end, in the copy."""
    environment = {**os.environ, "PYTHONPATH": str(work / "src"), "MINT_LEDGER_CACHE": str(work / "cache")}
    command = [sys.executable, *words]
    try:
        done = subprocess.run(
            command, cwd=work, env=environment, capture_output=True, timeout=MOST_SECONDS, check=False
        )
    except subprocess.TimeoutExpired:
        return True
    return done.returncode != 0


def outcome(mutant: Mutant, text: str, folder: str, work: Path) -> str:
    """Put a mutant into the copy, run the nearest tests, and take it out again."""
    place = work / "src" / "mint_ledger" / mutant.file.relative_to(SOURCE)
    before = place.read_text("utf-8")
    place.write_text(text, "utf-8")
    try:
        if fails(work, "-c", "import mint_ledger.client"):
            return "cannot be imported"
        return "killed" if fails(work, "-m", "pytest", "-x", "-q", *nearest(folder, work)) else "survived"
    finally:
        place.write_text(before, "utf-8")


def nearest(folder: str, work: Path) -> list[str]:
    """Return the files and folders of the tests that are nearest to a folder."""
    names = NEAREST[folder].split()
    return [f"tests/{name}" if (work / "tests" / name).is_dir() else f"tests/{name}.py" for name in names]


def main() -> None:
    """Draw mutants of each folder, and print what became of them."""
    parser = argparse.ArgumentParser(description=__doc__, formatter_class=argparse.RawDescriptionHelpFormatter)
    parser.add_argument("folders", nargs="*", default=list(NEAREST), help="Folders of src/mint_ledger.")
    parser.add_argument("--count", type=int, default=30, help="Mutants of each folder.")
    parser.add_argument("--seed", type=int, default=1)
    parser.add_argument("--all", action="store_true", help="Print those that were killed as well.")
    given = parser.parse_args()
    luck = random.Random(given.seed)
    with tempfile.TemporaryDirectory() as name:
        work = Path(name)
        for part in ("src", "tests", "docs", "examples", "pyproject.toml", "README.md", "mkdocs.yml", "benchmarks"):
            source = ROOT / part
            (shutil.copytree if source.is_dir() else shutil.copy)(source, work / part)
        for folder in given.folders:
            if fails(work, "-m", "pytest", "-x", "-q", *nearest(folder, work)):
                print(f"{folder:<10} its tests fail without any fault: nothing is told of it", flush=True)
                continue
            seen: dict[str, int] = {}
            for mutant in drawn(folder, luck, given.count):
                was, now, line, text = mutant.made()
                what = outcome(mutant, text, folder, work)
                seen[what] = seen.get(what, 0) + 1
                if what != "killed" or given.all:
                    print(f"  {what}: {mutant.file.relative_to(ROOT)}:{line}: {was}  →  {now}", flush=True)
            tried = seen.get("killed", 0) + seen.get("survived", 0)
            print(f"{folder:<10} {seen.get('killed', 0)} of {tried} killed", flush=True)


if __name__ == "__main__":
    main()
