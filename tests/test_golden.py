"""What every command shows of the demo and the examples, as it was shown before: a change is made on purpose.

    python tests/test_golden.py [compare …]

writes the files again, or those of some commands; `git diff tests/golden` is then what has changed. Texts of 80 letters a line are kept whole. Of other
widths, of JSON and of data a digest is kept, in `digests.json`: they hold the same numbers.
"""

from __future__ import annotations

import hashlib
import json
import re
import shlex
import sys
from pathlib import Path
from typing import Any

import pytest
from conftest import on_terminal, run_command

import mint_ledger as mint

GOLDEN = Path(__file__).parent / "golden"
DIGESTS = GOLDEN / "digests.json"
GAMES = {path.stem: path for path in (mint.demo_path(), *(Path(__file__).parent.parent / "examples").glob("*.yaml"))}
DEMO = [
    "check saltmere", "check saltmere --order", "statement saltmere keeper.health", "why saltmere keeper.health",
    "run saltmere --habit careful --to 12", "study saltmere --runs 200 --habit careful",
    "study saltmere --runs 100 --habit careful --account keeper.health", "study saltmere --runs 100 --ends",
    "study saltmere --runs 100 --per level", "study saltmere --runs 100 --attacks",
    "study saltmere --runs 100 --income keeper.oil", "study saltmere --runs 100 --shape time",
    "study saltmere --runs 60 --each habit", "study saltmere --runs 100 --worst time", "matchup saltmere", "odds saltmere",
    "compare saltmere --with crab.bite=x1.2 --runs 200", "compare saltmere --with crab.bite=9 --with bosun.health=60 --shares --runs 60",
    "targets saltmere --runs 200", "sweep saltmere --dial crab.bite=8,12 --runs 60", "audit saltmere --quick",
    "tune saltmere --dial crab.bite=4..16 --want 0.5..0.6 --habit careful --runs 400",
    "tune saltmere --dial crab.bite=4,8,12 --most rate(win) --habit careful --runs 100",
    "sensitivity saltmere --dial crab.bite --dial bosun.health --runs 60",
    "export saltmere",
]  # fmt: skip
OTHERS = [
    *(f"check {name}" for name in GAMES if name != "saltmere"),
    *(f"study {name} --runs 100" for name in GAMES if name != "saltmere"),
    "study kite_race --exact", "study ferry_toll --runs 60 --ends", "odds orchard_dusk", "matchup cellar_siege",
    "audit kite_race --quick", "statement ferry_toll --all",
]  # fmt: skip
COMMANDS = [*DEMO, *OTHERS]
# What takes longest is held against its files with the slow tests.
LONG = ("tune", "sensitivity", "audit", "sweep")
TEXTS = [pytest.param(line, marks=pytest.mark.slow) if line.startswith(LONG) else line for line in COMMANDS]
WITHOUT_JSON = ("--order", "export")


def words(line: str) -> list[str]:
    return [str(GAMES[word].name) if word in GAMES else word for word in shlex.split(line)]


def folder_of(line: str) -> Path:
    return next(GAMES[word].parent for word in shlex.split(line) if word in GAMES)


def file_of(line: str) -> Path:
    return GOLDEN / f"{re.sub(r'[^a-z0-9.]+', '-', line.lower()).strip('-')}.txt"


def text_of(line: str) -> str:
    """What a command writes into a pipe: lines of 80 letters, without progress."""
    done = run_command(*words(line), cwd=folder_of(line))
    assert done.returncode in (0, 1), done.stderr
    return f"$ mint-ledger {line}\n{done.stdout}"


def digests_of(line: str) -> dict[str, str]:
    """Digests of the same on narrow and wide terminals, and as JSON."""
    made = {}
    for columns in (60, 120) if not line.startswith("export") else ():
        shown = on_terminal(*words(line), "--quiet", columns=columns, cwd=folder_of(line), NO_COLOR="1")
        lines = re.split("[\r\n]+", re.sub(r"\x1b\[[0-9;?]*[A-Za-z]", "", shown))
        assert max(map(len, lines)) <= columns, (line, columns)
        made[f"{columns} columns"] = digest("\n".join(lines))
    if not any(word in line for word in WITHOUT_JSON):
        content = json.loads(run_command(*words(line), "--json", cwd=folder_of(line)).stdout)
        # Versions and paths are those of a machine.
        content.pop("origin", None)
        made["json"] = digest(json.dumps(rounded(content), sort_keys=True))
    return made


def rounded(value: Any) -> Any:
    """The same with nine digits of each number: the last bits of an interval are the processor's."""
    if isinstance(value, float):
        return float(f"{value:.9g}")
    if isinstance(value, dict):
        return {key: rounded(item) for key, item in value.items()}
    return [rounded(item) for item in value] if isinstance(value, list) else value


def digest(text: str) -> str:
    return hashlib.sha256(text.encode()).hexdigest()[:16]


@pytest.mark.parametrize("line", TEXTS)
def test_a_command_shows_what_it_showed(line: str) -> None:
    assert text_of(line) == file_of(line).read_text("utf-8"), "python tests/test_golden.py writes them again"


@pytest.mark.night
@pytest.mark.parametrize("line", COMMANDS)
def test_other_widths_and_json_are_as_they_were(line: str) -> None:
    assert digests_of(line) == json.loads(DIGESTS.read_text("utf-8"))[line]


def test_every_file_is_of_a_command() -> None:
    assert {path.name for path in GOLDEN.glob("*.txt")} == {file_of(line).name for line in COMMANDS}
    assert list(json.loads(DIGESTS.read_text("utf-8"))) == COMMANDS


def make(only: list[str]) -> None:
    """Write all files again, or those of some commands."""
    GOLDEN.mkdir(exist_ok=True)
    for path in {*GOLDEN.glob("*.txt")} - {file_of(line) for line in COMMANDS}:
        path.unlink()
    known = json.loads(DIGESTS.read_text("utf-8")) if DIGESTS.exists() else {}
    digests = {}
    for line in COMMANDS:
        if only and line in known and line.split()[0] not in only:
            digests[line] = known[line]
            continue
        print(line, file=sys.stderr)
        file_of(line).write_text(text_of(line), "utf-8")
        digests[line] = digests_of(line)
    DIGESTS.write_text(json.dumps(digests, indent=1) + "\n", "utf-8")


if __name__ == "__main__":
    make(sys.argv[1:])
