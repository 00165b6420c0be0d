from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Race
clock: {unit: turn, limit: 90}
kinds:
  racer:
    copies: 2
    stats: {squares: {start: 0, min: 0, whole: true}}
    rules:
      - {name: rolls, when: {every: 1}, do: ["squares += dice(1, 6)"]}
    endings: {home: {result: win, if: squares >= 30}}
"""


def test_seats_unfair_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("copies: 2", "copies: [{}, {squares: 1}]")
    finding = only_in_the_first(FAULTY, fixed, "seats-unfair", runs=5)
    assert "racer[1]" in finding.caught.what
    assert line_of(FAULTY, finding).strip() == "racer:"
