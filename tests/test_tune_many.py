"""Several dials to several targets, on games whose chances are products."""

from __future__ import annotations

import json
import os
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import Command, heed_ctrl_c

import mint_ledger as mint
from mint_ledger.errors import BadRequest, GameError, NotFound
from mint_ledger.game.parts import parse_span
from mint_ledger.game.target import Target
from mint_ledger.lowering.patched import with_numbers

pytestmark = pytest.mark.slow

# Two bells ring with the chances that the dials say: both in p·q of the runs, the first alone in p·(1 - q).
BELLS = """# Two bells
title: Bells
clock: {unit: turn, limit: 2}
numbers: {high: 0.5, low: 0.5}     # their chances
stats: {rung: {start: 0, whole: true}}
rules:
  - {name: the high bell, when: start, chance: high, do: [rung += 2]}
  - {name: the low bell, when: start, chance: low, do: [rung += 1]}
endings:
  both: {result: win, if: rung == 3}
  high alone: {result: lose, if: rung == 2}
  low alone: {result: draw, if: rung == 1}
targets:
  - {name: both at times, measure: rate(both), want: 0.27..0.33}
  - {name: high alone as often, measure: rate("high alone"), want: 0.27..0.33}
"""
RANGES = {"high": "0.1..0.9 by 0.02", "low": "0.1..0.9 by 0.02"}


def target(name: str, measure: str, want: str, weight: float = 1.0) -> Target:
    return Target(name=name, measure=measure, want=parse_span(want), weight=weight)


@pytest.fixture
def bells() -> mint.Game:
    return mint.loads(BELLS, "bells.yaml")


def test_two_dials_meet_two_targets_as_the_products_say(bells: mint.Game) -> None:
    tuned = bells.tune_many(RANGES, runs=8_000)
    assert tuned.reached
    for answer in tuned.answers:
        high, low = answer.dials["high"], answer.dials["low"]
        assert 0.26 <= high * low <= 0.34
        assert 0.26 <= high * (1 - low) <= 0.34
        assert not answer.misses
    # The low bell rings half the time already, so that alone the high one is turned.
    assert set(tuned.answers[0].changed) == {"high"}
    assert "low as today" in tuned.summary()


def test_todays_numbers_are_kept_where_they_will_do(bells: mint.Game) -> None:
    wide = [target("both", "rate(win)", "0.2..0.3"), target("some", "rate(draw)", "0.2..0.3")]
    tuned = bells.tune_many(RANGES, wide, runs=4_000)
    assert [answer.changed for answer in tuned.answers] == [{}]
    assert tuned.best == {"high": 0.5, "low": 0.5}


def test_several_answers_differ_from_one_another(bells: mint.Game) -> None:
    tuned = bells.tune_many(RANGES, [target("both", "rate(win)", "0.32..0.4")], runs=4_000)
    assert len(tuned.answers) > 1
    for index, one in enumerate(tuned.answers):
        assert 0.31 <= one.dials["high"] * one.dials["low"] <= 0.41
        for other in tuned.answers[:index]:
            assert max(abs(one.dials[name] - other.dials[name]) for name in RANGES) >= 0.12 - 1e-9


def test_targets_that_contradict_are_named(bells: mint.Game) -> None:
    # p·q ≥ 0.5 and p·(1 - q) ≥ 0.5 would want p = 1; a third target has no part in it.
    wants = [
        target("mostly both", "rate(both)", "0.5..0.6"),
        target("mostly high", 'rate("high alone")', "0.5..0.6"),
        target("rarely low", 'rate("low alone")', "..0.4"),
    ]
    tuned = bells.tune_many(RANGES, wants, runs=2_000)
    assert not tuned.reached
    assert tuned.alone == ()
    assert tuned.conflicts == (("mostly both", "mostly high"),)
    assert "'mostly both' and 'mostly high' contradict" in " ".join(tuned.summary().split())


