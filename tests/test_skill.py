"""What skill is worth: against a game whose wins at each skill are known."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.players.skill import SkillCurve, reaction_of, slips_of
from mint_ledger.studies.estimate import rate

# Who pulls within a second of the bell wins; there is one try.
BELL = """
title: Bell
clock: {step: 0.01, limit: 6}
kinds: {page: {stats: {tries: {start: 1, min: 0, whole: true}, rung: {start: 0, min: 0, max: 1}}}}
actions: {pull: {by: page, costs: {tries: 1}, do: [rung = 1]}}
endings:
  heard: {result: win, if: page.rung >= 1 and time <= 1}
  late: {result: lose, if: time >= 5}
habits: {prompt: {by: page, reaction: 0.4, slips: 0.2, acts: [{do: pull}]}}
"""


@pytest.fixture(scope="module")
def curve() -> SkillCurve:
    found = mint.loads(BELL).play_range(runs=400, most_runs=2_000, skill=True).skill
    assert found is not None
    return found


def _wins(skill: float) -> float:
    """The reaction is drawn between a half of it and half as much again; who slips has to wait for another reaction."""
    reaction, slips = reaction_of(skill), slips_of(skill)
    low, high = 0.5 * reaction, 1.5 * reaction
    if low >= 1.0:
        return 0.0
    # One reaction within a second, and the pull comes off; a second try only where two of them fit in.
    once = min(1.0, (1.0 - low) / (high - low))
    if 2.0 * low >= 1.0 or slips == 0.0:
        return once * (1.0 - slips)
    return float("nan")


def test_each_point_is_what_the_timing_makes_it(curve: SkillCurve) -> None:
    points = [
        (skill, wins) for skill, wins in zip(curve.skills, curve.first, strict=True) if _wins(skill) == _wins(skill)
    ]
    assert len(points) >= 5
    for skill, wins in points:
        low, high = wins.interval(0.9999)
        # A step of a hundredth of a second is what the closed form leaves out.
        assert low - 0.02 <= _wins(skill) <= high + 0.02, skill
    assert curve.first[0].value == 0.0
    assert curve.first[-1].value == 1.0


def test_points_stand_where_most_happens(curve: SkillCurve) -> None:
    assert len(curve.skills) == 13
    assert list(curve.skills) == sorted(curve.skills)
    steps = [abs(b.value - a.value) for a, b in zip(curve.first, curve.first[1:], strict=False)]
    assert max(steps) < 0.35


def test_it_is_said_how_easy_it_is_to_learn_and_to_master(curve: SkillCurve) -> None:
    assert curve.half_at is not None
    assert 0.3 < curve.half_at < 0.6
    assert curve.left_to_master.low < 0.02
    text = mint.loads(BELL).play_range(runs=200, most_runs=1_000, skill=True).summary()
    assert "half of the possible gain is reached at skill 0." in text
    assert "ittle is left to master" in text


def test_what_is_left_to_master_is_the_last_quarter() -> None:
    wins = tuple(rate(count, 1_000) for count in (0, 100, 200, 300, 900))
    none = rate(0, 1_000)
    curve = SkillCurve("t", (0.0, 0.25, 0.5, 0.75, 1.0), {"one": wins}, none, none, 1_000, in_turns=False)
    assert curve.left_to_master.value == pytest.approx(0.6)
    assert curve.half_at == pytest.approx(0.75 + 0.25 * (0.45 - 0.3) / 0.6)
    flat = SkillCurve("t", (0.0, 0.75, 1.0), {"one": (wins[1],) * 3}, none, none, 1_000, in_turns=False)
    assert flat.half_at is None


def test_the_command_draws_the_curve(tmp_path: Path, command: Command) -> None:
    game = tmp_path / "bell.yaml"
    game.write_text(BELL, "utf-8")
    asked = ("players", game, "--runs", "200", "--most-runs", "1000")
    done = command(*asked, "--skill", "--plot", "skill.png")
    assert done.returncode == 0, done.stderr
    assert "reaction" in done.stdout
    assert max(map(len, done.stdout.split("\n"))) <= 80
    assert (tmp_path / "skill.png").read_bytes()[:4] == b"\x89PNG"
    told = json.loads(command(*asked, "--skill", "--json").stdout)["skill"]
    assert len(told["skills"]) == 13 == len(told["wins"]["the best found"])
    assert "--plot wants --skill" in command(*asked, "--plot", "skill.png").stderr
