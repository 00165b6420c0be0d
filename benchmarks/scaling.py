"""What runs, copies, rules and steps per second cost: a table, and the same as plots.

    python benchmarks/scaling.py [--most-runs 1000000] [-o docs/figures/scaling.png]

Compiling is timed apart from playing; playing is per run on one core, except for the runs, which take all cores.
"""

from __future__ import annotations

import argparse
import time
from collections.abc import Iterable
from pathlib import Path

import numpy as np
from matplotlib.figure import Figure

import mint_ledger as mint
from mint_ledger.demo import demo_text
from mint_ledger.engines.native.context import SKIP_PARTS, SKIP_STEPS
from mint_ledger.engines.native.engine import NativePlayer, make_code

Points = list[tuple[float, float, float]]
BLUE, ORANGE = "#0072B2", "#D55E00"

SWARM = """
mint_ledger: 1
title: Swarm
clock: {{step: {step}, limit: 60}}
kinds:
  hive: {{stats: {{honey: {{start: 1e5, min: 0, fade: {{rate: 2, after: 0.5}}}}}}, when_hit: {{through: [honey]}}}}
  wasp:
    copies: {copies}
    stats: {{rest: {{start: 5, min: 0, max: 9, recover: {{rate: 1, after: 0.2}}}}}}
attacks:
  raid: {{from: wasp, to: hive, when: {{every: "between(2, 4)"}}, lands: 0.7, damage: 3}}
rules:
{rules}
"""
RULE = '  - {{name: rule {i}, when: {{every: {period}}}, if: "hive.honey > {i}", do: [hive.honey -= {i} % 3]}}'


def swarm(copies: int = 10, rules: int = 10, per_second: int = 20) -> mint.Game:
    """A game of so many wasps and rules."""
    lines = "\n".join(RULE.format(i=i, period=1.5 + i * 0.37 % 5) for i in range(rules))
    text = SWARM.format(step=1 / per_second, copies=copies, rules=lines)
    return mint.loads(text)


def cost(game: mint.Game, runs: int = 20, skips: int = SKIP_STEPS) -> tuple[float, float]:
    """Seconds to compile, and seconds a run."""
    began = time.perf_counter()
    code = make_code(game.lowered.program)
    compiled = time.perf_counter() - began
    player = NativePlayer(code, skips=skips)
    player.take(np.zeros(0, np.int64), [], max(runs, 2))
    player.batch(0, 2)
    best = float("inf")
    for _ in range(3):
        began = time.perf_counter()
        player.batch(0, runs)
        best = min(best, (time.perf_counter() - began) / runs)
    return compiled, best


def over(what: str, numbers: Iterable[int], games: Iterable[mint.Game]) -> Points:
    """The cost of some games, printed as it comes."""
    points: Points = []
    for number, game in zip(numbers, games, strict=True):
        compiled, run = cost(game)
        points.append((number, compiled, run))
        print(f"{what:<18}{number:>8,}   compile {compiled:6.2f} s   a run {1e6 * run:10,.0f} µs")
    return points


def over_runs(most: int) -> Points:
    """Whole studies of the demo."""
    game = mint.loads(demo_text(), "saltmere.yaml")
    make_code(game.lowered.program, thorough=True)
    points: Points = []
    number = 100
    while number <= most:
        began = time.perf_counter()
        game.study(number, habit="careful", engine="native")
        seconds = time.perf_counter() - began
        points.append((number, 0.0, seconds))
        print(f"{'runs (demo)':<18}{number:>8,}   study   {seconds:6.2f} s")
        number *= 10
    return points


def main() -> None:
    """Measure, print, draw."""
    parser = argparse.ArgumentParser()
    parser.add_argument("--most-runs", type=int, default=1_000_000)
    parser.add_argument("-o", "--output", type=Path)
    options = parser.parse_args()
    copies, rules, steps = (1, 3, 10, 30, 100, 300), (10, 30, 100, 300, 1000), (10, 30, 100, 300, 1000)
    runs = over_runs(options.most_runs)
    by_copies = over("copies", copies, (swarm(copies=n) for n in copies))
    by_rules = over("rules", rules, (swarm(rules=n) for n in rules))
    by_steps = over("steps per second", steps, (swarm(per_second=n) for n in steps))
    every = [(n, *cost(swarm(per_second=n), skips=SKIP_PARTS)) for n in steps]
    for number, _, run in every:
        print(f"{'  every step':<18}{number:>8,}   {'':17}   a run {1e6 * run:10,.0f} µs")
    if options.output:
        draw(options.output, runs, by_copies, by_rules, by_steps, every)


def draw(path: Path, runs: Points, copies: Points, rules: Points, steps: Points, every: Points) -> None:
    """The four plots."""
    figure = Figure(figsize=(12.8, 8), dpi=100, layout="constrained")
    axes = figure.subplots(2, 2).ravel()
    axes[0].loglog([p[0] for p in runs], [p[2] for p in runs], "o-", color=BLUE)
    axes[0].set(title="Runs of the demo, two cores", xlabel="runs", ylabel="whole study (s)")
    for axis, points, what in ((axes[1], copies, "copies of a kind"), (axes[2], rules, "rules")):
        axis.loglog([p[0] for p in points], [1e3 * p[2] for p in points], "o-", color=BLUE, label="a run (ms)")
        axis.loglog([p[0] for p in points], [p[1] for p in points], "s--", color=ORANGE, label="compiling (s)")
        axis.set(title=what.capitalize(), xlabel=what, ylabel="ms a run; s to compile")
        axis.legend(frameon=False)
    axes[3].loglog([p[0] for p in steps], [1e3 * p[2] for p in steps], "o-", color=BLUE, label="quiet steps skipped")
    axes[3].loglog([p[0] for p in every], [1e3 * p[2] for p in every], "s--", color=ORANGE, label="every step visited")
    axes[3].set(title="Steps per second", xlabel="steps per second", ylabel="a run (ms)")
    axes[3].legend(frameon=False)
    for axis in axes:
        axis.grid(alpha=0.3)
        axis.spines[["top", "right"]].set_visible(False)
    path.parent.mkdir(parents=True, exist_ok=True)
    figure.savefig(path)


if __name__ == "__main__":
    main()
