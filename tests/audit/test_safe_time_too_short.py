from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Hail
clock: {step: 0.1, limit: 20}
kinds:
  tent: {stats: {health: {start: 20, min: 0}}, gone_if: health <= 0, when_hit: {safe_for: 0.05}}
  cloud: {}
attacks:
  hail: {from: cloud, to: tent, when: {every: 0.1}, damage: 1}
"""


def test_safe_time_too_short_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("safe_for: 0.05", "safe_for: 0.5")
    finding = only_in_the_first(FAULTY, fixed, "safe-time-too-short")
    assert "0.05 s is over before the next step" in finding.caught.what
    assert "tent" in line_of(FAULTY, finding)
