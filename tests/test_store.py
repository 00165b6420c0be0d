"""A store keeps what was played, whatever happens."""

from __future__ import annotations

import json
import os
import signal
import sqlite3
import subprocess
import sys
import time
from pathlib import Path

import pytest
from conftest import Command
from test_studies import assert_same_study

import mint_ledger as mint
from mint_ledger.demo import demo_text
from mint_ledger.studies.store import Store

OPTIONS = {"seed": 6, "habit": "careful", "measures": ["lowest(keeper.oil)"]}


@pytest.fixture
def demo(tmp_path: Path) -> Path:
    path = tmp_path / "saltmere.yaml"
    path.write_text(demo_text(), "utf-8")
    return path


def blocks(store: Path) -> int:
    with sqlite3.connect(store) as connection:
        return int(connection.execute("select count(*) from blocks").fetchone()[0])


def test_a_stored_study_is_the_same_and_is_not_played_again(demo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    game, store = mint.load(demo), demo.parent / "nights.sqlite"
    plain = game.study(170, times=[0, 30, 60], **OPTIONS)  # type: ignore[arg-type]
    assert_same_study(plain, game.study(170, times=[0, 30, 60], store=store, **OPTIONS))  # type: ignore[arg-type]
    monkeypatch.setattr("mint_ledger.studies.making.play_blocks", lambda *_: iter(()))
    assert_same_study(plain, game.study(170, times=[0, 30, 60], store=store, **OPTIONS))  # type: ignore[arg-type]


def test_more_runs_take_the_stored_ones(demo: Path) -> None:
    game, store = mint.load(demo), demo.parent / "nights.sqlite"
    game.study(70, store=store, **OPTIONS)  # type: ignore[arg-type]
    longer = game.study(160, store=store, **OPTIONS)  # type: ignore[arg-type]
    assert_same_study(longer, game.study(160, **OPTIONS))  # type: ignore[arg-type]
    with Store(store) as opened:
        (entry,) = opened.entries()
    assert entry.runs == 160 and blocks(store) == 4


@pytest.mark.slow
def test_a_study_that_was_killed_goes_on_where_it_stopped(demo: Path) -> None:
    store = demo.parent / "nights.sqlite"
    game = mint.load(demo)
    runs = 8_000
    game.study(60, engine="native", habit="careful")  # so that it is compiled
    command = [
        sys.executable,
        "-m",
        "mint_ledger.cli.main",
        "study",
        str(demo),
        "--runs",
        str(runs),
        "--store",
        str(store),
    ]
    process = subprocess.Popen([*command, "--habit", "careful", "--engine", "native"], stdout=subprocess.DEVNULL)
    for _ in range(400):
        time.sleep(0.05)
        if store.exists() and store.stat().st_size and _has_blocks(store):
            break
    os.kill(process.pid, signal.SIGKILL)
    process.wait()
    kept = blocks(store)
    assert 0 < kept < runs / 50
    taken_up = game.study(runs, habit="careful", store=store)
    assert_same_study(taken_up, game.study(runs, habit="careful"))


def _has_blocks(store: Path) -> bool:
    try:
        return blocks(store) > 0
    except sqlite3.Error:
        return False


def test_two_processes_may_write_to_one_store(demo: Path) -> None:
    store = demo.parent / "nights.sqlite"
    command = [sys.executable, "-m", "mint_ledger.cli.main", "study", str(demo), "--store", str(store), "--json"]
    tasks = [["--habit", "careful"], ["--habit", "careful"], ["--habit", "reckless"]]
    processes = [
        subprocess.Popen([*command, "--runs", "900", *task], stdout=subprocess.PIPE, text=True) for task in tasks
    ]
    told = [json.loads(process.communicate(timeout=100)[0]) for process in processes]
    assert [process.returncode for process in processes] == [0, 0, 0]
    assert told[0] == told[1] and told[0]["results"] != told[2]["results"]
    with Store(store) as opened:
        assert sorted(entry.runs for entry in opened.entries()) == [900, 900]


@pytest.mark.slow
def test_history_lists_shows_and_compares(demo: Path, command: Command) -> None:
    store = demo.parent / "nights.sqlite"
    assert command("study", demo, "--runs", 200, "--habit", "careful", "--store", store).returncode == 0
    assert (
        command("study", demo, "--runs", 200, "--habit", "careful", "--variant", "calm", "--store", store).returncode
        == 0
    )
    listed = command("history", store)
    assert listed.returncode == 0 and listed.stdout.count("Saltmere Light · careful") == 2
    assert "crab.bite 11" in listed.stdout
    shown = command("history", store, 1)
    played = command("study", demo, "--runs", 200, "--habit", "careful")
    # A study says in addition to whether the file's targets are met.
    assert played.stdout.startswith(shown.stdout.rstrip())
    compared = command("history", store, 1, "--compare", 2)
    assert "difference" in compared.stdout and "won (%)" in compared.stdout
    assert max(map(len, compared.stdout.splitlines())) <= 80
    assert len(json.loads(command("history", store, "--json").stdout)["studies"]) == 2


@pytest.mark.parametrize("arguments", [["nights.sqlite"], ["other.sqlite"], ["text.sqlite", 1], ["new.sqlite"]])
def test_what_is_no_store_of_ours_is_left_alone(tmp_path: Path, command: Command, arguments: list) -> None:
    with sqlite3.connect(tmp_path / "other.sqlite") as connection:
        connection.execute("create table bees (name text)")
    (tmp_path / "text.sqlite").write_text("These are not the nights you look for.\n" * 50, "utf-8")
    with Store(tmp_path / "new.sqlite") as opened:
        opened.run_in_turn("pragma user_version = 99")
    before = {path.name: path.read_bytes() for path in tmp_path.glob("*.sqlite")}
    told = command("history", *arguments)
    words = {"nights": "does not exist", "other": "no store", "text": "no store", "new": "newer version"}
    assert told.returncode == 2 and words[arguments[0].partition(".")[0]] in told.stderr, told.stderr
    assert "Traceback" not in told.stderr and len(told.stderr.splitlines()) == 1
    for name, content in before.items():
        assert (tmp_path / name).read_bytes() == content


def test_unknown_studies_and_folders_are_named(demo: Path, command: Command) -> None:
    store = demo.parent / "nights.sqlite"
    command("study", demo, "--runs", 60, "--store", store)
    told = command("history", store, 7)
    assert told.returncode == 2 and "no study 7" in told.stderr
    told = command("study", demo, "--runs", 60, "--store", demo.parent / "nowhere" / "nights.sqlite")
    assert told.returncode == 2 and "no folder" in told.stderr
    told = command("history", store, "--compare", 1)
    assert told.returncode == 2 and "two studies" in told.stderr


def test_a_full_disk_loses_nothing_that_was_stored(demo: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    game, store = mint.load(demo), demo.parent / "nights.sqlite"
    game.study(100, store=store, **OPTIONS)  # type: ignore[arg-type]
    kept = blocks(store)
    opening = Store._open

    def small(self: Store) -> sqlite3.Connection:
        connection = opening(self)
        pages = connection.execute("pragma page_count").fetchone()[0]
        connection.execute(f"pragma max_page_count = {pages + 2}")
        return connection

    monkeypatch.setattr(Store, "_open", small)
    with pytest.raises(mint.BadRequest, match="disk is full"):
        game.study(3_000, store=store, **OPTIONS)  # type: ignore[arg-type]
    monkeypatch.undo()
    assert blocks(store) >= kept
    assert_same_study(game.study(400, store=store, **OPTIONS), game.study(400, **OPTIONS))  # type: ignore[arg-type]
