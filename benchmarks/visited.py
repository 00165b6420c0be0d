"""How many steps of each game are looked at, what keeps the engine from skipping more, and what finer steps cost.

    python benchmarks/visited.py

A step is looked at if some part of it may do something. For each part the share of such steps is given; several
parts may want the same step.
"""

from __future__ import annotations

import time
from pathlib import Path

import numpy as np

import mint_ledger as mint
from mint_ledger.demo import demo_text, starter_text
from mint_ledger.engines.native.context import SKIP_PARTS, SKIP_STEPS
from mint_ledger.engines.native.engine import NativePlayer, make_code
from mint_ledger.facts.pieces import pieces_of
from mint_ledger.playing.setting import habit_starts

RUNS = 20
PARTS = {
    "part of 1": "time",
    "part of 3": "habits",
    "part of 4": "contact",
    "part of 5": "attacks, rules",
    "part of 6": "flows",
    "part of 7": "endings",
    "part 7 levels": "levels",
    "measures": "measures",
}


def games() -> dict[str, mint.Game]:
    """All games that the package ships."""
    found = {"saltmere": mint.loads(demo_text()), "starter": mint.loads(starter_text())}
    folder = Path(__file__).parent.parent / "examples"
    return found | {path.stem: mint.load(path) for path in sorted(folder.glob("*.yaml"))}


def reasons(player: NativePlayer, run: int) -> tuple[dict[str, int], int]:
    """Play a run from one step that matters to the next: how many of them each part wanted, and how many looks that
    came to nothing were carried out by themselves."""
    parts = [f"part of {piece.part.owner[0]}" for piece in pieces_of(player.program)]
    wanted = dict.fromkeys(PARTS, 0)
    player.play(run, 0)
    alone = 0
    while player.state[player.program.columns.ending.base] < 0.0:
        # Behind the parts' pieces come those of the script and of the clock's limit.
        step = int(player.wakes[: len(parts) + 2].min())
        due = {part for part, wake in zip(parts, player.wakes, strict=False) if wake <= max(step, player.step + 1)}
        visited = player.visited
        player.go_on(max(step, player.step + 1))
        if player.visited == visited:
            alone += 1  # a look that came to nothing, by itself
        else:
            for part in due:
                wanted[part] += 1
    return wanted, alone


def main() -> None:
    """Measure and print."""
    print(f"{'game':<14}{'steps':>7}{'looked at':>11}   what wants the steps that are looked at")
    for name, game in games().items():
        habit = next(iter(game.habits), None)
        starts = habit_starts(game.lowered, habit)
        code = make_code(game.lowered.program)
        player = NativePlayer(code, starts=starts)
        steps = visited = 0
        wanted = dict.fromkeys(PARTS, 0)
        for run in range(RUNS):
            player.play(run)
            steps += player.step
            visited += player.visited
        again = NativePlayer(code, starts=starts)
        found, alone = reasons(again, 0)
        for part, count in found.items():
            wanted[part] += count
        total = max(1, again.visited)
        shares = sorted(((count, part) for part, count in wanted.items() if count), reverse=True)[:4]
        why = ", ".join(f"{PARTS[part]} {100 * count / total:.0f} %" for count, part in shares)
        looks = f"; {alone} looks by themselves" if alone else ""
        print(f"{name:<14}{steps // RUNS:>7,}{100 * visited / steps:>9.1f} %   {why}{looks}")
    print("\nThe demo at more steps a second (time a run, thorough code):")
    game = mint.loads(demo_text())
    starts = habit_starts(game.lowered, "careful")
    code = make_code(game.lowered.program, thorough=True)
    base: dict[int, float] = {}
    for per_second in (20, 50, 100, 200, 500, 1000):
        dials = game.with_dials({"clock.step": 1 / per_second}).lowered.program.dials.numbers
        line = f"{per_second:>6} a second"
        for skips, what in ((SKIP_STEPS, "skipping"), (SKIP_PARTS, "every step")):
            player = NativePlayer(code, dials, starts=starts, skips=skips)
            player.take(np.zeros(0, np.int64), [], 60)
            best = np.inf
            for _ in range(3):
                began = time.perf_counter()
                player.batch(0, 60)
                best = min(best, (time.perf_counter() - began) / 60)
            base.setdefault(skips, best)
            line += f"   {what} {1e6 * best:7,.0f} µs ({best / base[skips]:4.1f} times)"
        print(line)


if __name__ == "__main__":
    main()
