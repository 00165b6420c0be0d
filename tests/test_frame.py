"""What all commands share: help in groups, the streams, `-q`, `--log-level`, completion."""

from __future__ import annotations

import json
import re
import shlex
import subprocess
import sys
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.cli import exits

DEMO = str(mint.demo_path())
GROUPS = ["Write", "Play", "Judge", "Tune", "Share"]


def test_the_first_screen_of_help_fits_80_by_40_and_no_line_is_cut(command: Command) -> None:
    lines = command("--help").stdout.splitlines()
    assert len(lines) <= 40
    assert max(map(len, lines)) <= 80
    assert not any(line.rstrip().endswith(("...", "…")) for line in lines if "COMMAND [ARGS]" not in line)
    assert [line.rstrip(":") for line in lines if re.fullmatch(r"[A-Z]\w+:", line)][1:] == GROUPS


def test_every_command_has_its_line_and_the_shared_options(command: Command) -> None:
    shown = command("--help").stdout
    names = re.findall(r"^  ([a-z]+)  +\S", shown, re.MULTILINE)
    assert len(names) == 24
    for name in names:
        if name != "tables":
            told = command(name, "--help").stdout
            assert "--quiet" in told and "--log-level" in told, name


def test_a_game_comes_from_stdin_and_data_go_to_stdout(command: Command) -> None:
    text = Path(DEMO).read_text("utf-8")
    straight = command("study", DEMO, "--runs", 60, "--habit", "careful", "-o", "runs.csv")
    piped = command("study", "-", "--runs", 60, "--habit", "careful", "-o", "-", input=text)
    assert piped.returncode == straight.returncode == 0
    assert piped.stdout.startswith("run,result,ending,")
    assert len(piped.stdout.splitlines()) == 61
    assert "60 runs" in piped.stderr and "60 runs" in straight.stdout
    assert json.loads(command("check", "-", "--json", input=text).stdout)["title"] == "Saltmere Light"


def test_two_outputs_cannot_both_have_stdout(command: Command) -> None:
    done = command("study", DEMO, "--runs", 20, "-o", "-", "--json")
    assert done.returncode == exits.UNUSABLE
    assert done.stderr.strip() == "--output and --json cannot both go to stdout"


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("", "<stdin>:1:1: the file is empty"),
        ("title: [", "<stdin>:1:"),
        ("a" * 250_001, "<stdin>:1:1: the file is too long; a game file may have 250,000 bytes at most"),
    ],
)
def test_faults_of_what_comes_from_stdin_are_told(command: Command, text: str, words: str) -> None:
    done = command("run", "-", input=text)
    assert done.returncode == exits.UNUSABLE
    assert done.stderr.startswith(words)


def test_what_came_from_stdin_is_not_written_back(command: Command, tmp_path: Path) -> None:
    command("tables", "export", DEMO, "-o", "book")
    for sheet in (tmp_path / "book").glob("*.csv"):
        sheet.write_text(sheet.read_text("utf-8").replace(",22,", ",23,"), "utf-8")
    done = command("tables", "import", "-", "book", "--write", input=Path(DEMO).read_text("utf-8"))
    assert done.returncode == exits.UNUSABLE, done.stdout + done.stderr
    assert done.stderr.strip() == "a game that was read from stdin has no file to be written into"
    assert command("try", "-", input="quit").stderr.strip().endswith("so the game has to be a file")


