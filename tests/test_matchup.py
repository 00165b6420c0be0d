"""Hits and seconds to defeat, against hand arithmetic and SciPy's distributions."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command
from scipy import stats

import mint_ledger as mint
from mint_ledger.balance.matchup import breakpoints
from mint_ledger.balance.matchup_curve import make_curves
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
    target = {"cudgel": "keeper", "gnaws": "sacks"}.get(attack, "gate")
    [found] = game.matchups(pair=f"{attack}:{target}").pairs
    return found


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
    assert "endlessly many values" in hurls.because and hurls.fights == 400
    # 5.4 to 5.6 a hit: six hits are 32.4 at least, five 28 at most.
    assert hurls.hits == (6, 6, 6)
    assert hurls.damage == pytest.approx(5.5, abs=0.03)
    assert "* fought 400 times" in yard.matchups(pair="hurls:gate").summary()


def test_who_is_not_there_at_the_start_is_measured_all_the_same() -> None:
    siege = mint.load(Path(__file__).parent.parent / "examples" / "cellar_siege.yaml")
    gnaws = pair(siege, "gnaws")
    assert not gnaws.exact and gnaws.fights == 400
    assert gnaws.damage == 3.0
    # 80 of flour and 20 of cloth, 3 a bite: 34 hits at least, and the cloth is patched meanwhile.
    assert gnaws.hits is not None and 34 <= gnaws.hits[0] <= gnaws.hits[1] <= 45
    low, high = gnaws.lands_between
    assert low < 0.8 < high


@pytest.mark.slow
def test_the_exact_mean_is_what_studies_find(demo: mint.Game) -> None:
    cudgel = pair(demo, "cudgel")
    script = [{"at": 3 * n, "hit": "keeper", "with": "cudgel", "by": "bosun", "sure": True} for n in range(1, 60)]
    script = [{"at": 0, "go": "rocks"}, *script]
    dealt = []
    for seed in range(1, 13):
        run = demo.run(seed, script=script, only_script=True, dials={"keeper.lives": 99})
        dealt += [row.values[5] for row in run.rows if row.what == 1.0]
    assert len(dealt) > 500
    spread = (sum((x - cudgel.damage) ** 2 for x in dealt) / len(dealt)) ** 0.5
    assert sum(dealt) / len(dealt) == pytest.approx(cudgel.damage, abs=4 * spread / len(dealt) ** 0.5)


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


@pytest.mark.slow
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
        ["--dial", "ram.weight=2..12", "--dial", "ram.weight=3..5", "--dial", "gate.health=3..5"],
        ["--dial", "ram.nothing=2..12"],
        ["--seconds", "0"],
        ["--pair", "butts"],
        ["--dial", "ram.wait=1..2", "--pair", "butts:gate"],
    ):
        assert command("matchup", "yard.yaml", *wrong).returncode == 2


DUEL = """
title: Duel
clock: {{step: 0.25, limit: 400}}
kinds:
  post: {{stats: {{{post}}}, when_hit: {{{when_hit}}}, gone_if: "{gone_if}"}}
  ram:  {{stats: {{weight: 3, breath: {{start: 2, min: 0, max: 4, recover: {{rate: 0.5}}}}}}{copies}}}
attacks:
  butts: {{from: ram, to: post, {attack}}}
