"""Colours on terminals: they take nothing away, mean one thing each, and stay out of pipes and of JSON."""

from __future__ import annotations

import io
import re

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.cli.colours import coloured, leave_plain, wants_colours
from mint_ledger.cli.output import say_json

ESCAPE = re.compile(r"\x1b\[[0-9;]*m")
TEXT = """Saltmere Light · careful
  won      64.1 % (62.0 to 66.2)   ████
  lost     35.9 %   ▁▂▃
  sip     +116.7   oil −102.7
  target met, another missed, one undecided; 20…30 and a-b stay as they are"""


class Terminal(io.StringIO):
    encoding = "utf-8"  # type: ignore[assignment]

    def isatty(self) -> bool:
        return True


def _style(text: str, word: str) -> str:
    """The escape that stands before a word."""
    before = text[: text.index(word)]
    found = re.findall(r"\x1b\[([0-9;]*)m", before)
    return str(found[-1]) if found else ""


def test_colours_take_nothing_away() -> None:
    assert ESCAPE.sub("", coloured(TEXT)) == TEXT
    long = "x" * 500 + " won"
    assert ESCAPE.sub("", coloured(long)) == long


def test_one_colour_has_one_meaning() -> None:
    text = coloured(TEXT)
    good = {_style(text, word).removeprefix("1;") for word in ("won", "met", "+116.7")}
    bad = {_style(text, word).removeprefix("1;") for word in ("lost", "missed", "−102.7")}
    assert len(good) == len(bad) == 1
    assert good != bad
    assert _style(text, "20…30") in ("", "0")
    # An interval is told as one, and not as a loss and another.
    assert ESCAPE.sub("", text) == TEXT
    assert "\x1b" not in coloured("head\n  −3.5 to −2.5").partition("\n")[2]


def test_only_terminals_that_want_colours_get_them(monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.delenv("NO_COLOR", raising=False)
    monkeypatch.setenv("TERM", "xterm-256color")
    assert wants_colours(Terminal())
    assert not wants_colours(io.StringIO())
    monkeypatch.setenv("NO_COLOR", "1")
    assert not wants_colours(Terminal())
    monkeypatch.delenv("NO_COLOR")
    monkeypatch.setenv("TERM", "dumb")
    assert not wants_colours(Terminal())


def test_json_is_never_coloured(monkeypatch: pytest.MonkeyPatch, command: Command) -> None:
    monkeypatch.setenv("TERM", "xterm-256color")
    monkeypatch.delenv("NO_COLOR", raising=False)
    terminal = Terminal()
    monkeypatch.setattr("sys.stdout", terminal)
    say_json({"won": -3})
    assert not ESCAPE.search(terminal.getvalue())
    done = command("study", mint.demo_path(), "--runs", 20)
    assert not ESCAPE.search(done.stdout)


def test_names_of_a_file_are_left_plain_and_our_own_words_are_not() -> None:
    leave_plain(["keeper lost", "win", "rate(win)", "oil"])
    try:
        text = coloured("head\n  keeper lost, 3 lost; A win, rate(win) 5")
    finally:
        leave_plain([])
    body = text.partition("\n")[2]
    # The ending's name has no color; the word behind it, and the result of a run, have theirs.
    assert "keeper lost," in body and "rate(win)" in body
    assert [ESCAPE.sub("", part) for part in re.findall(r"\x1b\[[0-9;]+m(\w+)\x1b", body)] == ["lost", "win"]
