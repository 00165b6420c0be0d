"""Games whose answers are known: by formula, not from our code."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import stats

import mint_ledger as mint

pytestmark = pytest.mark.smoke


def test_gamblers_ruin_has_the_known_chance_and_length() -> None:
    # From 3 of 7 with p = 0.45: chance (1 - r^3)/(1 - r^7), r = q/p; length z/(q-p) - n/(q-p) * chance
    p, z, n = 0.45, 3, 7
    r = (1 - p) / p
    chance = (1 - r**z) / (1 - r**n)
    length = z / (1 - 2 * p) - n / (1 - 2 * p) * chance
    game = mint.loads(f"""
title: Ruin
clock: {{unit: turn, limit: 5000}}
stats: {{purse: {{start: {z}, min: 0, max: {n}, whole: true}}}}
numbers: {{p: {p}}}
rules: [{{when: {{every: 1}}, do: [{{if: chance(p), do: [purse += 1], else: [purse -= 1]}}]}}]
endings: {{broke: {{result: lose, if: purse <= 0}}, rich: {{result: win, if: purse >= {n}}}}}
""")
    study = game.study(runs=3000, seed=9)
    wins = study.rate("win")
    assert abs(wins.value - chance) < 4 * math.sqrt(chance * (1 - chance) / study.runs)
    times = study.measures["time"]
    assert abs(times.mean() - length) < 4 * times.std() / math.sqrt(study.runs)


def test_hits_until_defeat_are_negative_binomial() -> None:
    # 5 hits of 2 defeat 10 health; each lands with 0.6: misses before the fifth success ~ NB(5, 0.6)
    game = mint.loads("""
title: Anvil
clock: {unit: turn, limit: 500}
kinds:
  smith: {side: a}
  bar: {side: b, stats: {health: {start: 10, min: 0}}}
attacks: {hammer: {from: smith, to: bar, when: {every: 1}, lands: 0.6, damage: 2}}
endings: {forged: {result: win, if: bar.health <= 0}}
""")
    study = game.study(runs=3000, seed=4)
    misses = study.measures["time"].astype(int) - 5
    observed = np.bincount(misses.clip(upper=10), minlength=11)
    shares = [stats.nbinom.pmf(k, 5, 0.6) for k in range(10)]
    expected = np.array([*shares, 1 - sum(shares)]) * study.runs
    assert stats.chisquare(observed, expected).pvalue > 0.001


def test_a_roll_against_a_threshold_succeeds_as_often_as_counted() -> None:
    # two dice reach 9 in 10 of 36 cases
    game = mint.loads("""
title: Lock
clock: {unit: turn, limit: 1}
stats: {opened: 0}
rules: [{when: {every: 1}, let: {roll: "dice(2, 6)"}, if: roll >= 9, do: [opened = 1]}]
endings: {open: {result: win, if: opened == 1}}
""")
    study = game.study(runs=2000, seed=6)
    assert stats.binomtest(int(study.rate("win").value * 2000 + 0.5), 2000, 10 / 36).pvalue > 0.001


def test_wilsons_interval_and_order_statistics_match_published_numbers() -> None:
    from mint_ledger.studies.estimate import quantile, rate

    # Newcombe, Statistics in Medicine 17 (1998), table I: 81 of 263 by Wilson's method is 0.2553 to 0.3662
    estimate = rate(81, 263)
    assert (round(estimate.low, 4), round(estimate.high, 4)) == (0.2553, 0.3662)
    # Conover: for n = 10 and the median, the 2nd and 9th values hold with 97.9 %
    median = quantile([float(k) for k in range(1, 11)], 0.5)
    assert (median.low, median.high) == (2, 9)


def test_an_interval_for_the_median_covers_it_as_often_as_it_says() -> None:
    from mint_ledger.studies.estimate import quantile

    rng = np.random.default_rng(1)
    covered = 0
    for _ in range(400):
        estimate = quantile(rng.exponential(1.0, 60).tolist(), 0.5)
        covered += estimate.low <= math.log(2) <= estimate.high
    assert covered / 400 >= 0.93


def test_a_study_does_not_depend_on_how_its_runs_are_spread() -> None:
    from concurrent.futures import ThreadPoolExecutor

    game = mint.loads("""
title: Coin
clock: {unit: turn, limit: 40}
stats: {heads: 0}
rules: [{when: {every: 1}, if: chance(0.5), do: [heads += 1]}]
endings: {ten: {result: win, if: heads >= 10}}
""")
    alone = game.study(runs=120, seed=2)
    with ThreadPoolExecutor(3) as pool:
        spread = game.study(runs=120, seed=2, executor=pool)
    assert alone.measures.equals(spread.measures)
    for number in (0, 57, 119):
        assert game.run(2, run=number).time == alone.measures.loc[number, "time"]


@pytest.mark.parametrize("runs", [0, -5, 10**9])
def test_a_study_of_no_runs_is_refused(runs: int, demo: mint.Game) -> None:
    with pytest.raises(mint.BadRequest, match="a study has 1 to"):
        demo.study(runs=runs)
