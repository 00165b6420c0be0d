"""Colors on terminals: they take nothing away, mean one thing each, and stay out of pipes and of JSON."""

from __future__ import annotations

import io
import re

import pytest
from conftest import Command, on_terminal

import mint_ledger as mint
from mint_ledger.cli.output import say_json
from mint_ledger.cli.paint import painted, wants_colors
from mint_ledger.views.page import MarkedLine, Page, Sentence
from mint_ledger.views.text_table import MarkedCell, TextTable, bar_column, change_column, interval_column, name_column

ESCAPE = re.compile(r"\x1b\[[0-9;]*m")


class Terminal(io.StringIO):
    encoding = "utf-8"  # type: ignore[assignment]

    def isatty(self) -> bool:
        return True


def _page() -> Page:
    table = TextTable(
        name_column("cause", 12), change_column("points", 9), interval_column("95 % interval"), bar_column(2)
    )
    table.add("keeper lost", "+116.7", "62.0 to 66.2", "████")
    table.add(MarkedCell("lost", "bad"), "−102.7", "−3.5 to −2.5", "▁▂")
    return Page("Saltmere Light", table, MarkedLine("  ", ("met", "good"), " a target"), Sentence("x" * 500 + " won"))


def _style(text: str, word: str) -> str:
    """The escape that stands before a word."""
    found = re.findall(r"\x1b\[([0-9;]*)m", text[: text.index(word)])
    return str(found[-1]) if found else ""


def test_colors_take_nothing_away() -> None:
    assert ESCAPE.sub("", painted(_page().lines())) == _page()
    assert ESCAPE.sub("", painted(_page().lines(40))).count("x") == 500


def test_a_meaning_has_one_color_and_what_has_none_is_plain() -> None:
    text = painted(_page().lines())
    assert _style(text, "+116.7") == _style(text, "met") != ""
    assert _style(text, "−102.7") == _style(text, "lost\x1b") not in ("", _style(text, "met"))
    # An interval is told as one, and not as a loss and another; names and sentences of a file have no color.
    assert _style(text, "−3.5 to −2.5") == _style(text, "62.0 to 66.2")
    assert _style(text, "keeper lost") in ("", "0") and _style(text, "won") in ("", "0")
    assert _style(text, "Saltmere") == "1"


def test_names_of_a_file_are_never_colored() -> None:
    text = """
title: won and lost
clock: {step: 1, limit: 3}
stats: {met: {start: 5, min: 0}}
rules: [{name: lost, when: {every: 1}, do: [met -= 1]}]
endings: {missed: {result: win, if: met <= 3}}
"""
    story = mint.loads(text).run()
    painted_story = painted(story.summary().lines())  # type: ignore[attr-defined]
    for name in ("lost", "missed"):
        assert ESCAPE.sub("", painted_story).count(name)
    assert not re.search(r"\x1b\[[0-9;]+m(?:lost|met|missed)\x1b", painted_story)


def test_only_terminals_that_want_colors_get_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("NO_COLOR", raising=False)
    monkeypatch.setenv("TERM", "xterm-256color")
    assert wants_colors(Terminal())
    assert not wants_colors(io.StringIO())
    monkeypatch.setenv("NO_COLOR", "1")
    assert not wants_colors(Terminal())
    monkeypatch.delenv("NO_COLOR")
    monkeypatch.setenv("TERM", "dumb")
    assert not wants_colors(Terminal())


def test_json_is_never_colored(monkeypatch: pytest.MonkeyPatch, command: Command) -> None:
    monkeypatch.setenv("TERM", "xterm-256color")
    monkeypatch.delenv("NO_COLOR", raising=False)
    terminal = Terminal()
    monkeypatch.setattr("sys.stdout", terminal)
    say_json({"won": -3})
    assert not ESCAPE.search(terminal.getvalue())
    done = command("study", mint.demo_path(), "--runs", 20)
    assert not ESCAPE.search(done.stdout)


def test_a_command_on_a_terminal_is_its_text_and_its_colors() -> None:
    asked = ("statement", str(mint.demo_path()), "keeper.health", "--seed", "3")
    plain = on_terminal(*asked, NO_COLOR="1")
    assert ESCAPE.sub("", on_terminal(*asked)) == ESCAPE.sub("", plain)
    assert "\x1b[1;38;5;166m−" in on_terminal(*asked)
