from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Mood
clock: {step: 0.5, limit: 20}
kinds:
  mule:
    stats:
      mood: {start: 0, min: -9, max: 9, whole: true, bands: {sulky: -9..-5, fond: 5..9}}
    rules:
      - {name: is stroked, when: {every: 2}, do: [mood += 2]}
"""


def test_bands_with_gaps_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("sulky: -9..-5,", "sulky: -9..-5, patient: -4..4,")
    finding = only_in_the_first(FAULTY, fixed, "bands-with-gaps")
    assert finding.caught.what == "With mule.mood between −5 and 5 no band holds."
    assert "mood" in line_of(FAULTY, finding)


@pytest.mark.parametrize(("fond", "is_found"), [("6..9", False), ("6.5..9", True), ("7..9", True)])
def test_a_gap_of_a_whole_number_is_none_and_a_wider_one_is(fond: str, is_found: bool) -> None:
    game = FAULTY.replace("sulky: -9..-5, fond: 5..9", f"sulky: -9..5, fond: {fond}").replace(", whole: true", "")
    assert bool(found(game, "bands-with-gaps")) == is_found
