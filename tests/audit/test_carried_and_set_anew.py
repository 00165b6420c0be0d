from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Mine
clock: {step: 1, limit: 30}
kinds:
  miner: {stats: {picks: {start: 3, min: 0, max: 9, whole: true}}}
rules:
  - {name: new picks, when: {level: deep}, do: [miner.picks = 3]}
  - {name: a pick breaks, when: {every: 4}, do: [miner.picks -= 1]}
levels:
  shallow: {until: level_time >= 9, next: deep}
  deep: {}
endings: {empty: {result: lose, if: miner.picks <= 0}}
"""


def test_carried_and_set_anew_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("miner.picks = 3", "miner.picks += 3")
    finding = only_in_the_first(FAULTY, fixed, "carried-and-set-anew")
    assert "set to its start as a level opens" in finding.caught.what
    assert "new picks" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    ("was", "now"),
    [
        ("max: 9, whole: true}", "max: 9, whole: true, resets: level}"),  # it resets itself already
        ("start: 3", "start: 4"),
        ("miner.picks = 3", "fill miner.picks"),
    ],
)
def test_what_is_set_otherwise_is_silent(was: str, now: str) -> None:
    assert not found(FAULTY.replace(was, now), "carried-and-set-anew")
