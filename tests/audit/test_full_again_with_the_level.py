from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Two cellars
clock: {step: 0.5, limit: 60}
kinds:
  keeper: {side: a, stats: {health: {start: 20, min: 0, max: 20}}}
  rat: {side: b, stats: {health: {start: 8, min: 0}}, gone_if: health <= 0}
attacks:
  broom: {from: keeper, to: rat, damage: 2}
  bite: {from: rat, to: keeper, when: {every: 1}, damage: 1}
actions: {sweep: {by: keeper, cooldown: 1, do: [{attack: broom}]}}
habits: {busy: {by: keeper, reaction: 0.5, acts: [{do: sweep}]}}
levels:
  upper: {present: {keeper: 1, rat: 1}, until: count(rat) == 0}
  lower: {present: {keeper: 1, rat: 1}}
endings:
  clean: {result: win, if: level == lower and count(rat) == 0}
  bitten: {result: lose, if: keeper.health <= 0}
"""
HONEST = FAULTY.replace("{keeper: 1, rat: 1}", "{rat: 1}")


def test_full_again_with_the_level_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, HONEST, "full-again-with-the-level", runs=3)
    assert finding.grade == "maybe" and "present" in line_of(FAULTY, finding)
    assert "keeper.health is at its start again as the level opens" in finding.caught.what
    # Bitten each second until the rat is gone.
    assert "3 given back on average, in 3 of 3 runs" in finding.caught.evidence[0]


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("max: 20}", "max: 20, resets: level}"),
        ("endings:", "rules: [{name: rest, when: {level: lower}, do: [fill keeper.health]}]\nendings:"),
    ],
)
def test_where_the_file_says_so_it_is_a_note(old: str, new: str) -> None:
    [finding] = found(HONEST.replace(old, new), "full-again-with-the-level", 3)
    assert finding.grade == "note"
