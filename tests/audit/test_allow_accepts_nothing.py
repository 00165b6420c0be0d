from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Well
clock: {step: 0.5, limit: 20}
stats: {water: {start: 0, min: 0, max: 9}}
rules: [{name: rain, when: {every: 1}, do: [water += 1]}]
endings: {full: {result: win, if: water >= 5}, dry: {result: lose, if: time > 15}}
allow:
  - {finding: never-happened, at: rain, because: it used to be so}
"""


def test_allow_accepts_nothing_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("at: rain", "at: dry")
    finding = only_in_the_first(FAULTY, fixed, "allow-accepts-nothing", runs=3)
    assert finding.caught.where == "never-happened"
    assert "never-happened" in line_of(FAULTY, finding)
