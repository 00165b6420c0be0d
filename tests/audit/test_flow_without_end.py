from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Purse
clock: {step: 0.1, limit: 20}
kinds:
  miller:
    stats:
      coins: {start: 5, recover: {rate: 2}}
rules:
  - {name: gift, when: {every: 5}, do: [miller.coins += 40]}
endings: {rich: {result: win, if: miller.coins >= 100}}
"""


def test_flow_without_end_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("rate: 2}", "rate: 2, to: 50}")
    finding = only_in_the_first(FAULTY, fixed, "flow-without-end")
    assert finding.caught.where == "miller.coins"
    assert "coins" in line_of(FAULTY, finding)
    assert finding.grade == "note"
    assert "goes up for as long as the game lasts" in finding.caught.what
