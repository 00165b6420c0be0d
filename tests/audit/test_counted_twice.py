from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: The corn
clock: {step: 0.5, limit: 60}
stats: {downs: {start: 0, min: 0}}
kinds:
  warden: {side: a, stats: {health: {start: 30, min: 0}}}
  crow:
    side: b
    copies: 3
    stats: {health: {start: 4, min: 0}}
    gone_if: health <= 0
    rules: [{name: a point, when: gone, do: [downs += 1]}]
attacks:
  sweep: {from: warden, to: crow, when: {every: 1}, damage: 2}
rules:
  - {name: one down, when: {gone: crow}, do: [downs += 1]}
endings: {done: {result: win, if: count(crow) == 0}}
readout: ["{downs}"]
"""
RULE = "  - {name: one down, when: {gone: crow}, do: [downs += 1]}\n"
HONEST = FAULTY.replace("rules:\n" + RULE, "")


def test_counted_twice_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, HONEST, "counted-twice", runs=5)
    assert finding.caught.what == "Each crow that goes counts twice in downs: 'a point' and 'one down' add 1 each."
    assert "of 15 in 5 runs none counted once" in finding.caught.evidence[0]
    assert "one down" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("damage: 2}", 'damage: 2, also: [{if: "other.health <= 0", do: [downs += 1]}]}'),
        (
            "endings:",
            "rules: [{when: {gone: crow}, do: [{cue: fell}]}, {when: {cue: fell}, do: [downs += 1]}]\nendings:",
        ),
        ("do: [downs += 1]}]", "do: [downs += 1, downs = downs + 1]}]"),
        # The rule of each of two copies hears of it.
        ("warden: {side: a, ", "warden: {side: a, copies: 2, rules: [{when: {gone: crow}, do: [downs += 1]}], "),
    ],
)
def test_it_is_found_whatever_counts(old: str, new: str) -> None:
    game = HONEST.replace(old, new)
    if "copies: 2" in new:
        game = game.replace("    rules: [{name: a point, when: gone, do: [downs += 1]}]\n", "")
    assert found(game, "counted-twice", 5)


@pytest.mark.parametrize(
    ("old", "new"),
    [
        # Two accounts, two amounts, and a hit that gives besides.
        ("do: [downs += 1]}]", "do: [downs += 1, warden.health += 1]}]"),
        ("do: [downs += 1]}]", "do: [downs += 1, downs += 5]}]"),
        ("damage: 2}", "damage: 2, also: [downs += 1]}"),
    ],
)
def test_what_is_given_besides_is_no_second_count(old: str, new: str) -> None:
    assert not found(HONEST.replace(old, new), "counted-twice", 5)
