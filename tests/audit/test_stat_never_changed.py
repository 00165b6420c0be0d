from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Anvil
clock: {step: 0.5, limit: 30}
kinds:
  smith:
    stats:
      sparks: {start: 0, min: 0, max: 40}
      heat: {start: 9, min: 0, max: 9, fade: {rate: 1}}
endings: {cold: {result: lose, if: smith.heat <= smith.sparks}}
"""


def test_stat_never_changed_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY + "rules: [{name: strikes, when: {every: 2}, do: [smith.sparks += 1]}]\n"
    finding = only_in_the_first(FAULTY, fixed, "stat-never-changed")
    assert finding.caught.where == "smith.sparks"
    assert "sparks" in line_of(FAULTY, finding)
