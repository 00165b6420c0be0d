from __future__ import annotations

import json
import os
import re
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import Command, heed_ctrl_c, on_terminal

import mint_ledger as mint


@pytest.fixture
def saltmere(tmp_path: Path) -> Path:
    path = tmp_path / "saltmere.yaml"
    path.write_text(mint.demo_path().read_text("utf-8"), "utf-8")
    return path


def fits(text: str) -> bool:
    return max(map(len, text.splitlines())) <= 80


def test_the_shell_completes_commands_and_options() -> None:
    def completed(shell: str, words: str, **more: str) -> str:
        environment = {**os.environ, "_MINT_LEDGER_COMPLETE": f"complete_{shell}", "COMP_WORDS": words, **more}
        environment |= {"_TYPER_COMPLETE_ARGS": words, "_TYPER_COMPLETE_FISH_ACTION": "get-args", "COMP_CWORD": "1"}
        program = "from mint_ledger.cli.main import main; import sys; sys.argv = ['mint-ledger']; main()"
        return subprocess.run(
            [sys.executable, "-c", program], capture_output=True, text=True, env=environment, check=False
        ).stdout

    assert "tune" in completed("bash", "mint-ledger tu")
    assert "tune" in completed("zsh", "mint-ledger tu")
    assert "tune" in completed("fish", "mint-ledger tu")
    assert "study" not in completed("bash", "mint-ledger tu")


def test_no_color_reaches_a_terminal_that_wants_none(saltmere: Path) -> None:
    asked = ("study", str(saltmere), "--runs", "600")
    colors = re.compile(r"\x1b\[[0-9;]*(?:3[0-7]|9[0-7]|38;)[0-9;]*m")
    assert colors.search(on_terminal(*asked))
    assert not colors.search(on_terminal(*asked, NO_COLOR="1"))


def test_help_lists_the_commands_and_starts_without_the_heavy_packages(command: Command) -> None:
    result = command("--help")
    assert result.returncode == 0
    for name in ("demo", "new", "check", "run", "statement", "study"):
        assert name in result.stdout
    probe = "import sys; sys.argv = ['mint-ledger', '--version']\nfrom mint_ledger.cli.main import main\ntry: main()\nexcept SystemExit: pass\nprint([m for m in ('pandas', 'scipy', 'matplotlib', 'pydantic', 'ruamel.yaml') if m in sys.modules])"
    out = subprocess.run([sys.executable, "-c", probe], capture_output=True, text=True, check=True).stdout
    assert out.splitlines()[0] == f"mint-ledger {mint.__version__}"
    assert out.splitlines()[-1] == "[]"


def test_check_says_what_the_playtests_found_and_exits_0(command: Command, saltmere: Path) -> None:
    result = command("check", saltmere.name)
    assert result.returncode == 0
    assert "playtests: 4 of 4 passed" in result.stdout
    assert fits(result.stdout)


def test_check_exits_1_where_a_playtest_falls_short(command: Command, saltmere: Path) -> None:
    saltmere.write_text(saltmere.read_text("utf-8").replace("health == 88", "health == 80"), "utf-8")
    result = command("check", saltmere.name)
    assert result.returncode == 1
    assert "expected keeper.health == 80" in result.stdout
    assert "found: keeper.health is 88" in result.stdout
    plain = json.loads(command("check", saltmere.name, "--json").stdout)
    failed = next(test for test in plain["playtests"] if not test["passed"])
    assert failed["expectations"][1]["found"] == "keeper.health is 88"


def test_check_order_prints_what_happens_when_with_the_lines(command: Command, saltmere: Path) -> None:
    result = command("check", saltmere.name, "--order")
    line = (
        saltmere.read_text("utf-8")
        .splitlines()
        .index("  - {name: a ship passes, when: {every: 18}, if: keeper.oil > 0, do: [ships += 1]}")
        + 1
    )
    assert f"  line {line}" in result.stdout
    order = [
        result.stdout.index(text)
        for text in (
            "chill: ticks",
            "careful: sip",
            "pincer: every",
            "a ship passes (every 18)",
            "lamp out: lose",
            "gone",
        )
    ]
    assert order == sorted(order)


