"""Every call that plays many studies lets them be played elsewhere, and answers the same."""

from __future__ import annotations

from collections.abc import Callable
from concurrent.futures import Future, ThreadPoolExecutor
from pathlib import Path
from typing import Any

import pytest

import mint_ledger as mint
from mint_ledger.client import Game

GAME = """
title: Plank
clock: {step: 0.5, limit: 20}
numbers: {wind: 2}
kinds:
  walker:
    stats: {steps: {start: 0, min: 0}, nerve: {start: 6, min: 0}, mood: {one_of: [calm, bold], start: calm}}
actions:
  step: {by: walker, cooldown: 0.5, do: ["steps += 1 if mood == calm else 2"]}
rules:
  - {name: gust, when: {every: 1}, do: [{if: chance(0.3), do: [walker.nerve -= wind]}]}
endings:
  over: {result: win, if: walker.steps >= 16}
  fell: {result: lose, if: walker.nerve < 1}
habits:
  brisk: {by: walker, reaction: "between(0.4, 0.8)", acts: [{do: step}]}
  slow: {by: walker, reaction: 1, acts: [{do: step}]}
targets: [{name: fair, habit: brisk, measure: rate(win), want: 0.5..0.9}]
"""
DIALS = {"wind": "1..3"}


class Counting(ThreadPoolExecutor):
    """An executor that knows how much it was given."""

    given = 0

    def submit(self, *task: Any, **more: Any) -> Future[Any]:
        self.given += 1
        return super().submit(*task, **more)


def plays(game: Game, folder: Path) -> Any:
    path = folder / "plays.csv"
    table = game.study(60, seed=9, habit="brisk").measures
    lines = [f"{result},{time}" for result, time in zip(table["result"], table["time"], strict=True)]
    path.write_text("\n".join(["result,time", *lines]) + "\n", "utf-8")
    return game.read_plays(path)


CALLS: dict[str, Callable[[Game, Path, Any], Any]] = {
    "judge": lambda g, f, e: g.judge(200, executor=e),
    "sweep": lambda g, f, e: g.sweep(DIALS, 60, habit="brisk", executor=e).table,
    "grid": lambda g, f, e: g.grid({"wind": [1, 2], "walker.nerve": [6, 8]}, runs=60, habit="brisk", executor=e),
    "compare": lambda g, f, e: g.compare(runs=60, dials={"wind": 1}, habit="brisk", executor=e),
    "share_out": lambda g, f, e: g.share_out(g.with_dials({"wind": 1}), runs=60, habit="brisk", executor=e),
    "sensitivity": lambda g, f, e: g.sensitivity(runs=60, habit="brisk", executor=e),
    "sobol": lambda g, f, e: g.sobol({**DIALS, "walker.nerve": "5..8"}, 8, 60, habit="brisk", executor=e),
    "tune": lambda g, f, e: g.tune("wind", "1..3", want=0.7, runs=400, habit="brisk", executor=e),
    "tune_many": lambda g, f, e: g.tune_many({**DIALS, "walker.nerve": "5..8"}, runs=200, executor=e),
    "tune_most": lambda g, f, e: g.tune_most({"wind": "1..3 by 1"}, runs=100, habit="brisk", executor=e),
    "tune_words": lambda g, f, e: g.tune_words("walker.mood", dials=DIALS, runs=200, executor=e),
    "tune_habits": lambda g, f, e: g.tune_habits(DIALS, runs=200, executor=e),
    "report": lambda g, f, e: g.report(60, executor=e),
    "judge_plays": lambda g, f, e: g.judge_plays(plays(g, f), 200, habit="brisk", executor=e),
    "fit_plays": lambda g, f, e: g.fit_plays(plays(g, f), DIALS, habit="brisk", executor=e),
    "mix_plays": lambda g, f, e: g.mix_plays(plays(g, f), ["brisk", "slow"], executor=e),
    "change_for": lambda g, f, e: g.change_for(
        g.fit_plays(plays(g, f), DIALS, habit="brisk"), {"walker.nerve": 8}, anyway=True, executor=e
    ),
    "play_range": lambda g, f, e: g.play_range("brisk", 200, most_runs=3_000, executor=e),
}


# What takes longest is tried with the slow tests; all take their executor by the same way.
LONG = (
    "tune_many",
    "tune_words",
    "tune_habits",
    "report",
    "fit_plays",
    "mix_plays",
    "change_for",
    "sobol",
    "play_range",
)


@pytest.mark.parametrize(
    "name", [pytest.param(name, marks=pytest.mark.slow) if name in LONG else name for name in CALLS]
)
def test_a_call_is_played_where_its_executor_says_and_answers_the_same(name: str, tmp_path: Path) -> None:
    game = mint.loads(GAME)
    with Counting(2) as pool:
        there = CALLS[name](game, tmp_path, pool)
    assert pool.given > 0
    here = CALLS[name](game, tmp_path, None)
    assert str(there) == str(here)


def test_an_executor_is_forgotten_after_its_call(tmp_path: Path) -> None:
    game = mint.loads(GAME)
    with Counting(2) as pool:
        game.judge(200, executor=pool)
        given = pool.given
        game.judge(200)
        game.sweep(DIALS, 60, habit="brisk")
        assert pool.given == given
