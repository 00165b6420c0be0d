from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Fame
clock: {step: 0.5, limit: 30}
kinds:
  bard:
    stats:
      fame: {start: 0, min: 0, bands: {unknown: 0..9, known: 10..50}}
    rules:
      - {name: a song, when: {every: 2}, do: [fame += 5]}
"""


def test_band_with_an_end_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("known: 10..50", "known: 10..")
    finding = only_in_the_first(FAULTY, fixed, "band-with-an-end")
    assert finding.caught.what == "The band 'known' ends at 50, but bard.fame can go on without end."
    assert "fame" in line_of(FAULTY, finding)
