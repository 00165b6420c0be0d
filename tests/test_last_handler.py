"""No traceback reaches a user, whatever the trouble; a fault of ours has an exit code of its own."""

from __future__ import annotations

import os
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import Command

GAME = (
    "title: Weir\nclock: {unit: turn, limit: 3}\nstats: {n: 0}\nrules: [{name: up, when: {every: 1}, do: [n += 1]}]\n"
)
SHELL = f"{sys.executable} -m mint_ledger.cli.main"


@pytest.fixture
def folder(tmp_path: Path) -> Path:
    (tmp_path / "weir.yaml").write_text(GAME, "utf-8")
    (tmp_path / "one").symlink_to("two")
    (tmp_path / "two").symlink_to("one")
    (tmp_path / "bad.xlsx").write_bytes(b"PK\x03\x04 no book at all")
    return tmp_path


@pytest.mark.parametrize(
    ("line", "code", "words"),
    [
        ("run weir.yaml > /dev/full", 2, "No space left"),
        ("run weir.yaml >&-", 0, ""),
        ("try weir.yaml <&-", 2, "its input is closed"),
        ("check one", 2, "symbolic links"),
        ("run weir.yaml -o one.csv/x.csv", 2, "cannot be written"),
        ("export weir.yaml -o one", 2, "one"),
        (f"check {'n' * 300}.yaml", 2, "cannot be read"),
        (f"run weir.yaml -o {'n' * 300}.csv", 2, "cannot be written"),
        ("tables import weir.yaml bad.xlsx", 2, "no XLSX book"),
        ("run weir.yaml | head -1", 0, ""),
    ],
)
def test_trouble_from_outside_is_one_line(folder: Path, line: str, code: int, words: str) -> None:
    shell = ["bash", "-o", "pipefail", "-c", f"{SHELL} {line}"]
    done = subprocess.run(shell, capture_output=True, text=True, cwd=folder, timeout=120, check=False)
    assert (done.returncode, words in done.stderr) == (code, True), done.stderr
    assert "Traceback" not in done.stderr and done.stderr.count("\n") <= 1


def test_a_fault_of_ours_is_one_line_and_exit_70(folder: Path) -> None:
    broken = (
        "import sys, mint_ledger.client as client\n"
        "def boom(*_): raise KeyError('slot\\n17')\n"
        "client.load = boom\n"
        "from mint_ledger.cli.main import main\n"
        "sys.argv = ['mint-ledger', 'check', 'weir.yaml']\n"
        "main()"
    )
    done = subprocess.run(
        [sys.executable, "-c", broken], capture_output=True, text=True, cwd=folder, env=os.environ, check=False
    )
    assert done.returncode == 70
    assert done.stderr.count("\n") == 1 and "arguments.py:" in done.stderr and "KeyError" in done.stderr


def test_a_broken_program_is_a_fault_of_ours(folder: Path) -> None:
    broken = (
        "import sys\n"
        "from mint_ledger.lowering import context\n"
        "context.Lowering.text = lambda self, pieces: 99\n"
        "from mint_ledger.cli.main import main\n"
        "sys.argv = ['mint-ledger', 'check', 'weir.yaml']\n"
        "main()"
    )
    game = (
        GAME
        + "attacks: {pokes: {from: reed, to: reed, spares: none, damage: 1}}\nkinds: {reed: {copies: 2, stats: {health: 3}}}\n"
    )
    (folder / "weir.yaml").write_text(game, "utf-8")
    done = subprocess.run([sys.executable, "-c", broken], capture_output=True, text=True, cwd=folder, check=False)
    assert done.returncode == 70 and "names a text that is not there: 99" in done.stderr


def test_input_that_cannot_be_used_stays_exit_2(command: Command, folder: Path) -> None:
    (folder / "weir.yaml").write_text("stats: {n: [1]}", "utf-8")
    assert command("check", "weir.yaml").returncode == 2


@pytest.mark.parametrize(
    "line",
    [
        ["check", "weir.yaml", "--junit", "weir.yaml"],
        ["audit", "weir.yaml", "--runs", "0", "--sarif", "weir.yaml"],
        ["schema", "-o", "weir.yaml"],
        ["run", "weir.yaml", "-o", "other.csv"],
        ["export", "weir.yaml", "-o", "game.json"],
    ],
)
def test_nothing_overwrites_a_game_file_but_what_says_so(command: Command, folder: Path, line: list[str]) -> None:
    # Whatever it is called, a game is a game.
    (folder / "other.csv").write_text(GAME, "utf-8")
    (folder / "game.json").write_text('{"title": "Weir", "stats": {"n": 0}}', "utf-8")
    before = {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file()}
    done = command(*line)
    assert done.returncode == 2 and "is a game file, and is left as it is" in done.stderr, done.stderr
    assert {path.name: path.read_bytes() for path in folder.iterdir() if path.is_file()} == before
