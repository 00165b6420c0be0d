"""Exact distributions of measures against closed forms, convolutions and SciPy's distributions."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from conftest import Command
from scipy import stats

import mint_ledger as mint
from mint_ledger.errors import BadRequest, GameError, NotFound
from mint_ledger.exact import walk

WALK = """
title: The Dyke
clock: {unit: turn, limit: 100000}
kinds:
  keeper:
    stats: {sand: {start: 3, min: 0, max: 10, whole: true}}
    rules: [{name: tide, when: {every: 1}, do: [{if: chance(0.45), do: [sand += 1], else: [sand -= 1]}]}]
endings:
  breach: {result: lose, if: keeper.sand <= 0}
  dry: {result: win, if: keeper.sand >= 10}
measures:
  left: closing(keeper.sand)
  best: highest(keeper.sand)
  moved: count_of(keeper.sand, tide)
  gained: total(keeper.sand)
  pace: total(keeper.sand) / time
targets:
  - {name: little left, measure: mean(left), want: 1..2}
  - {name: at best, measure: "quantile(highest(keeper.sand), 0.5)", want: 3..6}
"""
ODDS = 0.55 / 0.45
WIN = (1 - ODDS**3) / (1 - ODDS**10)
# Two dice a turn for six turns, into a jar that holds at most 40.
JAR = """
clock: {unit: turn, limit: 6}
stats: {jar: {start: 0, max: 40}, turns: 0}
rules: [{name: pours, when: {every: 1}, do: ["jar += dice(2, 6)", turns += 1]}]
"""
# A swing a second of which 7 in 10 land; the fifth that lands fells the tree.
TREE = """
clock: {step: 0.5, limit: 400}
kinds:
  tree: {stats: {bark: {start: 5, min: 0}}, when_hit: {through: [bark]}}
  axe: {}
