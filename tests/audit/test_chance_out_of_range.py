from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Toss
clock: {step: 1, limit: 20}
numbers: {odds: 40}
kinds: {smith: {stats: {skill: {start: 1, min: 0, max: 5}, luck: {start: 0, min: 0, max: 9}}}}
rules:
  - {name: lucky, when: {every: 2}, chance: odds, do: [smith.luck += 1]}
endings: {done: {result: win, if: smith.luck >= 9}}
"""


def test_chance_out_of_range_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("odds: 40", "odds: 0.4")
    finding = only_in_the_first(FAULTY, fixed, "chance-out-of-range")
    assert finding.caught.where == "lucky"
    assert "odds" in line_of(FAULTY, finding)
    assert finding.grade == "wrong"
    assert "above 1 (always); 0.4?" in finding.caught.what


def test_a_chance_that_a_formula_can_bring_beyond_1_is_told_as_a_maybe() -> None:
    faulty = FAULTY.replace("chance: odds, do: [", "chance: 0.3 * smith.skill, do: [smith.skill += 1, ")
    finding = only_in_the_first(faulty, faulty.replace("0.3 *", "0.2 *"), "chance-out-of-range")
    assert finding.grade == "maybe"
    assert "can be above 1 (always)" in finding.caught.what
