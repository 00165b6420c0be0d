from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Forge
clock: {step: 0.5, limit: 10}
kinds: {smith: {stats: {iron: {start: 9, min: 0, max: 9}}}}
actions: {hammer: {by: smith, do: [iron -= 1]}}
readout: [{bar: smith.iron}]
"""


def test_nobody_plays_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY + "habits: {busy: {by: smith, reaction: 1, acts: [{do: hammer}]}}\n"
    finding = only_in_the_first(FAULTY, fixed, "nobody-plays", runs=0)
    assert finding.caught.where == "actions"
    assert "actions" in line_of(FAULTY, finding)
