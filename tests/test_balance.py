"""Targets, sweeps, comparisons and tuning, on games whose answers are known."""

from __future__ import annotations

import json
from collections.abc import Callable
from pathlib import Path

import pytest
from conftest import Command
from scipy import stats

import mint_ledger as mint
from mint_ledger.balance.comparison import compare_games, compare_studies
from mint_ledger.balance.dial_range import read_bounds, read_range
from mint_ledger.balance.targets import verdict
from mint_ledger.errors import BadRequest, GameError, NotFound, Partial
from mint_ledger.game.parts import parse_span
from mint_ledger.lowering.patched import with_number
from mint_ledger.studies.estimate import Estimate

# Won with the chance that the dial says.
COIN = """
title: Coin
clock: {step: 1, limit: 3}
numbers: {luck: 0.3}
stats: {heads: {start: 0, min: 0, max: 1, whole: true}}
rules:
  - {name: the toss, when: {every: 1}, at_most: 1, if: chance(luck), do: [heads = 1]}
endings:
  heads: {result: win, if: heads == 1}
  tails: {result: lose, if: time >= 1}
targets:
  - {name: one in three, measure: rate(win), want: 0.25..0.35}
  - {name: mostly heads, measure: rate(win), want: 0.6..0.9, weight: 2}
  - {name: on the edge, measure: rate(win), want: 0.3..0.4}
"""
# Won after as many hits as it takes: of 1 damage each second against health.
POST = """
title: Post
clock: {step: 0.5, limit: 500}
kinds:
  post: {stats: {health: {start: 20, min: 0}}}
  ram: {stats: {weight: 2}}
attacks: {butts: {from: ram, to: post, when: {every: 1}, damage: self.weight}}
endings: {down: {result: win, if: post.health <= 0}}
"""


@pytest.fixture
def coin() -> mint.Game:
    return mint.loads(COIN, "coin.yaml")


@pytest.fixture
def post() -> mint.Game:
    return mint.loads(POST, "post.yaml")


def test_a_target_is_met_missed_or_undecided_and_never_more_certain_than_its_interval(coin: mint.Game) -> None:
    verdicts = {judged.target.name: judged.verdict for judged in coin.judge(runs=2_000)}
    assert verdicts == {"one in three": "met", "mostly heads": "missed", "on the edge": "undecided"}
    for judged in coin.judge(runs=2_000):
        exact = stats.binomtest(round(judged.estimate.value * 2_000), 2_000).proportion_ci(method="wilson")
        assert (judged.estimate.low, judged.estimate.high) == pytest.approx((exact.low, exact.high))
    assert {j.verdict for j in coin.judge(runs=20, only=["one in three"])} == {"undecided"}


@pytest.mark.parametrize(
    ("low", "high", "want", "said"),
    [
        (0.4, 0.5, "0.3..0.6", "met"),
        (0.4, 0.5, "0.5..0.6", "undecided"),
        (0.4, 0.5, "0.51..0.6", "missed"),
        (0.4, 0.5, "..0.39", "missed"),
        (0.4, 0.5, "0.2..", "met"),
        (0.4, 0.4, "0.4", "met"),
    ],
)
def test_verdicts(low: float, high: float, want: str, said: str) -> None:
    assert (
        verdict(Estimate((low + high) / 2, low, high, 9, ""), parse_span(float(want) if want == "0.4" else want))
        == said
    )


def test_a_target_without_a_habit_is_wanted_of_every_habit(demo: mint.Game) -> None:
    text = (
        demo.to_yaml().partition("targets:")[0] + "targets: [{name: an hour, measure: median(time), want: 100..230}]\n"
    )
    judged = mint.loads(text).judge(runs=100)
    assert [one.habit for one in judged] == ["careful", "reckless"]


