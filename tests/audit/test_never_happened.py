from __future__ import annotations

from twins import found, line_of, only_in_the_first

FAULTY = """
title: Potter
clock: {step: 0.5, limit: 30}
stats: {pots: {start: 0, min: 0, whole: true}}
rules:
  - {name: a pot is thrown, when: {every: 5}, do: [pots += 1]}
  - {name: the tenth pot, when: {becomes: pots >= 10}, do: [{tell: "ten!"}]}
endings: {a shelf full: {result: win, if: pots >= 4}}
"""


def test_never_happened_is_caught_and_the_mended_twin_is_not() -> None:
    mended = FAULTY.replace("pots >= 10", "pots >= 3")
    finding = only_in_the_first(FAULTY, mended, "never-happened", runs=3)
    assert "in none of 3 runs" in finding.caught.what
    assert finding.caught.where == "the tenth pot"
    assert "tenth" in line_of(FAULTY, finding)


def test_an_attack_an_action_and_a_band_that_never_come_are_named() -> None:
    text = """
title: Idle
clock: {step: 0.5, limit: 10}
kinds:
  guard:
    side: wall
    stats: {calm: {start: 5, min: 0, max: 9, whole: true, bands: {upset: 0..3, calm: 4..9}}}
    rules: [{name: breathes, when: {every: 1}, do: [calm += 1]}]
  goat: {stats: {health: 9}}
attacks: {poke: {from: guard, to: goat, damage: 1}}
actions: {nap: {by: guard, needs: calm < 2, do: [calm += 1]}}
habits: {dull: {by: guard, reaction: 1, acts: [{do: nap}]}}
"""
    names = {finding.caught.where for finding in found(text, "never-happened", 2)}
    assert names == {"poke", "nap", "guard.calm upset"}
