from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Frost
clock: {step: 0.5, limit: 10}
kinds:
  hare: {stats: {speed: 6, hops: 0}, rules: [{name: hops, when: {every: 1}, do: [hops += speed]}]}
  stone: {stats: {hops: 0}}
statuses:
  cold: {lasts: 3, changes: {speed: {times: 0.5}}}
rules:
  - {name: frost, when: {every: 4}, do: [{give: cold, to: stone}]}
"""


def test_status_without_effect_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("to: stone", "to: hare")
    finding = only_in_the_first(FAULTY, fixed, "status-without-effect", runs=2)
    assert finding.caught.where == "cold"
    assert "cold" in line_of(FAULTY, finding)
