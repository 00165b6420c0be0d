from __future__ import annotations

import math
from pathlib import Path

import pytest
from hypothesis import given, settings
from hypothesis import strategies as st

import mint_ledger as mint
from mint_ledger.formula import FormulaError, parse_formula, parse_posting

GAME = """
title: Sums
clock: {{unit: turn, limit: 1}}
stats: {{out: 0, a: 7, b: -2.5, is_up: true, mood: {{one_of: [glad, grim]}}}}
kinds:
  hen: {{copies: 3, stats: {{eggs: 2}}}}
  cock: {{stats: {{eggs: 0, pride: {{start: 3, min: 1, max: 5}}}}}}
rules: [{{when: start, do: ["out = {}"]}}]
"""


def value_of(formula: str) -> float:
    run = mint.loads(GAME.format(formula.replace('"', "'"))).run()
    return run.at(0)["out"]


@pytest.mark.parametrize(
    ("formula", "expected"),
    [
        ("1 + 2 * 3", 7),
        ("-a // 2", -4),  # floors, as Python does
        ("-7 % 3", 2),
        ("7.5 % -2", -0.5),
        ("2 ** 10", 1024),
        ("(-2) ** 3", -8),
        ("10 if a > b else 20", 10),
        ("1 if 0 < a <= 7 else 2", 1),
        ("1 if a < 0 or not is_up else 2", 2),
        ("clamp(12, 0, 5) + min(3, 1, 2) + max(a, b)", 13),
        ("round(2.5) + round(-2.5) * 10", -27),  # halves go away from zero
        ("floor(-1.5) + ceil(1.2)", 0),
        ("sqrt(49) + abs(b)", 9.5),
        ("count(hen) + total(hen.eggs) + highest(hen.eggs)", 11),
        ("1 if any(hen.eggs > 2) else 0", 0),
        ("1 if all(hen.eggs == 2) else 0", 1),
        ("count(hen.eggs > 1)", 3),
        ("cock.pride.max - cock.pride.min + cock.pride.start", 7),
        ("cock.pride.share", 0.5),
        ("hen[2].eggs + hen[count(hen)].eggs", 4),
        ("1 if mood == glad else 2", 1),
        ("1 if mood == 'grim' else 2", 2),
    ],
)
def test_a_formula_has_the_value_worked_by_hand(formula: str, expected: float) -> None:
    assert value_of(formula) == expected


@pytest.mark.parametrize(
    ("formula", "words"),
    [
        ("__import__('os')", "unknown call"),
        ("a.__class__", "may not stand"),
        ("[x for x in a]", "may not stand"),
        ("lambda: 1", "may not stand"),
        ("a := 3", "is no change to a stat"),
        ("'%s' % a", "is a word; a number is wanted"),
        ("a.real", "unknown entity 'a'"),
        ("min()", "min() wants 1 to 20 values, not 0"),
        ("count(horse)", "unknown kind 'horse'"),
        ("hen.eggs", "there are 3 of 'hen': write hen[1]"),
        ("hen[9].eggs", "there is no hen[9]; the numbers of hen are 1 to 3"),
        ("cock.prid", "cock has no stat 'prid', did you mean 'pride'?"),
        ("pride", "it is a stat of cock, so write 'cock.pride'"),
        ("mood + 1", "is a word; a number is wanted"),
        ("1 if a else 2", "is a number; yes or no is wanted here; write a comparison"),
        ("1 if mood == gald else 2", "unknown name 'gald'"),
        ("1 if mood == 'gald' else 2", "'gald' is not one of glad, grim, did you mean 'glad'?"),
        ("has(cock, dazed)", "the game has no statuses"),
        ("whose", "the game has no 'turns'"),
        ("self.eggs", "there is no 'self' here"),
    ],
)
def test_what_is_wrong_with_a_formula_is_told_in_its_line(formula: str, words: str) -> None:
    with pytest.raises(mint.GameError) as caught:
        mint.loads(GAME.format(formula), "sums.yaml")
    text = str(caught.value)
    assert words in text
    assert text.startswith("sums.yaml:8:")


@pytest.mark.parametrize(
    ("formula", "words"),
    [
        ("a / (b + 2.5)", "division by zero; it read a = 7, b = -2.5; at 0 (turn)"),
        ("a % (a - 7)", "division by zero"),
        ("log(b)", "the logarithm of a number that is not above 0"),
        ("sqrt(b)", "the square root of a negative number"),
        ("b ** 0.5", "a power that is no number"),
        ("10.0 ** 10 ** 10", "not a finite number"),
        ("exp(1000)", "not a finite number"),
        ("hen[a].eggs", "there is no hen of that number"),
        ("whole(1.5, 3)", "whole(a, b) wants whole numbers"),
        ("dice(2000, 6)", "dice(n, sides) wants 0 to 1000 dice"),
    ],
)
def test_a_formula_without_a_value_stops_the_run_and_says_where(formula: str, words: str) -> None:
    with pytest.raises(mint.RunStopped) as caught:
        mint.loads(GAME.format(formula), "sums.yaml").run()
    assert words in str(caught.value)
    assert str(caught.value).startswith("sums.yaml:8:")


