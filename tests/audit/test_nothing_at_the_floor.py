from __future__ import annotations

from twins import only_in_the_first

FAULTY = """
title: Gate
clock: {step: 0.5, limit: 20}
kinds:
  gate: {stats: {health: {start: 20, min: 0}}}
  ram: {stats: {weight: 3}}
attacks:
  butts: {from: ram, to: gate, when: {every: 1}, damage: self.weight}
"""


def test_nothing_at_the_floor_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY + "endings: {open: {result: lose, if: gate.health <= 0}}\n"
    finding = only_in_the_first(FAULTY, fixed, "nothing-at-the-floor")
    assert finding.caught.where == "gate.health"
    assert finding.caught.evidence == ("taken from by butts",)
