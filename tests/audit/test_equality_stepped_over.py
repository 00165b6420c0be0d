from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Kiln
clock: {step: 0.5, limit: 30}
kinds:
  kiln:
    stats: {heat: {start: 20, min: 0, max: 900}}
    rules:
      - {name: stoked, when: {every: 1}, do: [heat += 35]}
      - {name: glows, when: {becomes: heat == 500}, do: [{tell: "it glows"}]}
"""


def test_equality_stepped_over_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("heat == 500", "heat >= 500")
    finding = only_in_the_first(FAULTY, fixed, "equality-stepped-over")
    assert "can step over 500" in finding.caught.what
    assert finding.caught.evidence == ("it changes by 35",)
    assert "glows" in line_of(FAULTY, finding)


def test_a_limit_holds_the_value_exactly_and_single_steps_reach_it() -> None:
    assert not found(FAULTY.replace("heat == 500", "heat == 900"), "equality-stepped-over")
    ones = FAULTY.replace("max: 900", "whole: true, max: 900").replace("heat += 35", "heat += 1")
    assert not found(ones, "equality-stepped-over")


@pytest.mark.parametrize(
    ("start", "changes", "equals", "is_said"),
    [
        (20, ["heat += 35"], 510, False),  # 20 + 14 · 35
        (20, ["heat += 35"], 500, True),
        (20, ["heat += 5"], 500, False),
        (20, ["heat += 5", "heat -= 5"], 500, False),
        (20, ["heat += 5", "heat -= 10"], 500, True),
        (21, ["heat += 5"], 500, True),
        (20, ["heat += 0.1"], 500, True),  # tenths add up to a hair beside
        (20, ["heat += 0.25"], 500, False),
        (20, ["heat += 5", "heat = 7"], 500, True),
        (20, ["heat += 5", "heat = 100"], 500, False),
        (20, ['heat += "whole(1, 2)"'], 500, True),
    ],
)
def test_steps_of_one_size_come_to_what_lies_on_their_way(start, changes, equals, is_said) -> None:
    rules = "".join(
        f"      - {{name: change {i}, when: {{every: {i + 1}}}, do: [{c}]}}\n" for i, c in enumerate(changes)
    )
    game = FAULTY.replace("start: 20", f"start: {start}").replace("heat == 500", f"heat == {equals}")
    game = game.replace("      - {name: stoked, when: {every: 1}, do: [heat += 35]}\n", rules)
    assert (
        bool(found(game.replace('heat += "whole(1, 2)"', '"heat += whole(1, 2)"'), "equality-stepped-over")) == is_said
    )
