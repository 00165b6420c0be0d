from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

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


def test_defeat_not_counted_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace("when: {hit: swipe}", "when: {gone: moth}")
    finding = only_in_the_first(FAULTY, fixed, "defeat-not-counted", runs=10)
    assert "by swipe is counted, by singed it is not" in finding.caught.what
    assert line_of(FAULTY, finding).strip().startswith("moth")
    # The candle is nobody's: that it does not count may be meant.
    assert finding.grade == "maybe"


TWO_WAYS = """
title: Moths
clock: {step: 0.5, limit: 60}
stats: {caught: {start: 0, min: 0, whole: true}}
kinds:
  net: {side: us, stats: {thread: {start: 0, min: 0}}}
  moth: {side: wild, copies: 4, room: 9, stats: {health: {start: 4, min: 0}}, gone_if: health <= 0, rules: []}
attacks:
  swipe: {from: net, to: moth, when: {every: 2.5}, damage: 2}
  smoke: {from: net, to: moth, when: {every: 3}, damage: 4}
rules:
  - {name: one more, when: {every: 2}, do: [{spawn: moth}]}
"""
ONCE_DOWN = "if: other.health <= 0, do: [caught += 1]"


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("damage: 2}", "damage: 2, also: [{" + ONCE_DOWN + "}]}"),
        ("damage: 2}", "damage: 2, also: [{if: other.health <= 0, do: [{cue: down}]}]}"),
        ("damage: 2}", "damage: 2, also: [{if: other.health <= 0, do: [caught = caught + 1, self.thread += 1]}]}"),
        ("rules: []", "rules: [{when: {struck: swipe}, if: health <= 0, do: [caught += 1]}]"),
        ("rules:\n", "rules:\n  - {name: caught one, when: {hit: swipe}, " + ONCE_DOWN + "}\n"),
        ("rules:\n", "rules:\n  - {when: {hit: swipe}, let: {down: other.health <= 0}, if: down, do: [caught += 1]}\n"),
    ],
)
def test_of_two_attacks_of_one_only_one_counts(old: str, new: str) -> None:
    game = TWO_WAYS.replace(old, new) + "  - {name: hears, when: {cue: down}, do: [caught += 1]}\n"
    [finding] = found(game, "defeat-not-counted", 20)
    assert finding.grade == "wrong" and "by swipe is counted, by smoke it is not" in finding.caught.what


@pytest.mark.parametrize(
    ("old", "new"),
    [
        ("rules: []", "rules: [{when: gone, do: [caught += 1]}]"),
        ("rules: []", "rules: [{when: {struck: any}, if: health <= 0, do: [caught += 1]}]"),
        ("rules: []", "rules: [{when: gone, do: [{cue: down}]}]"),
        # Each hit gives thread, whichever way it is.
        ("damage: 2}", "damage: 2, also: [self.thread += 1]}"),
    ],
)
def test_where_both_count_or_none_does_nothing_is_said(old: str, new: str) -> None:
    game = TWO_WAYS.replace(old, new) + "  - {name: hears, when: {cue: down}, do: [caught += 1]}\n"
    assert not found(game, "defeat-not-counted", 20)
