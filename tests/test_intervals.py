"""Intervals hold the true value as often as they say, looked at once or again and again."""

from __future__ import annotations

import math

import numpy as np
import pytest
from scipy import special, stats

import mint_ledger as mint
from mint_ledger.balance.comparison import compare_studies
from mint_ledger.balance.targets import Judged, named_together, runs_to_decide, verdict
from mint_ledger.game.parts import Span
from mint_ledger.game.target import Target
from mint_ledger.studies import estimate
from mint_ledger.studies.intervals import Average, Ordered, Share, Turned, binomial_below
from mint_ledger.studies.student import student_within


def test_the_binomial_distribution_is_scipys() -> None:
    for n, q in ((1, 0.5), (60, 0.05), (400, 0.99), (5_000, 0.3)):
        assert binomial_below(n, q) == pytest.approx(special.bdtr(np.arange(n + 1), n, q), abs=1e-10)


@pytest.mark.parametrize("sure", [0.01, 0.5, 0.8, 0.9, 0.95, 0.99, 0.999])
def test_students_quantiles_are_scipys(sure: float) -> None:
    for freedom in (*range(1, 60), 99, 100, 499, 500, 1_999, 2_000):
        assert student_within(freedom, sure) == pytest.approx(special.stdtrit(freedom, (1 + sure) / 2), rel=1e-12)
    # The expansion that stands for them beyond.
    for freedom in (2_001, 10_000, 10**6):
        assert student_within(freedom, sure) == pytest.approx(special.stdtrit(freedom, (1 + sure) / 2), rel=1e-8)


@pytest.mark.parametrize(("count", "runs"), [(0, 400), (3, 400), (120, 400), (399, 400), (400, 400)])
def test_the_mixture_is_as_large_as_it_may_be_at_the_ends_of_its_interval(count: int, runs: int) -> None:
    low, high = Share(count, runs).ever(0.95)

    def mixture(p: float) -> float:
        a, b = 100 * p, 100 * (1 - p)
        mixed = special.betaln(a + count, b + runs - count) - special.betaln(a, b)
        return math.exp(mixed - special.xlogy(count, p) - special.xlog1py(runs - count, -p))

    for end in (low, high):
        if 0.0 < end < 1.0:
            assert mixture(end) == pytest.approx(20, rel=1e-6)
    one_look = Share(count, runs).interval(0.95)
    assert low <= one_look[0] and one_look[1] <= high
    assert low == 0.0 or count > 0
    assert high == 1.0 or count < runs


@pytest.mark.parametrize("p", [0.5, 0.05])
def test_looked_at_again_and_again_a_share_is_seldom_ever_outside(p: float) -> None:
    rng = np.random.default_rng(5)
    wrong = 0
    for _ in range(400):
        hits = np.cumsum(rng.random(8_000) < p)
        looks = [250 * 2**k for k in range(6)]
        wrong += any(not (e[0] <= p <= e[1]) for n in looks for e in [Share(int(hits[n - 1]), n).ever(0.95)])
    assert wrong / 400 < 0.06


def test_looked_at_again_and_again_a_mean_is_seldom_ever_outside() -> None:
    rng = np.random.default_rng(6)
    wrong = 0
    for _ in range(300):
        sample = rng.exponential(size=8_000)
        for n in (250, 500, 1_000, 2_000, 4_000, 8_000):
            low, high = estimate.mean_of(sample[:n].tolist()).ever()
            if not low <= 1.0 <= high:
                wrong += 1
                break
    assert wrong / 300 < 0.06


@pytest.mark.parametrize(
    ("draw", "mean", "n"),
    [
        (lambda rng, n: rng.normal(3, 2, n), 3.0, 12),
        (lambda rng, n: rng.exponential(size=n), 1.0, 30),
        (lambda rng, n: rng.lognormal(0, 1.5, n), math.exp(1.125), 400),
        (lambda rng, n: np.where(rng.random(n) < 0.002, 500.0, 0.0), 1.0, 400),
        (lambda rng, n: np.where(rng.random(n) < 0.05, 3.0, 1.0), 1.1, 100),
    ],
    ids=["normal", "exponential", "lognormal", "jackpots", "crits"],
)
def test_the_interval_of_a_mean_holds_it_skewed_or_not(draw, mean: float, n: int) -> None:  # type: ignore[no-untyped-def]
    rng = np.random.default_rng(7)
    held = 0
    for _ in range(400):
        found = estimate.mean_of(draw(rng, n).tolist())
        held += found.low <= mean <= found.high
    assert held / 400 > 0.91


