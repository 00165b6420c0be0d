"""What builds do with games: the workflow of the how-to, the hook for commits."""

from __future__ import annotations

import json
import re
import shlex
from pathlib import Path

import pytest
from conftest import Command
from ruamel.yaml import YAML

import mint_ledger as mint
from mint_ledger.cli import exits

ROOT = Path(__file__).parent.parent
DEMO = mint.demo_path().read_text("utf-8")
PAGE = (ROOT / "docs" / "how-to" / "in-a-build.md").read_text("utf-8")
BROKEN = "title: X\nstats: {a: {start: b}}\n"


def steps() -> list[str]:
    """The commands of the workflow that are ours."""
    workflow = next(block for block in re.findall(r"```yaml\n(.*?)```", PAGE, re.DOTALL) if "runs-on" in block)
    jobs = YAML(typ="safe").load(workflow)["jobs"]
    return [
        step["run"]
        for job in jobs.values()
        for step in job["steps"]
        if str(step.get("run", "")).startswith("mint-ledger ")
    ]


@pytest.mark.slow
def test_the_workflow_of_the_how_to_passes_on_a_good_game(command: Command, tmp_path: Path) -> None:
    (tmp_path / "game.yaml").write_text(DEMO, "utf-8")
    assert len(steps()) == 3
    for step in steps():
        done = command(*shlex.split(step)[1:])
        assert done.returncode == 0, f"{step}: {done.stdout}{done.stderr}"
    assert (tmp_path / "results.xml").read_text("utf-8").startswith("<?xml")
    assert json.loads((tmp_path / "findings.sarif").read_text("utf-8"))["version"] == "2.1.0"


def test_the_workflow_of_the_how_to_fails_on_a_broken_game(command: Command, tmp_path: Path) -> None:
    (tmp_path / "game.yaml").write_text(BROKEN, "utf-8")
    for step in steps():
        assert command(*shlex.split(step)[1:]).returncode == exits.UNUSABLE


def test_check_takes_several_files_and_its_code_is_the_worst(command: Command, tmp_path: Path) -> None:
    (tmp_path / "good.yaml").write_text("title: Good\nclock: {limit: 1}\n", "utf-8")
    (tmp_path / "short.yaml").write_text(
        "title: Short\nclock: {limit: 1}\nstats: {a: 1}\n"
        "playtests: {wrong: {script: [], expect: [{at: 0, that: a == 2}]}}\n",
        "utf-8",
    )
    (tmp_path / "bad.yaml").write_text(BROKEN, "utf-8")
    assert command("check", "good.yaml", "good.yaml").returncode == 0
    fell_short = command("check", "good.yaml", "short.yaml", "--json")
    assert fell_short.returncode == exits.FELL_SHORT
    assert [one["title"] for one in json.loads(fell_short.stdout)["games"]] == ["Good", "Short"]
    both = command("check", "bad.yaml", "short.yaml", "good.yaml")
    assert both.returncode == exits.UNUSABLE
    assert "bad.yaml:2:" in both.stderr and "FAILED  wrong" in both.stdout and "Good can be played" in both.stdout
    refused = command("check", "good.yaml", "short.yaml", "--junit", "x.xml")
    assert refused.returncode == exits.UNUSABLE and not (tmp_path / "x.xml").exists()


def test_the_hook_for_commits_checks_game_files_alone(command: Command, tmp_path: Path) -> None:
    [hook] = YAML(typ="safe").load((ROOT / ".pre-commit-hooks.yaml").read_text("utf-8"))
    takes = re.compile(hook["files"])
    assert takes.search("games/wall.mint.yaml") and takes.search("wall.mint.yml")
    assert not takes.search("wall.yaml") and not takes.search("mint.yaml.txt")
    (tmp_path / "wall.mint.yaml").write_text("title: Wall\nclock: {limit: 1}\n", "utf-8")
    done = command(*shlex.split(hook["entry"])[1:], "wall.mint.yaml")
    assert done.returncode == 0 and "Wall can be played" in done.stdout
