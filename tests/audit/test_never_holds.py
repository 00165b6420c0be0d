from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Dam
clock: {step: 0.5, limit: 30}
stats: {water: {start: 5, min: 0, max: 50}}
rules:
  - {name: rain, when: {every: 1}, do: [water += 2]}
endings: {flood: {result: lose, if: water > 50}}
"""


def test_never_holds_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("water > 50", "water >= 50")
    finding = only_in_the_first(FAULTY, fixed, "never-holds")
    assert finding.caught.what == "'water > 50' can never hold within the limits of the file."
    assert "flood" in line_of(FAULTY, finding)
