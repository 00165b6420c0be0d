"""One mistake in many spellings, and beside it honest games that look much like it."""

from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Lily pond
clock: {step: 0.05, limit: 30}
kinds:
  frog: {stats: {joy: {start: 0, min: 0}}, rules: [{name: sings, when: {in_contact: leaf}, do: [joy += 1]}]}
  leaf: {}
rules:
  - {name: lands, when: {every: 4}, do: [{meet: [frog, leaf], for: 2}]}
readout: ["Joy {frog.joy}"]
"""


def test_once_in_every_step_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, FAULTY.replace("in_contact", "meets"), "once-in-every-step", runs=2)
    assert "'sings' adds to frog.joy in every step while it lasts: 1 each time" in finding.caught.what
    assert "sings" in line_of(FAULTY, finding)


# Who has the rule, and the rule.
EACH_STEP = {
    "while": ("game", "{name: sings, when: {while: time < 10}, do: [sung += 1]}"),
    "while, a loss": ("frog", "{name: sings, when: {while: time < 10}, do: [tired -= 0.5]}"),
    "contact": ("frog", "{name: sings, when: {in_contact: leaf}, do: [joy += 1]}"),
    "contact of the other": ("leaf", "{name: sings, when: {in_contact: frog}, do: [other.joy += 1]}"),
    "set": ("game", "{name: sings, when: {while: time < 10}, do: [sung = sung + 1]}"),
    "a stat between": ("frog", "{name: sings, when: {in_contact: leaf}, do: [joy += gift]}"),
    "an if": ("frog", "{name: sings, when: {in_contact: leaf}, if: time < 12, do: [joy += 2]}"),
    "an if in the do": ("frog", "{name: sings, when: {in_contact: leaf}, do: [{if: time < 12, do: [joy += 2]}]}"),
    "a let": ("frog", "{name: sings, when: {in_contact: leaf}, let: {more: gift * 2}, do: [joy += more]}"),
    "for each": ("leaf", "{name: sings, when: {in_contact: frog}, do: [{each: frog, do: [other.joy += 1]}]}"),
    "a cue between": ("frog", "{name: sings, when: {in_contact: leaf}, do: [{cue: ribbit}]}"),
    "a contact of two steps": ("frog", "{name: sings, when: {in_contact: leaf}, do: [joy += 1]}"),
    "a chance": ("frog", "{name: sings, when: {in_contact: leaf}, chance: 0.2, do: [joy += 1]}"),
    "a chance in the do": ("game", "{name: sings, when: {while: time < 20}, do: [{if: chance(0.2), do: [sung += 3]}]}"),
    "a chance in the if": ("game", "{name: sings, when: {while: time < 20}, if: chance(0.3), do: [sung += 1]}"),
    "a limit far away": ("frog", "{name: sings, when: {in_contact: leaf}, at_most: 30, do: [joy += 1]}"),
}
ONCE = {
    "as it meets": ("frog", "{name: sings, when: {meets: leaf}, do: [joy += 1]}"),
    "with a cooldown": ("frog", "{name: sings, when: {in_contact: leaf}, cooldown: 1, do: [joy += 1]}"),
    "a chance": ("frog", "{name: sings, when: {every: 1}, chance: 0.9, do: [joy += 2]}"),
    "now and then": ("game", "{name: sings, when: {every: 0.05}, do: [sung += 1]}"),
    "as it becomes": ("game", "{name: sings, when: {becomes: time >= 10}, do: [sung += 1]}"),
    "twice at most": ("game", "{name: sings, when: {while: time < 10}, at_most: 2, do: [sung += 1]}"),
    "a measure of the time": ("game", "{name: sings, when: {while: time < 10}, do: [sung = time]}"),
    "one contact after the other": ("leaf", "{name: sings, when: {meets: frog}, do: [other.joy += 1, sung += 1]}"),
}


def _pond(owner: str, rule: str) -> str:
    at = {who: f", rules: [{rule}]" if who == owner else "" for who in ("frog", "leaf")}
    return f"""
title: Lily pond
clock: {{step: 0.05, limit: 30}}
kinds:
  frog: {{stats: {{joy: {{start: 0, min: 0}}, tired: {{start: 900, min: 0}}, gift: 1}}{at["frog"]}}}
  leaf: {{stats: {{size: 1}}{at["leaf"]}}}
stats: {{sung: {{start: 0, min: 0}}}}
rules:
  - {{name: lands, when: {{every: 4}}, do: [{{meet: [frog, leaf], for: 2}}]}}
  - {{name: hears, when: {{cue: ribbit}}, do: [sung += 1]}}
  - {rule if owner == "game" else "{name: dusk, when: {becomes: time >= 25}, do: [{finish: dusk}]}"}
endings:
  dusk: {{result: win}}
"""


@pytest.mark.parametrize("spelling", EACH_STEP)
def test_what_comes_in_every_step_is_found_however_it_is_written(spelling: str) -> None:
    game = _pond(*EACH_STEP[spelling])
    if spelling == "a contact of two steps":
        game = game.replace("for: 2}", "for: 0.1}")
    both = found(game, "once-in-every-step", 5)
    assert both and both[0].grade == "wrong", spelling
    words = "by chance in each step" if "a chance" in spelling else "in every step while it lasts"
    assert words in both[0].caught.what


@pytest.mark.parametrize("spelling", ONCE)
def test_what_is_meant_to_come_often_is_left_alone(spelling: str) -> None:
    assert not found(_pond(*ONCE[spelling]), "once-in-every-step", 3)


def test_a_drain_is_told_once() -> None:
    game = _pond("frog", "{name: sinks, when: {in_contact: leaf}, do: [tired -= 90]}")
    assert found(game, "contact-drains", 3)
    assert not found(game, "once-in-every-step", 3)


def test_in_turns_a_step_is_a_turn() -> None:
    game = _pond(*EACH_STEP["while"]).replace("{step: 0.05, limit: 30}", "{unit: turn, limit: 40}")
    assert not found(game, "once-in-every-step", 3)
