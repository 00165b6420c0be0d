from __future__ import annotations

import pytest

import mint_ledger as mint

GAME = """
title: Bells
clock: {step: 0.1, limit: 9}
numbers: {pull: 2}
stats: {rung: {start: 0, max: 50}}
kinds:
  ringer:
    copies: [{}, {arm: 7}]
    side: a
    stats: {arm: {start: 5, min: 1, max: 9, recover: {rate: 0.5, after: 1}}, deaf: false}
    when_hit: {armor: 1, resist: {loud: 0.5}, through: [{layer: arm, share: 0.8}]}
    rules: [{name: pulls, when: {every: 1.5, first: 1}, chance: 0.9, cooldown: 0.2, at_most: 4, do: [rung += pull]}]
  wind: {side: b}
attacks: {gust: {from: wind, to: ringer, when: {every: 2}, lands: 0.5, damage: 3, crit: {chance: 0.1, times: 2}}}
actions: {rest: {by: ringer, lasts: 0.4, cooldown: 3, costs: {arm: 1}, do: [fill arm]}}
statuses: {tired: {lasts: 4, changes: {arm: {times: 0.5}}}}
habits: {steady: {by: ringer, reaction: 0.3, slips: 0.02, acts: [{do: rest, every: 5}], meets: [{wind: 8}]}}
rules:
  - {name: echo, when: {every: 4}, do: [rung += 1]}
  - {when: {every: 6}, do: [rung += 2]}
variants: {quiet: {gust.lands: 0.1, ringer.arm.max: 12}}
"""

NAMES = {
    "clock.step": 0.1,
    "clock.limit": 9,
    "pull": 2,
    "rung": 0,
    "rung.max": 50,
    "ringer.arm": 5,
    "ringer.arm.min": 1,
    "ringer.arm.max": 9,
    "ringer.arm.recover.rate": 0.5,
    "ringer.arm.recover.after": 1,
    "ringer.deaf": 0,
    "ringer[2].arm": 7,
    "ringer.when_hit.armor": 1,
    "ringer.when_hit.resist.loud": 0.5,
    "ringer.when_hit.through[1].share": 0.8,
    "ringer.pulls.every": 1.5,
    "ringer.pulls.first": 1,
    "ringer.pulls.chance": 0.9,
    "ringer.pulls.cooldown": 0.2,
    "ringer.pulls.at_most": 4,
    "gust.every": 2,
    "gust.lands": 0.5,
    "gust.damage": 3,
    "gust.crit.chance": 0.1,
    "gust.crit.times": 2,
    "rest.lasts": 0.4,
    "rest.cooldown": 3,
    "rest.costs.arm": 1,
    "tired.lasts": 4,
    "tired.changes.arm.times": 0.5,
    "steady.reaction": 0.3,
    "steady.slips": 0.02,
    "steady.acts[1].every": 5,
    "steady.meets[1].wind": 8,
    "echo.every": 4,
}


@pytest.mark.parametrize("name", NAMES)
def test_every_number_outside_formulas_is_a_dial_by_its_path(name: str) -> None:
    assert mint.loads(GAME).dials.value(name) == NAMES[name]


@pytest.mark.parametrize("name", NAMES)
def test_every_dial_can_be_turned_and_reads_back(name: str) -> None:
    game = mint.loads(GAME)
    value = {"clock.step": 0.05, "ringer.deaf": True}.get(name, NAMES[name] * 0.9 + (1 if NAMES[name] == 0 else 0))
    if name == "ringer.pulls.at_most":
        value = 2
    turned = game.with_dials({name: value})
    assert turned.dials.value(name) == pytest.approx(float(value))
    assert game.dials.value(name) == NAMES[name]
    others = [other for other in NAMES if other != name]
    assert all(turned.dials.value(other) == NAMES[other] for other in others)


def test_turning_a_number_changes_no_structure() -> None:
    game = mint.loads(GAME)
    turned = game.with_dials({"gust.damage": 9, "ringer[2].arm": 3, "clock.limit": 4})
    before, after = game.lowered.program, turned.lowered.program
    assert before.procedures == after.procedures
    assert before.layout == after.layout
    assert before.dials.paths == after.dials.paths


def test_a_variant_may_raise_a_limit_and_is_checked_like_the_file() -> None:
    game = mint.loads(GAME)
    assert game.with_variant("quiet").dials.value("ringer.arm.max") == 12
    with pytest.raises(mint.GameError, match="starts at 5, above its max of 4"):
        game.with_dials({"ringer.arm.max": 4})


def test_what_stands_in_a_formula_is_no_dial() -> None:
    text = GAME.replace("damage: 3", "damage: self.side_step + 3").replace(
        "wind: {side: b}", "wind: {side: b, stats: {side_step: 2}}"
    )
    game = mint.loads(text)
    with pytest.raises(mint.NotFound, match=r"there is no dial 'gust\.damage'"):
        game.dials.value("gust.damage")
    assert game.dials.value("wind.side_step") == 2


def test_a_formula_that_is_asked_for_as_a_dial_is_said_to_be_one() -> None:
    game = mint.loads(
        "kinds:\n  pan: {stats: {salt: {start: 0, max: 10, recover: {rate: 0.1 + pace}}}}\n"
        "  sun: {stats: {heat: {start: 0, max: 9, recover: {rate: 2}}}}\nnumbers: {pace: 0.2}\nclock: {limit: 9}\n"
    )
    with pytest.raises(mint.NotFound, match=r"there is no dial 'pan.salt.recover.rate': that is a formula, of which"):
        game.with_dials({"pan.salt.recover.rate": 1})
    with pytest.raises(mint.NotFound, match=r"there is no dial 'pan.salt.recover.rat'"):
        game.with_dials({"pan.salt.recover.rat": 1})
    assert game.with_dials({"pace": 1}).run().at(3.0)["pan.salt"] == pytest.approx(3.3)
