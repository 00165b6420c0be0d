from __future__ import annotations

from twins import line_of, only_in_the_first

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
