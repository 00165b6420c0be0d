"""Makes the JSON Schemas of what commands print with `--json`, from what they print of several games.

    python docs/make_schemas.py

A key that the glossary knows is a key of ours; whatever else stands as a key is a name of the game. Numbers may be null,
where they are infinite or not known.
"""

from __future__ import annotations

import json
import shlex
import shutil
import subprocess
import sys
import tempfile
from pathlib import Path
from typing import Any

import mint_ledger as mint

DOCS = Path(__file__).parent
SCHEMAS = DOCS / "schemas"
GLOSSARY = DOCS / "schemas" / "glossary.txt"
DIALECT = "https://json-schema.org/draft/2020-12/schema"
# Each command in all that changes what its JSON holds; in a folder with the games of the how-tos and examples.
COMMANDS = """
check saltmere.yaml
check saltmere.yaml orchard.yaml
run saltmere.yaml --habit careful
run orchard.yaml
statement saltmere.yaml keeper.health --habit careful
statement saltmere.yaml keeper.health --habit careful --by-level
statement orchard.yaml --all
statement saltmere.yaml keeper.health --habit careful --compare seed=2
why saltmere.yaml keeper.health --habit careful
why orchard.yaml gardener.health
audit orchard.yaml --runs 5
audit saltmere.yaml --quick
study saltmere.yaml --runs 200 --habit careful --measure closing(keeper.health)
study saltmere.yaml --runs 200 --habit careful --worst closing(keeper.health)
study kite_race.yaml --runs 100
study kite_race.yaml --exact --seconds 5
study saltmere.yaml --runs 100 --habit careful --ends
study saltmere.yaml --runs 100 --habit careful --per level
study saltmere.yaml --runs 100 --habit careful --attacks
study saltmere.yaml --runs 100 --habit careful --income keeper.oil
study saltmere.yaml --runs 100 --habit careful --shape closing(keeper.health)
study saltmere.yaml --runs 60 --each habit --each variant
study saltmere.yaml --runs 60 --each habit
study saltmere.yaml --runs 60 --each habit --each crab.bite=4,8
study saltmere.yaml --runs 60 --habit careful --store s.sqlite
study saltmere.yaml --runs 60 --habit reckless --store s.sqlite
history s.sqlite
history s.sqlite 1
history s.sqlite 1 --compare 2
history s.sqlite --verify
targets saltmere.yaml --runs 100
sweep saltmere.yaml --dial crab.bite=8,12 --runs 60 --habit careful
compare saltmere.yaml --habit careful --with crab.bite=15 --runs 100
compare orchard.yaml orchard.yaml --runs 60
compare saltmere.yaml --habit careful --with crab.bite=15 --runs 100 --shape closing(keeper.health)
compare saltmere.yaml --habit careful --with crab.bite=15 --with crab.health=30 --runs 100 --shares
tune saltmere.yaml --dial crab.bite=4..20 --want 0.6..0.7 --habit careful --runs 400
tune saltmere.yaml --dial crab.bite=4..20 --dial crab.health=10..40 --want 0.6..0.7 --habit careful --runs 400 --seconds 20
tune saltmere.yaml --dial crab.bite=4..20 --most rate(win) --habit careful --runs 400
tune saltmere.yaml --dial crab.bite=4..20 --habits --want careful=0.6..0.7 --want reckless=0.2..0.3 --runs 200 --seconds 20
tune glasshouse_nights.yaml --dial gardener.tool=trowel,rake --dial snail.bite=2..6 --want 0.4..0.6 --runs 100 --seconds 10
sensitivity saltmere.yaml --habit careful --runs 100 --dial crab.bite --dial crab.health
sensitivity saltmere.yaml --habit careful --runs 20 --sobol 4 --dial crab.bite=8..16 --dial crab.health=15..30
matchup saltmere.yaml
matchup saltmere.yaml --dial crab.health=10..40
odds lots.yaml
players saltmere.yaml plays.csv --like careful --runs 300
players saltmere.yaml plays.csv --like reckless --fit reckless.reaction=0.2..0.8 --runs 300
players saltmere.yaml plays.csv --like reckless --fit reckless.reaction=0.2..0.8 --with crab.bite=9 --anyway --runs 300
players saltmere.yaml plays.csv --mix careful --mix reckless --runs 300
players orchard.yaml --like patient --runs 200 --most-runs 4000 --seconds 10
players orchard.yaml --like patient --runs 200 --most-runs 4000 --seconds 10 --skill
tables import saltmere.yaml book
"""
LOTS = """
title: Chest
clock: {unit: turn, limit: 5}
kinds: {hero: {stats: {luck: 3, blade: 0}}}
lots: {drop: {of: {blade: {weight: 3, sure_by: 5, do: [hero.blade += 1]}, nothing: 37}}}
rules: [{name: open, when: {every: 1}, do: [{lot: drop}]}]
"""


# Records in which names of the game stand beside keys of ours.
OPEN = ("cells", "worst", "points")
# What may hold all that a file may hold.
FREE = ("found",)
# What has one of these is a record, also where names of the game may stand.
MARKS = {"value", "name", "account", "title", "cause", "run", "measure", "dials", "from", "begin", "attack"}


def glossary() -> tuple[dict[str, str], set[str]]:
    """What each key of ours means, and those whose keys are names of the game."""
    lines = [line for line in GLOSSARY.read_text("utf-8").splitlines() if line and not line.startswith("#")]
    pairs = [line.split(" | ", 1) for line in lines]
    return {key.rstrip("*"): text for key, text in pairs}, {key[:-1] for key, _ in pairs if key.endswith("*")}


