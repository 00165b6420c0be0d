from __future__ import annotations

import pytest
from twins import found, line_of, only_in_the_first

FAULTY = """
title: Three candles
clock: {step: 0.5, limit: 90}
kinds:
  keeper:
    side: a
    stats: {health: {start: 4, min: 0, max: 4}, candles: {start: 3, min: 0, whole: true}}
    rules: [{name: goes out, when: {becomes: health <= 0}, do: [candles -= 1, fill health]}]
  draught: {side: b}
attacks: {blow: {from: draught, to: keeper, when: {every: 1}, damage: 1, lands: 0.7}}
endings: {dark: {result: lose, if: keeper.candles <= 0}}
"""
RULE = "do: [candles -= 1, fill health]"


def test_filled_with_the_last_life_is_caught_and_the_fixed_twin_is_not() -> None:
    fixed = FAULTY.replace(RULE, "do: [candles -= 1, {if: candles > 0, do: [fill health]}]")
    finding = only_in_the_first(FAULTY, fixed, "filled-with-the-last-life", runs=5)
    assert "As 'goes out' takes the last of keeper.candles, it fills keeper.health" in finding.caught.what
    assert "in 5 of 5 runs, which end with 'dark'" in finding.caught.evidence[0]
    assert "goes out" in line_of(FAULTY, finding)


@pytest.mark.parametrize(
    "do",
    [
        "[candles = candles - 1, health = 4]",
        "[candles -= 1, health += 9]",
        "[{if: candles > 0, do: [candles -= 1, fill health]}]",
    ],
)
def test_it_is_found_however_it_fills(do: str) -> None:
    assert found(FAULTY.replace(RULE, f"do: {do}"), "filled-with-the-last-life", 5)


def test_the_short_form_does_it_right() -> None:
    short = FAULTY.replace("rules: [{name: goes out, when: {becomes: health <= 0}, " + RULE + "}]", "")
    short = short.replace("  draught:", "    lives: {stat: candles, spent_if: health <= 0, fill: [health]}\n  draught:")
    assert not found(short, "filled-with-the-last-life", 5)