def test_streams_that_are_closed_or_full_or_used_up_are_told(command: Command) -> None:
    twice = command("compare", "-", "-", "--runs", 20, input=Path(DEMO).read_text("utf-8"))
    assert (twice.returncode, twice.stderr.strip()) == (exits.UNUSABLE, "one game alone can come from stdin")
    words = [sys.executable, "-m", "mint_ledger", "study", DEMO, "--runs", "20", "-o", "-"]
    closed = subprocess.run(["sh", "-c", f"{shlex.join(words)} >&-"], capture_output=True, text=True, check=False)
    assert closed.returncode == exits.UNUSABLE and "stdout is closed" in closed.stderr
    full = subprocess.run(["sh", "-c", f"{shlex.join(words)} >/dev/full"], capture_output=True, text=True, check=False)
    assert full.returncode == exits.UNUSABLE and "No space left on device" in full.stderr
    head = subprocess.run(["sh", "-c", f"{shlex.join(words)} | head -1"], capture_output=True, text=True, check=False)
    assert head.stdout.startswith("run,result") and "Traceback" not in head.stderr


def test_quiet_says_only_the_answer(command: Command) -> None:
    assert command("run", DEMO, "-o", "night.csv").stdout.startswith("night.csv is written")
    assert command("run", DEMO, "-o", "night.csv", "-q").stdout == ""
    loud, quiet = command("study", DEMO, "--runs", 20), command("study", DEMO, "--runs", 20, "-q")
    assert quiet.stdout == loud.stdout != ""
    assert command("-q", "run", DEMO, "-o", "night.csv").stdout == ""


def test_the_log_tells_what_goes_on_inside(command: Command) -> None:
    done = command("study", DEMO, "--runs", 120, "--log-level", "info")
    assert "mint_ledger.studies.making: Saltmere Light: 120 runs of seed 1 in" in done.stderr
    assert "mint_ledger" not in done.stdout
    assert command("study", DEMO, "--runs", 120, "--log-level", "warning").stderr == ""
    wrong = command("study", DEMO, "--log-level", "inof")
    assert wrong.returncode == exits.UNUSABLE and "did you mean 'info'?" in wrong.stderr


def test_a_title_cannot_steer_a_terminal_through_the_log(command: Command, tmp_path: Path) -> None:
    (tmp_path / "g.yaml").write_text('title: "x\\e]0;owned\\a"\nclock: {limit: 1}\n', "utf-8")
    done = command("study", "g.yaml", "--runs", 120, "--log-level", "info")
    assert "runs of seed 1" in done.stderr
    assert "\x1b" not in done.stderr and "\x07" not in done.stderr


@pytest.mark.parametrize(
    ("words", "offered"),
    [
        ("st", {"statement", "study"}),
        (f"study {DEMO} --habit ", {"careful", "reckless", "none"}),
        (f"why {DEMO} keeper.st", {"keeper.stamina", "keeper.strain", "keeper.standing"}),
        (f"study {DEMO} --set crab.b", {"crab.bite="}),
        (f"tune {DEMO} --target 'careful", {"careful players mostly get through"}),
        (f"run {DEMO} --engine na", {"native"}),
        ("tables ", {"export", "import"}),
        ("why nowhere.yaml k", set()),
        ("run ha", {"harbour.yaml"}),
    ],
)
def test_tab_offers_the_names_of_the_game(command: Command, tmp_path: Path, words: str, offered: set[str]) -> None:
    (tmp_path / "harbour.yaml").write_text("title: [broken", "utf-8")
    (tmp_path / "hall.txt").write_text("", "utf-8")
    line = f"mint-ledger {words}"
    count = len(line.split()) - (0 if line.endswith(" ") else 1)
    env = {"_MINT_LEDGER_COMPLETE": "complete_bash", "COMP_WORDS": line, "COMP_CWORD": str(count)}
    for _ in range(2):  # the second time from what was kept
        done = command(env=env)
        assert (done.returncode, set(filter(None, done.stdout.splitlines()))) == (0, offered), done.stderr


def test_exit_codes_are_those_of_the_page() -> None:
    page = (Path(__file__).parent.parent / "docs" / "exit-codes.md").read_text("utf-8")
    codes = {int(code) for code in re.findall(r"^\| (\d+) \|", page, re.MULTILINE)}
    assert codes == {0, *(value for name, value in vars(exits).items() if name.isupper())}
