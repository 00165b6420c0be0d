from __future__ import annotations

from twins import found, line_of, only_in_the_first

FAULTY = """
title: Forge
clock: {step: 0.5, limit: 10}
kinds: {smith: {stats: {iron: {start: 0, min: 0, max: 9}}}}
actions: {hammer: {by: smith, needs: iron > 0, do: [iron -= 1]}}
habits:
  busy: {by: smith, reaction: 1, acts: [{do: hammer}]}
"""


def test_habit_never_acts_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("iron: {start: 0", "iron: {start: 5")
    finding = only_in_the_first(FAULTY, fixed, "habit-never-acts", runs=2)
    assert finding.caught.where == "busy"
    assert finding.grade == "wrong"
    assert "busy" in line_of(FAULTY, finding)


def test_a_habit_that_only_had_no_occasion_may_be_right() -> None:
    rested = FAULTY.replace("iron: {start: 0", "iron: {start: 5").replace(
        "acts: [{do: hammer}]", "acts: [{do: hammer, if: iron > 7}]"
    )
    [finding] = found(rested, "habit-never-acts", 2)
    assert finding.grade == "wrong"  # nothing ever adds iron
    rested += "rules: [{name: a find, when: {every: 1}, chance: 0.001, do: [smith.iron += 3]}]\n"
    [finding] = found(rested, "habit-never-acts", 2)
    assert finding.grade == "maybe"
