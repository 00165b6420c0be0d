from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Leak
clock: {step: 0.1, limit: 30}
kinds:
  boat:
    stats: {water: {start: 0, min: 0, max: 100}}
    rules:
      - {name: leaks, when: {while: water < 100}, do: ["water += between(0.2, 0.4)"]}
endings:
  ashore: {result: win, if: time >= 25}
  sunk:   {result: lose, if: boat.water >= 100}
readout: [{bar: boat.water}]
"""


def test_step_length_matters_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace(
        '{while: water < 100}, do: ["water += between(0.2, 0.4)"]', '{every: 1}, do: ["water += between(2, 5)"]'
    )
    finding = only_in_the_first(FAULTY, fixed, "step-length-matters", runs=5)
    assert any(text.startswith("win:") for text in finding.caught.evidence)
    assert "--set clock.step=0.05" in finding.command
    assert line_of(FAULTY, finding).startswith("clock:")
