from __future__ import annotations

from twins import found, only_in_the_first

FAULTY = """
title: Tally
clock: {step: 0.5, limit: 60}
stats: {crates: {start: 0, min: 0, max: 15, whole: true}}
rules:
  - {name: a crate, when: {every: 2}, do: [crates += 1]}
"""


def test_counter_runs_full_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("max: 15", "max: 99")
    finding = only_in_the_first(FAULTY, fixed, "counter-runs-full", runs=3)
    assert "15, the most it can hold, and counts no further" in finding.caught.what
    assert finding.caught.evidence == ("in 3 of 3 runs",)


def test_a_counter_that_runs_over_is_told_so() -> None:
    [finding] = found(FAULTY.replace("whole: true", "whole: true, at_limit: wrap"), "counter-runs-full", 3)
    assert "begins again at its min" in finding.caught.what
