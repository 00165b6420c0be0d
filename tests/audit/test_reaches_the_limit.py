from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Siege
clock: {step: 1, limit: 30}
stats: {walls: {start: 20, min: 0}}
rules: [{name: a stone, when: {every: 2}, do: [walls -= 1]}]
endings: {breached: {result: lose, if: walls <= 0}}
"""


def test_reaches_the_limit_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("walls -= 1", "walls -= 2")
    finding = only_in_the_first(FAULTY, fixed, "reaches-the-limit", runs=3)
    assert "the clock's limit of 30 s" in finding.caught.what
    assert finding.caught.evidence == ("3 of 3 runs",)
    assert line_of(FAULTY, finding).startswith("clock")
