"""No answer depends on how fast the machine is: the same with a clock that runs a thousand times as fast."""

from __future__ import annotations

import time
from collections.abc import Callable

import pytest

import mint_ledger as mint
from mint_ledger.report.mending import find_mend, most_missed

FAIR = """
title: Ferry
clock: {step: 1, limit: 60}
numbers: {leak: 0.6}
kinds:
  boat: {stats: {water: {start: 0, min: 0, max: 20}, planks: 6}}
  man: {stats: {breath: {start: 9, min: 0, max: 9, recover: {rate: 1}}}}
actions: {bail: {by: man, costs: {breath: 3}, do: [boat.water -= 4]}}
rules:
  - {name: a wave, when: {every: 1}, chance: leak, do: ["boat.water += whole(1, 4)"]}
endings: {sunk: {result: lose, if: boat.water >= 20}, over: {result: win, if: time >= 50}}
habits: {steady: {by: man, reaction: 2, acts: [{do: bail, if: boat.water > 9}]}}
targets: [{name: half get over, measure: rate(win), want: 0.9..1}]
"""


def answers(game: mint.Game) -> list[object]:
    """What searches choose: the fix of a report, tuning, findings, the range of play, exact answers."""
    judged = game.judge(400)
    worst = most_missed(judged)
    fix = find_mend(game, worst, 1, 0.95) if worst is not None else None
    tuned = game.tune("leak", "0..1 by 0.05", "rate(win)", "0.4..0.6", runs=1_000)
    audit = game.audit(runs=20)
    played = game.play_range("steady", runs=200, most_runs=2_000)
    return [
        judged.summary(),
        fix and (fix.dial, fix.value, fix.passed),
        tuned.summary(),
        [(finding.check.name, finding.caught.what) for finding in audit.findings],
        played.summary(),
    ]


@pytest.mark.parametrize("times", [10.0, pytest.param(1_000.0, marks=pytest.mark.slow)])
def test_answers_are_the_same_however_fast_the_clock_runs(monkeypatch: pytest.MonkeyPatch, times: float) -> None:
    game = mint.loads(FAIR)
    usual = answers(game)
    assert usual[1] is not None

    def faster(clock: Callable[[], float]) -> Callable[[], float]:
        return lambda: times * clock()

    for name in ("monotonic", "perf_counter", "thread_time"):
        monkeypatch.setattr(time, name, faster(getattr(time, name)))
    assert answers(mint.loads(FAIR)) == usual


def test_a_search_that_was_stopped_by_seconds_says_so_and_not_that_there_is_nothing() -> None:
    tuned = mint.loads(FAIR).tune("leak", "0..1 by 0.01", "rate(win)", "0.9..0.95", runs=4_000, seconds=1e-9)
    assert tuned.interrupted
    assert "none" not in tuned.summary() and "Stopped before it was done" in tuned.summary()
