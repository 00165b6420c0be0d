from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Laps
clock: {step: 0.5, limit: 30}
stats: {laps: {start: 0, min: 0, max: 99, whole: true}}
rules:
  - {name: a lap, when: {every: 2}, do: [laps = 1]}
readout: ["Lap {laps}"]
"""


def test_counter_is_stuck_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("laps = 1", "laps += 1")
    finding = only_in_the_first(FAULTY, fixed, "counter-is-stuck", runs=2)
    assert finding.caught.what.startswith("laps never holds anything but 0 and 1")
    assert "laps" in line_of(FAULTY, finding)
