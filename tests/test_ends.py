"""Where and why runs end: against games whose answers are known by hand, in closed form, or from the journals."""

from __future__ import annotations

import json
import math
from pathlib import Path

import numpy as np
import pytest
from conftest import run_command
from scipy.stats import binomtest

import mint_ledger as mint
from mint_ledger.errors import Partial
from mint_ledger.studies.estimate import clustered_share, ratio

# Three blows end it; each is a knock with chance 0.3, else a nudge.
BLOWS = """
title: Blows
clock: {step: 0.5, limit: 30}
kinds: {bell: {stats: {tin: {start: 3, min: 0}}}}
rules:
  - name: swings
    when: {every: 2}
    do: [{if: chance(0.3), named: knock, do: ["bell.tin -= 1"], else: [{cue: nudged}]}]
  - {name: nudge, when: {cue: nudged}, do: ["bell.tin -= 1"]}
endings: {cracked: {result: lose, if: bell.tin <= 0}}
"""
# Each run draws once who takes both of its lives.
LIVES = """
title: Two lives
clock: {step: 1, limit: 40}
stats: {by_night: {start: "whole(0, 1)"}}
kinds:
  moth:
    stats: {wings: {start: 4, min: 0, max: 4, recover: {rate: 0.5, after: 90}}, lives: 2}
    rules: [{name: burnt, when: {becomes: wings <= 0}, do: ["lives -= 1", fill wings]}]
rules:
  - {name: lamp, when: {every: 1}, if: by_night == 1, do: ["moth.wings -= 1"]}
  - {name: sun, when: {every: 1}, if: by_night == 0, do: ["moth.wings -= 1"]}
endings: {gone: {result: lose, if: moth.lives <= 0}}
"""


def test_the_last_blow_is_of_either_sort_as_often_as_it_is_drawn() -> None:
    ends = mint.loads(BLOWS).ends(2_000, 5)
    [cracked] = ends.ends
    assert (cracked.name, cracked.result, len(cracked.moments)) == ("cracked", "lose", 2_000)
    shares = {cause.cause: share for cause, share in cracked.causes}
    assert set(shares) == {"knock", "nudge"}
    assert shares["knock"].low <= 0.3 <= shares["knock"].high
    known = binomtest(round(2_000 * shares["knock"].value), 2_000).proportion_ci(0.95, "wilson")
    assert (shares["knock"].low, shares["knock"].high) == pytest.approx((known.low, known.high), abs=1e-9)
    assert {moment.time for moment in cracked.moments} == {6.0}


def test_a_rule_that_something_sets_off_is_the_way_and_the_cause_stands_behind_it() -> None:
    ends = mint.loads(LIVES).ends(200, 3)
    [gone], [burnt] = ends.ends, ends.on_the_way
    assert {(cause.cause, cause.through) for cause, _ in gone.causes} == {("lamp", ("burnt",)), ("sun", ("burnt",))}
    assert (burnt.name, len(burnt.moments)) == ("burnt", 400)
    assert sorted({moment.time for moment in burnt.moments}) == [4.0, 8.0]
    # Four steps of one point each since the wings were filled: that is all of the last ten seconds but the filling.
    points = {(account, cause): estimate.value for account, cause, estimate in gone.last_seconds}
    assert sum(value for (_, cause), value in points.items() if cause in ("lamp", "sun")) == pytest.approx(-8.0)
    assert points["moth.wings", "burnt"] == pytest.approx(4.0)


def test_ten_seconds_have_ten_of_what_comes_each_second() -> None:
    game = mint.loads(
        """
title: Drip
clock: {step: 0.5, limit: 60}
stats: {water: {start: 30, min: 0, recover: {rate: 0.25}, max: 99}}
rules: [{name: drips, when: {every: 1}, do: [water -= 1.5]}]
endings: {dry: {result: lose, if: water <= 0}}
"""
    )
    [dry] = game.ends(1).ends
    points = {cause: estimate.value for _, cause, estimate in dry.last_seconds}
    assert points["drips"] == pytest.approx(-15.0, abs=1e-9)
    assert points["recover"] == pytest.approx(2.5, abs=1e-9)
    [dry] = game.ends(1, seconds=4).ends
    assert {cause: estimate.value for _, cause, estimate in dry.last_seconds}["recover"] == pytest.approx(1.0, abs=1e-9)


def test_two_lives_of_one_run_are_not_two_runs() -> None:
    ends = mint.loads(LIVES).ends(200, 3)
    [burnt] = ends.on_the_way
    share = {cause.cause: share for cause, share in burnt.causes}["lamp"]
    one = {cause.cause: share for cause, share in ends.end("gone").causes}["lamp"]
    assert share.value == one.value
    assert share.half_width == pytest.approx(one.half_width, rel=0.01)


def test_clustered_shares_are_wilsons_where_runs_have_one_each_and_hold_where_they_have_many() -> None:
    known = binomtest(60, 200).proportion_ci(0.95, "wilson")
    plain = clustered_share([1] * 60 + [0] * 140, [1] * 200)
    assert (plain.low, plain.high) == pytest.approx((known.low, known.high), abs=2e-3)
    luck, held = np.random.default_rng(7), 0
    for _ in range(300):
        times = luck.integers(1, 6, 120)
        share = luck.beta(2, 3, 120)
        about = clustered_share(luck.binomial(times, share).tolist(), times.tolist())
        held += about.low <= 0.4 <= about.high
    assert 300 * 0.91 <= held <= 300 * 0.985


