"""Studies: against closed forms and SciPy; and the same numbers however they are played."""

from __future__ import annotations

import itertools
import math
import re
import signal
import sqlite3
import subprocess
import sys
import threading
import time
from concurrent.futures import ProcessPoolExecutor, ThreadPoolExecutor
from multiprocessing import get_context
from pathlib import Path

import numpy as np
import pytest
from conftest import heed_ctrl_c
from scipy import stats

import mint_ledger as mint
from mint_ledger.demo import demo_text
from mint_ledger.studies import estimate, intervals
from mint_ledger.studies.beta import beta_below, beta_quantile
from mint_ledger.studies.making import parse_until
from mint_ledger.studies.study import Study

# Each second a candle goes out with 0.2; nobody waits longer than five seconds.
CANDLE = """
mint_ledger: 1
title: Candle
clock: {step: 0.5, limit: 5}
stats: {out: {start: 0, max: 1}}
rules: [{name: a draught, when: {every: 1}, chance: 0.2, do: [out += 1]}]
endings: {dark: {result: lose, if: out >= 1}}
"""


@pytest.mark.parametrize(("count", "runs"), [(0, 10), (3, 10), (10, 10), (581, 1000), (1, 1)])
def test_intervals_of_rates_are_scipys(count: int, runs: int) -> None:
    ours = estimate.rate(count, runs)
    few = min(count, runs - count) < 30
    theirs = stats.binomtest(count, runs).proportion_ci(0.95, method="exact" if few else "wilson")
    assert ours.method == ("Clopper and Pearson" if few else "Wilson")
    assert (ours.low, ours.high) == pytest.approx((theirs.low, theirs.high), abs=1e-11)


@pytest.mark.parametrize("sure", [0.9, 0.95, 0.99])
@pytest.mark.parametrize("runs", [50, 100, 400])
def test_a_rate_is_held_as_often_as_its_interval_says_however_few_the_events(runs: int, sure: float) -> None:
    # No sampling: the chance of each count is binomial.
    ends = [intervals.share_ends(count, runs, sure) for count in range(runs + 1)]
    low, high = np.array(ends).T
    for share in np.geomspace(0.02, runs / 2, 200) / runs:
        chances = stats.binom.pmf(np.arange(runs + 1), runs, share)
        assert chances[(low <= share) & (share <= high)].sum() >= sure - 0.02


def test_beta_quantiles_are_scipys() -> None:
    for a, b in itertools.product((0.5, 1.0, 3.7, 400.5), (0.7, 30.0, 2_000.0)):
        for chance in (0.005, 0.025, 0.5, 0.975):
            assert beta_quantile(chance, a, b) == pytest.approx(stats.beta.ppf(chance, a, b), rel=1e-8, abs=1e-14)
            assert beta_below(0.3, a, b) == pytest.approx(stats.beta.cdf(0.3, a, b), rel=1e-9, abs=1e-200)


def test_a_rare_difference_of_one_either_way_is_held_by_its_interval() -> None:
    # At n = 100 with +1 and -1 in one of a hundred each, the chance of each pair of counts is multinomial.
    held = 0.0
    for up, down in itertools.product(range(9), repeat=2):
        values = [1.0] * up + [-1.0] * down + [0.0] * (100 - up - down)
        found = estimate.mean_of(values, paired=True)
        chance = stats.multinomial.pmf([up, down, 100 - up - down], 100, [0.01, 0.01, 0.98])
        held += float(chance) * (found.low <= 0.0 <= found.high)
    assert held >= 0.93


def test_the_interval_of_a_mean_is_scipys() -> None:
    half = stats.norm(2).rvs(30, random_state=4)
    sample = np.concatenate((half, 4 - half))  # without any skewness
    ours = estimate.mean_of(sample.tolist())
    theirs = stats.ttest_1samp(sample, 0).confidence_interval(0.95)
    assert (ours.low, ours.high) == pytest.approx((theirs.low, theirs.high), rel=1e-9)
    off = sample - sample.mean()
    raw = estimate.mean(float(sample.sum()), float((off**2).sum()), float((off**3).sum()), 60)
    assert (raw.low, raw.high) == pytest.approx((theirs.low, theirs.high), rel=1e-9)
    skewed = np.exp(half)
    off, whole = skewed - skewed.mean(), estimate.mean_of(skewed.tolist())
    raw = estimate.mean(float(skewed.sum()), float((off**2).sum()), float((off**3).sum()), 30)
    assert (raw.low, raw.high) == pytest.approx((whole.low, whole.high), rel=1e-9)


