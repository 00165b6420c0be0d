"""What commands print with `--json`: of other games than the schemas in docs were made of; and where it comes from."""

from __future__ import annotations

import hashlib
import json
import shutil
from pathlib import Path
from types import ModuleType
from typing import Any

import pytest
from conftest import Command, docs_script
from jsonschema import Draft202012Validator

import mint_ledger as mint

ROOT = Path(__file__).parent.parent
SCHEMAS = ROOT / "docs" / "schemas"
QUICK = [
    "check cellar_siege.yaml",
    "check glasshouse_nights.yaml",
    "run ferry_toll.yaml",
    "run saltmere.yaml --variant calm --habit careful",
    "statement orchard_dusk.yaml --all",
    "study glasshouse_nights.yaml --runs 60",
    "targets glasshouse_nights.yaml --runs 60",
]
SLOW = [
    "audit cellar_siege.yaml --runs 3",
    "audit ferry_toll.yaml --runs 3",
    "study ferry_toll.yaml --runs 80",
    "study cellar_siege.yaml --runs 60 --ends",
    "study saltmere.yaml --runs 60 --per visit",
    "study glasshouse_nights.yaml --runs 60 --attacks",
    "study orchard_dusk.yaml --runs 60 --ends",
    "study orchard_dusk.yaml --runs 60 --shape time",
    "matchup cellar_siege.yaml",
    "matchup orchard_dusk.yaml",
    "compare orchard_dusk.yaml orchard_dusk.yaml --runs 60",
    "sensitivity orchard_dusk.yaml --runs 40",
    "players saltmere.yaml plays.csv --mix careful --mix reckless --seed 2",
    "players saltmere.yaml plays.csv --like reckless --fit reckless.slips=0..0.5 --seed 2",
    "tune glasshouse_nights.yaml --dial gardener.tool=rake,shears --dial snail.bite=2..5 --want 0.1..0.9 --runs 60",
]


@pytest.fixture(scope="module")
def making() -> ModuleType:
    return docs_script("make_schemas")


@pytest.fixture
def games(tmp_path: Path, making: ModuleType) -> Path:
    making.folder_of_games(tmp_path)
    return tmp_path


def faults(name: str, content: Any) -> list[str]:
    schema = json.loads((SCHEMAS / f"{name}.json").read_text("utf-8"))
    Draft202012Validator.check_schema(schema)
    return [f"{list(error.path)}: {error.message[:300]}" for error in Draft202012Validator(schema).iter_errors(content)]


def fits(making: ModuleType, games: Path, line: str) -> None:
    content = making.printed(line, games)
    assert faults(making.schema_name(line), content) == []
    origin = content["origin"]
    assert origin["schema"] == 2 and origin["command"] == line.split(maxsplit=1)[0]
    file = line.split()[1]
    assert origin["games"][0]["file"] == file
    # The hash is that of the text, so that it can be had without us.
    text = mint.load(games / file).to_yaml()
    assert origin["games"][0]["sha256"] == hashlib.sha256(text.encode("utf-8")).hexdigest()
    assert origin["versions"]["mint-ledger"] == mint.__version__


@pytest.mark.parametrize("line", QUICK)
def test_what_is_printed_fits_its_schema(making: ModuleType, games: Path, line: str) -> None:
    fits(making, games, line)


@pytest.mark.slow
@pytest.mark.parametrize("line", SLOW)
def test_what_else_is_printed_fits_its_schema(making: ModuleType, games: Path, line: str) -> None:
    fits(making, games, line)


def test_a_script_is_told_as_the_schemas_say(making: ModuleType, games: Path) -> None:
    (games / "storm.yaml").write_text("- {at: 3, set: keeper.oil = 20}\n", "utf-8")
    for line in ("targets", "compare --with crab.bite=9", "sweep --dial crab.bite=9,10"):
        name, *more = line.split()
        asked = " ".join([name, "saltmere.yaml", *more, "--script storm.yaml --runs 40 --variant calm"])
        content = making.printed(asked, games)
        assert faults(name, content) == []
        assert (content["origin"]["script"], content["origin"]["variant"]) == ("storm.yaml", "calm")


def test_a_schema_refuses_what_it_does_not_describe(making: ModuleType, games: Path) -> None:
    content = making.printed("targets glasshouse_nights.yaml --runs 60", games)
    content["targets"][0]["extra"] = 1
    assert faults("targets", content)
    del content["targets"][0]["extra"], content["targets"][0]["verdict"]
    assert faults("targets", content)


def test_the_origin_is_what_was_asked(command: Command, tmp_path: Path) -> None:
    shutil.copy(mint.demo_path(), tmp_path / "night.yaml")
    words = ["study", "night.yaml", "--runs", "30", "--seed", "9", "--habit", "careful", "--variant", "calm"]
    origin = json.loads(command(*words, "--set", "crab.health=9", "--set", "*.bite=x0.5", "--json").stdout)["origin"]
    text = (tmp_path / "night.yaml").read_bytes()
    assert origin["games"] == [
        {"file": "night.yaml", "title": "Saltmere Light", "sha256": hashlib.sha256(text).hexdigest()}
    ]
    asked = {key: origin[key] for key in ("seed", "runs", "habit", "variant", "dials", "engine")}
    assert asked == {
        "seed": 9,
        "runs": 30,
        "habit": "careful",
        "variant": "calm",
        "dials": {"crab.health": 9, "*.bite": "x0.5"},
        "engine": "auto",
    }


def test_every_key_of_every_schema_has_its_words(making: ModuleType) -> None:
    known, _ = making.glossary()
    for path in SCHEMAS.glob("*.json"):
        stack = [json.loads(path.read_text("utf-8"))]
        while stack:
            node = stack.pop()
            for key, inner in node.get("properties", {}).items():
                assert inner["description"] == known[key], f"{path.name}: {key}"
            stack += [*node.get("properties", {}).values(), *node.get("anyOf", ())]
            stack += [node[key] for key in ("items", "additionalProperties") if isinstance(node.get(key), dict)]
