from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Milk Run
clock: {step: 0.5, limit: 20}
kinds: {maid: {stats: {spilt: {start: 0, min: 0, whole: true}, fetched: {start: 0, min: 0, max: 9, whole: true}}}}
actions: {fetch: {by: maid, do: [fetched += 1, {if: chance(0.2), do: [spilt += 1]}]}}
endings: {scolded: {result: lose, if: maid.spilt >= 3}, evening: {result: win, if: time >= 8}}
habits: {busy: {by: maid, reaction: 1, acts: [{do: fetch}]}}
"""
MENDED = FAULTY.replace("evening: {result: win, if: time >= 8}", "evening: {result: win, if: maid.fetched >= 4}")


def test_waiting_that_wins_is_caught_and_waiting_that_does_not_is_not() -> None:
    finding = only_in_the_first(FAULTY, MENDED, "waiting-suffices", 20)
    assert "Who does nothing wins 100.0 %" in finding.caught.what
    assert "busy" in line_of(FAULTY, finding)
