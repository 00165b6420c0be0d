"""What the README shows is what comes out."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from conftest import Command

README = (Path(__file__).parent.parent / "README.md").read_text("utf-8")
ROOT = Path(__file__).parent.parent


def block(language: str, number: int = 0) -> str:
    return re.findall(rf"```{language}\n(.*?)```", README, re.DOTALL)[number]


def shown_after(text: str) -> str:
    return re.search(re.escape(text) + r".*?```\n(.*?)```", README, re.DOTALL)[1]  # type: ignore[index]


@pytest.fixture
def orchard(tmp_path: Path) -> Path:
    path = tmp_path / "orchard.yaml"
    path.write_text(block("yaml"), "utf-8")
    return path


def test_the_story_statement_and_study_are_as_shown(command: Command, orchard: Path) -> None:
    story = command("run", orchard.name).stdout
    assert shown_after("shows one run as a story (of a long run the highlights; `--full` shows all of it):") in story
    statement = command("statement", orchard.name, "gardener.health").stdout
    assert shown_after("is one account, like a bank's:") == statement
    study = command("study", orchard.name, "--runs", 200).stdout
    for line in shown_after("plays it 200 times:").splitlines():
        assert line in study


def test_a_broken_file_says_what_is_shown(command: Command, orchard: Path) -> None:
    orchard.write_text(block("yaml").replace("after: 3", "aftr: 3"), "utf-8")
    assert command("check", orchard.name).stderr == shown_after("all in one go:")


def test_the_ten_lines_of_python_run(orchard: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.chdir(orchard.parent)
    exec(compile(block("python"), "README.md", "exec"), {})
    assert (orchard.parent / "run.png").stat().st_size > 10_000


def test_every_link_and_picture_exists() -> None:
    for target in re.findall(r"\]\(([^)#]+)\)", README):
        assert (ROOT / target).exists(), target
    shots = {path.name for path in (ROOT / "docs" / "screenshots").glob("*.png")}
    assert shots == {Path(t).name for t in re.findall(r"\((docs/screenshots/[^)]+)\)", README)}


def test_the_game_file_page_names_every_key_of_the_models() -> None:
    from mint_ledger.client import Game
    from mint_ledger.game.action import Action
    from mint_ledger.game.attack import Attack, WhenHit
    from mint_ledger.game.habit import Habit
    from mint_ledger.game.kind import Kind
    from mint_ledger.game.level import Level
    from mint_ledger.game.parts import Part
    from mint_ledger.game.rule import WHEN_KEYS
    from mint_ledger.game.stat import Flow, Stat
    from mint_ledger.game.status import Status

    page = (ROOT / "docs" / "game-file.md").read_text("utf-8")
    models: list[type[Part]] = [Game, Kind, Stat, Flow, Attack, WhenHit, Action, Status, Habit, Level]
    for model in models:
        for name, field in model.model_fields.items():
            key = field.alias or name
            assert re.search(rf"\b{key}\b", page), (model.__name__, key)
    for key in WHEN_KEYS:
        assert re.search(rf"\b{key}\b", page), key
