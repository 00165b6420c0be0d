from __future__ import annotations

from twins import found, line_of, only_in_the_first

FAULTY = """
title: Mill
clock: {step: 0.5, limit: 20}
stats: {sacks: {start: 20, whole: true}}
rules:
  - {name: a mouse feasts, when: {every: 2}, do: [sacks -= 3]}
readout: ["Sacks {sacks}"]
"""


def test_no_floor_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("start: 20,", "start: 20, min: 0,")
    finding = only_in_the_first(FAULTY, fixed, "no-floor")
    assert "below 0" in finding.caught.what
    assert "sacks" in line_of(FAULTY, finding)


def test_a_condition_that_looks_at_it_is_enough() -> None:
    assert not found(FAULTY + "endings: {bare: {result: lose, if: sacks <= 0}}\n", "no-floor")
