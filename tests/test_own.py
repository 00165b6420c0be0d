"""Measures and checks that other packages add: the worked example, and packages that fail."""

from __future__ import annotations

import json
import os
import shutil
import tomllib
from pathlib import Path

import numpy as np
import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.cli import exits

EXAMPLE = Path(__file__).parent.parent / "examples" / "own_measures"
GAME = """
title: Pier
clock: {limit: 8, step: 1}
kinds: {gull: {stats: {health: {start: 20, min: 0}}}}
rules: [{when: {every: 1}, do: [{if: chance(0.5), do: [gull.health -= 4]}]}]
endings: {spent: {result: lose, if: gull.health <= 0}, sound: {result: win, if: time >= 6}}
"""
BROKEN = """
import mint_ledger as mint
def fail(table): raise KeyError("no such\\ncolumn")
def short(table): return [1.0]
failing = mint.OwnMeasure(fail)
short = mint.OwnMeasure(short)
nothing = mint.OwnMeasure(lambda table: [float("nan")] * len(table))
thing = 7
def find(subject):
    raise RuntimeError("boom")
    yield
check = mint.Check("X900", "own-boom", "own", "Boom", "It fails.", "Fix it.", find)
forged = mint.Check("L101", "own-forged", "own", "Forged", "It has a code of ours.", "Rename it.", find)
"""


def installed(folder: Path, source: Path | str, name: str, points: dict[str, dict[str, str]]) -> dict[str, str]:
    """A package as an installer leaves it, and the environment that finds it."""
    site = folder / f"site_{name}"
    if isinstance(source, Path):
        shutil.copytree(source, site / source.name)
    else:
        site.mkdir()
        (site / f"{name}.py").write_text(source, "utf-8")
    info = site / f"{name}-1.0.dist-info"
    info.mkdir()
    (info / "METADATA").write_text(f"Metadata-Version: 2.1\nName: {name.replace('_', '-')}\nVersion: 1.0\n", "utf-8")
    lines = [
        line
        for group, entries in points.items()
        for line in (f"[{group}]", *(f"{key} = {value}" for key, value in entries.items()))
    ]
    (info / "entry_points.txt").write_text("\n".join(lines) + "\n", "utf-8")
    (folder / "pier.yaml").write_text(GAME, "utf-8")
    return {"PYTHONPATH": os.pathsep.join(filter(None, (str(site), os.environ.get("PYTHONPATH"))))}


@pytest.fixture
def harbour(tmp_path: Path) -> dict[str, str]:
    project = tomllib.loads((EXAMPLE / "pyproject.toml").read_text("utf-8"))["project"]
    return installed(tmp_path, EXAMPLE / "harbour_tools", "harbour_tools", project["entry-points"])


def test_a_measure_of_the_table_of_runs(command: Command, harbour: dict[str, str]) -> None:
    done = command("study", "pier.yaml", "--own", "late_win", "--runs", "80", "--json", env=harbour)
    told = json.loads(done.stdout)
    table = mint.loads(GAME).study(80).measures
    assert told["with"] == int((table["result"] == "win").sum())
    assert told["measure"] == "late_win (own, by harbour-tools)"


def test_a_measure_of_journals(command: Command, harbour: dict[str, str]) -> None:
    done = command("study", "pier.yaml", "--own", "close_calls", "--runs", "60", "--json", env=harbour)
    told = {part["from"]: part["runs"] for part in json.loads(done.stdout)["bins"]}
    # 20, 16, 12, 8: it is a close call once the third has hit, unless the fifth of the first six has too.
    game, counted = mint.loads(GAME), []
    for k in range(60):
        after = game.run(run=k).journal.query("what == 'posting' and stat == 'health'")["after"]
        counted.append(int(((after < 10) & (after > 0) & (after.shift(fill_value=20) >= 10)).sum()))
    assert told == {float(value): counted.count(value) for value in set(counted)}
    assert len(set(counted)) == 2
    assert (
        "outside the engines" in command("study", "pier.yaml", "--own", "close_calls", "--runs", 60, env=harbour).stdout
    )


def test_a_check_is_made_beside_all_others(command: Command, harbour: dict[str, str]) -> None:
    told = json.loads(command("audit", "pier.yaml", "--runs", "0", "--json", env=harbour).stdout)
    [found] = [one for one in told["findings"] if one["code"] == "X101"]
    assert (found["name"], found["grade"], found["line"]) == ("kind-without-about", "note", 4)
    only = command("audit", "pier.yaml", "--only", "kind-without-about", "--all", env=harbour)
    assert "gull does not say what it is" in only.stdout


def test_names_that_nobody_adds_are_told(command: Command, harbour: dict[str, str], tmp_path: Path) -> None:
    near = command("study", "pier.yaml", "--own", "close_call", env=harbour)
    assert near.returncode == exits.UNUSABLE and "did you mean 'close_calls'?" in near.stderr
    none = command("study", "pier.yaml", "--own", "close_calls")
    assert none.returncode == exits.UNUSABLE and "no package that is installed adds any" in none.stderr
    many = command("study", "pier.yaml", "--own", "close_calls", "--runs", 3000, env=harbour)
    assert many.returncode == exits.UNUSABLE and "2,000 runs at most" in many.stderr


@pytest.mark.slow
def test_what_fails_in_a_package_is_told_with_its_name_and_ends_nothing_else(command: Command, tmp_path: Path) -> None:
    names = {"failing": "failing", "short": "short", "nothing": "nothing", "thing": "thing", "lost": "nowhere"}
    checks = {"boom": "badly:check", "forged": "badly:forged"}
    points = {
        "mint_ledger.measures": {name: f"badly:{value}" for name, value in names.items()},
        "mint_ledger.checks": checks,
    }
    env = installed(tmp_path, BROKEN, "badly", points)
    for name, words in {
        "failing": "the measure 'failing' of the package badly failed: KeyError: 'no such\\ncolumn'",
        "short": "gives (1,) numbers and not one for each of 20 runs",
        "nothing": "no run has nothing, so there is nothing to tell of it",
        "thing": "'thing' of the package badly is no mint_ledger.OwnMeasure",
        "lost": "of the package badly cannot be loaded: AttributeError",
    }.items():
        done = command("study", "pier.yaml", "--own", name, "--runs", 20, env=env)
        assert done.returncode == exits.UNUSABLE and words in done.stderr, done.stderr
    audited = json.loads(command("audit", "pier.yaml", "--runs", "0", "--json", env=env).stdout)
    assert any("own-boom (the package badly failed: RuntimeError: boom)" in text for text in audited["unlooked"])
    assert any(text.startswith("forged (of the package badly") for text in audited["unlooked"])
    assert command("check", "pier.yaml", env=env).returncode == 0


def test_own_measures_are_calls(monkeypatch: pytest.MonkeyPatch) -> None:
    from mint_ledger import own
    from mint_ledger.studies import own_measure

    added = (own.Own("twice", "here", mint.OwnMeasure(lambda runs: 2 * runs["time"], unit="s")),)
    monkeypatch.setattr(own_measure, "own_parts", lambda _: added)
    game = mint.loads(GAME)
    shape = game.own_shape("twice", 50, seed=4)
    assert np.array_equal(shape.values, 2 * game.study(50, seed=4).measures["time"].to_numpy())
    assert (shape.unit, shape.runs, shape.seed) == ("s", 50, 4)