def test_a_target_that_no_setting_meets_is_told_with_the_bounds(bells: mint.Game) -> None:
    wants = [target("nearly always", "rate(both)", "0.9.."), target("some low", 'rate("low alone")', "0.02..")]
    tuned = bells.tune_many(RANGES, wants, runs=2_000)
    assert tuned.alone == ("nearly always",)
    assert set(tuned.stopped_by) == {"high", "low"}
    assert tuned.nearest is not None
    assert tuned.nearest.dials == {"high": 0.9, "low": 0.9}


def test_the_heavier_target_wins_where_not_all_can_be_met(bells: mint.Game) -> None:
    def nearest(weight: float) -> float:
        wants = [
            target("both", "rate(both)", "0.6..0.7", weight),
            target("neither", "rate(unfinished)", "0.3..0.4"),
        ]
        found = bells.tune_many(RANGES, wants, runs=2_000).nearest
        assert found is not None
        return found.dials["high"] * found.dials["low"]

    assert nearest(20.0) > nearest(0.05) + 0.2


def test_settings_that_make_no_game_are_passed_over(bells: mint.Game) -> None:
    # A start above its max is no game; only those below it are answers.
    text = BELLS.replace("rung: {start: 0, whole: true}", "rung: {start: 0, whole: true}, rope: {start: 2, max: 3}")
    game = mint.loads(text)
    wants = [target("both", "rate(win)", "0.27..0.33")]
    tuned = game.tune_many({"rope": "1..9", "high": "0.2..0.9 by 0.1"}, wants, runs=2_000)
    assert tuned.reached
    assert all(answer.dials["rope"] <= 3 for answer in tuned.answers)
    with pytest.raises(GameError, match="rope"):
        game.tune_many({"rope": "5..9", "high": "0.2..0.9 by 0.1"}, wants, runs=2_000)


def test_time_is_up_and_the_best_so_far_is_told(bells: mint.Game) -> None:
    tuned = bells.tune_many(RANGES, seconds=0.3, runs=2_000)
    assert tuned.interrupted
    assert tuned.answers == ()
    assert tuned.nearest is None or not tuned.nearest.is_confirmed
    assert "Stopped before it was done" in tuned.summary()


def test_so_many_runs_are_played_and_no_new_setting_is_tried(bells: mint.Game) -> None:
    tuned = bells.tune_many(RANGES, most_runs=4_000, runs=2_000)
    assert tuned.interrupted
    assert tuned.settings == 10  # of 400 runs each
    assert tuned.runs == 4_000
    one = bells.tune("high", "0.1..0.9 by 0.02", "rate(win)", "0.27..0.33", runs=4_000, most_runs=1_000)
    assert one.used_up and not one.interrupted
    assert one.runs <= 1_000 + 400 + 4_000  # the last look was begun before, and the answer is confirmed
    habits = mint.loads(DIVERS).tune_habits({"depth": "1..20"}, {"calm": "0.5", "hasty": "0.5"}, most_runs=1_600)
    assert [found.runs for found in habits.habits.values()] == [800, 800]


DIVERS = """
title: Divers
clock: {unit: turn, limit: 1}
numbers: {depth: 4}                # fathoms
kinds:
  diver: {stats: {breath: 10}}
  # no variants yet
actions:
  dive: {by: diver, do: [{if: "chance(breath / (10 + depth))", do: [{finish: pearl}], else: [{finish: nothing}]}]}
habits:
  calm: {by: diver, reaction: 1, acts: [{do: dive}]}
  hasty: {by: diver, reaction: 1, slips: 0.4, acts: [{do: dive}]}
endings:
  pearl: {result: win}
  nothing: {result: lose}
"""