def folder_of_games(folder: Path) -> None:
    """The games that the commands read."""
    for games in (DOCS / "how-to", DOCS.parent / "examples"):
        for game in (*games.glob("*.yaml"), *games.glob("*.csv")):
            shutil.copy(game, folder)
    shutil.copy(mint.demo_path(), folder / "saltmere.yaml")
    shutil.copy(mint.demo_path().parent / "plays.csv", folder / "plays.csv")
    (folder / "lots.yaml").write_text(LOTS, "utf-8")
    mint.load(folder / "saltmere.yaml").with_dials({"crab.bite": 13}).write_book(folder / "book")


def printed(command: str, folder: Path) -> dict[str, Any]:
    """What a command prints as JSON."""
    words = [sys.executable, "-m", "mint_ledger", *shlex.split(command.replace("(", "\\(").replace(")", "\\)")), "--json"]
    done = subprocess.run(words, cwd=folder, capture_output=True, text=True, encoding="utf-8", check=False)
    assert done.stdout, f"{command}: {done.stderr}"
    content: dict[str, Any] = json.loads(done.stdout)
    return content


# What may be named, though it was not in any output that was looked at.
NAMES = ("habit", "variant", "script")


def schema_name(command: str) -> str:
    """Which schema a command's output has: its name, and what of its options makes another one of it."""
    words = command.split()
    name = "-".join(words[:2]) if words[0] == "tables" else words[0]
    forms = ("exact", "ends", "per", "attacks", "income", "shape", "each", "shares", "sobol", "verify", "most", "compare", "dial", "fit", "mix", "habits")
    found = [form for form in forms if f"--{form}" in words]
    if words[0] == "players" and any(word.endswith(".csv") for word in words):
        found.append("plays")
    if words[0] == "tune" and any(word.partition("=")[2][:1].isalpha() and "," in word for word in words):
        return f"{name}-words"
    if words[0] == "history" and len(words) > 2 and words[2].isdigit():
        found.insert(0, "study")
    if words[0] == "matchup" or not {"dial"} & set(found):
        pass
    elif words.count("--dial") < 2 or words[0] != "tune":
        found.remove("dial")
    else:
        found[found.index("dial")] = "several"
    return "-".join([name, *found])


def inferred(values: list[Any], words: tuple[dict[str, str], set[str]], under: str = "") -> dict[str, Any]:
    """The schema that some values have in common, which all stand under a key."""
    known, maps = words
    schemas: list[dict[str, Any]] = []
    every = [value for value in values if isinstance(value, dict)]
    if every and under in FREE:
        schemas.append({"type": "object"})
        every = []
    named_by_game = [value for value in every if under in maps and not MARKS & set(value)]
    if named_by_game:
        inner = [item for value in named_by_game for item in value.values()]
        # Names within names: the dials of each variant.
        deeper = bool(inner) and all(isinstance(item, dict) and not known.keys() & item for item in inner)
        below = {"additionalProperties": inferred(inner, words, "dials" if deeper else "")} if inner else {}
        schemas.append({"type": "object", **below})
    objects = [value for value in every if value not in named_by_game]
    if objects:
        keys = list(dict.fromkeys(key for value in objects for key in value))
        ours = [key for key in keys if key in known]
        others = [key for key in keys if key not in known]
        assert not others or under in OPEN, f"the glossary has no {others} (under '{under}', beside {ours[:6]})"
        named = [value[key] for value in objects for key in others if key in value]
        schemas.append(
            {
                "type": "object",
                "properties": {
                    key: {"description": known[key], **inferred([v[key] for v in objects if key in v], words, key)}
                    for key in ours
                },
                "required": [key for key in ours if all(key in value for value in objects)],
                "additionalProperties": inferred(named, words) if under in OPEN else False,
            }
        )
    lists = [value for value in values if isinstance(value, list)]
    if lists:
        items = [item for value in lists for item in value]
        schemas.append({"type": "array", **({"items": inferred(items, words, under)} if items else {})})
    plain = [value for value in values if not isinstance(value, (dict, list))]
    kinds = ["boolean"] if any(isinstance(value, bool) for value in plain) else []
    if any(isinstance(value, str) for value in plain):
        kinds.append("string")
    if any(isinstance(value, (int, float)) and not isinstance(value, bool) for value in plain):
        kinds.append("number")
    if plain and under in NAMES and "string" not in kinds:
        kinds.append("string")
    if plain and kinds != ["boolean"]:
        kinds.append("null")
    if kinds:
        schemas.append({"type": kinds if len(kinds) > 1 else kinds[0]})
    if not schemas:
        return {}
    return schemas[0] if len(schemas) == 1 else {"anyOf": schemas}


def main() -> None:
    """Write all schemas."""
    outputs: dict[str, list[tuple[str, Any]]] = {}
    with tempfile.TemporaryDirectory() as name:
        folder = Path(name)
        folder_of_games(folder)
        for command in filter(None, COMMANDS.splitlines()):
            outputs.setdefault(schema_name(command), []).append((command, printed(command, folder)))
    write(outputs)


def write(outputs: dict[str, list[tuple[str, Any]]]) -> None:
    """Write the schema of each sort of output."""
    for old in SCHEMAS.glob("*.json"):
        old.unlink()
    for title, told in outputs.items():
        number = told[0][1]["origin"]["schema"]
        content = {
            "$schema": DIALECT,
            "title": f"mint-ledger {title.replace('-', ' ')} --json",
            "description": f"Schema {number}. Made of: {'; '.join(command for command, _ in told)}.",
            **inferred([value for _, value in told], glossary()),
        }
        (SCHEMAS / f"{title}.json").write_text(json.dumps(content, indent=1, ensure_ascii=False) + "\n", "utf-8")


if __name__ == "__main__":
    main()
