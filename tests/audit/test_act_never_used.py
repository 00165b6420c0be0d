from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Cork and Crossbow
clock: {step: 0.5, limit: 20}
kinds:
  hand:
    stats: {cocked: {start: 1, min: 0, max: 1, whole: true}, corks: {start: 0, min: 0, max: 8, whole: true}}
actions:
  shoot: {by: hand, needs: cocked == 1, do: [corks += 1]}
  cock: {by: hand, do: [cocked = 1]}
endings: {won: {result: win, if: hand.corks >= 6}, late: {result: lose, if: time >= 8}}
habits: {eager: {by: hand, reaction: 0.5, slips: 0.1, acts: [{do: shoot}, {do: cock}]}}
"""
MENDED = FAULTY.replace("do: [corks += 1]", "do: [corks += 1, cocked = 0]")


def test_an_act_that_the_best_never_needs_is_caught_and_one_that_it_needs_is_not() -> None:
    finding = only_in_the_first(FAULTY, MENDED, "act-never-used", 20)
    assert "never does 'cock'" in finding.caught.what
    assert "cock:" in line_of(FAULTY, finding)
