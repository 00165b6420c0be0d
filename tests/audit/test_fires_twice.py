from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Tide
clock: {step: 0.5, limit: 60}
stats: {water: {start: 0, min: 0, max: 12}, boats: {start: 0, min: 0, whole: true}, ebb: false}
rules:
  - {name: rises, when: {every: 1}, if: not ebb, do: [water += 1]}
  - {name: falls, when: {every: 1}, if: ebb, do: [water -= 1]}
  - {name: turns, when: {becomes: water >= 12}, do: [ebb = true]}
  - {name: turns again, when: {becomes: water <= 0}, do: [ebb = false]}
  - {name: a boat comes in, when: {becomes: water == 6}, do: [boats += 1]}
"""


def test_fires_twice_is_caught_and_the_mended_twin_is_not() -> None:
    mended = FAULTY.replace("water == 6", "water >= 6")
    finding = only_in_the_first(FAULTY, mended, "fires-twice", runs=3)
    assert "as water rises through the value, and again as it falls back" in finding.caught.what
    assert "a boat comes in" in line_of(FAULTY, finding)
