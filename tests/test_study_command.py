"""`mint-ledger study`: what it prints, what it writes, what it refuses."""

from __future__ import annotations

import json
import re
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import Command, heed_ctrl_c

import mint_ledger as mint
from mint_ledger.demo import demo_text


@pytest.fixture
def demo(tmp_path: Path) -> Path:
    path = tmp_path / "saltmere.yaml"
    path.write_text(demo_text(), "utf-8")
    return path


@pytest.mark.slow
def test_measures_causes_and_worst_runs_are_told_within_80_columns(demo: Path, command: Command) -> None:
    told = command(
        *("study", demo.name, "--runs", 200, "--habit", "careful", "--account", "keeper.health"),
        *("--measure", "left=closing(keeper.health)", "--measure", "time_while(keeper.health.share < 0.25)"),
        *("--worst", "left", "--plot", "nights.svg"),
    )
    assert told.returncode == 0, told.stderr
    assert max(map(len, told.stdout.splitlines())) <= 80
    study = mint.load(demo).study(200, habit="careful", measures={"left": "closing(keeper.health)"})
    run = int(study.worst("left").index[0])
    assert f"--run {run}" in told.stdout and "nights.svg is written" in told.stdout
    assert f"{study.mean('left').value:.1f}" in told.stdout
    for words in ("left", "time_while", "keeper.health", "cudgel", "wasted", "95 % interval"):
        assert words in told.stdout
    assert "keeper.oil" not in told.stdout
    assert (demo.parent / "nights.svg").read_text("utf-8").startswith("<?xml")
    replayed = command("run", demo.name, "--seed", 1, "--habit", "careful", "--run", run, "--json")
    assert json.loads(replayed.stdout)["time"] == study.measures.loc[run, "time"]


def test_json_has_every_number_with_its_interval(demo: Path, command: Command) -> None:
    told = command("study", demo.name, "--runs", 120, "--habit", "careful", "--measure", "hits(pincer)", "--json")
    plain = json.loads(told.stdout)
    assert plain["runs"] == 120
    win = plain["results"]["win"]
    assert win["low"] < win["value"] < win["high"] and win["method"] == "Wilson"
    assert plain["measures"]["hits(pincer)"]["mean"]["value"] > 10
    assert {row["cause"] for row in plain["by_cause"]["keeper.health"]} >= {"pincer", "cudgel"}


@pytest.mark.parametrize(
    ("arguments", "words"),
    [
        (("--runs", 0), "1 to 10,000,000 runs, not 0"),
        (("--measure", "closing(keeper.helth)"), "keeper.helth"),
        (("--measure", "owt=hits(cudgle)"), "did you mean 'cudgel'"),
        (("--worst", "helth"), "neither"),
        (("--until", "soon"), "no width of an interval"),
        (("--engine", "quick"), "no engine 'quick'"),
        (("--figure", "outcome", "--plot", "a.png"), "did you mean 'outcomes'"),
        (("--account", "keeper.oyl"), "did you mean 'keeper.oil'"),
    ],
)
def test_what_cannot_be_studied_is_refused_in_one_line(
    demo: Path, command: Command, arguments: tuple, words: str
) -> None:
    told = command("study", demo.name, "--runs", 20, *arguments)
    assert told.returncode == 2 and words in told.stderr, told.stderr
    assert len(told.stderr.strip().splitlines()) == 1 and not told.stdout


@pytest.mark.parametrize(
    ("given", "shown", "stopped"),
    [
        (["study", "--runs", "900000"], r"· [\d,]+ runs · seed 1", r"stopped after [\d,]+ of 900,000 runs"),
        (
            ["sweep", "--dial", "a=1..900 by 1", "--runs", "600", "--yes"],
            r"rate\(win\)",
            r"stopped after [\d,]+ of 900 points",
        ),
    ],
)
def test_ctrl_c_shows_what_was_found_so_far(tmp_path: Path, given: list[str], shown: str, stopped: str) -> None:
    (tmp_path / "slow.yaml").write_text(
        "clock: {limit: 400}\nstats: {a: {start: 50, min: 0}}\n"
        "rules: [{name: r, when: {every: 0.05}, do: ['a += pick(-1, 1)']}]\nendings: {gone: {result: lose, if: a <= 0}}\n"
    )
    process = subprocess.Popen(
        [sys.executable, "-m", "mint_ledger.cli.main", given[0], "slow.yaml", *given[1:]],
        cwd=tmp_path,
        stdout=subprocess.PIPE,
        stderr=subprocess.PIPE,
        text=True,
        preexec_fn=heed_ctrl_c,
    )
    time.sleep(8)
    process.send_signal(signal.SIGINT)
    out, err = process.communicate(timeout=60)
    assert process.returncode == 130, err
    assert re.search(shown, out)
    assert re.search(stopped + r"\ninterrupted", err)
