"""What it costs to ask, inside each step, whether a run does too much: the same code with and without the question.

    python benchmarks/budgets.py [ROUNDS]

The demo and a horde in space are compiled thoroughly both ways and played in turns on one core; told is the median of
the rounds' ratios. Exits with 1 where one is slower by more than three hundredths.
"""

from __future__ import annotations

import statistics
import sys
import time
from pathlib import Path
from typing import Any

import mint_ledger as mint
from mint_ledger.engines.native import accounts, engine, statements
from mint_ledger.engines.native.compiling import module_text, object_code
from mint_ledger.studies.block import NativeBlocks
from mint_ledger.studies.request import StudyRequest, prepare

MOST = 1.03
GAMES: dict[str, tuple[Path, str | None, int]] = {
    "the demo": (mint.demo_path(), "careful", 1_500),
    "the horde": (Path(__file__).parent / "horde.yaml", None, 50),
}


def compiled(game: mint.Game) -> tuple[engine.NativeCode, int]:
    """The thorough code of a game, as the engine is now, and how long its text is."""
    program = game.lowered.program
    text, pieces = module_text(program)
    return engine.NativeCode(program, (), pieces, object_code(text, thorough=True), thorough=True), len(text)


def nothing(*_: Any) -> None:
    """Counts nothing."""


def main() -> int:
    """Compile both ways, play in turns, judge."""
    rounds = int(sys.argv[1]) if len(sys.argv) > 1 else 15
    met = True
    for name, (path, habit, runs) in GAMES.items():
        game = mint.load(path)
        prepared = prepare(StudyRequest(game.origin_text(), path.name, 1, habit=habit))
        code, length = compiled(game)
        asking = NativeBlocks(prepared, code)
        spend = accounts.spend
        accounts.spend = statements.spend = nothing
        try:
            code, shorter = compiled(game)
            plain = NativeBlocks(prepared, code)
        finally:
            accounts.spend = statements.spend = spend
        assert shorter < length
        ratios, ends = [], []
        for number in range(rounds + 1):
            times = []
            for blocks in (asking, plain) if number % 2 else (plain, asking):
                began = time.thread_time()
                played = [blocks.block(first, 50) for first in range(0, runs, 50)]
                times.append(time.thread_time() - began)
                ends.append([block.steps.tolist() for block in played])
            if number:  # the first round warms up
                ratios.append(times[0] / times[1] if number % 2 else times[1] / times[0])
        assert all(end == ends[0] for end in ends)
        ratio = statistics.median(ratios)
        met &= ratio <= MOST
        spread = f"{min(ratios):.3f} to {max(ratios):.3f}"
        print(f"{name}: {ratio:.3f} times as long with the question ({spread}); wanted {MOST} at most")
    print("both are met" if met else "a figure is missed")
    return 0 if met else 1


if __name__ == "__main__":
    sys.exit(main())