def test_the_interval_of_a_quantile_holds_the_true_one_as_often_as_it_says() -> None:
    rng = np.random.default_rng(8)
    for q in (0.1, 0.5, 0.9):
        held = 0
        for _ in range(400):
            found = estimate.quantile(rng.random(80).tolist(), q)
            held += found.low <= q <= found.high
        assert held / 400 > 0.93, q


def test_survival_is_the_geometric_law_and_those_at_the_limit_are_censored() -> None:
    study = mint.loads(CANDLE).study(4_000, seed=2)
    curve = study.survival().set_index("time")
    for second in (1, 2, 3, 4):
        row = curve.loc[float(second)]
        assert row["low"] - 0.01 < 0.8**second < row["high"] + 0.01
        assert row["going"] == (study.measures["time"] > second).mean() or second == 4
    assert study.rate("unfinished").value == pytest.approx(0.8**5, abs=0.03)
    assert curve["going"].min() == pytest.approx(study.rate("unfinished").value)


@pytest.mark.parametrize("processes", [False, pytest.param(True, marks=pytest.mark.slow)])
def test_both_engines_and_every_way_to_play_give_the_same_numbers(processes: bool) -> None:
    game = mint.loads(demo_text())
    options = {
        "seed": 4,
        "habit": "careful",
        "measures": ["keeper.health", "hits(pincer)"],
        "times": [0, 9, 17.05],
        "dials": {"clock.limit": 18},
    }
    alone = game.study(120, engine="native", **options)  # type: ignore[arg-type]
    with ThreadPoolExecutor(3) as threads:
        others = [
            game.study(120, engine="reference", **options),  # type: ignore[arg-type]
            game.study(120, engine="native", executor=threads, **options),  # type: ignore[arg-type]
            game.study(120, **options),  # type: ignore[arg-type]
        ]
    if processes:
        with ProcessPoolExecutor(2, mp_context=get_context("spawn")) as pool:
            others.append(game.study(120, engine="native", executor=pool, **options))  # type: ignore[arg-type]
    for other in others:
        assert_same_study(alone, other)


def test_a_process_with_threads_is_not_copied(monkeypatch: pytest.MonkeyPatch) -> None:
    """A copy would wait without end for a lock that another thread (a compiling one) holds at that moment."""

    def forks(*_: object, **__: object) -> None:
        raise AssertionError("a process was made while a thread was at work")

    game, over = mint.loads(CANDLE), threading.Event()
    alone = game.study(150, engine="reference")
    at_work = threading.Thread(target=over.wait)
    at_work.start()
    monkeypatch.setattr("concurrent.futures.ProcessPoolExecutor", forks)
    try:
        assert_same_study(alone, game.study(150, engine="reference"))
    finally:
        over.set()
        at_work.join()


def assert_same_study(one: Study, other: Study) -> None:
    assert one.measures.equals(other.measures)
    assert np.array_equal(one.sums, other.sums)
    assert np.array_equal(one.samples, other.samples, equal_nan=True)


def test_a_longer_study_begins_with_the_runs_of_a_shorter_one() -> None:
    game = mint.loads(demo_text())
    short, long = game.study(70, habit="reckless"), game.study(130, habit="reckless")
    assert long.measures[:70].equals(short.measures)
    run = game.run(seed=1, run=123, habit="reckless")
    row = long.measures.loc[123]
    assert (row["result"], row["ending"], row["time"]) == (run.result, run.ending, run.time)


def test_a_study_goes_on_until_its_interval_is_narrow() -> None:
    study = mint.loads(CANDLE).study(100, until="rate(lose) ±0.01")
    assert study.rate("lose").half_width <= 0.01
    assert study.runs > 5_000 and "runs were played" in study.summary()
    assert study.rate("lose").low < 1 - 0.8**5 < study.rate("lose").high
    same = mint.loads(CANDLE).study(study.runs)
    assert study.measures.equals(same.measures)