@pytest.mark.parametrize(
    ("target", "message"),
    [
        ("{name: a, measure: win, want: 0..1}", "wants an estimate like rate"),
        ("{name: a, measure: rate(win), want: 1..0}", "runs backwards"),
        ("{name: a, measure: rate(win)}", "'want' is missing"),
        ("{measure: rate(win), want: 0..1}", "'name' is missing"),
        ("{name: a, measure: rate(win), want: 0..1, habit: bold}", "unknown habit 'bold'"),
        ("{name: a, measure: rate(win), want: 0..1, weight: -1}", "greater than 0"),
    ],
)
def test_faults_of_targets_stand_at_their_lines(target: str, message: str) -> None:
    text = COIN.partition("targets:")[0] + f"targets:\n  - {target}\n"
    with pytest.raises(GameError, match=message) as caught:
        mint.loads(text)
    assert caught.value.faults[0].place.line == text.count("\n")


@pytest.mark.parametrize(
    ("text", "today", "values"),
    [
        ("4..7", 5, [4, 5, 6, 7]),
        ("4..12 by 4", 5, [4, 8, 12]),
        ("0..1", 0.5, [0, 0.125, 0.25, 0.375, 0.5, 0.625, 0.75, 0.875, 1]),
        ("80,100,120", 90, [80, 100, 120]),
        ("±20%", 50, [40, 45, 50, 55, 60]),
        ("±10% by 10%", 50, [45, 50, 55]),
        ("-2..-1 by 0.5", 0, [-2, -1.5, -1]),
        ("7", 1, [7]),
    ],
)
def test_ranges_of_a_dial(text: str, today: float, values: list[float]) -> None:
    assert read_range(text, today) == pytest.approx(values)


@pytest.mark.parametrize(
    "text", ["", "4..", "9..4", "4..9 by 0", "a,b", "4..9 by -1", "0..1e9 by 0.001", "nan..4", "nan", "1,inf"]
)
def test_what_is_no_range_is_refused(text: str) -> None:
    with pytest.raises(BadRequest):
        read_range(text, 5)


def test_the_bounds_of_a_dial_have_a_step() -> None:
    assert read_bounds("1..30", 12) == (1, 30, 1)
    assert read_bounds("0..0.5", 0.1) == (0, 0.5, 0.005)
    assert read_bounds("0..1 by 0.05", 0.1) == (0, 1, 0.05)
    with pytest.raises(BadRequest, match="one value"):
        read_bounds("4", 4)
    with pytest.raises(BadRequest, match="today's value, which is 0"):
        read_range("±20%", 0)


