from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Stories
clock: {step: 1, limit: 30}
kinds:
  climber: {stats: {rope: {start: 3, min: 0, max: 9, whole: true, resets: level}}}
rules:
  - {name: to the roof, when: {every: 9}, do: [climber.rope += 2, {go: roof}]}
levels:
  hall: {until: level_time >= 20, next: roof}
  roof: {}
endings: {top: {result: win, if: climber.rope >= 9 or time >= 20}}
"""


def test_award_lost_with_the_level_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace(", resets: level", "")
    finding = only_in_the_first(FAULTY, fixed, "award-lost-with-the-level")
    assert "climber.rope starts again there" in finding.caught.what
    assert "to the roof" in line_of(FAULTY, finding)