def test_what_a_width_may_look_like() -> None:
    assert parse_until("±0.01").measure == "rate(win)" and parse_until(0.02).half_width == 0.02
    assert parse_until("mean(time) ±0.5").measure == "mean(time)"
    for text in ("", "±0", "narrow", "±-1", "±nan"):
        with pytest.raises(mint.BadRequest, match="width"):
            parse_until(text)


def test_estimates_by_their_text() -> None:
    study = mint.loads(CANDLE).study(400)
    assert study.estimate("rate(lose)") == study.rate("lose")
    assert study.estimate('rate("dark")') == study.rate("dark")
    assert study.estimate("quantile(time, 0.9)") == study.quantile("time", 0.9)
    assert study.estimate("mean(time)").value == pytest.approx(float(study.measures["time"].mean()))
    for text, words in (
        ("rate(winn)", "did you mean 'win'"),
        ("mean(tme)", "did you mean 'time'"),
        ("time", "estimate"),
    ):
        with pytest.raises(mint.MintError, match=words):
            study.estimate(text)


@pytest.mark.parametrize(
    ("options", "words"),
    [
        ({"runs": 0}, "1 to"),
        ({"runs": -3}, "1 to"),
        ({"runs": 2, "engine": "fast"}, "no engine 'fast'"),
        ({"runs": 2, "accounts": ["owt"]}, "owt"),
        ({"runs": 2, "accounts": ["out"], "times": [3, 1]}, "go up"),
        ({"runs": 2, "measures": {"time": "closing(out)"}}, "column of every study"),
        ({"runs": 2, "habit": "wild"}, "no habit"),
    ],
)
def test_a_study_that_makes_no_sense_is_refused(options: dict, words: str) -> None:
    with pytest.raises(mint.MintError, match=words):
        mint.loads(CANDLE).study(**options)


def test_ctrl_c_stops_a_long_study_within_half_a_second(tmp_path: Path) -> None:
    path = tmp_path / "saltmere.yaml"
    path.write_text(demo_text(), "utf-8")
    mint.load(path).study(60, habit="careful", engine="native")  # so that it is compiled
    store = tmp_path / "nights.sqlite"
    command = [sys.executable, "-m", "mint_ledger.cli.main", "study", str(path), "--runs", "5000000"]
    options = ["--habit", "careful", "--engine", "native", "--store", str(store)]
    process = subprocess.Popen(
        [*command, *options], stderr=subprocess.PIPE, text=True, cwd=tmp_path, preexec_fn=heed_ctrl_c
    )
    for _ in range(1_200):
        time.sleep(0.1)
        if store.exists() and store.with_name("nights.sqlite-wal").exists() and _has_runs(store):
            break
    assert process.poll() is None
    process.send_signal(signal.SIGINT)
    _, told = process.communicate(timeout=20)
    assert process.returncode == 130 and "interrupted" in told and "Traceback" not in told


def _has_runs(store: Path) -> bool:
    try:
        with sqlite3.connect(store) as connection:
            return bool(connection.execute("select count(*) from blocks").fetchone()[0])
    except sqlite3.Error:
        return False


def test_a_million_runs_are_held_in_a_few_bytes_each() -> None:
    study = mint.loads(CANDLE).study(200_000, accounts=[])
    assert study.measures.memory_usage(deep=True).sum() / study.runs < 20


def test_figures_are_drawn_and_can_be_gone_on_with() -> None:
    study = mint.loads(demo_text()).study(60, habit="careful", times=list(range(0, 200, 5)))
    for figure in (study.plot_outcomes(), study.plot_survival(), study.plot_bands(), study.plot_causes()):
        assert figure.axes and all(axis.get_xlabel() for axis in figure.axes[-1:])
    with pytest.raises(mint.BadRequest, match="times="):
        mint.loads(CANDLE).study(3).plot_bands()


def test_quiet_steps_are_few_in_a_quiet_game() -> None:
    study = mint.loads(demo_text()).study(50, habit="careful", engine="native")
    finer = mint.loads(demo_text()).study(50, habit="careful", engine="native", dials={"clock.step": 0.005})
    assert study.visited < 0.3 * study.steps
    assert finer.steps > 9 * study.steps and finer.visited < 2 * study.visited


