"""The plugin, as pytest itself runs it on folders of games."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

import mint_ledger as mint

GAME = """
# a comment before the first key
mint_ledger: 1
title: Toll Bridge
clock: {limit: 10}
stats: {coppers: 0}
rules: [{name: toll, when: {every: 1}, do: [{if: chance(0.5), do: [coppers += 1]}]}]
endings: {rich: {if: coppers >= 5, result: win}}
playtests:
  nothing at first: {script: [], expect: [{at: 0, that: coppers == 0}]}
  a wrong hope: {script: [], expect: [{at: 0, that: coppers == 3}]}
targets:
  - {name: about half, measure: rate(win), want: 0.5..0.75}
  - {name: hopeless, measure: rate(win), want: 0..0.1}
  - {name: on the edge, measure: rate(win), want: 0.623..0.7}
"""


def pytest_on(folder: Path, *arguments: str) -> subprocess.CompletedProcess[str]:
    command = [sys.executable, "-m", "pytest", "-p", "no:cacheprovider", "-p", "no:xdist", "-rs", *arguments, "."]
    return subprocess.run(command, cwd=folder, capture_output=True, text=True, check=False, timeout=300)


def test_playtests_and_targets_are_test_items(tmp_path: Path) -> None:
    (tmp_path / "bridge.yaml").write_text(GAME, "utf-8")
    done = pytest_on(tmp_path, "-v")
    said = done.stdout
    assert done.returncode == 1
    # P(5 or more of 10 tosses) is 638 of 1024: 0.623.
    assert "bridge.yaml::playtest nothing at first PASSED" in said
    assert "bridge.yaml::playtest a wrong hope FAILED" in said
    assert "bridge.yaml::target about half PASSED" in said
    assert "bridge.yaml::target hopeless FAILED" in said
    assert "bridge.yaml::target on the edge SKIPPED" in said
    assert "2 failed, 2 passed, 1 skipped" in said
    assert "expected coppers == 3" in said and "Traceback" not in said


@pytest.mark.slow
def test_runs_and_seed_are_options(tmp_path: Path) -> None:
    (tmp_path / "bridge.yaml").write_text(GAME.replace("0.623..0.7", "0.6..0.7"), "utf-8")
    few, many = (
        pytest_on(tmp_path, "-v", "-k", "edge", "--mint-runs", runs, "--mint-seed", "5") for runs in ("50", "20000")
    )
    assert "1 skipped" in few.stdout and "1 passed" in many.stdout


def test_other_files_are_left_alone_and_broken_games_are_errors(tmp_path: Path) -> None:
    (tmp_path / "settings.yaml").write_text("retries: 3\nmint_ledger: 1\n", "utf-8")
    (tmp_path / "list.yaml").write_text("- mint_ledger: 1\n", "utf-8")
    (tmp_path / "bytes.yaml").write_bytes(b"\xff\xfe\x00")
    assert "no tests ran" in pytest_on(tmp_path).stdout
    (tmp_path / "old.mint.yaml").write_text("title: X\nstats: {a: {start: b}}\n", "utf-8")
    done = pytest_on(tmp_path)
    assert done.returncode == 2
    assert "old.mint.yaml:2:" in done.stdout and "1 error" in done.stdout
    assert "Traceback" not in done.stdout


def test_the_demo_holds_what_it_promises(tmp_path: Path) -> None:
    (tmp_path / "night.yaml").write_text(mint.demo_path().read_text("utf-8"), "utf-8")
    done = pytest_on(tmp_path)
    assert done.returncode == 0, done.stdout
    assert " 7 passed, 1 skipped" in f" {done.stdout}"
