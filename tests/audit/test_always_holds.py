from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Loft
clock: {step: 0.5, limit: 30}
stats: {grain: {start: 5, min: 0, max: 50}}
rules:
  - {name: mice, when: {every: 1}, if: grain >= 0, do: [grain -= 1]}
"""


def test_always_holds_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("grain >= 0", "grain >= 1")
    finding = only_in_the_first(FAULTY, fixed, "always-holds")
    assert finding.caught.what == "'grain >= 0' always holds within the limits of the file."
    assert "mice" in line_of(FAULTY, finding)
