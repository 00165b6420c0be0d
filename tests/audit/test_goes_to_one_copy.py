from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Two gardeners
clock: {step: 0.1, limit: 30}
kinds:
  gardener: {copies: 2, side: hands, stats: {score: {start: 0, min: 0}}}
  snail:
    copies: 3
    room: 6
    side: snails
    stats: {health: {start: 3, min: 0}}
    gone_if: health <= 0
    rules: [{name: a point, when: gone, do: ["gardener[1].score += 1"]}]
attacks: {pick: {from: gardener, to: snail, when: {every: 1}, aims: random, damage: 1}}
rules: [{name: more, when: {every: 2}, do: [{spawn: snail}]}]
readout: ["{gardener[1].score} : {gardener[2].score}"]
"""
RULE = 'rules: [{name: a point, when: gone, do: ["gardener[1].score += 1"]}]'


def test_goes_to_one_copy_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("gardener[1].score += 1", "other.score += 1")
    finding = only_in_the_first(FAULTY, fixed, "goes-to-one-copy", runs=3)
    assert "adds to gardener[1].score whoever earns it: gardener[1] and gardener[2] did" in finding.caught.what
    assert "a point" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    ("rule", "also", "whose"),
    [
        ('rules: [{name: a point, when: gone, do: [{cue: ended}, "gardener[1].score += 1"]}]', "", "other"),
        (
            'rules: [{name: a point, when: {struck: pick}, do: ["gardener[1].score = gardener[1].score + 1"]}]',
            "",
            "other",
        ),
        ("rules: []", ', also: ["gardener[1].score += 1"]', "self"),
    ],
)
def test_it_is_found_however_it_is_written(rule: str, also: str, whose: str) -> None:
    game = FAULTY.replace(RULE, rule).replace("damage: 1", f"damage: 1{also}")
    assert found(game, "goes-to-one-copy", 3)
    honest = game.replace('readout: ["{gardener[1].score} : {gardener[2].score}"]', "")
    assert not found(honest.replace("gardener[1].score", f"{whose}.score"), "goes-to-one-copy", 3)


def test_one_gardener_alone_may_have_it_all() -> None:
    alone = (
        FAULTY.replace("copies: 2", "copies: 1").replace("gardener[1]", "gardener").replace("gardener[2]", "gardener")
    )
    assert not found(alone, "goes-to-one-copy", 3)


def test_a_rule_of_the_game_that_hears_a_cue_is_looked_at_too() -> None:
    rule = "rules: [{name: down, when: gone, do: [{cue: down}]}]"
    point = '{name: a point, when: {cue: down}, do: ["gardener[1].score += 1"]}, {name: more'
    game = FAULTY.replace(RULE, rule).replace("{name: more", point)
    assert found(game, "goes-to-one-copy", 5)
    assert not found(
        game.replace("gardener[1].score +=", "gardener[2].score +=")
        .replace("copies: 2", "copies: 1")
        .replace("gardener[2]", "gardener")
        .replace("gardener[1]", "gardener"),
        "goes-to-one-copy",
        5,
    )
