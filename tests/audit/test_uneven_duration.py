from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Oven
clock: {step: 0.25, limit: 30}
kinds: {baker: {stats: {loaves: {start: 0, min: 0, whole: true}}}}
actions:
  bake: {by: baker, lasts: 0.6, do: [loaves += 1]}
"""


def test_uneven_duration_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("lasts: 0.6", "lasts: 0.75")
    finding = only_in_the_first(FAULTY, fixed, "uneven-duration")
    assert "says 0.6 s and is played as 0.75 s" in finding.caught.what
    assert "bake" in line_of(FAULTY, finding)
