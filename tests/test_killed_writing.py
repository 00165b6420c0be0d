"""Whatever writes into a file may be killed at any moment: the file is the old one or the new one, and nothing else."""

from __future__ import annotations

import os
import random
import signal
import subprocess
import sys
import time
from pathlib import Path

import pytest

import mint_ledger as mint
from mint_ledger.files import write_text

GAME = """
title: Sum
clock: {limit: 1, step: 1}
stats: {a: 1, b: 1}
endings: {up: {if: a + b > 5, result: win}}
rules: [{name: never, when: {while: a < 0}, do: [b += 1]}]
kinds: {man: {stats: {health: 3}}}
"""
COMMANDS = [
    ["tune", "sum.yaml", "--dial", "a=1..9 by 1", "--want", "0.9..1", "--runs", "400", "--write"],
    ["tables", "import", "sum.yaml", "stats.csv", "--write"],
]


def kill_writing(folder: Path, words: list[str], moments: list[float]) -> set[str]:
    """Kill a command at some moments of it, and give the files that were ever left."""
    old = (folder / "sum.yaml").read_text("utf-8")
    left = set()
    for moment in moments:
        (folder / "sum.yaml").write_text(old, "utf-8")
        process = subprocess.Popen(
            [sys.executable, "-m", "mint_ledger", *words],
            cwd=folder,
            stdout=subprocess.DEVNULL,
            stderr=subprocess.DEVNULL,
        )
        time.sleep(moment)
        process.kill()
        process.wait()
        left.add((folder / "sum.yaml").read_text("utf-8"))
        mint.load(folder / "sum.yaml")
    return left


@pytest.mark.parametrize("times", [pytest.param(5, marks=pytest.mark.slow), pytest.param(25, marks=pytest.mark.night)])
@pytest.mark.parametrize("words", COMMANDS, ids=lambda words: words[0])
def test_a_file_is_whole_whenever_the_command_that_writes_it_is_killed(
    tmp_path: Path, words: list[str], times: int
) -> None:
    (tmp_path / "sum.yaml").write_text(GAME, "utf-8")
    subprocess.run(
        [sys.executable, "-m", "mint_ledger", "tables", "export", "sum.yaml", "-o", "book"], cwd=tmp_path, check=True
    )
    [table] = [path for path in (tmp_path / "book").glob("*.csv") if "health" in path.read_text("utf-8")][:1]
    (tmp_path / "stats.csv").write_text(table.read_text("utf-8").replace("3", "4"), "utf-8")
    began = time.monotonic()
    done = subprocess.run([sys.executable, "-m", "mint_ledger", *words], cwd=tmp_path, capture_output=True, check=False)
    took = time.monotonic() - began
    assert done.returncode == 0, done.stderr
    new = (tmp_path / "sum.yaml").read_text("utf-8")
    assert new != GAME
    (tmp_path / "sum.yaml").write_text(GAME, "utf-8")
    luck = random.Random(7)
    left = kill_writing(tmp_path, words, [luck.uniform(0.5, 1.05) * took for _ in range(times)])
    assert left <= {GAME, new}


def test_a_file_is_whole_whenever_a_process_that_only_writes_is_killed(tmp_path: Path) -> None:
    """A process that writes one text after another, each of one letter: what is left is never a part of one."""
    path = tmp_path / "text.yaml"
    write_text(path, "a" * 400_000)
    if not hasattr(os, "fork"):
        pytest.skip("processes are not forked here")
    luck = random.Random(3)
    for _ in range(25):
        process = os.fork()
        if process == 0:
            while True:
                for letter in "bcd":
                    write_text(path, letter * 400_000)
        time.sleep(luck.uniform(0.0, 0.03))
        os.kill(process, signal.SIGKILL)
        os.waitpid(process, 0)
        text = path.read_text("utf-8")
        assert len(text) == 400_000 and len(set(text)) == 1
    # What was being written as it was killed may be left beside it, one file a time at most.
    assert len(list(tmp_path.iterdir())) <= 26