def test_the_worst_runs_are_named() -> None:
    game = mint.loads(demo_text())
    study = game.study(80, habit="careful", measures={"left": "closing(keeper.health)"})
    worst = study.worst("left", 3)
    assert len(worst) == 3 and worst["left"].is_monotonic_increasing
    assert worst["left"].iloc[0] == study.measures["left"].min()
    run = game.run(seed=1, run=int(worst.index[0]), habit="careful")
    assert run.at(run.time)["keeper.health"] == worst["left"].iloc[0]


def test_auto_takes_the_reference_engine_where_compiling_would_take_longer(
    monkeypatch: pytest.MonkeyPatch, tmp_path: Path
) -> None:
    monkeypatch.setenv("MINT_LEDGER_CACHE", str(tmp_path))
    # A busy machine may take its time over twenty runs.
    monkeypatch.setattr("mint_ledger.studies.playing.compiling_takes", lambda _: 120.0)
    study = mint.loads(CANDLE.replace("0.2", "0.21")).study(20)
    assert study.steps == study.visited and not list(tmp_path.iterdir())
    assert math.isfinite(study.mean("time").half_width)


def test_a_user_without_a_cache_folder_can_still_study(monkeypatch: pytest.MonkeyPatch, tmp_path: Path) -> None:
    (tmp_path / "file").write_text("in the way", "utf-8")
    monkeypatch.setenv("MINT_LEDGER_CACHE", str(tmp_path / "file" / "deeper"))
    assert mint.loads(CANDLE.replace("0.2", "0.23")).study(60, engine="native").runs == 60
    assert [path.name for path in tmp_path.iterdir()] == ["file"]


@pytest.mark.parametrize(("q", "n"), [(0.5, 10), (0.9, 40), (0.99, 100), (0.99, 400), (0.999, 4_000), (0.05, 30)])
def test_a_quantile_that_so_many_runs_cannot_tell_has_an_open_end(q: float, n: int) -> None:
    rng = np.random.default_rng(21)
    held = 0
    for _ in range(400):
        found = estimate.quantile(rng.exponential(size=n).tolist(), q)
        held += found.low <= -np.log(1 - q) <= found.high
        # By hand: the largest of n values is above the quantile with the chance 1 - q^n.
        assert np.isinf(found.high) == (1 - q**n < 0.975)
        assert np.isinf(found.low) == (1 - (1 - q) ** n < 0.975)
    assert held / 400 >= 0.93


def test_an_open_end_is_told_in_words_and_decides_nothing() -> None:
    text = "clock: {unit: turn, limit: 1}\nstats: {a: 0}\nrules: [{name: d, when: {every: 1}, do: ['a = between(0, 1)']}]\n"
    targets = "targets: [{name: small, measure: 'quantile(closing(a), 0.99)', want: 0..0.985}]"
    game = mint.loads(text + targets)
    # The true quantile is 0.99, so it is never met; a hundred runs cannot say that it is missed either.
    verdicts = {game.judge(100, seed)[0].verdict for seed in range(1, 21)}
    assert "met" not in verdicts and "undecided" in verdicts
    study = game.study(100, measures=["closing(a)"])
    assert study.quantile("closing(a)", 0.99).high == float("inf")
    from mint_ledger.views.balance_text import told

    assert told("quantile(closing(a), 0.99)", study.quantile("closing(a)", 0.99)).endswith(" and up)")


def test_times_have_no_more_decimals_than_they_say_something_with() -> None:
    ferries = mint.load(Path(__file__).parent.parent / "examples" / "ferry_toll.yaml")
    lines = [line for line in ferries.study(60).summary().splitlines() if "are over by" in line]
    numbers = [re.findall(r"\d+\.?\d*", line) for line in lines]
    # They end after whole turns, so a quantile is whole or between two; so many runs would give each a decimal.
    assert [len(found) for found in numbers] == [3, 3, 3]
    assert not any(all(re.search(r"\.\d*0$", number) for number in found) for found in numbers)
    assert sum(all("." not in number for number in found) for found in numbers) >= 2