def test_a_ratio_is_of_totals_and_its_interval_holds() -> None:
    assert ratio([2, 4, 6], [1, 2, 3]).value == 2.0
    luck, held = np.random.default_rng(8), 0
    for _ in range(300):
        bottoms = luck.integers(1, 5, 80)
        tops = bottoms * luck.exponential(3.0, 80)
        about = ratio(tops.tolist(), bottoms.tolist())
        held += about.low <= 3.0 <= about.high
    assert 300 * 0.91 <= held <= 300 * 0.985


@pytest.mark.parametrize("habit", ["careful", "reckless"])
def test_ends_are_those_of_the_study_and_of_the_journals(demo: mint.Game, habit: str) -> None:
    ends, study = demo.ends(60, 9, habit=habit), demo.study(60, 9, habit=habit)
    assert {end.name: len(end.moments) for end in ends.ends} == {
        name: round(60 * study.rate(name).value) for name in study.endings()
    }
    spent = ends.end("a lamp life is spent")
    for run in (0, 7, 31):
        journal = demo.run(9, run=run, habit=habit).journal
        rows = journal[(journal["what"] == "posting") & (journal["stat"] == "lives") & (journal["applied"] < 0)]
        assert len(rows) == sum(moment.run == run for moment in spent.moments)
    table = ends.table()
    assert len(table) == sum(len(end.moments) for end in (*ends.ends, *ends.on_the_way))
    lost = table[(table["what"] == "keeper lost")]
    assert (lost["through"] == "a lamp life is spent").all()
    assert lost["cause"].isin(["pincer", "cudgel", "chill", "a hard landing"]).all()


def test_both_engines_find_the_same(demo: mint.Game) -> None:
    one, other = (demo.ends(3, 4, habit="careful", engine=engine) for engine in ("native", "reference"))
    assert one.as_json() == other.as_json()


def test_an_ending_by_the_clock_and_one_that_counts_who_is_there() -> None:
    game = mint.loads(
        """
title: Pond
clock: {step: 1, limit: 30}
kinds: {duck: {copies: 2, stats: {luck: 1}}}
rules:
  - {name: drifts, when: {every: 4}, do: [{each: duck, if: chance(0.5), do: [{remove: duck}]}]}
endings:
  empty: {result: lose, if: count(duck) == 0}
  evening: {result: win, if: time >= 12}
"""
    )
    ends = game.ends(300, 2)
    assert [cause.cause for cause, _ in ends.end("empty").causes] == ["drifts"]
    assert [cause.cause for cause, _ in ends.end("evening").causes] == ["the clock"]
    # Gone by the third look with (1 - 1/8)²; the interval holds it.
    share = ends.end("empty").share
    assert share.low <= (7 / 8) ** 2 <= share.high


def test_where_runs_end_by_level_and_visit() -> None:
    game = mint.loads(
        """
title: Tides
clock: {step: 1, limit: 40}
stats: {steps: 0}
levels:
  shore: {until: level_time >= 3, next: [{go: cave}]}
  cave: {until: level_time >= 2, next: [{go: shore}]}
rules: [{name: walks, when: {every: 1}, do: [steps += 1]}]
endings: {home: {result: win, if: steps >= 14}}
"""
    )
    [home] = game.ends(3).ends
    # shore 0-3, cave 3-5, shore 5-8, cave 8-10, shore 10-13, cave 13-15.
    assert [(level, visit) for level, visit, _ in home.places] == [("cave", 3)]


def test_a_look_that_is_stopped_tells_of_the_runs_it_has(demo: mint.Game) -> None:
    def stop(done: int, _: int) -> None:
        if done >= 100:
            raise KeyboardInterrupt

    with pytest.raises(Partial) as stopped:
        demo.ends(300, 1, habit="careful", progress=stop)
    assert stopped.value.answer.as_json() == demo.ends(100, 1, habit="careful").as_json()


@pytest.mark.parametrize(("runs", "seconds"), [(0, 10.0), (10, 0.0), (10, math.inf)])
def test_what_makes_no_sense_is_refused(demo: mint.Game, runs: int, seconds: float) -> None:
    with pytest.raises(mint.BadRequest):
        demo.ends(runs, seconds=seconds)


def test_the_command_tells_draws_and_writes_it(tmp_path: Path) -> None:
    game = tmp_path / "blows.yaml"
    game.write_text(BLOWS)
    command = ["mint-ledger", "study", str(game), "--ends", "--runs", "50"]
    table, figure = tmp_path / "ends.csv", tmp_path / "ends.png"
    told = run_command(*command[1:], "-o", str(table), "--plot", str(figure))
    assert "cracked · lost: 50 runs, 100.0 %" in told.stdout
    assert "knock" in told.stdout
    assert len(table.read_text().splitlines()) == 51
    assert figure.read_bytes().startswith(b"\x89PNG")
    numbers = json.loads(run_command(*command[1:], "--json").stdout)
    assert sum(cause["share"]["value"] for cause in numbers["ends"][0]["causes"]) == pytest.approx(1.0)
    for wrong in (["--store", "x.sqlite"], ["--per", "level"], ["--exact"], ["--account", "bell.tin"]):
        refused = run_command(*command[1:], *wrong)
        assert refused.returncode == 2
        assert "does not go with --ends" in refused.stderr


def test_a_run_that_the_clock_ends_has_the_clock_as_its_cause() -> None:
    # No ending comes of it, and the last run of a block is one of these too.
    game = mint.loads(
        "title: X\nclock: {limit: 3, step: 1}\nstats: {a: 0}\nrules: [{when: {every: 1}, do: [a += 1]}]\n"
    )
    table = game.ends(50).table()
    assert set(table["cause"]) == {"the clock"}, table
