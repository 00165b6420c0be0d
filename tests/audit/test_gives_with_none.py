from __future__ import annotations

import pytest
from twins import found

FAULTY = """
title: Nut sling
clock: {step: 0.1, limit: 20}
kinds:
  squirrel: {stats: {nuts: {start: 3, min: 0}, score: {start: 0, min: 0}}}
  stump: {stats: {health: {start: 900, min: 0}}}
attacks: {nut: {to: stump, from: squirrel, damage: 2}}
actions:
  sling: {by: squirrel, cooldown: 1, do: [nuts -= 1, score += 5]}
habits: {eager: {by: squirrel, reaction: 0.1, acts: [{do: sling}]}}
readout: ["Score {squirrel.score}"]
"""
FREE = {
    "a gain": "do: [nuts -= 1, score += 5]",
    "a strike": "do: [nuts -= 1, {attack: nut}]",
    "the other way round": "do: [score += 5, nuts += -1]",
    "a cue beside": "do: [nuts -= 1, {attack: nut}, {cue: slung}]",
    "a cue between": "do: [{cue: throws}]",
    "a rule that hears of it": "do: [{tell: whirr}]",
    "no further than none": 'do: ["nuts = max(nuts - 1, 0)", score += 5]',
    "an if that does not ask": "do: [{if: score >= 0, do: [nuts -= 1, score += 5]}]",
}
PAID = {
    "a cost": "costs: {nuts: 1}, do: [score += 5]",
    "it needs some": "needs: nuts >= 1, do: [nuts -= 1, score += 5]",
    "an if": "do: [{if: nuts >= 1, do: [nuts -= 1, score += 5]}]",
    "nothing is given": "do: [nuts -= 1]",
    "something else is taken": "costs: {nuts: 1}, do: [score -= 1, score += 5]",
}


@pytest.mark.parametrize("spelling", FREE)
def test_an_action_that_is_free_once_nothing_is_left_is_found(spelling: str) -> None:
    game = FAULTY.replace("do: [nuts -= 1, score += 5]", FREE[spelling])
    hears = {"a cue between": "{cue: throws}", "a rule that hears of it": "{act: sling}"}.get(spelling)
    if hears is not None:
        do = "do: [squirrel.nuts -= 1, squirrel.score += 5]"
        game += f"rules: [{{name: counts, when: {hears}, {do}}}, {{name: rustles, when: {{every: 0.3}}, do: [{{tell: rustle}}]}}]\n"
    [finding] = found(game, "gives-with-none", 2)
    assert "with no squirrel.nuts left" in finding.caught.what


@pytest.mark.parametrize("spelling", PAID)
def test_an_action_that_is_paid_for_is_left_alone(spelling: str) -> None:
    assert not found(FAULTY.replace("do: [nuts -= 1, score += 5]", PAID[spelling]), "gives-with-none", 2)
