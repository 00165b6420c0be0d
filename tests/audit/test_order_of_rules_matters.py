from __future__ import annotations

from twins import found, line_of, only_in_the_first

FAULTY = """
title: Round
clock: {unit: turn, limit: 40}
stats: {turn_of: {start: 0, min: 0, max: 1, whole: true}, ours: {start: 0, min: 0}, theirs: {start: 0, min: 0}}
rules:
  - {name: the turn passes, when: {every: 1}, do: [turn_of = 1 - turn_of]}
  - name: the point goes to whose turn it is
    when: {every: 1}
    chance: 0.5
    do: [{if: turn_of == 0, do: [ours += 1], else: [theirs += 1]}]
endings:
  ours:   {result: win, if: ours >= 5}
  theirs: {result: lose, if: theirs >= 5}
"""
MENDED = """
title: Round
clock: {unit: turn, limit: 40}
stats: {turn_of: {start: 0, min: 0, max: 1, whole: true}, ours: {start: 0, min: 0}, theirs: {start: 0, min: 0}}
rules:
  - name: the point goes to whose turn it is, and the turn passes
    when: {every: 1}
    do:
      - {if: chance(0.5), do: [{if: turn_of == 0, do: [ours += 1], else: [theirs += 1]}]}
      - turn_of = 1 - turn_of
endings:
  ours:   {result: win, if: ours >= 5}
  theirs: {result: lose, if: theirs >= 5}
"""


def test_order_of_rules_matters_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, MENDED, "order-of-rules-matters", runs=5)
    assert "'the turn passes' happens before 'the point goes to whose turn it is'" in finding.caught.what
    assert "turn passes" in line_of(FAULTY, finding)


def test_rules_that_do_not_meet_are_left_alone() -> None:
    apart = FAULTY.replace("if: turn_of == 0", "if: ours <= theirs")
    assert not found(apart, "order-of-rules-matters", 5)
