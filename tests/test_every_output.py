"""One game whose every name is hostile, on every output there is."""

from __future__ import annotations

import csv
import json
import re
import xml.etree.ElementTree as ET
from pathlib import Path

import pytest
from conftest import Command

import mint_ledger as mint

# What steers terminals, turns a line's direction, ends lines where nobody looks, is no character at all, is no XML.
EVIL = "\x1b[31m\u202e\u2028\x07\ufffe<b>&'\"=\x9b"
SAFE = re.compile(r"[\x00-\x08\x0b-\x1f\x7f-\x9f\u061c\u200e\u200f\u2028-\u202e\u2066-\u2069\ufffe\uffff]")


def name(word: str) -> str:
    return json.dumps(f"{word} {EVIL}")


GAME = f"""
title: {name("Kiln")}
about: {name("about")}
clock: {{unit: turn, limit: 9}}
numbers: {{odds: 0.4}}
kinds:
  potter:
    side: a
    label: {name("potter")}
    stats:
      heat: {{start: 3, min: 0, max: 20, label: {name("heat")}, bands: {{{name("hot")}: 5..20}}}}
      health: {{start: 6, min: 0}}
      clay: {{start: 2, min: 0}}
  goat: {{side: b, label: {name("goat")}, stats: {{health: {{start: 4, min: 0}}}}, gone_if: health <= 0}}
attacks:
  butts: {{from: goat, to: potter, when: {{every: 2}}, lands: 0.5, damage: 1, type: {name("type")}}}
  shoos: {{from: potter, to: goat, when: {{every: 3}}, damage: 1}}
actions: {{stoke: {{by: potter, costs: {{clay: 1}}, do: [heat += 2]}}}}
rules:
  - {{name: {name("burns")}, when: {{every: 1}}, chance: odds, do: [potter.heat += 1, {{tell: {name("so")}}}]}}
endings: {{{name("glows")}: {{result: win, if: potter.heat >= 9}}, cold: {{result: lose, if: potter.health <= 0}}}}
habits: {{steady: {{by: potter, reaction: 1, acts: [{{do: stoke}}]}}, idle: {{by: potter, reaction: 1, acts: []}}}}
variants: {{hot: {{potter.heat: 5}}}}
measures: {{left: closing(potter.health)}}
targets: [{{name: {name("fair")}, measure: rate(win), want: 0.2..0.9}}]
playtests: {{{name("try")}: {{script: [{{at: 3, set: potter.heat = 4}}], expect: [{{at: 3, that: potter.heat >= 0}}]}}}}
readout: [{name("now")}]
"""

TEXTS = [
    "check", "check --order", "run", "run --only potter", "statement potter.heat", "why potter.heat",
    "audit --runs 3", "study --runs 60", "study --runs 60 --ends", "study --runs 60 --attacks",
    "study --runs 60 --income potter.clay", "study --runs 60 --per potter.heat", "study --exact",
    "study --runs 60 --each habit", "study --runs 60 --shape left", "study --runs 60 --worst time", "targets --runs 60",
    "compare --with odds=0.6 --runs 60", "compare --with odds=0.6 --runs 60 --shares", "matchup", "odds",
    "players --runs 100 --most-runs 400", "sweep --dial odds=0.2,0.6 --runs 40", "sensitivity --runs 40",
    "tune --dial 'odds=0.2..0.8 by 0.2' --want 0.2..0.9 --runs 400", "tune --dial odds=0.2,0.6 --most mean(left) --runs 60",
]  # fmt: skip
JSON = [line for line in TEXTS if line not in ("check --order", "run --only potter")]
FILES = [
    ("run", "-o", "journal.csv"), ("run", "-o", "journal.jsonl"), ("run", "--plot", "run.svg"),
    ("run", "--timeline", "timeline.svg"), ("study --runs 60", "-o", "runs.csv"), ("study --runs 60", "-o", "runs.jsonl"),
    ("study --runs 60", "--plot", "study.svg"), ("study --runs 60 --ends", "-o", "ends.csv"),
    ("study --runs 60 --ends", "--plot", "ends.svg"), ("study --runs 60 --each habit", "--plot", "grid.svg"),
    ("study --runs 60 --income potter.clay", "--plot", "income.svg"), ("statement potter.heat", "--plot", "statement.svg"),
    ("study --runs 60 --attacks", "--plot", "attacks.svg"), ("study --runs 60 --per potter.heat", "--plot", "course.svg"),
    ("compare --with odds=0.6 --runs 60", "--plot", "compare.svg"), ("sweep --dial odds=0.2,0.6 --runs 40", "--plot", "sweep.svg"),
    ("sensitivity --runs 40", "--plot", "sensitivity.svg"), ("matchup", "-o", "matchup.csv"),
    ("matchup", "--plot", "matchup.svg"),  ("check", "--junit", "check.xml"),
    ("targets --runs 60", "--plot", "targets.svg"),
    ("audit --runs 3", "--sarif", "audit.sarif"), ("tables export", "-o", "book.xlsx"), ("export", "-o", "numbers.json"),
    ("export", "-o", "numbers.csv"), ("report --runs 40", "-o", "page.html"),
]  # fmt: skip


