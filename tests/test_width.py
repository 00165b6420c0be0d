"""Texts as wide as the terminal: from 60 to 160 letters there, 80 in pipes, with what matters most cut last."""

from __future__ import annotations

import re

import pytest
from conftest import on_terminal

import mint_ledger as mint
from mint_ledger.views.page import Page, Sentence, text_of
from mint_ledger.views.text_table import TextTable, bar_column, name_column, right_column
from mint_ledger.views.width import line_width, room, texts_of


def _lines(columns: int, *arguments: str) -> list[str]:
    """The lines that a command prints on a terminal of so many columns, without its progress."""
    text = on_terminal(*arguments, columns=columns, NO_COLOR="1").replace("\r", "\n")
    shown = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", text).split("\n")
    return shown[max(place for place, line in enumerate(shown) if line.startswith("Saltmere Light ·")) :]


LOOKS = (("--attacks",), ("--ends",), ("--per", "level"))


@pytest.mark.parametrize(
    "look", [(), ("--income", "keeper.oil"), *(pytest.param(look, marks=pytest.mark.night) for look in LOOKS)]
)
def test_nothing_is_wider_than_a_narrow_terminal(look: tuple[str, ...]) -> None:
    lines = _lines(60, "study", str(mint.demo_path()), "--habit", "careful", "--runs", "60", *look)
    assert max(map(len, lines)) <= 60
    assert lines[0].startswith("Saltmere Light")


def test_the_shares_of_a_study_are_whole_where_its_bars_are_cut() -> None:
    lines = _lines(60, "study", str(mint.demo_path()), "--habit", "careful", "--runs", "60")
    won = next(line for line in lines if line.strip().startswith("won"))
    assert won.count("%") == 2


def test_a_wide_terminal_shows_long_names_whole() -> None:
    name = "a_rather_long_winded_name_of_a_storm"
    text = f"""
title: Wide
clock: {{step: 1, limit: 5}}
stats: {{calm: {{start: 9, min: 0}}}}
rules: [{{name: {name}, when: {{every: 1}}, do: [calm -= 1]}}]
readout: [{{bar: calm}}]
"""
    study = mint.loads(text).study(3)
    assert name not in study.summary()
    with texts_of(120):
        assert name in study.summary()
    assert line_width() == 80


def test_widths_are_held_between_sixty_and_a_hundred_and_sixty() -> None:
    for columns, wanted in ((20, 60), (60, 60), (100, 100), (900, 160)):
        with texts_of(columns):
            assert line_width() == wanted
    with texts_of(100):
        assert room(20) == 20
        assert room(20, ["x" * 30]) == 30
        assert room(20, ["x" * 99]) == 40
    with texts_of(60):
        assert room(26) == 26
        assert room(26, least=20) == 20


def _fitted(page: Page, columns: int) -> list[str]:
    """The lines of a page in so many letters."""
    return [text_of(spans) for spans in page.lines(columns)]


def test_sentences_are_wrapped_and_go_on_as_deep_as_they_say() -> None:
    assert _fitted(Page("  what is a sentence goes on"), 18) == ["  what is a", "    sentence goes", "    on"]
    assert _fitted(Page("short"), 18) == ["short"]
    told = Sentence("what is a sentence goes on", hanging=6, lead="  by  ")
    assert _fitted(Page(told), 18) == ["  by  what is a", "      sentence", "      goes on"]
    assert Page(told) == "  by  what is a sentence goes on"
    tied = Sentence("a share of 64 %", tied=(" %",))
    assert _fitted(Page(tied), 13) == ["a share of", "  64 %"]


def _table() -> Page:
    table = TextTable(
        name_column("who", 16), right_column("points", 8), right_column("±", 6), right_column("lands", 8), bar_column(3)
    )
    table.add("moth", "120", "3.5", "85 %", "████████████")
    table.add("  a long draught", "−8.0", "0.4", "100 %", "███")
    return Page(table)


def test_a_table_gives_up_its_gaps_first_then_its_bars_then_the_width_of_names() -> None:
    assert _fitted(_table(), 60) == _table().split("\n")
    assert _fitted(_table(), 54)[1:] == [
        "  moth                 120  3.5   85 %  ████████████",
        "    a long draught    −8.0  0.4  100 %  ███",
    ]
    assert _fitted(_table(), 49)[1:] == [
        "  moth                 120  3.5   85 %  █████████",
        "    a long draught    −8.0  0.4  100 %  ██",
    ]
    assert _fitted(_table(), 40)[0] == "  who               points    ±  lands"
    assert _fitted(_table(), 34)[1:] == [
        "  moth             120  3.5   85 %",
        "    a long        −8.0  0.4  100 %",
        "    draught",
    ]


def test_a_table_that_has_too_many_columns_loses_the_last_and_says_so() -> None:
    assert _fitted(_table(), 24) == [
        "  who         points   ±",
        "  moth           120 3.5",
        "    a long      −8.0 0.4",
        "    draught",
        "  … 1 column more on a wider terminal",
    ]


@pytest.mark.parametrize("columns", [60, *(pytest.param(n, marks=pytest.mark.night) for n in (66, 72))])
@pytest.mark.parametrize(
    "command",
    [
        ("compare", "{demo}", "{demo}", "--set", "bosun.health=60", "--habit", "careful", "--runs", "60"),
        ("matchup", "{demo}"),
        ("run", "{demo}", "--habit", "careful"),
        ("statement", "{demo}", "keeper.health", "--habit", "careful"),
        ("why", "{demo}", "keeper.health", "--habit", "careful"),
        ("check", "{demo}"),
        ("check", "{demo}", "--order"),
    ],
)
def test_no_command_is_wider_than_its_terminal(command: tuple[str, ...], columns: int) -> None:
    asked = [part.format(demo=mint.demo_path()) for part in command]
    shown = re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", on_terminal(*asked, columns=columns, NO_COLOR="1"))
    assert max(map(len, re.split("[\r\n]", shown))) <= columns
