from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Nest
clock: {step: 1, limit: 20}
kinds:
  bird: {copies: 0, stats: {health: {start: 3, min: 0}}}
  wren: {like: bird}
  boy: {stats: {eggs: {start: 0, max: 9}}}
rules:
  - {name: takes, when: {every: 2}, do: [boy.eggs += 1]}
endings: {done: {result: win, if: boy.eggs >= 5}}
"""


def test_copy_by_default_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("wren: {like: bird}", "wren: {like: bird, copies: 1}")
    finding = only_in_the_first(FAULTY, fixed, "copy-by-default")
    assert finding.caught.where == "wren"
    assert "wren" in line_of(FAULTY, finding)
    assert finding.grade == "note"
