from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Lamp
clock: {step: 0.5, limit: 30}
kinds:
  lamp:
    stats: {oil: {start: 5, min: 0, max: 50, fade: {rate: 1}}}
    rules:
      - {name: flickers, when: {becomes: oil < 10}, do: [{tell: "it flickers"}]}
"""


def test_true_from_the_start_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("start: 5", "start: 50")
    finding = only_in_the_first(FAULTY, fixed, "true-from-the-start")
    assert "already holds as the game opens" in finding.caught.what
    assert finding.caught.where == "flickers"
    assert "flickers" in line_of(FAULTY, finding)
