from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Endless
clock: {step: 1, limit: 30}
stats: {light: {start: 20, min: 0, fade: {rate: 1}}}
endings: {dark: {result: lose, if: light <= 0}}
"""


def test_no_way_to_win_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("endings: {dark", "endings: {dawn: {result: win, if: time >= 15}, dark")
    finding = only_in_the_first(FAULTY, fixed, "no-way-to-win")
    assert "no ending wins" in finding.caught.what
    assert line_of(FAULTY, finding).startswith("endings")
