from __future__ import annotations

import re
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest
from conftest import Command, docs_script

import mint_ledger as mint

ROOT = Path(__file__).parent.parent
HOW_TOS = sorted((ROOT / "docs" / "how-to").glob("*.md"))
RUN_AGAIN = "run python docs/make_pages.py and read what has changed"


@pytest.fixture(scope="module")
def making() -> ModuleType:
    """The script that makes pages of documentation from the code."""
    return docs_script("make_pages")


@pytest.mark.parametrize("each", [12, pytest.param(1, marks=pytest.mark.slow)])
def test_the_pages_that_are_made_from_the_code_are_as_it_makes_them(making: ModuleType, each: int) -> None:
    made = dict(making.pages(each))
    for path, text in made.items():
        assert text is None or path.read_text("utf-8") == text, (
            f"{path.name} is out of date: run python docs/make_pages.py"
        )
    assert {path.name for path in (ROOT / "docs" / "findings").iterdir()} == {
        path.name for path in made if path.parent.name == "findings"
    }


@pytest.mark.slow
@pytest.mark.parametrize("name", ["tutorial.md", "three-ways.md"])
def test_a_page_that_starts_from_the_game_of_new_shows_what_its_commands_print(
    making: ModuleType, tmp_path: Path, name: str
) -> None:
    page = ROOT / "docs" / name
    assert making.replayed(page, tmp_path) == page.read_text("utf-8"), RUN_AGAIN


@pytest.mark.slow
@pytest.mark.parametrize("page", HOW_TOS, ids=lambda page: page.stem)
def test_each_how_to_shows_what_its_commands_print(making: ModuleType, tmp_path: Path, page: Path) -> None:
    text = page.read_text("utf-8")
    assert making.replayed(page, tmp_path) == text, RUN_AGAIN
    outputs = re.findall(r"^```console\n(.*?)^```", text, re.MULTILINE | re.DOTALL)
    assert outputs
    # Lines of a file in a diff, and what is said of bad input, are as long as they are.
    files = {line for path in page.parent.glob("*.yaml") for line in path.read_text("utf-8").splitlines()}
    lines = [
        line for output in outputs for line in output.splitlines() if line[:1] not in "$+-" and line[1:] not in files
    ]
    fault = re.compile(r"\S+\.yaml:\d+:\d+: |.*has more than")
    assert max(len(line) for line in lines if not fault.match(line)) <= 80


@pytest.mark.slow
def test_the_game_from_an_empty_file_ends_without_findings_and_with_a_playtest_that_passes(
    making: ModuleType, tmp_path: Path, command: Command
) -> None:
    page = ROOT / "docs" / "how-to" / "from-an-empty-file.md"
    text = page.read_text("utf-8")
    making.replayed(page, tmp_path)
    game = (tmp_path / "round.yaml").read_text("utf-8")
    saved = (tmp_path / "pecked.yaml").read_text("utf-8")
    assert saved.split() == (tmp_path / "pasted.yaml").read_text("utf-8").split()
    (tmp_path / "round.yaml").write_text(game + saved, "utf-8")
    checked = command("check", "round.yaml")
    assert checked.returncode == 0
    assert "1 of 1 passed" in checked.stdout
    mistakes = set(re.findall(r"[LTCOF]\d{3} ([a-z-]+)", text)) | set(re.findall(r"line \d+ +([a-z-]+):", text))
    assert len(mistakes) >= 4


@pytest.mark.slow
def test_the_page_of_the_commands_has_every_command_and_option(making: ModuleType) -> None:
    # Not word for word: how a help page is laid out is typer's business.
    written = (ROOT / "docs" / "commands.md").read_text("utf-8")
    made = making.commands_page()
    for pattern in (r"^## .+$", r"^ +(?:-\w, )?(--[\w-]+)"):
        assert set(re.findall(pattern, made, re.MULTILINE)) == set(re.findall(pattern, written, re.MULTILINE))


def test_an_option_is_a_switch_everywhere_or_takes_something_everywhere(making: ModuleType) -> None:
    known = making.options()
    assert len(known) > 60
    for name, commands in known.items():
        kinds = {takes == "" for takes, _ in commands.values()}
        assert len(kinds) == 1, (name, commands)
    # What they take is called the same, but where a name or a range may be left out.
    called = {name: {takes for takes, _ in commands.values()} for name, commands in known.items()}
    several = {name: names for name, names in called.items() if len(names) > 1}
    assert set(several) <= {"--dial", "--measure", "--only", "--with"}, several


@pytest.mark.parametrize("word", ["boss", "enemy", "regeneration", "DPS", "loot", "win rate", "debuff", "TTK", "bot"])
def test_who_searches_for_a_word_of_the_trade_finds_what_it_is_called_here(word: str) -> None:
    rows = (ROOT / "docs" / "glossary.md").read_text("utf-8").splitlines()
    assert any(re.search(rf"\b{word}\b", row.rpartition(" | ")[2]) for row in rows if row.startswith("| ")), word


def test_every_link_between_pages_leads_somewhere() -> None:
    for page in [ROOT / "README.md", *(ROOT / "docs").rglob("*.md")]:
        for target in re.findall(r"\]\(([^)#]+?)(?:#[^)]*)?\)", page.read_text("utf-8")):
            if "://" not in target:
                assert (page.parent / target).exists(), f"{page.name} links to {target}"


def test_the_game_of_the_cheat_sheet_plays() -> None:
    text = re.search(r"```yaml\n(.*?)```", (ROOT / "docs" / "cheat-sheet.md").read_text("utf-8"), re.DOTALL)
    assert text
    game = mint.loads(text[1])
    assert [test.passed for test in game.play_tests()] == [True]
    assert game.run(seed=1).result in ("win", "lose")


def test_the_sixty_lines_of_python_play_the_game_of_the_page() -> None:
    text = re.search(r"```python\n(.*?)```", (ROOT / "docs" / "three-ways.md").read_text("utf-8"), re.DOTALL)
    assert text
    assert text[1].count("\n") <= 65
    scope: dict[str, Any] = {"__name__": "by_hand"}
    exec(compile(text[1], "three-ways.md", "exec"), scope)
    game = mint.load(ROOT / "docs" / "how-to" / "orchard.yaml")
    for numbers, dials in (
        ({}, {}),
        ({"wasp_health": 9.6}, {"wasp.health": 9.6}),
        ({"sting": 3.7}, {"wasp.sting": 3.7}),
    ):
        here = game.study(4_000, habit="patient", dials=dials).rate("win").value
        by_hand = scope["win_rate"](4_000, **numbers)
        # Four standard errors of the difference of two shares of 4,000.
        assert abs(here - by_hand) < 4 * (2 * 0.25 / 4_000) ** 0.5, (dials, here, by_hand)
