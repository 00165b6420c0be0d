"""No answer depends on how fast the machine is: the same with a clock that runs a thousand times as fast."""

from __future__ import annotations

import time
from collections.abc import Callable

import pytest

import mint_ledger as mint
from mint_ledger.report.fixing import find_fix, most_missed

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


def answers(game: mint.Game, *, every: bool) -> list[object]:
    """What searches choose: the fix of a report and tuning; with `every` also findings and the range of play."""
    judged = game.judge(400)
    worst = most_missed(judged)
    fix = find_fix(game, worst, 1, 0.95) if worst is not None else None
    tuned = game.tune("leak", "0..1 by 0.05", "rate(win)", "0.4..0.6", runs=1_000)
    found: list[object] = [judged.summary(), fix and (fix.dial, fix.value, fix.passed), tuned.summary()]
    if every:
        found += [(finding.check.name, finding.caught.what) for finding in game.audit(runs=20).findings]
        found.append(game.play_range("steady", runs=200, most_runs=2_000).summary())
    return found


@pytest.mark.parametrize(
    ("times", "every"),
    [(1_000.0, False), *(pytest.param(times, True, marks=pytest.mark.night) for times in (10.0, 1_000.0))],
)
def test_answers_are_the_same_however_fast_the_clock_runs(
    monkeypatch: pytest.MonkeyPatch, times: float, every: bool
) -> None:
    game = mint.loads(FAIR)
    usual = answers(game, every=every)
    assert usual[1] is not None

    def faster(clock: Callable[[], float]) -> Callable[[], float]:
        return lambda: times * clock()

    for name in ("monotonic", "perf_counter", "thread_time"):
        monkeypatch.setattr(time, name, faster(getattr(time, name)))
    assert answers(mint.loads(FAIR), every=every) == usual


def test_a_search_that_was_stopped_by_seconds_says_so_and_not_that_there_is_nothing() -> None:
    tuned = mint.loads(FAIR).tune("leak", "0..1 by 0.01", "rate(win)", "0.9..0.95", runs=4_000, seconds=1e-9)
    assert tuned.interrupted
    assert "none" not in tuned.summary() and "Stopped before it was done" in tuned.summary()
