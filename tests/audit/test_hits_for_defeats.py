from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: The corn
clock: {step: 0.5, limit: 60}
numbers: {wanted: 3}
stats: {downs: {start: 0, min: 0}}
kinds:
  warden: {side: a, stats: {downs_of: {start: 0, min: 0}}}
  crow: {side: b, copies: 3, stats: {health: {start: 4, min: 0}}, gone_if: health <= 0, rules: []}
attacks:
  sweep: {from: warden, to: crow, when: {every: 1}, damage: 2, also: [downs += 1]}
endings:
  done: {result: win, if: downs >= 3}
readout: ["{downs}"]
"""
HONEST = FAULTY.replace(", also: [downs += 1]", "").replace("rules: []", "rules: [{when: gone, do: [downs += 1]}]")


def test_hits_for_defeats_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, HONEST, "hits-for-defeats", runs=5)
    assert "'done' waits for downs to come to 3, and there are 3 of crow" in finding.caught.what
    # Two hits fell one crow, the third is on the next.
    assert "the run ends with 2 of them still there" in finding.caught.what
    assert "done" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    ("also", "rule", "condition"),
    [
        ("", "rules: [{when: {struck: sweep}, do: [downs += 1]}]", "downs >= 3"),
        ("", "rules: [{when: {struck: any}, do: [downs = downs + 1]}]", "downs == wanted"),
        (", also: [warden.downs_of += 1]", "rules: []", "wanted <= warden.downs_of"),
        ("", "rules: [{when: {becomes: health < 3}, do: [downs += 1]}]", "downs >= wanted"),
    ],
)
def test_it_is_found_however_it_counts(also: str, rule: str, condition: str) -> None:
    game = FAULTY.replace(", also: [downs += 1]", also).replace("rules: []", rule).replace("downs >= 3", condition)
    assert found(game, "hits-for-defeats", 5)


def test_a_cue_between_does_not_hide_it() -> None:
    rule = "rules: [{when: {cue: one}, do: [warden.downs_of += 1]}]\nendings:"
    game = FAULTY.replace("[downs += 1]", "[{cue: one}]").replace("endings:", rule)
    assert found(game.replace("downs >= 3", "warden.downs_of > 2"), "hits-for-defeats", 5)


def test_an_ending_that_waits_for_hits_as_such_is_left_alone() -> None:
    assert not found(FAULTY.replace("downs >= 3", "downs >= 5"), "hits-for-defeats", 5)
