"""What the README shows is what comes out."""

from __future__ import annotations

import re
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.patterns import game_with

README = (Path(__file__).parent.parent / "README.md").read_text("utf-8")
ROOT = Path(__file__).parent.parent


def block(language: str, number: int = 0) -> str:
    return re.findall(rf"```{language}\n(.*?)```", README, re.DOTALL)[number]


def shown_after(text: str) -> str:
    return re.search(re.escape(text) + r".*?```\n(.*?)```", README, re.DOTALL)[1]  # type: ignore[index]


@pytest.fixture
def orchard(command: Command, tmp_path: Path) -> Path:
    path = tmp_path / "orchard.yaml"
    command("new", path.name)
    return path


def test_the_lines_of_a_game_are_lines_of_the_game_that_new_writes(orchard: Path) -> None:
    lines = [line.partition("#")[0].rstrip() for line in orchard.read_text("utf-8").splitlines()]
    shown = block("yaml").splitlines()
    assert len(shown) == 8
    assert set(shown) <= set(lines)
    assert [lines.index(line) for line in shown] == sorted(lines.index(line) for line in shown)


@pytest.mark.parametrize(
    ("command_line", "said", "found"),
    [
        (0, "52 % of patient players win; you wanted 55 to 65", r"rate\(win\) is (52)\.\d % .*, target 55 to 65 %"),
        (1, "Stings, in every run that is lost", r"stings +(100)\.0 %"),
        (2, "52 → 13 %", r"wins % +(52)\.\d+ +1[23]\.\d+"),
    ],
)
def test_the_three_questions_have_the_answers_that_are_shown(
    command: Command, orchard: Path, command_line: int, said: str, found: str
) -> None:
    assert said in README
    line = block("console", command_line).strip()
    answer = command(*line.removeprefix("$ mint-ledger ").split()).stdout
    assert re.search(found, answer), answer


def test_no_answer_of_the_readme_is_far_from_the_true_value() -> None:
    # 40,000 runs of another seed: a standard error of a quarter of a point.
    game = mint.loads(game_with([]))
    for dials, shown in (({}, 52), ({"wasp.health": 9.6}, 13)):
        assert abs(100 * game.study(40_000, seed=5, habit="patient", dials=dials).rate("win").value - shown) < 1


def test_a_broken_file_says_what_is_shown(command: Command, orchard: Path) -> None:
    text = orchard.read_text("utf-8").partition("\n")[2]
    orchard.write_text(text.replace("after: 1", "aftr: 1"), "utf-8")
    assert command("check", orchard.name).stderr == shown_after("all in one go:")


def test_the_lines_of_python_run(orchard: Path, monkeypatch: pytest.MonkeyPatch) -> None:
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
