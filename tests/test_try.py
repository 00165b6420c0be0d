from __future__ import annotations

import json
import os
import pty
import re
import select
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint


@pytest.fixture
def saltmere(tmp_path: Path) -> Path:
    path = tmp_path / "saltmere.yaml"
    path.write_text(mint.demo_path().read_text("utf-8"), "utf-8")
    return path


def test_a_pipe_is_answered_line_by_line(command: Command, saltmere: Path) -> None:
    lines = ["go 2", "act sip; cue landed speed=9  # in one step", "why keeper.health 1", "undo", "ask time < 2.5"]
    result = command("try", saltmere.name, "--seed", 7, input="\n".join(lines))
    assert result.returncode == 0, result.stderr
    answers = result.stdout.split("\n> ")
    assert len(answers) == 6
    assert "keeper.health           100 → 88            −12" in answers[2]
    assert "\n2.05 s\n" in answers[2]
    assert "line" in answers[3] and "a hard landing" in answers[3]
    assert "2.00 s" in answers[4] and "100 of 100" in answers[4]
    assert answers[5].rstrip().endswith("yes")
    assert max(map(len, result.stdout.splitlines())) <= 80


def test_all_commands_answer(command: Command, saltmere: Path, tmp_path: Path) -> None:
    lines = [
        "help", "help why", "", "step 3", "hit keeper with pincer by crab[1] sure", "meet oil_can[1] keeper for 1",
        "give chill to keeper for 2", "end chill of keeper", "set keeper.oil = 12", "remove crab[2]", "spawn crab",
        "habit careful", "habit none", "level rocks", "go", "show", "show crab", "watch crab[1].health keeper.strain",
        "watch none", "statement keeper.oil", "story", "redo", "undo 2", "redo 1", "go until keeper.oil < 11.5",
        "save night.yaml as a long night", "reload", "quit", "never read",
    ]  # fmt: skip
    result = command("try", saltmere.name, input="\n".join(lines))
    assert result.returncode == 0, result.stderr
    assert "never read" not in result.stdout
    assert "level rocks" in result.stdout
    assert max(map(len, result.stdout.splitlines())) <= 80
    saved = (tmp_path / "night.yaml").read_text("utf-8")
    assert "a long night:" in saved and "habit: careful" in saved
    text = saltmere.read_text("utf-8")
    saltmere.write_text(text.partition("playtests:")[0] + saved, "utf-8")
    checked = command("check", saltmere.name, "--json")
    [test] = json.loads(checked.stdout)["playtests"]
    assert test["passed"], test


@pytest.mark.parametrize(
    ("line", "message"),
    [
        ("undp 3", "'undp' is no command, did you mean 'undo'"),
        ("go fast", "go wants a time"),
        ("hit keeper by crab[1]", "hit with which attack?"),
        ("set keeper.helth = 3", "did you mean 'health'"),
        ("why keeper.helth", "did you mean 'keeper.health'"),
        ("undo 0", "wants a whole number"),
        ("go until keeper.helth < 3", "did you mean"),
        ("save saltmere.yaml", "the game's own file"),
        ("save night.txt", "saved as YAML"),
        ("act swing; go 3", "joins what happens in one step"),
        ("show nobody", "nobody called 'nobody' is there"),
        ("cue landed fast", "written like speed=9"),
    ],
)
def test_a_line_of_a_pipe_that_cannot_be_done_ends_it_with_its_number(
    command: Command, saltmere: Path, line: str, message: str
) -> None:
    result = command("try", saltmere.name, input=f"step\n{line}\nstep\n")
    assert result.returncode == 2
    assert result.stderr.startswith("line 2: ")
    assert message in result.stderr
    assert "Traceback" not in result.stderr


def test_a_run_that_is_over_says_so(command: Command, saltmere: Path) -> None:
    result = command("try", saltmere.name, "--set", "keeper.oil=0.1", input="go 9\ngo\n")
    assert "lose: lamp out" in result.stdout
    assert "the run is over (lose: lamp out); undo goes back" in result.stderr


class Terminal:
    """A `try` that runs in a real pseudo-terminal."""

    def __init__(self, path: Path) -> None:
        primary, secondary = pty.openpty()
        environment = {**os.environ, "TERM": "xterm", "XDG_STATE_HOME": str(path.parent / "state")}
        self.process = subprocess.Popen(
            [sys.executable, "-m", "mint_ledger.cli.main", "try", path.name, "--seed", "7"],
            stdin=secondary,
            stdout=secondary,
            stderr=secondary,
            cwd=path.parent,
            env=environment,
            start_new_session=True,
        )
        os.close(secondary)
        self.file = primary
        self.seen = ""

    def until(self, text: str) -> str:
        """Read until a text has come."""
        end = time.monotonic() + 60
        start = len(self.seen)
        while text not in self.seen[start:]:
            assert time.monotonic() < end, f"{text!r} did not come: {self.seen[start:]!r}"
            ready, _, _ = select.select([self.file], [], [], 1)
            if ready:
                try:
                    piece = os.read(self.file, 65536).decode("utf-8", "replace")
                except OSError:
                    break
                if "\x1b[6n" in piece:
                    os.write(self.file, b"\x1b[1;1R")  # where the cursor is, as a terminal would say
                self.seen += re.sub(r"\x1b\[[0-9;?]*[a-zA-Z]", "", piece)
        return self.seen[start:]

    def type(self, keys: str) -> None:
        os.write(self.file, keys.encode())


