from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Tide
clock: {step: 0.5, limit: 60}
stats: {water: {start: 0, min: 0, max: 12}, boats: {start: 0, min: 0, whole: true}, ebb: false}
rules:
  - {name: rises, when: {every: 1}, if: not ebb, do: [water += 1]}
  - {name: falls, when: {every: 1}, if: ebb, do: [water -= 1]}
  - {name: turns, when: {becomes: water >= 12}, do: [ebb = true]}
  - {name: turns again, when: {becomes: water <= 0}, do: [ebb = false]}
  - {name: a boat comes in, when: {becomes: water == 6}, do: [boats += 1]}
"""


def test_fires_twice_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("water == 6", "water >= 6")
    finding = only_in_the_first(FAULTY, fixed, "fires-twice", runs=3)
    assert "as water rises through the value, and again as it falls back" in finding.caught.what
    assert "a boat comes in" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    "spelling",
    [
        "5 < water < 7",
        "floor(water / 2) == 3",
        "water > 5 and water < 7",
        "abs(water - 6) < 1",
        "depth == 3",
        "not (water < 6 or water > 6)",
    ],
)
def test_it_is_found_however_the_middle_is_written(spelling: str) -> None:
    game = FAULTY.replace("water == 6", spelling).replace(
        "ebb: false", "ebb: false, depth: {formula: floor(water / 2)}"
    )
    assert found(game, "fires-twice", 3)


@pytest.mark.parametrize("honest", ["water >= 6", "floor(water / 2) >= 3", "time > 5 and water > 3", "water < 6"])
def test_a_value_that_is_passed_one_way_is_left_alone(honest: str) -> None:
    assert not found(FAULTY.replace("water == 6", honest), "fires-twice", 3)


def test_a_look_that_is_set_from_either_side_is_left_alone() -> None:
    game = FAULTY.replace("boats: {start: 0", "flag: {one_of: [none, blue], start: none}, boats: {start: 0")
    game = game.replace("boats += 1", "flag = blue").replace(
        "rules:\n", "rules:\n  - {name: none, when: {becomes: water < 3 or water > 9}, do: [flag = none]}\n"
    )
    assert not found(game, "fires-twice", 3)
    assert found(game.replace("[flag = blue]", "[flag = blue, boats += 1]"), "fires-twice", 3)


@pytest.mark.parametrize("key", ["enters", "leaves"])
def test_a_band_in_the_middle_is_found_whichever_way_it_is_heard(key: str) -> None:
    game = FAULTY.replace("max: 12}", "max: 12, bands: {low: 0..4, mid: 5..8, high: 9..12}}")
    game = game.replace("becomes: water == 6", f"{key}: water mid")
    assert found(game, "fires-twice", 3)
    assert not found(game.replace("water mid", "water high"), "fires-twice", 3)