"""


def duel(attack: str, post: str = "health: {start: 10, min: 0}", **more: str) -> mint.Game:
    words = {"post": post, "when_hit": more.pop("when_hit", "armor: 0"), "gone_if": more.pop("gone_if", "health <= 0")}
    return mint.loads(DUEL.format(attack=attack, copies=more.pop("copies", ""), **words))


@pytest.mark.parametrize(
    ("game", "hits", "seconds"),
    [
        # A whole stat takes 1.4 as 1: ten hits, not eight.
        (duel("when: {every: 1}, damage: 1.4", "health: {start: 10, min: 0, whole: true}"), 10, 10.0),
        # Every second it tries, every five it may: hits at 1, 6, 11 …
        (duel("when: {every: 1}, damage: 5, cooldown: 5"), 2, 6.0),
        # It winds up for 2 s after each try at 3, 6 … and is busy meanwhile.
        (duel("when: {every: 3}, lasts: 2, damage: 5"), 2, 8.0),
        # 10 → 7 → 4.9 → 3.43 → 2.43 → 1.43 → 0.43: seven hits.
        (duel('when: {every: 1}, damage: "max(1, 0.3 * other.health)"'), 7, 7.0),
        (duel("when: {every: 1}, damage: 2", gone_if="health < 5"), 3, 3.0),
        (duel("when: {every: 1}, damage: 2", "size: 3, health: {start: 10, min: 0, max: 2 * size}"), 3, 3.0),
        # One point a second comes back: three hits of 4 less two of 1 are not 10, four less three are.
        (duel("when: {every: 1}, damage: 4", "health: {start: 10, min: 0, max: 10, recover: {rate: 1}}"), 3, 3.0),
        (duel("when: {every: 1}, damage: 3", "health: {start: 10, min: 0, max: 10, recover: {rate: 1}}"), 5, 5.0),
        # It is safe for 2.5 s after each hit; tries come each second.
        (duel("when: {every: 1}, damage: 5", when_hit="safe_for: 2.5"), 2, 4.0),
        # What a swing costs comes back at half a point a second: swings at 1, 4 and 8 s.
        (duel("when: {every: 1}, damage: 4, costs: {breath: 2}"), 3, 8.0),
    ],
)
def test_a_duel_is_as_a_play_would_have_it(game: mint.Game, hits: int, seconds: float) -> None:
    [found] = game.matchups().pairs
    assert found.exact and found.hits == (hits, hits, hits)
    assert found.seconds == (seconds, seconds)


def test_a_copy_with_its_own_number_has_its_own_row() -> None:
    found = duel("when: {every: 1}, damage: self.weight", copies=", copies: [{}, {}, {weight: 9}]").matchups().pairs
    assert [(one.attacker, one.hits) for one in found] == [("ram[1]", (4, 4, 4)), ("ram[3]", (2, 2, 2))]


def test_kinds_that_no_level_has_together_are_told_at_once() -> None:
    text = (
        DUEL.format(
            attack="when: {every: 1}, damage: 1",
            post="health: {start: 10, min: 0}",
            when_hit="armor: 0",
            gone_if="health <= 0",
            copies="",
        )
        + "levels: {one: {present: {post: 1}, until: level_time > 1, next: two}, two: {present: {ram: 1}}}\n"
    )
    [found] = mint.loads(text).matchups().pairs
    assert (found.hits, found.fights, found.because) == (None, 0, "no level has both")


@pytest.mark.parametrize(
    "seed",
    [
        *(pytest.param(seed, marks=pytest.mark.slow) for seed in range(6)),
        *(pytest.param(seed, marks=pytest.mark.night) for seed in range(6, 60)),
    ],
)
def test_random_duels_are_what_exact_says_of_the_same_game(seed: int) -> None:
    import random

    rng = random.Random(seed)
    held = 0
    while held < 10:
        lands = rng.choice(["", f", lands: {rng.choice([0.5, 0.8])}"])
        damage = rng.choice(["2", '"whole(1, 3)"', '"dice(1, 4)"', '"pick(1, 2, 5)"', '"1 + other.health // 4"'])
        crit = rng.choice(["", ", crit: {chance: 0.25, times: 2}"])
        slow = rng.choice(["", ", cooldown: 1.75", ", lasts: 0.5"])
        stat = rng.choice(["", ", whole: true", ", max: 8, recover: {rate: 1, after: 1}"])
        meets = rng.choice(["armor: 1", "dodge: 0.25", "safe_for: 1.25", "at_least: 2"])
        game = duel(
            f"when: {{every: 1}}, damage: {damage}{lands}{crit}{slow}",
            f"health: {{start: 8, min: 0{stat}}}",
            when_hit=meets,
        )
        [found] = game.matchups().pairs
        if not found.exact or found.hits is None:
            continue
        plain = game.source.data | {"endings": {"over": {"result": "win", "if": "count(post) == 0"}}}
        exact = mint.loads(json.dumps(plain)).exact()
        assert found.seconds == pytest.approx((exact.time_quantile(0.5), exact.time_quantile(0.95)))
        held += 1


def test_a_curve_over_a_dial_is_hand_arithmetic_and_marks_where_it_breaks() -> None:
    game = duel("damage: self.weight, when: {every: 2}")
    curves = make_curves(game, {"ram.weight": [1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 10.0]})
    [pair] = curves.pairs
    assert [matchup.hits for matchup in pair.matchups] == [(n, n, n) for n in (10, 5, 4, 3, 2, 2, 1)]
    assert pair.breaks() == [1, 2, 3, 4, 6]
    first = pair.matchups[0].seconds
    # The nth strike is two seconds after the one before.
    assert [m.seconds[0] - first[0] for m in pair.matchups] == [-2.0 * (10 - n) for n in (10, 5, 4, 3, 2, 2, 1)]
    assert all(matchup.exact for matchup in pair.matchups)
    table = curves.table()
    assert table["median_hits"].tolist() == [10, 5, 4, 3, 2, 2, 1]
    assert table["ram.weight"].tolist() == [1.0, 2.0, 3.0, 4.0, 5.0, 6.0, 10.0]


def test_two_dials_make_a_map_of_hand_arithmetic() -> None:
    game = duel("damage: self.weight, when: {every: 2}")
    curves = make_curves(game, {"ram.weight": [1.0, 2.0, 5.0], "post.health": [4.0, 10.0]})
    [pair] = curves.pairs
    assert [m.hits[1] for m in pair.matchups if m.hits] == [4, 10, 2, 5, 1, 2]
    assert "(mid hits)" in curves.summary()
    with pytest.raises(mint.BadRequest, match="one dial or two"):
        make_curves(game, {})


@pytest.mark.slow
def test_the_command_draws_curves_and_maps(command: Command, tmp_path: Path) -> None:
    (tmp_path / "yard.yaml").write_text(YARD, "utf-8")
    told = command("matchup", "yard.yaml", "--dial", "ram.weight=2..6", "--plot", "curve.png", "-o", "curve.csv")
    assert told.returncode == 0, told.stderr
    assert "hits to defeat over ram.weight" in told.stdout
    assert max(map(len, told.stdout.splitlines())) <= 80
    assert (tmp_path / "curve.png").read_bytes().startswith(b"\x89PNG")
    assert (tmp_path / "curve.csv").read_text("utf-8").startswith("ram.weight,attacker")
    told = command(
        "matchup", "yard.yaml", "--dial", "ram.weight=2..6", "--dial", "gate.health=10..30 by 10", "--plot", "m.png"
    )
    assert told.returncode == 0, told.stderr
    assert (tmp_path / "m.png").exists()
