from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: The stair
clock: {step: 0.5, limit: 60}
kinds:
  warden: {side: a, stats: {health: {start: 3, min: 0}, tries: {start: 3, min: 0}}}
  crow: {side: b, stats: {health: {start: 40, min: 0}}, gone_if: health <= 0}
attacks:
  sweep: {from: warden, to: crow, when: {every: 1}, damage: 2, lands: 0.5}
  peck: {from: crow, to: warden, when: {every: 1}, damage: 1, lands: 0.5}
levels:
  foot: {present: {crow: 1}, until: level_time >= 2}
  top: {present: {crow: 1}}
rules:
  - {name: to the foot, when: {becomes: warden.health <= 0}, do: [warden.tries -= 1, {go: foot}]}
endings:
  done: {result: win, if: level == top and count(crow) == 0}
  down: {result: lose, if: warden.health <= 0}
"""
RULE = "when: {becomes: warden.health <= 0}, do: [warden.tries -= 1, {go: foot}]"


def test_restart_never_comes_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("if: warden.health <= 0}", "if: warden.tries <= 0}").replace(
        "1, {go", "1, fill warden.health, {go"
    )
    fixed = fixed.replace("health: {start: 3, min: 0}", "health: {start: 3, min: 0, max: 3}")
    finding = only_in_the_first(FAULTY, fixed, "restart-never-comes", runs=20)
    assert (
        "'to the foot' goes to 'foot', and that never comes: the run ends in that step ('down')" in finding.caught.what
    )
    assert finding.grade == "wrong" and "to the foot" in line_of(FAULTY, finding)
    assert "asked for 20 times in 20 runs, and came in none" in finding.caught.evidence[0]


@pytest.mark.parametrize(
    "rule",
    [
        "when: {struck: any}, if: warden.health <= 0, do: [{go: foot}]",
        "when: {becomes: warden.health <= 0}, do: [{cue: fell}]}\n  - {name: anew, when: {cue: fell}, do: [{go: foot}]",
        "when: {every: 0.5}, do: [{if: warden.health <= 0, do: [{go: foot}]}]",
        "when: {while: warden.health <= 0}, do: [{go: back}]",
        # Another change always comes first.
        "when: {becomes: level_time >= 2}, do: [{go: top}]}\n  - {name: anew, when: {becomes: level_time >= 2}, "
        "do: [{go: foot}]",
    ],
)
def test_it_is_found_whatever_asks(rule: str) -> None:
    if "struck" in rule:
        game = FAULTY.replace("rules:\n", "").replace("  - {name: to the foot, " + RULE + "}\n", "")
        game = game.replace("tries: {start: 3, min: 0}}}", "tries: {start: 3, min: 0}}, rules: [{" + rule + "}]}")
    else:
        game = FAULTY.replace(RULE, rule)
    assert found(game, "restart-never-comes", 20)


def test_what_is_filled_only_as_the_run_ends_may_be_meant_to_come_before() -> None:
    rule = "when: {becomes: warden.health <= 0}, do: [warden.tries -= 1, fill warden.health]"
    game = FAULTY.replace(RULE, rule).replace("health: {start: 3, min: 0}", "health: {start: 3, min: 0, max: 3}")
    one_try = game.replace("if: warden.health <= 0}", "if: warden.tries < 3}")
    [finding] = found(one_try, "restart-never-comes", 20)
    assert finding.grade == "maybe" and "only in the step in which the run ends ('down')" in finding.caught.what
    assert not found(one_try.replace("tries < 3", "tries < 1"), "restart-never-comes", 20)
