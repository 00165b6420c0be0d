from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Three halls
clock: {step: 0.5, limit: 60}
stats: {score: {start: 0, min: 0, resets: level}}
kinds:
  warden: {side: a, stats: {health: {start: 20, min: 0}, keys: {start: 0, min: 0}}}
  crow: {side: b, stats: {health: {start: 4, min: 0}}, gone_if: health <= 0}
attacks:
  sweep: {from: warden, to: crow, when: {every: 1}, damage: 2}
  peck: {from: crow, to: warden, when: {every: 1}, damage: 1}
levels:
  first: {present: {crow: 1}, until: count(crow) == 0}
  second: {present: {crow: 1}, until: count(crow) == 0}
  third: {present: {crow: 1}}
rules:
  - {name: a point, when: {hit: sweep}, do: [score += 1, warden.keys += 1]}
endings: {done: {result: win, if: level == third and count(crow) == 0}}
readout: ["{score} {warden.keys}"]
"""
HONEST = FAULTY.replace(", resets: level", "")


def test_lost_with_the_level_is_caught_and_the_fixed_twin_is_not() -> None:
    finding = only_in_the_first(FAULTY, HONEST, "lost-with-the-level", runs=3)
    assert finding.caught.what == "What was earned of score is gone as the level opens: it resets with the level."
    assert finding.grade == "maybe" and "resets: level" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    ("old", "new", "words"),
    [
        ("rules:\n", "rules:\n  - {name: anew, when: {level: [second, third]}, do: [score = 0]}\n", "the rule 'anew'"),
        ("rules:\n", "rules:\n  - {name: anew, when: {level: second}, do: [empty score]}\n", "the rule 'anew'"),
        ("{crow: 1}, until", "{crow: 1, warden: 1}, until", "warden stands in 'present' of 'second'"),
        ("second: {", "second: {start: {score: 0}, ", "'start' of 'second' sets it"),
    ],
)
def test_it_is_found_however_the_level_opens_anew(old: str, new: str, words: str) -> None:
    [finding] = found(HONEST.replace(old, new), "lost-with-the-level", 3)
    assert words in finding.caught.what


def test_an_award_that_is_lost_each_time_is_wrong() -> None:
    rule = "  - {name: bonus, when: {gone: crow}, do: [{if: level != third, do: [score += 5]}]}\nendings"
    [finding] = found(FAULTY.replace("score += 1, ", "").replace("endings", rule), "lost-with-the-level", 3)
    assert finding.grade == "wrong"
    assert "'bonus' adds to score just as a level opens, and score starts again: it is lost" in finding.caught.what
    assert "6 times in 3 runs, and lost each time" in finding.caught.evidence[0]


@pytest.mark.parametrize(
    ("old", "new"),
    [
        # The level goes by it.
        ("until: count(crow) == 0", "until: score >= 2"),
        # It is booked on before it begins anew.
        ("do: [score += 1", "do: [score += 1, warden.keys += score"),
        # Nobody looks at it.
        ('readout: ["{score} ', 'readout: ["'),
    ],
)
def test_a_count_of_each_level_may_begin_anew(old: str, new: str) -> None:
    assert not found(FAULTY.replace(old, new), "lost-with-the-level", 3)
