from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Loud masons
clock: {unit: turn, limit: 60}
kinds:
  mason:
    copies: 3
    side: quarry
    stats: {health: {start: 90, min: 0}, noise: {start: 0, min: 0, whole: true}}
    gone_if: health <= 0
    rules: [{name: chips, when: {every: 1}, do: ["noise += dice(1, 20)"]}]
  boar: {side: wild, stats: {health: {start: 60, min: 0}}, gone_if: health <= 0}
attacks:
  gore: {from: boar, to: mason, damage: 2}
  chisel: {from: mason, to: boar, when: {every: 1}, damage: 1}
rules:
  - name: charge
    when: {every: 1}
    do:
      - {each: mason, if: other.noise == highest(mason.noise), do: [{hit: other, with: gore, by: boar}]}
      - {each: mason, do: [other.noise = 0]}
endings: {fled: {result: lose, if: count(mason) < 1}, safe: {result: win, if: count(boar) < 1}}
"""
EACH = "{each: mason, if: other.noise == highest(mason.noise), do:"


def test_two_that_tie_are_caught_and_a_choice_of_one_is_not() -> None:
    fixed = FAULTY.replace(EACH, "{one: mason, most: other.noise, ties: random, do:")
    finding = only_in_the_first(FAULTY, fixed, "done-for-all-who-tie", runs=10)
    assert "had the same value" in finding.caught.what
    assert "highest" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    "spelling",
    [
        "{each: mason, if: other.noise >= highest(mason.noise), do:",
        "{each: mason, as: loud, if: loud.health > 0 and loud.noise == highest(mason.noise), do:",
        "{each: mason, if: -other.noise <= lowest(-mason.noise), do:",
    ],
)
def test_it_is_found_however_it_is_written(spelling: str) -> None:
    game = FAULTY.replace(EACH, spelling)
    assert found(
        game.replace("hit: other", "hit: loud") if "as: loud" in spelling else game, "done-for-all-who-tie", 10
    )


def test_what_is_meant_for_all_who_are_equal_is_silent() -> None:
    equal = FAULTY.replace('["noise += dice(1, 20)"]', "[noise += 1]")
    assert not found(equal, "done-for-all-who-tie", 10)
    below = FAULTY.replace("other.noise == highest(mason.noise)", "other.noise < highest(mason.noise)")
    assert not found(below, "done-for-all-who-tie", 10)