def test_a_sweep_has_the_closed_form_at_every_point(post: mint.Game) -> None:
    sweep = post.sweep({"ram.weight": "1..5", "post.health": [10, 20]}, runs=3, measures=["median(time)", "rate(win)"])
    assert len(sweep.points) == 10
    for point in sweep.points:
        hits = -(-point.dials["post.health"] // point.dials["ram.weight"])
        assert point.estimates["median(time)"].value == hits
        assert point.estimates["rate(win)"].value == 1.0
    table = sweep.table()
    assert list(table.columns)[:3] == ["ram.weight", "post.health", "median(time)"]
    assert "← today" in sweep.summary()
    assert sweep.plot().axes and post.sweep({"ram.weight": "1..3"}, runs=3).plot().axes


def test_points_of_a_sweep_meet_the_same_luck(coin: mint.Game) -> None:
    sweep = coin.sweep({"luck": "0..1 by 0.1"}, runs=400)
    rates = [point.estimates["rate(win)"].value for point in sweep.points]
    # A run won with less luck is won with more, so the line cannot fall.
    assert rates == sorted(rates)
    assert (rates[0], rates[-1]) == (0.0, 1.0)
    alone = coin.with_dials({"luck": 0.4}).study(400).rate("win").value
    assert rates[4] == alone
    assert [p.meets_all for p in sweep.points] == [False] * 11


def test_many_dials_are_spread_over_their_ranges(post: mint.Game) -> None:
    sweep = post.sweep({"ram.weight": "1..9", "post.health": "10..50"}, runs=2, points=8, spread="sobol")
    assert len(sweep.points) == 8
    assert all(1 <= p.dials["ram.weight"] <= 9 and 10 <= p.dials["post.health"] <= 50 for p in sweep.points)
    # One point in each half of each dial, four times over: what makes the sequence even.
    assert sum(p.dials["ram.weight"] < 5 for p in sweep.points) == 4
    with pytest.raises(BadRequest, match="spread 'latin' or 'sobol'"):
        post.sweep({"ram.weight": "1..9"}, runs=2, points=8, spread="even")


def test_a_sweep_is_kept_and_not_played_again(coin: mint.Game, tmp_path: Path) -> None:
    store = tmp_path / "coin.sqlite"
    first = coin.sweep({"luck": [0.2, 0.4]}, runs=100, store=store)
    size = store.stat().st_size
    again = coin.sweep({"luck": [0.2, 0.4]}, runs=100, store=store)
    assert again.as_json() == first.as_json()
    assert store.stat().st_size == size


def test_a_comparison_is_paired(coin: mint.Game) -> None:
    one, other = coin.study(2_000), coin.with_dials({"luck": 0.32}).study(2_000)
    compared = compare_studies(one, other)
    wins = compared.differences[0]
    gain = other.rate("win").value - one.rate("win").value
    assert wins.difference.value == pytest.approx(gain)
    # Under the same luck only those runs differ that the two hundredths decide: all of them turn to wins.
    assert compared.turned == (("lose", "win", round(gain * 2_000)),)
    # By hand, after Bonett and Price: one run more on each side, of two more.
    more, less = (gain * 2_000 + 1) / 2_002, 1 / 2_002
    half = 1.96 * ((more + less - (more - less) ** 2) / 2_002) ** 0.5
    assert (wins.difference.low, wins.difference.high) == pytest.approx(
        (more - less - half, more - less + half), rel=1e-3
    )
    assert wins.is_certain
    unpaired = 1.96 * sum(r.value * (1 - r.value) / 2_000 for r in (one.rate("win"), other.rate("win"))) ** 0.5
    assert wins.difference.half_width < unpaired / 4
    assert compared.changed_dials == (("luck", 0.3, 0.32),)
    with pytest.raises(BadRequest, match="same seed"):
        compare_studies(one, coin.study(100))


def test_the_first_turned_run_shows_where_its_journals_part(post: mint.Game) -> None:
    weaker = mint.loads(POST.replace("down: {", "dusk: {result: lose, if: time >= 12}, down: {"))
    compared = compare_games(post, weaker.with_dials({"ram.weight": 1}), runs=20)
    parting = compared.parting
    assert parting is not None
    # From the first hit on 2 are taken in the one and 1 in the other, which only repeats the change. The tenth hit
    # defeats in the one alone: both hit up to then, and nothing else happens in only one of them.
    assert (parting.run, parting.results, parting.amounts_from) == (0, ("win", "lose"), 1.0)
    assert parting.time == 10.0
    assert "gone" in parting.one[0] or "the end" in parting.one[0]
    assert compared.as_json()["parting"]["amounts_from"] == 1.0
    assert "ram.weight" in compared.summary()


def test_tuning_finds_all_values_that_meet_a_target_in_closed_form(post: mint.Game) -> None:
    # ceil(20 / weight) hits, one a second: 4 to 7 seconds are 3 (7 hits), 4 (5), 5 and 6 (4).
    tuned = post.tune("ram.weight", "1..20", "median(time)", "4..7", runs=400)
    assert tuned.sure == tuned.possible == (3, 6)
    assert (tuned.best, tuned.verdict) == (4, "met")
    assert tuned.confirmed is not None and tuned.confirmed.value == 5.0


@pytest.mark.slow
def test_tuning_reports_an_interval_that_holds_the_true_value(coin: mint.Game) -> None:
    held = 0
    for seed in range(20):
        tuned = coin.tune("luck", "0..1 by 0.01", "rate(win)", 0.42, runs=2_000, seed=seed)
        assert tuned.possible is not None
        held += tuned.possible[0] - 1e-9 <= 0.42 <= tuned.possible[1] + 1e-9
        assert tuned.possible[1] - tuned.possible[0] < 0.08
    # At 93 in 100 the chance of 15 or fewer of 20 is 1 in 100.
    assert held >= 16


def test_a_target_out_of_reach_names_the_nearest_value_and_what_is_in_the_way(post: mint.Game) -> None:
    tuned = post.tune("ram.weight", "1..5", "median(time)", "1..3", runs=400)
    assert not tuned.reached
    assert (tuned.best, tuned.stopped_by) == (5, "the bound 5")
    assert "It was met at none of 5 values" in tuned.summary()
    assert "It only falls as ram.weight goes up, and the bound 5 is in the way." in " ".join(tuned.summary().split())
    between = post.tune("ram.weight", "1..20 by 1", "median(time)", "8..9", runs=400)
    assert not between.reached
    assert "it jumps; no value between was found" in " ".join(between.summary().split())
    assert [(jump.below.value, jump.above.value) for jump in between.jumps] == [(2, 3)]


def test_a_dial_that_no_longer_moves_the_estimate_is_not_said_to_end_at_a_bound() -> None:
    """A guest who eats what is on the table, 6 at most: from 6 on nothing depends on how much is baked."""
    text = """
    clock: {unit: turn, limit: 5}
    stats: {baked: {start: 2}, eaten: 0}
    rules: [{when: start, do: ["eaten += min(baked, 6) * whole(0, 1)"]}]
    endings: {full: {result: win, if: eaten >= 7}}
    measures: {meal: closing(eaten)}
    """
    tuned = mint.loads(text).tune("baked", "1..20", "mean(meal)", "8..9", runs=400)
    assert (tuned.way, tuned.stopped_by, tuned.best, tuned.still) == ("rises", "", 6, (6, 20))
    said = " ".join(tuned.summary().split())
    assert "No value from 6 to 20 changes it: try another dial." in said and "in the way" not in said


def test_tuning_stops_with_the_best_so_far(coin: mint.Game) -> None:
    tuned = coin.tune("luck", "0..1", "rate(win)", "0.4..0.5", runs=2_000, seconds=0.0)
    assert tuned.interrupted
    assert tuned.confirmed is None
    assert "Stopped before it was done" in tuned.summary()


@pytest.mark.parametrize(
    ("dial", "bounds", "measure", "want", "error"),
    [
        ("lukc", "0..1", "rate(win)", "0.4..0.5", NotFound),
        ("luck", "1..0", "rate(win)", "0.4..0.5", BadRequest),
        ("luck", "0..1", "win", "0.4..0.5", BadRequest),
        ("luck", "0..1", "rate(win)", "0.5..0.4", BadRequest),
        ("luck", "0..1", "rate(win)", "half", BadRequest),
        ("luck", "0..1", "rate(wins)", "0.4..0.5", NotFound),
    ],
)
def test_what_cannot_be_tuned_is_refused(
    coin: mint.Game, dial: str, bounds: str, measure: str, want: str, error: type
) -> None:
    with pytest.raises(error):
        coin.tune(dial, bounds, measure, want, runs=400)


def test_a_number_is_written_and_all_else_left_as_it_was(demo: mint.Game) -> None:
    before = demo.source.text.splitlines()
    for dial, value, line in (
        ("cudgel.crit.chance", 0.25, "    crit: {chance: 0.25, times: 2}"),
        ("crab.bite", 9, "  crab: {like: foe, copies: 3, room: 5, stats: {bite: 9}}"),
        ("keeper.footing", 70, "      footing:  70"),
        ("keeper.health.recover", 1, None),
        (
            "stair_limit",
            7.5,
            "  stair_limit: 7.5                   # metres per second a landing may have before it hurts",
        ),
    ):
        if line is None:
            with pytest.raises(NotFound):
                with_number(demo, dial, value)
            continue
        after = with_number(demo, dial, value).text.splitlines()
        changed = [(a, b) for a, b in zip(before, after, strict=True) if a != b]
        assert [new for _, new in changed] == [line]
        assert mint.loads("\n".join(after) + "\n").dials.value(dial) == value
    calm = with_number(demo, "pincer.lands", 0.5, "calm").text
    assert "  calm: {crab.bite: 11, oil_can.amount: 20, pincer.lands: 0.5}" in calm.splitlines()
    with pytest.raises(BadRequest, match="no variant 'wild'"):
        with_number(demo, "pincer.lands", 0.5, "wild")


def test_the_commands_agree_with_the_library(command: Command, tmp_path: Path, coin: mint.Game) -> None:
    (tmp_path / "coin.yaml").write_text(COIN, "utf-8")
    judged = command("targets", "coin.yaml", "--runs", 2000)
    assert judged.returncode == 1
    assert "1 of 3 targets are met" in judged.stdout
    swept = json.loads(command("sweep", "coin.yaml", "--dial", "luck=0.2,0.4", "--runs", 200, "--json").stdout)
    assert swept.pop("origin")["command"] == "sweep"
    assert swept == coin.sweep({"luck": [0.2, 0.4]}, runs=200).as_json()
    compared = command("compare", "coin.yaml", "--with", "luck=0.6", "--runs", 300)
    assert "lose → win" in compared.stdout and "luck=0.6" in compared.stdout
    tuned = command("tune", "coin.yaml", "--dial", "luck=0..1", "--target", "mostly heads", "--runs", 500, "--write")
    assert tuned.returncode == 0, tuned.stderr
    written = mint.load(tmp_path / "coin.yaml").numbers["luck"]
    assert 0.62 < written < 0.88
    assert f"+numbers: {{luck: {written:g}}}" in tuned.stdout
    for text in (judged.stdout, compared.stdout, tuned.stdout):
        assert max(map(len, text.splitlines())) <= 80


@pytest.mark.parametrize(
    ("arguments", "message"),
    [
        (["sweep", "--dial", "lukc=0..1"], "did you mean 'luck'"),
        (["sweep", "--dial", "luck"], "wants NAME=VALUE"),
        (["sweep", "--dial", "luck=1..0"], "runs backwards"),
        (["compare"], "compare wants another game file"),
        (["compare", "--with", "habit=bold"], "there is no habit 'bold'"),
        (["tune", "--dial", "luck=0..1"], "tune wants --target NAME"),
        (["tune", "--dial", "luck=0..1", "--target", "mostly head"], "did you mean 'mostly heads'"),
        (["targets", "--only", "fair"], "there is no target 'fair'"),
    ],
)
def test_bad_arguments_are_one_line(command: Command, tmp_path: Path, arguments: list[str], message: str) -> None:
    (tmp_path / "coin.yaml").write_text(COIN, "utf-8")
    result = command(arguments[0], "coin.yaml", *arguments[1:])
    assert result.returncode == 2
    assert message in result.stderr
    assert "Traceback" not in result.stderr


def test_a_comparison_that_is_stopped_has_the_runs_that_both_were_played(demo: mint.Game) -> None:
    calls: list[int] = []

    def stop_after(calls_in_all: int) -> Callable[[int, int], None]:
        def progress(done: int, _: int) -> None:
            calls.append(done)
            if len(calls) == calls_in_all:
                raise KeyboardInterrupt

        return progress

    other = demo.with_dials({"crab.bite": 9})
    habits = ("careful", "careful")
    whole = compare_games(demo, other, runs=300, habits=habits, progress=stop_after(10**6))
    blocks = len(calls)  # of both games
    calls.clear()
    with pytest.raises(Partial, match=r"stopped after \d+ of 300 runs") as stopped:
        compare_games(demo, other, runs=300, habits=habits, progress=stop_after(blocks - 1))
    part = stopped.value.answer
    assert part.runs == calls[-1] < 300
    assert part.differences == compare_games(demo, other, runs=part.runs, habits=habits).differences
    assert part.differences != whole.differences
    calls.clear()
    with pytest.raises(KeyboardInterrupt, match="stopped after"):
        compare_games(demo, other, runs=300, habits=habits, progress=stop_after(2))
