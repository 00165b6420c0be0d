from __future__ import annotations

from twins import only_in_the_first

FAULTY = """
title: Regard
clock: {step: 0.5, limit: 30}
kinds:
  mayor:
    stats:
      regard: {start: 0, min: 0, max: 20, bands: {cold: 0..9, warm: 10..20}}
    rules:
      - {name: a favor, when: {every: 2}, do: [regard += 1.9]}
"""


def test_value_between_bands_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("cold: 0..9", "cold: 0..10")
    finding = only_in_the_first(FAULTY, fixed, "value-between-bands", runs=2)
    assert "between two bands" in finding.caught.what