@pytest.mark.slow
def test_each_habit_gets_a_variant_with_its_own_target(command: Command, tmp_path: Path) -> None:
    # Calm divers win 10 / (10 + depth) of the dives, hasty ones 0.6 of that.
    tuned = mint.loads(DIVERS).tune_habits({"depth": "1..20 by 0.5"}, {"calm": "0.48..0.52", "hasty": "0.48..0.52"})
    assert tuned.reached
    assert tuned.variants["calm"]["depth"] == pytest.approx(10, abs=1)
    assert tuned.variants["hasty"]["depth"] == pytest.approx(2, abs=0.5)
    path = tmp_path / "divers.yaml"
    path.write_text(DIVERS)
    wants = ("--want", "calm=0.48..0.52", "--want", "hasty=0.48..0.52")
    told = command("tune", path, "--habits", "--dial", "depth=1..20 by 0.5", *wants, "--write")
    assert told.returncode == 0, told.stderr
    after = mint.load(path)
    assert set(after.variants) == {"calm", "hasty"}
    assert after.variants["hasty"]["depth"] == tuned.variants["hasty"]["depth"]
    assert path.read_text().startswith(DIVERS.rstrip())


@pytest.mark.slow
def test_the_command_writes_the_answer_that_was_chosen(command: Command, tmp_path: Path) -> None:
    path = tmp_path / "bells.yaml"
    path.write_text(BELLS)
    dials = ("--dial", "high=0.1..0.9 by 0.02", "--dial", "low=0.1..0.9 by 0.02")
    told = command("tune", path.name, *dials, "--runs", 4000, "--write", "--as", "even")
    assert told.returncode == 0, told.stderr
    assert "2 targets, by 2 dials" in told.stdout
    assert "+variants:" in told.stdout
    assert max(map(len, told.stdout.splitlines())) <= 80
    written = mint.load(path).variants["even"]
    assert set(written) == {"high"}
    assert 0.56 <= written["high"] <= 0.64
    assert path.read_text().startswith(BELLS.rstrip())
    found = json.loads(command("tune", path, *dials, "--runs", 2000, "--json").stdout)
    assert found["reached"]
    assert found["answers"][0]["targets"][0]["verdict"] in ("met", "undecided")
    silent = command("tune", path, *dials, "--runs", 2000, "--json", "--write", "--as", "other")
    assert json.loads(silent.stdout)["reached"]
    assert "other" in mint.load(path).variants
    none = command("tune", path, *dials, "--runs", 2000, "--answer", 9)
    assert none.returncode == 2
    assert "there is no answer 9" in none.stderr


@pytest.mark.parametrize(
    ("arguments", "said"),
    [
        (["--dial", "high=0.1..0.9", "--dial", "high=0.2..0.8"], "named twice"),
        (["--dial", "hihg=0.1..0.9", "--dial", "low=0.1..0.9"], "did you mean 'high'"),
        (["--dial", "high=0.9..0.1", "--dial", "low=0.1..0.9"], "runs backwards"),
        (["--dial", "high=0.1..0.9", "--habits"], "no habit has a target of its own"),
        (["--dial", "high=0.1..0.9", "--habits", "--want", "calm=0.5"], "there is no habit 'calm'"),
        (["--dial", "high=0.1..0.9", "--habits", "--as", "x"], "names its variants after the habits"),
        (["--dial", "high=0.1..0.9", "--want", "0.1", "--want", "0.2"], "--want stands once"),
        (["--dial", "high=0.1..0.9", "--dial", "low=0.1..0.9", "--target", "both at tines"], "both at times"),
    ],
)
def test_what_cannot_be_tuned_is_refused_in_words(
    command: Command, tmp_path: Path, arguments: list[str], said: str
) -> None:
    (tmp_path / "bells.yaml").write_text(BELLS)
    refused = command("tune", "bells.yaml", *arguments)
    assert (refused.returncode, refused.stdout) == (2, "")
    assert said in refused.stderr
    assert "Traceback" not in refused.stderr


