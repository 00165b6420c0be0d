from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Race
clock: {step: 0.5, limit: 20}
stats: {steps: {start: 0, min: 0}}
rules: [{name: steps on, when: {every: 1}, do: [steps += 1]}]
endings: {home: {result: win, if: steps >= 3}}
playtests:
  it is home: {expect: [{at: 8, that: steps == 3}]}
"""


def test_asks_after_the_end_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("at: 8", "at: 3")
    finding = only_in_the_first(FAULTY, fixed, "asks-after-the-end", runs=1)
    assert finding.caught.where == "it is home"
    assert "it is home" in line_of(FAULTY, finding)
