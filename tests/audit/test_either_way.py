from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Swing
clock: {step: 0.1, limit: 20}
kinds:
  seat:
    stats: {push: {start: 0, min: -10, max: 10}, cheers: {start: 0, min: 0}, width: {formula: abs(push)}}
    rules:
      - {name: up, when: {every: 2}, do: [push += 8]}
      - {name: down, when: {every: 2, first: 1}, do: [push -= 8]}
      - {name: a cheer, let: {size: abs(push)}, when: {becomes: abs(push) > 5}, do: [cheers += 1]}
readout: ["{seat.cheers} cheers"]
"""


def test_either_way_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, FAULTY.replace("abs(push) > 5", "push > 5"), "either-way")
    assert "seat.push goes both ways" in finding.caught.what
    assert "a cheer" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    "spelling",
    [
        "5 < abs(push)",
        "abs(self.push) >= 5",
        "time > 1 and abs(push) > 5",
        "push * push > 25",
        "push**2 >= 25",
        "'max(push, -push) > 5'",
        "not (-5 < push < 5)",
        "width > 5",
        "size > 5",
    ],
)
def test_it_is_found_however_it_is_written(spelling: str) -> None:
    game = FAULTY.replace("abs(push) > 5", spelling)
    if spelling == "size > 5":
        game = game.replace("when: {becomes: size > 5}", "when: {every: 0.1}, if: size > 5")
    assert found(game, "either-way")


@pytest.mark.parametrize(
    "honest", ["abs(push) < 1", "abs(push - cheers) > 5", "abs(cheers) > 5", "push > 5 or push < -5"]
)
def test_how_near_two_are_and_what_has_one_side_is_left_alone(honest: str) -> None:
    assert not found(FAULTY.replace("abs(push) > 5", honest), "either-way")
