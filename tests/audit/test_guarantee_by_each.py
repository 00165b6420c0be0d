from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Wasps and honey
clock: {step: 1, limit: 60}
kinds:
  keeper: {side: hive, stats: {honey: {start: 0, min: 0}}}
  wasp:
    copies: 0
    room: 2
    side: wild
    stats: {health: {start: 2, min: 0, fade: {rate: 1}}}
    gone_if: health <= 0
    rules: [{name: a comb, when: gone, do: [{lot: comb}]}]
lots:
  comb: {of: {honey: {weight: 1, sure_by: 5, do: [keeper.honey += 1]}, nothing: {weight: 9}}}
rules: [{name: more, when: {every: 3}, do: [{spawn: wasp}]}]
readout: ["Honey {keeper.honey}"]
"""
RULE = "rules: [{name: a comb, when: gone, do: [{lot: comb}]}]"


def test_guarantee_by_each_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("comb: {of:", "comb: {shared: true, of:")
    finding = only_in_the_first(FAULTY, fixed, "guarantee-by-each", runs=5)
    assert "'honey' of the lot 'comb' is sure by drawing 5" in finding.caught.what
    assert "draws once and is gone: it was sure in none of 5 runs" in finding.caught.what
    assert "sure_by: 5" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    "rule",
    [
        "rules: [{name: a comb, when: {becomes: health < 2}, do: [{lot: comb}]}]",
        "rules: [{name: a comb, when: gone, do: [{lot: comb, times: 2}]}]",
        "rules: [{name: a comb, when: {every: 1}, if: health == 1, do: [{lot: comb}]}]",
        "rules: [{name: a comb, when: gone, do: [{lot: outer}]}]",
    ],
)
def test_it_is_found_whatever_draws(rule: str) -> None:
    game = FAULTY.replace(RULE, rule).replace("lots:", "lots:\n  outer: {of: {all: {weight: 1, do: [{lot: comb}]}}}")
    assert found(game, "guarantee-by-each", 5)


@pytest.mark.parametrize(
    ("old", "new"),
    [
        # Whoever stays draws.
        (RULE, "rules: []\n  hive: {rules: [{name: a comb, when: {each: 3}, do: [{lot: comb}]}]}"),
        # They draw often enough before they are gone.
        ("start: 2, min: 0", "start: 12, min: 0"),
        # It is not promised at all.
        ("weight: 1, sure_by: 5", "weight: 1"),
    ],
)
def test_it_is_not_found_where_the_guarantee_holds(old: str, new: str) -> None:
    game = FAULTY.replace(old, new.replace("{each: 3}", "{every: 3}"))
    if "start: 12" in new:
        game = game.replace("when: gone", "when: {every: 1}")
    assert not found(game, "guarantee-by-each", 5)
