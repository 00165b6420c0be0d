"""Other degrees than 95 %, and differences of quantiles under the same luck, against SciPy and known truths."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from conftest import Command
from scipy import stats

import mint_ledger as mint
from mint_ledger.balance.comparison import compare_games
from mint_ledger.errors import BadRequest
from mint_ledger.studies.estimate import quantile_gap

COIN = """
title: Coin
clock: {unit: turn, limit: 60}
numbers: {luck: 0.3, rise: 0.1}
stats: {pot: 0}
rules:
  - {name: falls, when: start, do: [{if: chance(luck), do: [{finish: up}]}]}
  - {name: rises, when: {every: 1}, do: [pot += 1, {if: chance(rise), do: [{finish: full}]}]}
endings:
  up: {result: win}
  full: {result: lose}
measures: {left: closing(pot)}
targets: [{name: fair, measure: rate(win), want: 0.26..0.34}]
"""


@pytest.fixture
def coin(tmp_path: Path) -> Path:
    path = tmp_path / "coin.yaml"
    path.write_text(COIN)
    return path


@pytest.mark.parametrize("sure", [0.5, 0.9, 0.99])
def test_a_study_tells_intervals_of_the_degree_that_was_asked_for(coin: Path, sure: float) -> None:
    game = mint.load(coin)
    study = game.study(1_000, sure=sure)
    wins = study.rate("win")
    told = stats.binomtest(round(1_000 * wins.value), 1_000).proportion_ci(sure, "wilson")
    assert (wins.low, wins.high) == pytest.approx((told.low, told.high), abs=1e-9)
    assert f"{100 * sure:g} % interval" in study.summary()
    usual = game.study(1_000)
    for name in ("mean(left)", "median(time)"):
        narrow, wide = sorted((study.estimate(name), usual.estimate(name)), key=lambda e: e.confidence)
        assert wide.low <= narrow.low <= narrow.high <= wide.high
    assert usual.at(sure).rate("win") == wins
    with pytest.raises(BadRequest, match="between 0 and 1"):
        game.study(100, sure=95)


def test_verdicts_sweeps_comparisons_and_tuning_ask_for_it_too(coin: Path, command: Command) -> None:
    game = mint.load(coin)
    judged = {sure: game.judge(1_500, sure=sure)[0] for sure in (0.2, 0.95, 0.999999)}
    assert judged[0.2].verdict == "met"
    assert judged[0.999999].verdict == "undecided"
    widths = [judged[sure].estimate.half_width for sure in (0.2, 0.95, 0.999999)]
    assert widths == sorted(widths)
    points = game.sweep({"luck": "0.2,0.3"}, 400, sure=0.8).points
    assert points[0].estimates["rate(win)"].confidence == 0.8
    tuned = game.tune("luck", "0.1..0.9 by 0.1", want="0.25..0.35", runs=1_000, sure=0.8)
    assert tuned.confirmed is not None
    assert tuned.confirmed.confidence == 0.8
    told = command("compare", "coin.yaml", "--with", "luck=0.4", "--sure", "0.8", "--runs", "400")
    assert "80 % interval" in told.stdout, told.stderr
    told = command("study", "coin.yaml", "--sure", "0.9", "--json")
    assert json.loads(told.stdout)["sure"] == 0.9
    assert command("study", "coin.yaml", "--sure", "90").returncode == 2


def test_quantiles_differ_by_what_their_distributions_say(coin: Path, command: Command) -> None:
    game = mint.load(coin)
    slow = game.with_dials({"rise": 0.05})
    answer = compare_games(game, slow, runs=4_000, measures=("median(left)", "quantile(left, 0.9)"))
    gaps = {d.name: d for d in answer.differences if d.name.endswith(("(left)", "0.9)"))}
    for q, name in ((0.5, "median(left)"), (0.9, "quantile(left, 0.9)")):
        # Of ten runs three end as they open; the others rise until the first that fills, or until the limit.
        shares = [0.3 + 0.7 * np.concatenate(([0.0], stats.geom.cdf(range(1, 61), rise))) for rise in (0.1, 0.05)]
        one, other = (min(int(np.searchsorted(share, q)), 60) for share in shares)
        assert gaps[name].difference.low <= other - one <= gaps[name].difference.high
        assert gaps[name].is_certain
    told = command("compare", "coin.yaml", "--with", "rise=0.05", "--measure", "median(time)")
    assert "median(time)" in told.stdout, told.stderr
    same = compare_games(game, game, runs=200, measures=("median(left)",))
    assert next(d for d in same.differences if d.name == "median(left)").is_nothing


@pytest.mark.parametrize("repeats", [8, pytest.param(100, marks=pytest.mark.night)])
def test_pairs_hold_the_difference_of_quantiles_as_often_as_they_say(repeats: int) -> None:
    luck = np.random.default_rng(8)
    held = 0
    for _ in range(repeats):
        one = luck.exponential(size=200)
        gap = quantile_gap(one.tolist(), (1.3 * one + 0.2).tolist(), 0.5)
        held += gap.low <= 0.3 * np.log(2) + 0.2 <= gap.high
    assert held >= stats.binom.ppf(0.001, repeats, 0.917)
    few = quantile_gap([1, 2, 3], [2, 3, 4], 0.99)
    assert few.high == np.inf