def test_a_terminal_has_a_prompt_completion_history_and_keys(saltmere: Path) -> None:
    terminal = Terminal(saltmere)
    try:
        terminal.until("Tab: names")
        terminal.type("\r")
        assert "1.00 s" in terminal.until("Lives 3, broth 2")
        # One name fits, so Tab writes it out.
        terminal.type("act sw\t")
        terminal.until("ing")
        terminal.type("\r")
        assert "keeper does swing" in terminal.until("Lives 3, broth 2")
        terminal.type("set keeper.helth = 5\r")
        terminal.until("did you mean 'health'")
        terminal.type("set keeper.health = 5\r")
        assert "100 → 5" in terminal.until("Lives 3, broth 2")
        terminal.type("undo\r")
        assert "100 of 100" in terminal.until("Lives 3, broth 2")
        # Up, twice: the line before the last.
        terminal.type("\x1b[A\x1b[A\r")
        assert "100 → 5" in terminal.until("Lives 3, broth 2")
        terminal.until("Tab: names")
        terminal.type("half a line\x03")
        terminal.until("Tab: names")
        terminal.type("\x04")
        assert terminal.process.wait(60) == 0
    finally:
        terminal.process.kill()
        os.close(terminal.file)


def test_why_of_a_scripted_run(command: Command, saltmere: Path, tmp_path: Path) -> None:
    (tmp_path / "fall.yaml").write_text("- {at: 1, cue: landed, with: {speed: 9}}\n", "utf-8")
    result = command("why", saltmere.name, "keeper.health", "--at", 1.5, "--script", "fall.yaml")
    assert result.returncode == 0, result.stderr
    assert "1.00    100 → 88  −12  a hard landing" in result.stdout
    assert "if: cue.speed > stair_limit" in result.stdout
    plain = json.loads(command("why", saltmere.name, "keeper.oil", "--at", 20, "--json").stdout)
    assert plain["flowing"]["rate"] == -0.5
    assert float(plain["value"]) == pytest.approx(60)
    late = command("why", saltmere.name, "keeper.oil", "--at", 9999)
    assert late.returncode == 2
    assert "nothing to be seen at 9999" in late.stderr


@pytest.mark.slow
def test_statements_of_all_accounts_and_of_two_runs(command: Command, saltmere: Path, tmp_path: Path) -> None:
    both = command("statement", saltmere.name, "keeper.oil", "--habit", "careful", "--compare", "habit=reckless")
    assert both.returncode == 0, both.stderr
    assert "· reckless ·" in both.stdout
    assert max(map(len, both.stdout.splitlines())) <= 80
    opening = next(line for line in both.stdout.splitlines() if line.split()[:1] == ["opening"])
    assert opening.split() == ["opening", "70", "70", "0"] or opening.split()[-1].rstrip("0") in ("0.", "0")
    every = json.loads(command("statement", saltmere.name, "--all", "--to", 9, "--json").stdout)["statements"]
    assert {"keeper.oil", "keeper.shutters"} <= {one["account"] for one in every}
    assert all(one["causes"] for one in every)
    for one in every:
        assert one["opening"] + sum(cause["total"] for cause in one["causes"]) == pytest.approx(one["closing"])
    drawn = command("statement", saltmere.name, "keeper.health", "--plot", "health.png")
    assert drawn.returncode == 0
    assert (tmp_path / "health.png").read_bytes().startswith(b"\x89PNG")
    for wrong in (["--all", "keeper.oil"], [], ["keeper.oil", "--compare", "seed"], ["--all", "--plot", "a.png"]):
        assert command("statement", saltmere.name, *wrong).returncode == 2


def test_the_readout_at_times_and_the_timeline(command: Command, saltmere: Path, tmp_path: Path) -> None:
    result = command("run", saltmere.name, "--readout", "0,20.5", "--timeline", "night.svg")
    assert result.returncode == 0, result.stderr
    assert result.stdout.count("keeper.oil") == 2
    assert "70 of 90" in result.stdout and "59.75 of 90" in result.stdout
    assert "night.svg is written" in result.stdout
    assert b"lantern_swing" not in (tmp_path / "night.svg").read_bytes()[:10]
    wrong = command("run", saltmere.name, "--readout", "soon")
    assert wrong.returncode == 2
    assert "wants times like" in wrong.stderr
