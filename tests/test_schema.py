"""The schema of the game file: every shipped game fits it, and it refuses nothing that the loader takes."""

from __future__ import annotations

import copy
import json
import re
from pathlib import Path
from typing import Any

import pytest
from conftest import Command
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from jsonschema import Draft202012Validator
from jsonschema.exceptions import best_match
from random_games import games

import mint_ledger as mint
from mint_ledger.errors import GameError
from mint_ledger.game.key_words import key_words
from mint_ledger.game.schema import game_schema
from mint_ledger.game.source import parse_source

ROOT = Path(__file__).parent.parent
SHIPPED = sorted(
    [*ROOT.glob("examples/*.yaml"), *ROOT.glob("src/mint_ledger/demo/*.yaml"), *ROOT.glob("docs/**/*.yaml")]
)
VALIDATOR = Draft202012Validator(game_schema())


def test_the_schema_is_one() -> None:
    Draft202012Validator.check_schema(game_schema())
    json.dumps(game_schema())
    described = [part for part in game_schema()["$defs"].values() if not part.get("description")]
    assert described == []


def keys() -> dict[tuple[str, str], dict[str, Any]]:
    """Every key of every part, with what the schema says of it."""
    schema = game_schema()
    parts = {"GameFile": schema, **schema["$defs"]}
    return {
        (name, key): said
        for name, part in parts.items()
        for option in (part, *part.get("anyOf", ()))
        for key, said in option.get("properties", {}).items()
    }


def test_every_key_says_what_it_does_with_an_example_that_may_stand_there() -> None:
    definitions = game_schema()["$defs"]
    assert len(keys()) >= 281
    for (part, key), said in keys().items():
        assert re.fullmatch(r"[A-Z`].{8,}[.)`]", said["description"]), (part, key)
        [example] = said["examples"]
        faults = list(Draft202012Validator({**said, "$defs": definitions}).iter_errors(example))
        assert not faults, (part, key, example, faults[0].message)
        if "default" in said:
            assert not list(Draft202012Validator({**said, "$defs": definitions}).iter_errors(said["default"])), (
                part,
                key,
            )
    assert set(key_words()) == set(keys())


def test_defaults_are_those_that_the_loader_takes() -> None:
    said = keys()
    game = mint.loads("title: X\nkinds: {a: {stats: {h: 1}}}\n")
    assert said["Clock", "step"]["default"] == game.clock.step
    assert said["Clock", "limit"]["default"] == game.clock.limit
    assert said["Kind", "copies"]["default"] == game.kinds["a"].copies
    assert said["Stat", "round"]["default"] == game.kinds["a"].stats["h"].round
    assert "default" not in said["Stat", "max"] and "default" not in said["Rule", "when"]


def test_editors_are_not_offered_the_python_names_of_keys() -> None:
    offered = {key for _, key in keys()}
    assert not [key for key in offered if key.endswith("_")]
    # The loader refuses them as well.
    with pytest.raises(GameError, match="unknown key 'if_', did you mean 'if'"):
        mint.loads("title: X\nendings: {a: {result: win, if_: 1 < 2}}\n")


@pytest.mark.parametrize("path", SHIPPED, ids=lambda path: path.stem)
def test_every_shipped_game_fits_the_schema(path: Path) -> None:
    data = parse_source(path.read_text("utf-8"), path.name).data
    assert [best_match([error]).message for error in VALIDATOR.iter_errors(data)] == []


WRONG = st.one_of(
    st.none(),
    st.booleans(),
    st.integers(-3, 3),
    st.floats(allow_nan=False, allow_infinity=False),
    st.sampled_from(["", "yes", "start", "still", "health <= 0", "1..2", "gone", "restart", "meets", "keeper"]),
    st.just([]),
    st.just({}),
    st.just([1, "a"]),
    st.just({"rate": 1}),
)


def _places(node: Any, path: tuple[Any, ...] = ()) -> list[tuple[Any, ...]]:
    items = node.items() if isinstance(node, dict) else enumerate(node) if isinstance(node, list) else ()
    return [path, *(place for key, child in items for place in _places(child, (*path, key)))]


@st.composite
def broken(draw: st.DrawFn, whole: Any) -> Any:
    """A game in which one thing is another, is missing, or has another name."""
    data = copy.deepcopy(whole)
    *parents, last = draw(st.sampled_from([place for place in _places(data) if place]))
    node = data
    for key in parents:
        node = node[key]
    how = draw(st.sampled_from(["other", "other", "gone", "renamed"]))
    if how == "gone":
        del node[last]
    elif how == "renamed" and isinstance(node, dict):
        node[draw(st.sampled_from(["aftr", "if_", "at", "whn", "from_"]))] = node.pop(last)
    else:
        node[last] = draw(WRONG)
    return data


DEMO = parse_source(mint.demo_path().read_text("utf-8"), "demo").data


def _refused_only_where_the_loader_refuses(data: Any) -> None:
    errors = [error.message[-150:] for error in VALIDATOR.iter_errors(data) for error in (best_match([error]),)]
    if errors:
        with pytest.raises(GameError):
            mint.loads(json.dumps(data))
            pytest.fail(f"the loader takes what the schema refuses: {errors}")


@pytest.mark.slow
@given(broken(DEMO))
@settings(max_examples=100, deadline=None, suppress_health_check=list(HealthCheck))
def test_what_the_schema_refuses_of_a_broken_demo_the_loader_refuses_too(data: Any) -> None:
    _refused_only_where_the_loader_refuses(data)


@pytest.mark.slow
@given(st.data())
@settings(max_examples=50, deadline=None, suppress_health_check=list(HealthCheck))
def test_what_the_schema_refuses_of_random_games_the_loader_refuses_too(data: st.DataObject) -> None:
    game = data.draw(games())
    assert list(VALIDATOR.iter_errors(game)) == []
    _refused_only_where_the_loader_refuses(data.draw(broken(game)))


def test_the_schema_finds_the_usual_slips() -> None:
    for path, value in (
        (("kinds", "keeper", "statz"), {}),
        (("clock", "step"), "fast"),
        (("endings", "lamp out", "result"), "won"),
    ):
        data = copy.deepcopy(DEMO)
        node = data
        for key in path[:-1]:
            node = node[key]
        node[path[-1]] = value
        assert list(VALIDATOR.iter_errors(data))


def test_the_command_writes_the_schema_and_new_points_editors_to_it(command: Command, tmp_path: Path) -> None:
    told = command("schema")
    assert json.loads(told.stdout) == game_schema()
    made = command("new", "mine.yaml")
    assert made.returncode == 0
    assert json.loads((tmp_path / "mint-ledger.schema.json").read_text()) == game_schema()
    first = (tmp_path / "mine.yaml").read_text().splitlines()[0]
    assert first == "# yaml-language-server: $schema=mint-ledger.schema.json"
    assert command("check", "mine.yaml").returncode == 0
