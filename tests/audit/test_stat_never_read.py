from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Vane
clock: {step: 0.5, limit: 30}
stats:
  wind: {start: 0, min: 0}
rules:
  - {name: gust, when: {every: 5}, do: [wind += 1]}
"""


def test_stat_never_read_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY + 'readout: ["Wind {wind}"]\n'
    finding = only_in_the_first(FAULTY, fixed, "stat-never-read")
    assert finding.caught.where == "wind"
    assert "wind" in line_of(FAULTY, finding)
