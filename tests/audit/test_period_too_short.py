from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Drip
clock: {step: 0.25, limit: 30}
stats: {pail: {start: 0, min: 0}}
rules:
  - {name: drips, when: {every: 0.1}, do: [pail += 1]}
"""


def test_period_too_short_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("every: 0.1", "every: 0.5")
    finding = only_in_the_first(FAULTY, fixed, "period-too-short")
    assert "2.5 times in each step" in finding.caught.what
    assert "drips" in line_of(FAULTY, finding)