def test_ctrl_c_keeps_the_best_so_far_and_writes_nothing(tmp_path: Path) -> None:
    path = tmp_path / "saltmere.yaml"
    path.write_text(mint.demo_path().read_text())
    dials = ["--dial", "crab.bite=6..20", "--dial", "lantern_swing.damage=6..14 by 0.1", "--write"]
    process = subprocess.Popen(
        [sys.executable, "-m", "mint_ledger.cli.main", "tune", str(path), *dials],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        env={**os.environ, "PYTHONIOENCODING": "utf-8"},
        preexec_fn=heed_ctrl_c,
    )
    time.sleep(6)
    process.send_signal(signal.SIGINT)
    out, err = process.communicate(timeout=60)
    assert process.returncode in (1, 130), err
    assert "Traceback" not in err
    assert path.read_text() == mint.demo_path().read_text()
    if process.returncode == 1:
        assert "Stopped before it was done" in out


def test_a_new_variant_stands_first_in_its_section_and_all_else_stays(demo: mint.Game) -> None:
    text = with_numbers(demo, {"crab.bite": 9, "pincer.lands": 0.7}, "storm").text
    assert mint.loads(text).variants["storm"] == {"crab.bite": 9, "pincer.lands": 0.7}
    old, new = demo.source.text.splitlines(), text.splitlines()
    assert [line for line in new if line not in old] == ["  storm: {crab.bite: 9, pincer.lands: 0.7}"]
    assert [line for line in old if line not in new] == []
    with pytest.raises(BadRequest, match="no name for a variant"):
        with_numbers(demo, {"crab.bite": 9}, "a: b")
    with pytest.raises(NotFound, match="there is no dial"):
        with_numbers(demo, {"crab.bit": 9}, "storm")


# The chance to win is 0.1 + 0.032 (d - 5)², least in the middle, and the sack holds d on average in the end.
VALLEY = """
title: Valley
clock: {unit: turn, limit: 1}
numbers: {d: 2}
stats: {sack: 0}
rules: [{name: falls, when: {every: 1}, do: ["sack += d + pick(-0.5, 0.5)", {if: "chance(0.1 + 0.032 * (d - 5) ** 2)", do: [{finish: home}]}]}]
endings: {home: {result: win}}
"""


def test_one_dial_is_looked_at_in_any_shape_and_all_its_parts_are_answers() -> None:
    game = mint.loads(VALLEY)
    tuned = game.tune_many({"d": "0..10 by 0.1"}, [target("some", "rate(win)", "0.3..0.5")], runs=4_000)
    found = sorted(answer.dials["d"] for answer in tuned.answers)
    # 0.3 is at 5 ± 2.5 and 0.5 at 5 ± 3.54.
    assert len(found) == 2
    assert 1.4 < found[0] < 2.6
    assert 7.4 < found[1] < 8.6
    assert tuned.best == {"d": 2}
    both = [target("few", "rate(win)", "..0.3"), target("full", "mean(closing(sack))", "6..9")]
    tuned = game.tune_many({"d": "0..10 by 0.1"}, both, runs=4_000)
    assert len(tuned.answers) == 1
    assert 6 <= tuned.best["d"] <= 7.6


def test_targets_of_one_dial_that_contradict_are_named() -> None:
    wants = [
        target("few", "rate(win)", "..0.2"),
        target("full", "mean(closing(sack))", "8..9"),
        target("empty", "mean(closing(sack))", "..4"),
    ]
    tuned = mint.loads(VALLEY).tune_many({"d": "0..10 by 0.1"}, wants, runs=2_000)
    assert not tuned.answers
    assert {frozenset(names) for names in tuned.conflicts} == {frozenset(("few", "full")), frozenset(("full", "empty"))}
    assert tuned.nearest is not None
    alone = mint.loads(VALLEY).tune_many({"d": "0..10 by 0.1"}, [target("never", "mean(closing(sack))", "20..30")])
    assert alone.alone == ("never",)
