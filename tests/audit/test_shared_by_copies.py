from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Three jars
clock: {step: 0.1, limit: 30}
stats: {cracks: {start: 0, min: 0, whole: true}}
kinds:
  thrush: {side: birds, stats: {beak: 1}}
  jar:
    copies: 3
    side: shelf
    stats: {health: {start: 900, min: 0}}
    gone_if: cracks >= 3
    rules: [{name: a crack, when: {struck: pecks}, do: [cracks += 1]}]
attacks: {pecks: {from: thrush, to: jar, when: {every: 1}, aims: random, damage: 1}}
readout: ["{count(jar)} jars"]
"""
OWN = FAULTY.replace("stats: {cracks: {start: 0, min: 0, whole: true}}\n", "").replace(
    "stats: {health: {start: 900, min: 0}}",
    "stats: {health: {start: 900, min: 0}, cracks: {start: 0, min: 0, whole: true}}",
)
BY_RULE = "rules: [{name: bursts, when: {becomes: cracks >= 3}, do: [{remove: self}]}, {name: a crack"


def test_shared_by_copies_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, OWN, "shared-by-copies")
    assert "Each jar counts into cracks of the game and goes as 'cracks >= 3'" in finding.caught.what
    assert "gone_if" in line_of(FAULTY, finding)


@pytest.mark.parametrize("key", ["becomes", "while"])
def test_a_rule_that_removes_them_is_looked_at_too(key: str) -> None:
    game = FAULTY.replace("    gone_if: cracks >= 3\n", "").replace(
        "rules: [{name: a crack", BY_RULE.replace("becomes", key)
    )
    assert found(game, "shared-by-copies")
    assert not found(game.replace("copies: 3", "copies: 1"), "shared-by-copies")


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("aims: random, damage: 1", "aims: random, also: [cracks += 1]"),
        ("readout:", "rules: [{name: a crack, when: {hit: pecks}, do: [cracks += 1]}]\nreadout:"),
        ("readout:", "rules: [{name: a crack, when: {hit: any}, do: [{cue: crack}, cracks += 1]}]\nreadout:"),
    ],
)
def test_it_is_found_whatever_counts(old: str, new: str) -> None:
    game = FAULTY.replace("\n    rules: [{name: a crack, when: {struck: pecks}, do: [cracks += 1]}]", "").replace(
        old, new
    )
    assert found(game, "shared-by-copies")


def test_copies_that_all_go_as_the_game_says_are_left_alone() -> None:
    bell = "rules: [{name: the bell, when: {every: 9}, do: [cracks += 1]}]\nreadout:"
    game = FAULTY.replace("\n    rules: [{name: a crack, when: {struck: pecks}, do: [cracks += 1]}]", "")
    assert not found(game.replace("readout:", bell), "shared-by-copies")