def test_a_lazy_branch_is_not_worked_out() -> None:
    assert value_of("1 if b == -2.5 or 1 / (b + 2.5) > 0 else 0") == 1
    assert value_of("0 if b == -2.5 else 1 / (b + 2.5)") == 0


def test_a_comma_that_cut_a_formula_off_is_named() -> None:
    text = "title: T\nstats: {a: 0}\nrules:\n  - {when: start, if: min(a, 2) > 1, do: [a = 1]}\n"
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text, "t.yaml")
    assert "put a formula with commas in quotes" in str(caught.value)
    assert len(caught.value.faults) == 1


@given(st.text(max_size=80))
@settings(max_examples=120, deadline=None)
def test_no_text_ends_in_anything_but_a_formula_or_our_error(text: str) -> None:
    for parse in (parse_formula, parse_posting):
        try:
            parse(text)
        except FormulaError as error:
            assert str(error)


PIECES = ["a", "b", "is_up", "hen", "hen[1]", "cock.pride", ".max", "(", ")", " + ", " ** ", " // ", " % ", " / "]
PIECES += [
    "1",
    "0",
    "1e308",
    "min(",
    "count(",
    "dice(",
    ",",
    " if ",
    " else ",
    " and ",
    "not ",
    "<",
    "==",
    "-",
    "'glad'",
]


@given(st.lists(st.sampled_from(PIECES), min_size=1, max_size=12))
@settings(max_examples=80, deadline=None)
def test_any_pieces_of_formulas_end_in_a_value_or_our_error(pieces: list[str]) -> None:
    text = "".join(pieces)
    try:
        assert math.isfinite(value_of(text))
    except mint.MintError as error:
        assert str(error)


@given(st.floats(-1e6, 1e6), st.floats(-1e6, 1e6).filter(lambda y: abs(y) > 1e-3))
@settings(max_examples=60, deadline=None)
def test_floor_division_and_remainder_are_pythons(x: float, y: float) -> None:
    assert value_of(f"({x!r}) % ({y!r})") == x % y
    assert value_of(f"({x!r}) // ({y!r})") == x // y


@pytest.mark.parametrize("text", ["(" * 500 + "1" + ")" * 500, "1" + " + 1" * 900, "not " * 300 + "true", "9" * 5000])
def test_long_and_deep_formulas_are_refused(text: str) -> None:
    with pytest.raises(FormulaError):
        parse_formula(text)


def test_letters_that_stand_for_others_are_refused_with_the_name_to_write() -> None:
    # Python folds the ligature into two letters: without a word this would move another stat.
    text = "stats: {fi: 0, ﬁ: 0}\nclock: {unit: turn, limit: 2}\nrules: [{name: up, when: {every: 1}, do: ['ﬁ += 1']}]"
    with pytest.raises(mint.GameError) as caught:
        mint.loads(text)
    messages = [fault.message for fault in caught.value.faults]
    assert any("write 'fi'" in message for message in messages)
    assert any("write 'fi += 1'" in message for message in messages)


@pytest.mark.parametrize("engine", ["reference", "native"])
def test_a_stop_is_told_where_the_formula_reads_a_stat_that_is_worked_out(engine: str) -> None:
    # What is worked out once has a local of its own, which the frame of the formula that stopped need not have.
    path = Path(__file__).parent.parent / "examples" / "glasshouse_nights.yaml"
    text = mint.load(path).to_yaml()
    broken = text.replace("every: 2.5", "every: -1", 1)
    assert broken != text
    with pytest.raises(mint.RunStopped, match="a period has to be longer than 0, and this one is -1; it read "):
        mint.loads(broken).run(engine=engine)  # type: ignore[arg-type]


@pytest.mark.parametrize("call", ["dice(1)", "dice(1, 6, 2)", "normal(1)", "normal(1, 2, 3)", "pick()", "floor(1, 2)"])
def test_a_call_with_too_few_or_too_many_arguments_is_refused_with_what_it_takes(call: str) -> None:
    name = call.partition("(")[0]
    with pytest.raises(mint.GameError, match=rf"{name}\(?.* (takes|wants)"):
        mint.loads(f"title: T\nstats: {{x: 1}}\nrules: [{{when: start, do: ['x += {call}']}}]\n")