@pytest.fixture
def kiln(tmp_path: Path) -> Path:
    (tmp_path / "kiln.yaml").write_text(GAME, "utf-8")
    return tmp_path


def asked(line: str) -> list[str]:
    import shlex

    first, *rest = shlex.split(line)
    return [first, rest.pop(0), "kiln.yaml", *rest] if first == "tables" else [first, "kiln.yaml", *rest]


def test_the_game_is_as_hostile_as_it_looks() -> None:
    game = mint.loads(GAME)
    assert EVIL in game.title and SAFE.search(game.title)


@pytest.mark.parametrize("line", TEXTS)
def test_no_text_steers_a_terminal_or_is_wider_than_it(kiln: Path, command: Command, line: str) -> None:
    told = command(*asked(line))
    assert told.returncode in (0, 1), told.stderr
    assert not SAFE.search(told.stdout + told.stderr)
    assert "Traceback" not in told.stderr and "Glyph" not in told.stderr
    assert told.stdout.strip()


@pytest.mark.parametrize("line", JSON)
def test_json_is_json_and_says_the_names_as_they_are(kiln: Path, command: Command, line: str) -> None:
    told = command(*asked(line), "--json")
    assert told.returncode in (0, 1), told.stderr
    assert not SAFE.search(told.stdout), "raw letters within strings steer a terminal too"
    json.loads(told.stdout)


@pytest.mark.parametrize(("line", "option", "file"), FILES, ids=lambda part: part if "." in part else None)
def test_files_hold_no_letter_that_steers(kiln: Path, command: Command, line: str, option: str, file: str) -> None:
    told = command(*asked(line), option, file)
    assert told.returncode in (0, 1), told.stderr
    assert "Glyph" not in told.stderr and "Traceback" not in told.stderr
    path = kiln / file
    if path.suffix == ".xlsx":
        import zipfile

        texts = [zipfile.ZipFile(path).read(part).decode("utf-8") for part in zipfile.ZipFile(path).namelist()]
    else:
        texts = [path.read_text("utf-8")]
    for text in texts:
        # Word processors and tables may end their lines with a return.
        assert not SAFE.search(text.replace("\r\n", "\n")), file
    if path.suffix in (".svg", ".xml"):
        ET.fromstring(texts[0])
    if path.suffix in (".json", ".sarif"):
        json.loads(texts[0])
    if path.suffix == ".jsonl":
        assert all(json.loads(row) for row in texts[0].splitlines())
    if path.suffix == ".csv":
        lengths = {len(row) for row in csv.reader(texts[0].splitlines())}
        assert len(lengths) == 1
