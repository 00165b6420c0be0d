from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Hedge
clock: {step: 0.5, limit: 30}
kinds:
  hedge: {stats: {health: {start: 50, min: 0, max: 50, recover: {rate: 8}}}, gone_if: health <= 0}
  goat: {copies: 2}
attacks:
  nibbles: {from: goat, to: hedge, when: {every: 1}, damage: "whole(1, 3)"}
"""


def test_fight_cannot_end_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("rate: 8", "rate: 5")
    finding = only_in_the_first(FAULTY, fixed, "fight-cannot-end")
    assert "recovers 8 a second" in finding.caught.what
    assert finding.caught.evidence == ("at most 6 a second by nibbles",)
    assert "hedge" in line_of(FAULTY, finding)
