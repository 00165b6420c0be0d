from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Slide
clock: {step: 0.5, limit: 30}
stats: {grip: {start: 4, min: 0}}
rules: [{name: slips, when: {every: 1}, do: [grip -= 1]}]
endings: {fell: {result: lose, if: grip <= 0}, down: {result: win, if: time >= 20}}
"""


def test_early_death_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("every: 1}", "every: 1, first: 3}")
    finding = only_in_the_first(FAULTY, fixed, "early-death", runs=3)
    assert finding.caught.evidence == ("3 of 3 runs", "the quickest after 4 s: fell")
    assert line_of(FAULTY, finding).startswith("endings")
