"""Percentages on the command line: `60%` is 0.6, and `+20%` of a dial is 1.2 times its value."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import Command

from mint_ledger.balance.dial_range import read_want
from mint_ledger.game.dial_value import from_per_cent

GAME = """
title: Scales
clock: {unit: turn, limit: 1}
numbers: {odds: 0.25, weight: 10}
stats: {pan: {start: 0}}
rules: [{name: lands, when: start, chance: odds, do: [pan += weight]}]
endings: {down: {result: win, if: pan > 0}}
targets: [{name: seldom, measure: rate(win), want: 0.1..0.4}, {name: often, measure: rate(win), want: 0.6..1}]
"""


@pytest.mark.parametrize(
    ("text", "means"),
    [("60%", 0.6), ("+20%", "x1.2"), ("-20 %", "x0.8"), ("−12.5%", "x0.875"), ("+0%", "x1"), ("-100%", "x0")],
)
def test_what_a_percentage_means(text: str, means: float | str) -> None:
    assert from_per_cent(text) == means


@pytest.mark.parametrize("text", ["", "%", "20", "+%", "-120%", "20%%", "1e2%", "a%"])
def test_what_is_no_percentage(text: str) -> None:
    assert from_per_cent(text) is None


def test_a_target_in_per_cent_is_a_share() -> None:
    want = read_want("55%..65 %", "rate(win)")
    assert (want.low, want.high) == (0.55, 0.65)


def test_commands_take_them(tmp_path: Path, command: Command) -> None:
    (tmp_path / "scales.yaml").write_text(GAME)

    def wins(*given: str) -> float:
        told = command("study", "scales.yaml", "--exact", "--json", *given, cwd=tmp_path)
        return float(json.loads(told.stdout)["results"]["win"])

    assert wins() == 0.25
    assert wins("--set", "odds=60%") == pytest.approx(0.6)
    assert wins("--set", "odds=+20%") == pytest.approx(0.3)
    tuned = command("tune", "scales.yaml", "--dial", "odds=0..1", "--want", "40%..60%", "--json", cwd=tmp_path)
    assert 0.35 < json.loads(tuned.stdout)["best"] < 0.65


def test_check_judges_targets_where_it_is_asked_to(tmp_path: Path, command: Command) -> None:
    (tmp_path / "scales.yaml").write_text(GAME)
    told = command("check", "scales.yaml", "--targets", cwd=tmp_path)
    assert told.returncode == 1
    assert "met        seldom" in told.stdout and "missed     often" in told.stdout
    assert {
        one["verdict"]
        for one in json.loads(command("check", "scales.yaml", "--targets", "--json", cwd=tmp_path).stdout)["targets"]
    } == {"met", "missed"}
    bare = GAME.partition("targets:")[0]
    (tmp_path / "bare.yaml").write_text(bare)
    assert "has no targets" in command("check", "bare.yaml", "--targets", cwd=tmp_path).stderr


def test_export_gives_the_schema_too(tmp_path: Path, command: Command) -> None:
    assert command("export", "--schema").stdout == command("schema").stdout != ""
    assert "needs a game file" in command("export").stderr