def test_halls_transformation_is_as_it_is_by_hand() -> None:
    basis = Average(mean=2.0, deviation=3.0, skewness=1.2, runs=100)
    low, high = basis.interval(0.95)

    def transformed(mu: float) -> float:
        t = (2.0 - mu) / (3.0 / 10.0)
        g = 1.2 / 10.0
        return t + g * t * t / 3 + g * g * t**3 / 27 + g / 6

    t = stats.t(99).ppf(0.975)
    assert (transformed(low), transformed(high)) == pytest.approx((t, -t), abs=1e-9)


def test_where_all_runs_are_alike_nothing_is_known_of_rarer_ones() -> None:
    alike = estimate.mean_of([0.0] * 400)
    assert (alike.value, alike.low, alike.high) == (0.0, -math.inf, math.inf)
    bounded = estimate.mean_of([0.0] * 400, bounds=(0.0, 10.0))
    # By hand: something that comes up with chance p is in none of 400 runs with chance (1 - p)^400 = 0.05.
    assert (bounded.low, bounded.high) == pytest.approx((0.0, 10.0 * (1 - 0.05 ** (1 / 400))))


def test_a_long_end_that_hangs_on_a_few_runs_is_open() -> None:
    rare = estimate.mean_of([0.0] * 397 + [500.0] * 3)
    assert rare.high == math.inf and rare.low > -1.0
    assert verdict(rare, Span(0.0, 10.0, "0..10")) == "undecided"


def test_other_degrees_than_95_per_cent_can_be_asked_for() -> None:
    half = estimate.rate(30, 100)
    theirs = stats.binomtest(30, 100).proportion_ci(0.9, method="wilson")
    assert half.interval(0.9) == pytest.approx((theirs.low, theirs.high))
    assert half.at(0.9).confidence == 0.9
    assert half.interval(0.5)[0] > half.interval(0.99)[0]
    with pytest.raises(mint.BadRequest, match="between 0 and 1"):
        half.interval(95)


def test_pairs_of_which_none_differs_leave_room_for_some_that_do() -> None:
    rng = np.random.default_rng(9)
    for p in (0.0, 0.004, 0.05):
        held = 0
        for _ in range(400):
            turned = rng.random(100) < p
            found = estimate.turned_rate(int(turned.sum()), 0, 100)
            held += found.low <= p <= found.high
        assert held / 400 > 0.93, p
    assert Turned(0, 0, 100).interval(0.95)[1] > 0.02


def test_quantiles_looked_at_again_are_wider_and_have_open_ends_sooner() -> None:
    sample = np.sort(np.random.default_rng(1).random(400))
    once, ever = Ordered(sample, 0.5).interval(0.95), Ordered(sample, 0.5).ever(0.95)
    assert ever[0] < once[0] < 0.5 < once[1] < ever[1]
    assert Ordered(sample, 0.99).ever(0.95)[1] == math.inf


COIN = """
title: Coin
clock: {limit: 2}
stats: {sum: {start: 0, min: 0, max: 9}}
rules:
  - {name: toss, when: start, do: [{if: "between(0, 1) < 0.3", do: ["sum += 1", {finish: heads}]}]}
endings: {heads: {result: win}}
measures: {sums: closing(sum)}
"""


def test_a_verdict_holds_however_often_somebody_looks_again() -> None:
    want = Span(0.0, 0.35, "0..0.35")
    one_look_in, ever_over = estimate.rate(60, 200), estimate.rate(60, 200).ever()
    assert verdict(one_look_in, want) == "undecided" and ever_over[1] > 0.35
    more = runs_to_decide(one_look_in, want)
    assert more is not None and 100 <= more[0] < more[1]
    assert verdict(estimate.rate(1_200, 4_000), want) == "met"