def test_faults_are_one_line_each_on_stderr_with_exit_2(command: Command, saltmere: Path) -> None:
    saltmere.write_text(
        saltmere.read_text("utf-8")
        .replace("after_limit", "after_limt")
        .replace("footing breaks\n    when: {hit: cudgel}", "footing breaks\n    when: {hit: cudgle}"),
        "utf-8",
    )
    for arguments in (("check",), ("run",), ("study",), ("statement",)):
        extra = ("keeper.health",) if arguments == ("statement",) else ()
        result = command(*arguments, saltmere.name, *extra)
        assert result.returncode == 2
        assert result.stdout == ""
        lines = result.stderr.splitlines()
        assert len(lines) == 2
        assert "unknown key 'after_limt', did you mean 'after_limit'?" in lines[0]
        assert "unknown attack 'cudgle', did you mean 'cudgel'?" in lines[1]


def test_run_tells_a_story_that_agrees_with_the_library(command: Command, saltmere: Path) -> None:
    result = command("run", saltmere.name, "--seed", 7, "--full")
    run = mint.load(saltmere).run(7)
    assert result.stdout == run.story() + "\n"
    short = command("run", saltmere.name, "--seed", 7).stdout
    assert short.startswith(run.summary() + "\n") and len(short.splitlines()) <= 60
    assert short.rstrip().splitlines()[-1] == f"{len(run.rows):,} rows are in the journal; --full shows them all"
    assert fits(result.stdout)
    assert f"{run.result}: {run.ending}" in result.stdout


def test_run_can_be_cut_to_a_time_and_to_what_concerns_one(command: Command, saltmere: Path) -> None:
    result = command("run", saltmere.name, "--seed", 7, "--from", 10, "--to", 20, "--only", "keeper.shutters")
    told = [line for line in result.stdout.splitlines() if "→" in line and "of" not in line]
    assert told and all("keeper.shutters" in line for line in told)


def test_run_writes_journal_and_plot(command: Command, saltmere: Path, tmp_path: Path) -> None:
    result = command("run", saltmere.name, "--seed", 7, "-o", "night.csv", "--plot", "night.png", "--account", "ships")
    assert result.returncode == 0
    assert (tmp_path / "night.csv").read_text("utf-8") == mint.load(saltmere).run(7).journal_csv()
    assert (tmp_path / "night.png").read_bytes().startswith(b"\x89PNG")
    assert [p.name for p in tmp_path.iterdir() if p.name.endswith(".part")] == []


def test_run_as_json_has_every_row(command: Command, saltmere: Path) -> None:
    plain = json.loads(command("run", saltmere.name, "--seed", 7, "--json").stdout)
    run = mint.load(saltmere).run(7)
    assert plain["result"] == run.result
    assert len(plain["journal"]) == len(run.rows)


def test_a_script_file_is_played(command: Command, saltmere: Path, tmp_path: Path) -> None:
    (tmp_path / "plan.yaml").write_text("- {at: 2, set: keeper.oil = 0}\n")
    result = command("run", saltmere.name, "--script", "plan.yaml")
    assert "lose: lamp out" in result.stdout
    (tmp_path / "plan.yaml").write_text("- {at: 2, sett: keeper.oil = 0}\n")
    result = command("run", saltmere.name, "--script", "plan.yaml")
    assert result.returncode == 2
    assert result.stderr.startswith("plan.yaml:1:")


def test_statement_shows_the_account_and_its_part(command: Command, saltmere: Path) -> None:
    result = command("statement", saltmere.name, "keeper.oil", "--seed", 7, "--from", 20, "--to", 60)
    assert "20 to 60 s" in result.stdout
    assert fits(result.stdout)
    plain = json.loads(command("statement", saltmere.name, "keeper.oil", "--seed", 7, "--json").stdout)
    total = plain["opening"] + sum(cause["total"] for cause in plain["causes"])
    assert total == pytest.approx(plain["closing"], abs=1e-9)


