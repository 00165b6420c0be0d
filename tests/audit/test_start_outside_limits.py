from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Sled
clock: {step: 0.5, limit: 20}
numbers: {crew: 2}
kinds:
  sled:
    stats:
      load: {start: 50, min: 0, max: 20 * crew}
"""


def test_start_outside_limits_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("start: 50", "start: 40")
    finding = only_in_the_first(FAULTY, fixed, "start-outside-limits")
    assert finding.caught.what == "sled.load says that it starts with 50, and opens with 40."
    assert "load" in line_of(FAULTY, finding)