def test_a_mean_that_no_run_can_leave_is_bounded_by_the_rules() -> None:
    game = mint.loads(COIN.replace("between(0, 1) < 0.3", "between(0, 1) < 0"))
    found = game.study(200).mean("sums")
    # Nothing is ever added, so the account lies at 0 for certain.
    assert (found.low, found.high) == (0.0, 0.0)
    rare = mint.loads(COIN.replace("< 0.3", "< 0.0005")).study(200).mean("sums")
    # One draw with a chance of 0.0005 that adds 1: the program knows it, though none of 200 runs has seen it.
    assert (rare.value, rare.low, rare.high) == pytest.approx((0.0005, 0.0005, 0.0005), abs=1e-9)


SPILLS = """
title: Spills
clock: {step: 1, limit: 20}
stats: {jug: {start: 1e6, min: 0}, calm: {start: 0, min: 0}}
rules:
  - {name: a spill, when: {every: 1}, chance: 0.02, do: ["jug -= 50 * between(0, 1) ** 4"]}
  - {name: a sip, when: {every: 1}, do: ["jug -= whole(1, 3)"]}
  - {name: a tick, when: {every: 2}, do: [calm += 1]}
"""


@pytest.mark.parametrize("engine", ["native", "reference"])
@pytest.mark.parametrize("runs", [2, 260, 300])
def test_what_a_cause_takes_has_the_interval_of_a_skewed_mean(engine: str, runs: int) -> None:
    game = mint.loads(SPILLS + "measures: {spilt: \"total(jug, 'a spill')\", sipped: \"total(jug, 'a sip')\"}\n")
    study = game.study(runs, engine=engine, accounts=["jug", "calm"])  # type: ignore[arg-type]
    table = study.by_cause("jug").set_index("cause")
    for cause, name in (("a spill", "spilt"), ("a sip", "sipped")):
        values = study.values(name)
        one = estimate.mean_of(values.tolist())
        if cause in table.index:
            row = table.loc[cause]
            assert (row["total"], row["low"], row["high"]) == pytest.approx((one.value, one.low, one.high), rel=1e-9)
    # The same to the bit, however the runs are cut into blocks and whoever plays them.
    other = game.study(runs, engine="reference" if engine == "native" else "native", accounts=["jug", "calm"])
    assert other.by_cause("jug").equals(study.by_cause("jug"))
    # All runs alike by chance or not: nothing can be said of rarer ones.
    calm = study.by_cause("calm").iloc[0]
    assert calm["total"] == 10 and calm["low"] == -math.inf and calm["high"] == math.inf


def test_a_comparison_says_in_how_many_runs_a_measure_was() -> None:
    text = """
    title: Coin
    clock: {step: 1, limit: 3}
    stats: {sum: {start: 0, min: 0, max: 9}}
    rules: [{name: toss, when: {every: 1}, do: [{if: "between(0, 1) < 0.3", do: ["sum += 1"]}]}]
    measures: {when: first_time(sum >= 1)}
    """
    one, other = mint.loads(text).study(300), mint.loads(text.replace("< 0.3", "< 0.5")).study(300)
    [found] = [d for d in compare_studies(one, other).differences if d.name == "when"]
    assert found.counts == (len(one.values("when")), len(other.values("when")), len(one.values("when")))
    assert "have it in both" in compare_studies(one, other).summary()


def test_many_targets_are_seldom_any_of_them_named_missed_wrongly() -> None:
    want = Span(0.0, 0.3, "0..0.3")

    def judged(count: int) -> Judged:
        found = estimate.rate(count, 400)
        target = Target.model_validate({"name": f"t{count}", "measure": "rate(win)", "want": "0..0.3"})
        return Judged(target, None, found, verdict(found, want))

    # By itself 150 of 400 is certainly more than 0.3; among thirty others it could be the worst of many lucky ones.
    alone, crowd = named_together([judged(150)]), named_together([judged(150), *[judged(120)] * 30])
    assert alone[0].verdict == "missed" and crowd[0].verdict == "undecided"
    assert named_together([judged(220), *[judged(120)] * 30])[0].verdict == "missed"


def test_what_a_script_sets_is_not_bounded_by_what_the_rules_let_through() -> None:
    text = (
        COIN
        + """
playtests:
  far up:
    script: [{at: 1, set: sum = 7}]
    expect: [{in: 50 runs, that: "6.5 <= mean(sums) <= 7.5"}]
"""
    )
    game = mint.loads(text.replace("between(0, 1) < 0.3", "between(0, 1) < 0"))
    [result] = game.play_tests()
    assert result.passed, result.found
