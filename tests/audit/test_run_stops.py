from __future__ import annotations

from twins import found, line_of, only_in_the_first

FAULTY = """
title: Shares
clock: {step: 1, limit: 30}
stats: {heirs: {start: 3, min: 0, whole: true}, each: {start: 0}}
rules:
  - {name: one less, when: {every: 5}, do: [heirs -= 1]}
  - {name: shared, when: {every: 1}, do: [each = 90 / heirs]}
endings: {none: {result: lose, if: each > 95}}
"""


def test_run_stops_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("90 / heirs", "90 / (heirs + 1)")
    finding = only_in_the_first(FAULTY, fixed, "run-stops", runs=2)
    assert "division by" in finding.caught.evidence[0] or "divided by" in finding.caught.evidence[0]
    assert line_of(FAULTY, finding) == ""


def test_several_runs_that_stop_for_one_reason_are_one_finding() -> None:
    assert len(found(FAULTY, "run-stops", runs=4)) == 1
