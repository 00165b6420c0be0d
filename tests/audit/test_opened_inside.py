from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Lamp
clock: {step: 0.5, limit: 30}
statuses: {dim: {lasts: 99}}
kinds:
  lamp:
    stats:
      oil: {start: 5, min: 0, max: 50, fade: {rate: 0.1}, bands: {low: 0..9, full: 10..50}}
      flame: {one_of: [bright, dim], start: bright}
      flickers: {start: 0, min: 0}
    rules:
      - {name: burns low, when: {becomes: oil < 10}, do: [flame = dim]}
      - {name: is filled, when: {every: 9}, do: [oil += 20]}
readout: ["{lamp.flame} {lamp.flickers}"]
"""
RULE = "when: {becomes: oil < 10}, do: [flame = dim]"


def test_opened_inside_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, FAULTY.replace("start: bright", "start: dim"), "opened-inside")
    assert "'oil < 10' holds as the game opens, so 'burns low' has not come yet" in finding.caught.what
    assert "lamp.flame is bright, and once it has come it would be dim" in finding.caught.what
    assert "burns low" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    "rule",
    [
        "when: {enters: oil low}, do: [flame = dim]",
        "when: {leaves: oil full}, do: [flame = dim]",
        "when: {becomes: oil.band == low}, do: [{if: flame == bright, do: [flame = dim]}]",
        "when: {becomes: oil < 10}, do: [{cue: weak}]}\n      - {name: weak, when: {cue: weak}, do: [flame = dim]",
        "when: {becomes: oil < 10}, let: {few: 1}, do: [empty oil]",
        "when: {enters: oil low}, do: [{give: dim, to: self}]",
        "when: [{every: 40}, {becomes: oil <= 9}], do: [flame = dim]",
    ],
)
def test_it_is_found_however_the_edge_is_written(rule: str) -> None:
    assert found(FAULTY.replace(RULE, rule), "opened-inside")


@pytest.mark.parametrize(
    ("old", "new"),
    [
        # It counts how often: the next time is waited for.
        (RULE, "when: {becomes: oil < 10}, do: [flickers += 1]"),
        (RULE, 'when: {enters: oil low}, do: [{tell: "it flickers"}]'),
        # Set right at the start, or in the first step.
        ("    rules:\n", "    rules:\n      - {when: start, do: [{if: oil < 10, do: [flame = dim]}]}\n"),
        ("    rules:\n", "    rules:\n      - {when: {while: oil < 10}, do: [flame = dim]}\n"),
        # It opens outside.
        ("oil: {start: 5", "oil: {start: 15"),
    ],
)
def test_what_waits_for_its_edge_or_is_right_already_is_left_alone(old: str, new: str) -> None:
    assert not found(FAULTY.replace(old, new), "opened-inside")
