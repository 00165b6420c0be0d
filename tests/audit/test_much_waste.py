from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Kitchen
clock: {step: 0.5, limit: 60}
kinds:
  cook:
    stats:
      warmth: {start: 20, min: 0, max: 20, fade: {rate: 1}}
    rules:
      - {name: tea, when: {every: 2}, do: [warmth += 10]}
"""


def test_much_waste_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("every: 2", "every: 10")
    finding = only_in_the_first(FAULTY, fixed, "much-waste", runs=10)
    # Two fade away between two cups of ten: eight of each are lost.
    assert "80 % of it is lost" in finding.caught.what
    assert "tea" in line_of(FAULTY, finding)
