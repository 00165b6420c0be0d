from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

TURNS = "turns: {order: [amber, teal], pass: {cue: asked}}\n"
RULES = """rules:
  - {name: a guess, when: {every: 1}, do: [{cue: asked}, {cue: told, with: {right: "whole(0, 1)"}}]}
  - {name: the point, when: {cue: told}, if: cue.right > 0, do: [whose.score += 1]}
"""
GAME = """
title: Two at the loom
clock: {unit: turn, limit: 40}
stats: {mover: {start: 0, min: 0, max: 1, whole: true}}
kinds:
  amber: {stats: {score: {start: 0, min: 0}}}
  teal: {stats: {score: {start: 0, min: 0}}}
readout: ["{amber.score} : {teal.score}"]
"""
FAULTY = GAME + TURNS + RULES
GIVES = "{if: mover == 0, do: [amber.score += 1], else: [teal.score += 1]}"
MOVES = "mover = 1 - mover"


def test_award_after_the_turn_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(
        FAULTY,
        FAULTY.replace(
            '{cue: asked}, {cue: told, with: {right: "whole(0, 1)"}}',
            '{cue: told, with: {right: "whole(0, 1)"}}, {cue: asked}',
        ),
        "award-after-the-turn",
        runs=5,
    )
    assert "'the point' asks whose turn it is once the turn has passed in that step" in finding.caught.what
    assert "the point" in line_of(FAULTY, finding)


def in_one_rule(first: str, second: str) -> str:
    return f"rules:\n  - {{name: a turn, when: {{every: 1}}, let: {{right: 'whole(0, 1)'}}, do: [idle += 1, {first}, {second}]}}\n"


def in_two_rules(first: str, second: str) -> str:
    return "rules:\n" + "".join(
        f"  - {{name: {name}, when: {{every: 1}}, do: [{item}]}}\n"
        for name, item in (("a throw", "idle += 1"), ("one", first), ("two", second))
    )


def by_cues(first: str, second: str) -> str:
    return (
        "rules:\n  - {name: a turn, when: {every: 1}, do: [idle += 1, {cue: one}, {cue: two}]}\n"
        f"  - {{name: first, when: {{cue: one}}, do: [{first}]}}\n"
        f"  - {{name: second, when: {{cue: two}}, do: [{second}]}}\n"
    )


@pytest.mark.parametrize("spelling", [in_one_rule, in_two_rules, by_cues])
def test_a_turn_that_a_stat_counts_is_a_turn_as_well(spelling) -> None:
    game = GAME.replace("stats: {mover", "stats: {idle: {start: 0, min: 0}, mover")
    gives = f"{{if: chance(0.5), do: [{GIVES}]}}"
    assert found(game + spelling(MOVES, gives), "award-after-the-turn", 5)
    assert not found(game + spelling(gives, MOVES), "award-after-the-turn", 5)


def test_what_each_turn_brings_is_given_to_the_one_that_begins() -> None:
    game = GAME.replace("stats: {mover", "stats: {idle: {start: 0, min: 0}, mover")
    assert not found(game + in_two_rules(MOVES, GIVES), "award-after-the-turn", 5)


def test_a_step_that_begins_with_the_next_turn_belongs_to_it() -> None:
    game = GAME.replace("turn, limit: 40}", "turn, limit: 40}\nturns: [amber, teal]")
    rule = "rules:\n  - {name: a point, when: {every: 1}, do: [{if: chance(0.5), do: [whose.score += 1]}]}\n"
    assert not found(game + rule, "award-after-the-turn", 5)
