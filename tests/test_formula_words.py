"""Words and signs of other languages in formulas: each is told with what is written here, and that can be read."""

from __future__ import annotations

import re

import pytest

import mint_ledger as mint
from mint_ledger.formula.syntax import CALLS, parse_expression
from mint_ledger.formula.trade_words import _CALLS, call_hint, name_hint, sign_hint
from mint_ledger.game.rule import WHEN_KEYS
from mint_ledger.game.trade_words import _TRIGGERS, trigger_hint

GAME = """
clock: {{limit: 3}}
stats: {{a: 1, b: 2}}
rules: [{{name: r, when: {{every: 1}}, do: ["a += {formula}"]}}]
"""


@pytest.mark.parametrize(
    ("formula", "written"),
    [
        ("rand()", "between(0, 1)"),
        ("Random()", "between(0, 1)"),
        ("randint(1, 6)", "whole(1, 6)"),
        ("roll(6)", "dice(2, 6)"),
        ("d20", "dice(1, 20)"),
        ("2d6", "dice(2, 6)"),
        ("3D8 + 1", "dice(3, 8)"),
        ("lerp(a, b, 0.5)", "a + (b - a) * share"),
        ("pow(a, 2)", "a ** 2"),
        ("if(a > 1, 2, 3)", "a if condition else b"),
        ("a > 1 ? 2 : 3", "a if condition else b"),
        ("a > 1 && b > 1", "'and'"),
        ("a > 1 || b > 1", "'or'"),
        ("1 if !a else 2", "'not'"),
        ("1 if a <> b else 2", "'!='"),
        ("1 if a => b else 2", "'>='"),
        ("b * 5%", "0.05 for 5 %"),
        ("math.floor(b)", "floor("),
        ("random.randint(1, 2)", "whole(1, 6)"),
        ("1.2.3", "one point"),
        ("a ^ 2", "'**'"),
        ("1 if a > 1 & b > 1 else 2", "'and'"),
        ("1 if a > 1 | b > 1 else 2", "'or'"),
    ],
)
def test_what_is_written_elsewhere_is_told_as_it_is_written_here(formula: str, written: str) -> None:
    with pytest.raises(mint.GameError) as caught:
        mint.loads(GAME.format(formula=formula))
    [fault] = caught.value.faults
    assert written in str(fault) and "did you mean" not in str(fault)


@pytest.mark.parametrize("word", sorted(_CALLS))
def test_what_is_written_in_the_place_of_a_word_can_be_read(word: str) -> None:
    assert word not in CALLS
    for text in re.split(", or ", call_hint(word, CALLS).removeprefix("; write ")):
        parse_expression(text)


@pytest.mark.parametrize("text", ["a % b", "a != b", "a >= b", "a - -b", "d + 6", "round(a)", "5 % b", "a if b else 2"])
def test_what_is_right_has_no_hint(text: str) -> None:
    parse_expression(text)
    assert sign_hint(text) == ""


def test_a_slip_of_a_name_is_still_told_by_the_nearest_one() -> None:
    assert call_hint("flor", CALLS) == ", did you mean 'floor'?"
    assert name_hint("healht", ["health"]) == ", did you mean 'health'?"


TRIGGERED = """
clock: {{unit: turn, limit: 3}}
kinds: {{crab: {{stats: {{health: 3}}}}, keeper: {{stats: {{health: 5}}}}}}
actions: {{swing: {{by: keeper, do: [health += 1]}}}}
attacks: {{pincer: {{from: crab, to: keeper, damage: 1}}}}
levels: {{gallery: {{}}}}
rules:
  - {{name: r, when: {when}, do: [crab.health += 1]}}
  - {{name: lands, when: start, do: [{{cue: landed}}]}}
"""


@pytest.mark.parametrize("word", sorted(_TRIGGERS))
def test_the_trigger_that_a_word_means_is_one(word: str) -> None:
    assert word not in WHEN_KEYS
    written = trigger_hint(word.upper()).removeprefix("; write ")
    if "health" in written:
        written = "{becomes: crab.health <= 0}"
    written = written.replace("of: score", "of: crab.health")
    try:
        mint.loads(TRIGGERED.format(when=written))
    except mint.GameError as error:
        assert "unknown trigger" not in str(error) and "meet" in written, error  # it wants places in a game with space


@pytest.mark.parametrize(
    ("when", "written"), [("{at: 5}", "becomes: time >= 5"), ("death", "gone: crab"), ("{tick: 2}", "every: 2")]
)
def test_a_trigger_of_the_trade_is_told_with_ours(when: str, written: str) -> None:
    with pytest.raises(mint.GameError) as caught:
        mint.loads(TRIGGERED.format(when=when))
    assert any(written in str(fault) for fault in caught.value.faults) and "did you mean" not in str(caught.value)
