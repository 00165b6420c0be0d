"""Options that would be ignored are refused, whatever the command; what goes together is not."""

from __future__ import annotations

from pathlib import Path

import pytest
import typer
from conftest import Command

from mint_ledger.cli.main import app
from mint_ledger.cli.together import TABLE, Apart, Idle, Needs

GAME = """
title: Tide pool
clock: {unit: turn, limit: 3}
kinds: {crab: {stats: {food: {start: 3}}}}
rules: [{name: tide, when: {every: 1}, chance: 0.5, do: [crab.food -= 1]}]
endings: {hungry: {result: lose, if: crab.food <= 0}}
"""
COMMANDS = typer.main.get_command(app).commands  # type: ignore[attr-defined]
# What stands in the place of a command's own arguments, where the rule is not about these.
ARGUMENTS = {"compare": ["pool.yaml", "pool.yaml"], "history": ["kept.db"], "statement": ["pool.yaml", "crab.food"]}
ARGUMENTS |= {
    "sweep": ["pool.yaml", "--dial", "crab.food.start=1..3"],
    "tune": ["pool.yaml", "--dial", "crab.food.start=1..3"],
}
VALUES = {"plays": "plays.csv", "number": "1", "played_by": "none", "spread": "sobol", "engine": "native"}


def spelled(command: str, name: str) -> tuple[list[str], str]:
    """An option of a command with some value, and its name as people write it."""
    param = next(param for param in COMMANDS[command].params if param.name == name)
    value = VALUES.get(name, "1")
    if param.param_type_name != "option":
        return [value], name.upper()
    option = max(param.opts, key=len)
    return ([option] if param.is_flag else [option, value]), option


PAIRS = [
    (command, rule.option, other)
    for command, rules in TABLE.items()
    for rule in rules
    if isinstance(rule, Apart)
    for other in rule.without
    if other != "other"  # the second number of `history` stands behind the first
]
NEEDS = [(command, rule) for command, rules in TABLE.items() for rule in rules if isinstance(rule, Needs)]


@pytest.fixture
def pool(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> Path:
    (tmp_path / "pool.yaml").write_text(GAME)
    monkeypatch.chdir(tmp_path)
    return tmp_path


@pytest.mark.parametrize("each", [6, pytest.param(1, marks=pytest.mark.night)])
def test_every_pair_that_does_not_go_together_is_refused(pool: Path, command: Command, each: int) -> None:
    for name, option, other in PAIRS[::each]:
        (one, one_is), (two, two_is) = spelled(name, option), spelled(name, other)
        told = command(name, *ARGUMENTS.get(name, ["pool.yaml"]), *one, *two)
        assert (told.returncode, told.stdout) == (2, ""), (name, option, other)
        assert one_is in told.stderr and two_is in told.stderr, told.stderr
        assert len(told.stderr.splitlines()) <= 2


def test_every_option_that_wants_another_is_refused_without_it(pool: Path, command: Command) -> None:
    for name, rule in NEEDS:
        option, is_called = spelled(name, rule.option)
        told = command(name, *ARGUMENTS.get(name, ["pool.yaml"]), *option)
        assert (told.returncode, told.stdout) == (2, ""), (name, rule)
        assert f"{is_called} wants " in told.stderr


@pytest.mark.parametrize(
    "line",
    [
        "run pool.yaml --from 1 --to 2 --only crab",
        "study pool.yaml --exact --states 1000 --seconds 20",
        "study pool.yaml --per level --account crab.food --runs 20",
        "study pool.yaml --runs 20 --sure 0.9 --seed 4",
        "audit pool.yaml --runs 0 --all",
    ],
)
def test_what_goes_together_is_not(pool: Path, command: Command, line: str) -> None:
    told = command(*line.split())
    assert "does not go with" not in told.stderr and " wants " not in told.stderr, told.stderr


def test_what_has_no_effect_on_what_is_played_is_told(pool: Path, command: Command) -> None:
    told = command("study", "pool.yaml", "--exact", "--runs", "20", "--seed", "3")
    assert told.returncode == 0 and "exact, from all its 3 states" in told.stdout
    assert "--runs has no effect with --exact" in told.stderr and "--seed has no effect" in told.stderr
    assert any(isinstance(rule, Idle) for rule in TABLE["study"])


def test_the_table_names_parameters_that_are_there() -> None:
    for name, rules in TABLE.items():
        there = {param.name for param in COMMANDS[name].params}
        for rule in rules:
            others = rule.others if isinstance(rule, Needs) else rule.without
            assert {rule.option, *others} <= there, (name, rule)
