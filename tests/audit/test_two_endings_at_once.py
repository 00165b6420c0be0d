from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Finish
clock: {step: 1, limit: 30}
stats: {miles: {start: 0, min: 0, whole: true}, food: {start: 10, min: 0, whole: true}}
rules:
  - {name: walks, when: {every: 1}, do: [miles += 1, food -= 1]}
endings:
  starved: {result: lose, if: food <= 0}
  arrived: {result: win, if: miles >= 10}
"""


def test_two_endings_at_once_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("miles >= 10", "miles >= 9")
    finding = only_in_the_first(FAULTY, fixed, "two-endings-at-once", runs=2)
    assert "'starved' counts, because it stands first" in finding.caught.what
    assert finding.caught.evidence == ("in 2 of 2 runs",)
    assert "starved" in line_of(FAULTY, finding)
