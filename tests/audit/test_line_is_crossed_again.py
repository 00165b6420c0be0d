from __future__ import annotations

import pytest
from twins import only_in_the_first

FAULTY = """
title: Kettle
clock: {step: 0.1, limit: 20}
stats: {heat: {start: 20, min: 0, max: 120, bands: {cold: 0..79, hot: 80..120}}, whistles: 0}
rules:
  - {name: heats, when: {every: 0.2}, do: [heat += 8]}
  - {name: cools, when: {every: 0.2, first: 0.1}, if: heat >= 80, do: [heat -= 8]}
  - {name: whistles, when: {becomes: heat >= 80}, do: [whistles += 1]}
readout: ["Whistled {whistles} times"]
"""


@pytest.mark.parametrize("when", ["when: {becomes: heat >= 80}", "when: {enters: heat hot}"])
def test_line_is_crossed_again_is_caught_and_the_fixed_twins_are_not(when: str) -> None:
    game = FAULTY.replace("when: {becomes: heat >= 80}", when)
    for fixed in (
        game.replace(when, f"{when}, cooldown: 2"),
        game.replace("name: cools, when: {every: 0.2", "name: cools, when: {every: 4"),
    ):
        finding = only_in_the_first(game, fixed, "line-is-crossed-again", runs=2)
        assert "changes whistles each time" in finding.caught.what
