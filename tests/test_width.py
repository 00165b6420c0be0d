"""Texts as wide as the terminal: from 60 to 160 letters there, 80 in pipes, with what matters most cut last."""

from __future__ import annotations

import fcntl
import os
import pty
import struct
import subprocess
import sys
import termios

import pytest

import mint_ledger as mint
from mint_ledger.cli.output import fitted
from mint_ledger.views.width import line_width, room, texts_of


def _on_terminal(columns: int, *arguments: str) -> list[str]:
    """What a command prints on a terminal of so many columns."""
    master, slave = pty.openpty()
    fcntl.ioctl(slave, termios.TIOCSWINSZ, struct.pack("HHHH", 40, columns, 0, 0))
    environment = {**os.environ, "TERM": "xterm-256color", "NO_COLOR": "1", "PYTHONIOENCODING": "utf-8"}
    environment.pop("COLUMNS", None)
    command = [sys.executable, "-m", "mint_ledger.cli.main", *arguments]
    process = subprocess.Popen(command, stdout=slave, stderr=subprocess.DEVNULL, stdin=slave, env=environment)
    os.close(slave)
    text = b""
    while True:
        try:
            part = os.read(master, 65536)
        except OSError:
            break
        if not part:
            break
        text += part
    assert process.wait() == 0
    return text.decode("utf-8").replace("\r", "").split("\n")


@pytest.mark.parametrize("look", [(), ("--attacks",), ("--income", "keeper.oil"), ("--ends",), ("--per", "level")])
def test_nothing_is_wider_than_a_narrow_terminal(look: tuple[str, ...]) -> None:
    lines = _on_terminal(60, "study", str(mint.demo_path()), "--habit", "careful", "--runs", "60", *look)
    assert max(map(len, lines)) <= 60
    assert lines[0].startswith("Saltmere Light")


def test_the_shares_of_a_study_are_whole_where_its_bars_are_cut() -> None:
    lines = _on_terminal(60, "study", str(mint.demo_path()), "--habit", "careful", "--runs", "60")
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
        assert room(26, least=20) == 20


def test_rows_are_cut_and_sentences_wrapped() -> None:
    assert fitted("  name    12    34    56", 18) == "  name    12    3…"
    assert fitted("  what is a sentence goes on", 18) == "  what is a\n    sentence goes\n    on"
    assert fitted("short", 18) == "short"
