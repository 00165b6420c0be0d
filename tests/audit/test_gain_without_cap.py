from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Bellows
clock: {step: 0.1, limit: 20}
kinds:
  smith:
    stats:
      breath: {start: 30, min: 0, fade: {rate: 1}}
    rules:
      - {name: catches breath, when: {every: 3}, do: [breath += 5]}
endings: {spent: {result: lose, if: smith.breath <= 0}}
"""


def test_gain_without_cap_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("min: 0, fade", "min: 0, max: 30, fade")
    finding = only_in_the_first(FAULTY, fixed, "gain-without-cap")
    assert finding.caught.where == "smith.breath"
    assert "breath" in line_of(FAULTY, finding)