def test_study_counts_the_runs_that_run_shows(command: Command, saltmere: Path, tmp_path: Path) -> None:
    result = command("study", saltmere.name, "--runs", 30, "--set", "clock.limit=40", "-o", "nights.csv", "--json")
    assert result.returncode == 0
    plain = json.loads(result.stdout)
    assert plain["runs"] == 30
    assert len((tmp_path / "nights.csv").read_text().splitlines()) == 31
    text = command("study", saltmere.name, "--runs", 30, "--set", "clock.limit=40").stdout
    assert "30 runs" in text and fits(text)


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("run", "saltmere.yaml", "--set", "crab.byte=3"), "there is no dial 'crab.byte', did you mean 'crab.bite'?"),
        (("run", "saltmere.yaml", "--set", "crab.bite"), "--set wants DIAL=VALUE"),
        (("run", "saltmere.yaml", "--set", "crab.bite=x"), "wants a number, not 'x'"),
        (("run", "saltmere.yaml", "--set", "crab.bite=1e999"), "wants a finite number"),
        (("run", "saltmere.yaml", "--seed", "-4"), "a seed is a whole number"),
        (("run", "saltmere.yaml", "-o", "night.pdf"), "data is written as .csv, .jsonl or .parquet"),
        (("run", "saltmere.yaml", "-o", "nowhere/night.csv"), "cannot be written: No such file or directory"),
        (("run", "saltmere.yaml", "--plot", "night.png", "--account", "keeper.helth"), "did you mean 'keeper.health'?"),
        (("run", "saltmere.yaml", "--from", "9", "--to", "3"), "--from 9 is later than --to 3"),
        (("run", "nowhere.yaml"), "there is no such file"),
        (("statement", "saltmere.yaml", "keeper.helth"), "did you mean 'keeper.health'?"),
        (("study", "saltmere.yaml", "--runs", "0"), "a study has 1 to"),
        (("study", "saltmere.yaml", "--runs", "many"), "--runs"),
        (("new", "saltmere.yaml"), "is there already; it is left as it is"),
    ],
)
def test_bad_arguments_end_with_one_line_and_exit_2(
    command: Command, saltmere: Path, arguments: tuple[str, ...], words: str
) -> None:
    before = saltmere.read_bytes()
    result = command(*arguments)
    assert result.returncode == 2
    assert words in result.stderr
    assert "Traceback" not in result.stderr
    assert saltmere.read_bytes() == before


def test_new_writes_a_game_that_passes_its_own_check(command: Command, tmp_path: Path) -> None:
    assert command("new", "mine.yaml").returncode == 0
    assert command("check", "mine.yaml").returncode == 0
    assert 0.2 < mint.load(tmp_path / "mine.yaml").study(60).rate("win").value < 0.95


def test_a_run_that_cannot_go_on_says_where_and_exits_2(command: Command, tmp_path: Path) -> None:
    (tmp_path / "bad.yaml").write_text(
        "title: B\nclock: {unit: turn, limit: 5}\nstats: {a: 3}\nrules:\n  - {when: {every: 1}, do: [a -= 1 / (a - 2)]}\n"
    )
    result = command("run", "bad.yaml")
    assert result.returncode == 2
    assert result.stderr.startswith("bad.yaml:5:")
    assert "division by zero; it read a = 2; at 2 (turn)" in result.stderr or "it read a = 2" in result.stderr


def test_plain_letters_where_the_stream_knows_no_others(command: Command, saltmere: Path) -> None:
    result = command("run", saltmere.name, "--to", 5, env={"PYTHONIOENCODING": "ascii"})
    assert result.returncode == 0
    assert "->" in result.stdout or ">" in result.stdout
    result.stdout.encode("ascii")


def test_a_reader_that_stops_reading_is_no_error(saltmere: Path) -> None:
    code = f"{sys.executable} -m mint_ledger.cli.main run {saltmere} | head -1"
    result = subprocess.run(["bash", "-c", code], capture_output=True, text=True, check=False)
    assert result.stdout.startswith("Saltmere Light")
    assert result.stderr == ""


def test_ctrl_c_ends_a_long_study_without_a_traceback(saltmere: Path) -> None:
    process = subprocess.Popen(
        [sys.executable, "-m", "mint_ledger.cli.main", "study", str(saltmere), "--runs", "100000"],
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        start_new_session=True,
        preexec_fn=heed_ctrl_c,
    )
    time.sleep(2.5)
    os.killpg(process.pid, signal.SIGINT)
    out, error = process.communicate(timeout=30)
    assert process.returncode not in (0, None)
    assert "Traceback" not in error
    # What was found so far is shown, if anything was.
    assert out == "" or " runs · seed 1" in out


def test_a_folder_that_may_not_be_written_to(command: Command, saltmere: Path, tmp_path: Path) -> None:
    target = tmp_path / "locked"
    target.mkdir()
    (target / "night.csv").mkdir()
    result = command("run", saltmere.name, "-o", "locked/night.csv")
    assert result.returncode == 2
    assert "is a folder" in result.stderr


@pytest.mark.slow
def test_the_demo_tours_every_command_and_names_its_folder(command: Command, tmp_path: Path) -> None:
    result = command("demo", "tour", "--runs", 8)
    assert result.returncode == 0, result.stderr
    assert fits(result.stdout)
    for name in ("saltmere.yaml", "night.png", "night.csv"):
        assert (tmp_path / "tour" / name).exists()
    for words in ("mint-ledger check", "mint-ledger run", "mint-ledger statement", "mint-ledger study", "closing"):
        assert words in result.stdout
