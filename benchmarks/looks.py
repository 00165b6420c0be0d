"""What looks at many runs cost, against the plain study of the same runs; grids and shares against their studies.

python benchmarks/looks.py [RUNS]; CPU seconds of this process and its threads, the median of five, in turn.
"""

from __future__ import annotations

import statistics
import sys
import time
from collections.abc import Callable

import mint_ledger as mint

LOOKS: dict[str, Callable[[mint.Game, int], object]] = {
    "ends": lambda game, runs: game.ends(runs, habit="careful").summary(),
    "course by level": lambda game, runs: game.course("level", runs, habit="careful").summary(),
    "course by ships": lambda game, runs: game.course("ships", runs, habit="careful").summary(),
    "attacks": lambda game, runs: game.attacks_in_play(runs, habit="careful").summary(),
    "income": lambda game, runs: game.income("keeper.oil", runs, habit="careful").summary(),
    "shape of time": lambda game, runs: game.study(runs, habit="careful").shape("time").summary(),
    "tension": lambda game, runs: game.study(
        runs, habit="careful", measures=["escapes(keeper.health, 0.2)", "won_from(keeper.health, 0.2)", "idle(keeper)"]
    ).summary(),
}


def cost(work: Callable[[], object]) -> float:
    """The CPU seconds of some work."""
    before = time.process_time()
    work()
    return time.process_time() - before


def main() -> None:
    """Print each cost and its ratio."""
    runs = int(sys.argv[1]) if len(sys.argv) > 1 else 2_000
    game = mint.load(mint.demo_path())

    def plain() -> str:
        return game.study(runs, habit="careful").summary()

    def studies() -> list[mint.Study]:
        named = [(habit, variant) for habit in game.habits for variant in (None, *game.variants)]
        return [game.study(runs, habit=habit, variant=variant, accounts=()) for habit, variant in named]

    other = game.with_dials({"crab.bite": 14, "bosun.bite": 13, "keeper.oil": 66})

    def between() -> list[mint.Study]:
        changes = [{"crab.bite": 14.0}, {"bosun.bite": 13.0}, {"keeper.oil": 66.0}]
        chosen = [[c for place, c in enumerate(changes) if some >> place & 1] for some in range(8)]
        named = [{name: value for one in many for name, value in one.items()} for many in chosen]
        return [game.study(runs, habit="careful", dials=dials, accounts=()) for dials in named]

    plain()
    times: dict[str, list[float]] = {name: [] for name in ("plain", *LOOKS, "studies", "grid", "between", "shares")}
    for _ in range(5):
        times["plain"].append(cost(plain))
        for name, look in LOOKS.items():
            times[name].append(cost(lambda look=look: look(game, runs)))  # type: ignore[misc]
        times["studies"].append(cost(studies))
        times["grid"].append(cost(lambda: game.grid({"habit": None, "variant": None}, runs=runs).summary()))
        times["between"].append(cost(between))
        times["shares"].append(cost(lambda: game.share_out(other, runs=runs, habit="careful").summary()))
    middle = {name: statistics.median(some) for name, some in times.items()}
    print(f"{runs:,} runs; plain study {middle['plain']:.2f} s of CPU")
    for name in LOOKS:
        print(f"  {name:<18}{middle[name]:>6.2f} s {middle[name] / middle['plain']:>6.2f} times")
    ratio = middle["grid"] / middle["studies"]
    print(f"  {'grid':<18}{middle['grid']:>6.2f} s {ratio:>6.2f} times the studies in it ({middle['studies']:.2f} s)")
    ratio = middle["shares"] / middle["between"]
    print(f"  {'shares':<18}{middle['shares']:>6.2f} s {ratio:>6.2f} times the games in it ({middle['between']:.2f} s)")


if __name__ == "__main__":
    main()
