from __future__ import annotations

from twins import line_of, only_in_the_first

FAULTY = """
title: Moths
clock: {step: 0.5, limit: 60}
stats: {caught: {start: 0, min: 0, whole: true}}
kinds:
  net: {}
  moth: {copies: 1, room: 4, stats: {health: {start: 4, min: 0}}, gone_if: health <= 0}
attacks:
  swipe: {from: net, to: moth, when: {every: 3}, lands: 0.5, damage: 4}
statuses:
  singed: {lasts: 9, every: 1, do: [health -= 2]}
rules:
  - {name: the candle, when: {every: 5}, do: [{each: moth, do: [{give: singed, to: moth}]}]}
  - {name: one more, when: {every: 2}, do: [{spawn: moth}]}
  - {name: caught one, when: {hit: swipe}, do: [caught += 1]}
"""


def test_defeat_not_counted_is_caught_and_the_mended_twin_is_not() -> None:
    mended = FAULTY.replace("when: {hit: swipe}", "when: {gone: moth}")
    finding = only_in_the_first(FAULTY, mended, "defeat-not-counted", runs=10)
    assert "by swipe is counted, by singed it is not" in finding.caught.what
    assert line_of(FAULTY, finding).strip().startswith("moth")
