"""Hits and seconds to defeat, against hand arithmetic and SciPy's distributions."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command
from scipy import stats

import mint_ledger as mint
from mint_ledger.balance.matchup import breakpoints
from mint_ledger.errors import NotFound

YARD = """
title: Yard
clock: {step: 0.5, limit: 500}
kinds:
  gate:
    side: yard
    stats: {bars: {start: 10, min: 0}, health: {start: 20, min: 0}}
    when_hit: {armor: 1, resist: {fire: 0.5}, at_least: 1, through: [bars, health]}
    gone_if: health <= 0
  ram:
    side: field
    stats: {weight: 7}
  boy: {side: field}
attacks:
  butts:  {from: ram, to: gate, when: {every: 2}, damage: self.weight}
  throws: {from: boy, to: gate, when: {every: 1, first: 3}, lands: 0.5, damage: 7}
  torch:  {from: boy, to: gate, when: {every: 1}, damage: 9, type: fire}
  taps:   {from: boy, to: gate, damage: 0.5}
  kicks:  {from: boy, to: gate, when: {every: 1}, damage: "whole(1, 6)", crit: {chance: 0.25, times: 3}}
  rolls:  {from: boy, to: gate, when: {every: 1}, damage: "dice(2, 6) + 1"}
  hurls:  {from: boy, to: gate, when: {every: 1}, damage: "between(6.4, 6.6)"}
"""


@pytest.fixture
def yard() -> mint.Game:
    return mint.loads(YARD, "yard.yaml")


def pair(game: mint.Game, attack: str):
    return next(one for one in game.matchups().pairs if one.attack == attack)


def test_fixed_damage_is_hand_arithmetic(yard: mint.Game) -> None:
    # 7 less 1 of armor are 6; 30 points in two layers are 5 hits, one every 2 seconds.
    butts = pair(yard, "butts")
    assert butts.exact
    assert (butts.damage, butts.hits, butts.seconds, butts.per_second) == (6.0, (5, 5, 5), (10.0, 10.0), 3.0)
    assert butts.effective_health == 30 * 7 / 6
    # 9 less 1, and half of that; 0.5 less all of it, but 1 at least.
    assert (pair(yard, "torch").damage, pair(yard, "torch").hits) == (4.0, (8, 8, 8))
    assert (pair(yard, "taps").damage, pair(yard, "taps").hits) == (1.0, (30, 30, 30))
    assert pair(yard, "taps").seconds is None


def test_misses_follow_the_negative_binomial_law(yard: mint.Game) -> None:
    throws = pair(yard, "throws")
    assert throws.hits == (5, 5, 5)
    # Five hits at one in two: the number of misses before the fifth.
    misses = stats.nbinom(5, 0.5)
    assert throws.seconds == (3 + 5 + misses.ppf(0.5) - 1, 3 + 5 + misses.ppf(0.95) - 1)


def test_damage_by_chance_is_folded_as_it_should_be(yard: mint.Game) -> None:
    kicks = pair(yard, "kicks")
    faces = [max(face * times - 1, 1) for times in (1, 1, 1, 3) for face in range(1, 7)]
    assert kicks.damage == pytest.approx(sum(faces) / len(faces))
    # By brute force: the chance that so many hits are enough.
    enough, left = {}, {30: 1.0}
    for count in range(1, 40):
        following: dict[int, float] = {}
        for rest, p in left.items():
            for dealt in faces:
                following[max(rest - dealt, 0)] = following.get(max(rest - dealt, 0), 0.0) + p / len(faces)
        left = following
        enough[count] = left.get(0, 0.0)
    least = next(count for count, p in enough.items() if p > 0)
    median = next(count for count, p in enough.items() if p >= 0.5)
    late = next(count for count, p in enough.items() if p >= 0.95)
    assert kicks.hits == (least, median, late)
    rolls = pair(yard, "rolls")
    assert rolls.damage == pytest.approx(7.0)  # two dice are 7 on average; one more, and one for the armor


def test_what_cannot_be_worked_out_is_measured_and_says_so(yard: mint.Game) -> None:
    hurls = pair(yard, "hurls")
    assert not hurls.exact
    assert "endlessly many values" in hurls.because
    # 5.4 to 5.6 a hit: six hits are 32.4 at least, five 28 at most.
    assert hurls.hits == (6, 6, 6)
    assert hurls.damage == pytest.approx(5.5, abs=0.03)
    assert "measured, not worked out: hurls" in yard.matchups().summary()


def test_who_is_not_there_at_the_start_is_measured_all_the_same() -> None:
    siege = mint.load(Path(__file__).parent.parent / "examples" / "cellar_siege.yaml")
    gnaws = pair(siege, "gnaws")
    assert not gnaws.exact and "takes a share" in gnaws.because
    assert gnaws.damage == 3.0
    # 80 of flour and 20 of cloth, 3 a bite, of which the cloth takes three quarters until it is through.
    assert gnaws.hits == (34, 34, 34)


def test_the_exact_mean_is_what_studies_find(demo: mint.Game) -> None:
    cudgel = pair(demo, "cudgel")
    assert cudgel.exact
    script = [{"at": 3 * n, "hit": "keeper", "with": "cudgel", "by": "bosun", "sure": True} for n in range(1, 60)]
    script = [{"at": 0, "go": "rocks"}, *script]
    dealt = []
    for seed in range(1, 13):
        run = demo.run(seed, script=script, only_script=True, dials={"keeper.lives": 99})
        dealt += [row.values[5] for row in run.rows if row.what == 1.0]
    assert len(dealt) > 500
    spread = (sum((x - cudgel.damage) ** 2 for x in dealt) / len(dealt)) ** 0.5
    assert sum(dealt) / len(dealt) == pytest.approx(cudgel.damage, abs=3.3 * spread / len(dealt) ** 0.5)


def test_breakpoints_are_where_the_hits_change(yard: mint.Game) -> None:
    found = breakpoints(yard, "ram.weight", [float(n) for n in range(2, 40)], "butts", "gate")
    # ceil(30 / (weight − 1)): 30, 15, 10, 8, 6, 5, 5, 4 …
    expected = {}
    for weight in range(2, 40):
        hits = -(-30 // (weight - 1))
        if hits not in expected.values():
            expected[weight] = hits
    assert {one.value: one.least for one in found} == expected
    with pytest.raises(NotFound, match="nobody strikes ram"):
        breakpoints(yard, "ram.weight", [2.0], "butts", "ram")


def test_the_command_shows_all_pairs_and_breakpoints(command: Command, tmp_path: Path) -> None:
    (tmp_path / "yard.yaml").write_text(YARD, "utf-8")
    result = command("matchup", "yard.yaml", "-o", "yard.csv", "--plot", "yard.png")
    assert result.returncode == 0, result.stderr
    assert max(map(len, result.stdout.splitlines())) <= 80
    assert (tmp_path / "yard.csv").read_text("utf-8").count("\n") == 8
    assert (tmp_path / "yard.png").exists()
    plain = json.loads(command("matchup", "yard.yaml", "--json").stdout)
    assert [one["attack"] for one in plain["matchups"]][:2] == ["butts", "throws"]
    options = ["--dial", "ram.weight=2..12", "--pair", "butts:gate"]
    steps = command("matchup", "yard.yaml", *options)
    assert steps.returncode == 0, steps.stderr
    assert "2      30      30" in steps.stdout
    for wrong in (
        ["--dial", "ram.weight=2..12"],
        ["--pair", "butts"],
        ["--dial", "ram.wait=1..2", "--pair", "butts:gate"],
    ):
        assert command("matchup", "yard.yaml", *wrong).returncode == 2