attacks: {chops: {from: axe, to: tree, when: {every: 1}, lands: 0.7, damage: 1}}
endings: {felled: {result: win, if: tree.bark <= 0}}
measures: {missed: misses(chops), landed: hits(chops)}
"""


@pytest.fixture(scope="module")
def walked() -> mint.Exact:
    """The whole walk, once for all that is asked of it."""
    return mint.loads(WALK).exact()


def test_what_is_left_is_that_of_the_closed_form(walked: mint.Exact) -> None:
    exact = walked
    left = exact.distribution("left")
    assert left.values.tolist() == [0, 10]
    assert left.chances.tolist() == pytest.approx([1 - WIN, WIN], abs=1e-9)
    assert exact.value("mean(left)") == pytest.approx(10 * WIN, abs=1e-9)
    assert exact.value("mean(gained)") == pytest.approx(10 * WIN - 3, abs=1e-9)
    # The chance to come to k before 0 is that of the walk between 0 and k.
    best = exact.distribution("best")
    for k in range(4, 11):
        assert 1 - best.at_most(k - 1) == pytest.approx((1 - ODDS**3) / (1 - ODDS**k), abs=1e-9)
    # The tide moves the sand once a turn until the end.
    moved = exact.distribution("moved")
    assert moved.mean == pytest.approx(exact.mean_time, abs=1e-7)
    assert moved.quantile(0.9) == exact.time_quantile(0.9)


def test_a_measure_that_reads_the_time_too(walked: mint.Exact) -> None:
    exact = walked
    pace = exact.distribution("pace")
    # A breach after n turns is -3/n, a win 7/n; the first of each, by hand.
    assert pace.values[0] == -1
    assert pace.chances[0] == pytest.approx(0.55**3, abs=1e-12)
    assert pace.values[-1] == 1
    assert pace.chances[-1] == pytest.approx(0.45**7, abs=1e-12)
    assert exact.value("rate(win)") == pytest.approx(1 - pace.at_most(0), abs=1e-9)


def test_sums_of_dice_are_convolutions_and_what_runs_over_is_wasted() -> None:
    exact = mint.loads(JAR).exact(measures=["closing(jar)", "waste(jar)", "total(jar)", "count_of(jar)"])
    die = np.full(6, 1 / 6)
    thrown = np.ones(1)
    for _ in range(12):
        thrown = np.convolve(thrown, die)  # of 12 to 72
    by_sum = dict(zip(range(12, 73), thrown.tolist(), strict=True))
    closing = exact.distribution("closing(jar)")
    for value, chance in zip(closing.values, closing.chances, strict=True):
        wanted = by_sum[value] if value < 40 else sum(p for s, p in by_sum.items() if s >= 40)
        assert chance == pytest.approx(wanted, abs=1e-12)
    waste = exact.distribution("waste(jar)")
    assert waste.mean == pytest.approx(sum(max(0, s - 40) * p for s, p in by_sum.items()), abs=1e-9)
    assert exact.distribution("total(jar)").mean == pytest.approx(closing.mean, abs=1e-9)
    assert exact.rate("unfinished") == pytest.approx(1)


def test_misses_before_the_fifth_that_lands_are_negative_binomial() -> None:
    exact = mint.loads(TREE).exact()
    missed = exact.distribution("missed")
    assert missed.chances[:30] == pytest.approx(stats.nbinom.pmf(missed.values[:30], 5, 0.7), abs=1e-10)
    assert exact.distribution("landed").values.tolist() == [5]
    assert exact.value("quantile(missed, 0.95)") == stats.nbinom.ppf(0.95, 5, 0.7)


def test_what_recovers_counts_by_cause_although_it_writes_its_row_late() -> None:
    game = mint.loads(
        """
        clock: {step: 0.5, limit: 10}
        kinds:
          runner:
            stats: {breath: {start: 20, min: 0, max: 20, recover: {rate: 1.5}}}
            rules: [{name: sprint, when: {every: 2}, do: [{if: chance(0.5), do: [breath -= 6]}]}]
        measures: {back: "total(runner.breath, recover)", spent: "-total(runner.breath, sprint)", least: lowest(runner.breath), end: closing(runner.breath)}
        """
    )
    exact, study = game.exact(), game.study(4_000, 5)
    # Five sprints or none of them; one of 2 s, 4 s … costs 6 and gives 3 back until the next.
    assert exact.value("mean(spent)") == pytest.approx(15, abs=1e-9)
    for name in game.measures:
        counts = study.values(name).round(6).value_counts()
        spread = exact.distribution(name)
        assert set(counts.index) <= set(spread.values.round(6))
        for value, chance in zip(spread.values.round(6), spread.chances, strict=True):
            assert stats.binomtest(int(counts.get(value, 0)), 4_000, chance).pvalue > 1e-6


def test_runs_without_a_value_are_told_apart() -> None:
    text = WALK.replace("pace: total(keeper.sand) / time", "odd: 0 / closing(keeper.sand)")
    odd = mint.loads(text).exact().distribution("odd")
    assert odd.values.tolist() == [0]
    assert odd.missing == pytest.approx(1 - WIN, abs=1e-9)
    assert odd.mean == 0


def test_what_has_no_exact_answer_says_so() -> None:
    game = mint.loads(WALK.replace("pace: total(keeper.sand) / time", "soon: first_time(keeper.sand > 5)"))
    exact = game.exact()
    assert exact.rate("win") == pytest.approx(WIN, abs=1e-9)
    assert "soon" in exact.left_out
    with pytest.raises(NotFound, match="'soon' has no exact answer: how long or when"):
        exact.value("mean(soon)")
    with pytest.raises(BadRequest, match="'soon' has no exact answer"):
        game.exact(measures=["soon"])
    with pytest.raises(NotFound, match="of 'lefd', did you mean 'left'"):
        exact.value("median(lefd)")
    with pytest.raises(GameError, match="sund"):
        game.exact(measures=["closing(keeper.sund)"])


def test_measures_nobody_asked_for_are_left_out_where_they_make_too_many_states() -> None:
    game = mint.loads(WALK)
    exact = game.exact(states=200)
    assert exact.rate("win") == pytest.approx(WIN, abs=1e-9)
    assert exact.measures == {}
    assert "more than 200 states" in exact.left_out["moved"]
    with pytest.raises(BadRequest, match=r"more than 200 states.*measures that add up on the way"):
        game.exact(states=200, measures=["moved"])
    assert game.exact(states=200, measures=["left"]).value("mean(left)") == pytest.approx(10 * WIN, abs=1e-9)


def test_what_grows_without_end_is_foreseen(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setattr(walk, "FORESEEN_FROM", 500)
    text = """
    clock: {unit: turn, limit: 300}
    stats: {a: 0, b: 0, c: 0}
    rules: [{name: all, when: {every: 1}, do: ["a += dice(1, 3)", "b += dice(1, 3)", "c += dice(1, 3)"]}]
    endings: {far: {result: win, if: a + 2 * b + 3 * c > 9000}}
    """
    with pytest.raises(
        BadRequest, match=r"is likely to have some [\d,]+ states: it has [\d,]+ as soon as \d+ of 300: "
    ):
        mint.loads(text).exact(states=4_000)
    # What stops growing soon is walked to its end, and so is what is small.
    assert mint.loads(WALK).exact(measures=["moved"], states=20_000_000).rate("win") == pytest.approx(WIN, abs=1e-9)


def test_the_command_tells_measures_and_judges_their_targets(command: Command, tmp_path: Path) -> None:
    (tmp_path / "dyke.yaml").write_text(WALK)
    told = command("study", "dyke.yaml", "--exact")
    assert told.returncode == 0, told.stderr
    assert "met     little left: mean(left) is 1.282523, target 1 to 2" in told.stdout
    assert "met     at best: quantile(highest(keeper.sand), 0.5) is 4, target 3 to 6" in told.stdout
    assert all(len(line) <= 80 for line in told.stdout.splitlines())
    found = json.loads(
        command("study", "dyke.yaml", "--exact", "--json", "--measure", "low=lowest(keeper.sand)").stdout
    )
    assert list(found["measures"]) == ["low"]
    assert found["measures"]["low"]["values"] == [0, 1, 2, 3]
    assert sum(found["measures"]["low"]["chances"]) == pytest.approx(1, abs=1e-12)
