"""Puts a habit into the text of a game file; comments and all else stay."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from mint_ledger.errors import BadRequest
from mint_ledger.game.source import Source
from mint_ledger.game.table_files import read_again
from mint_ledger.game.writing import own_texts, yaml_dump, yaml_editor
from mint_ledger.lowering.playable import PlayableGame, game_of


def with_habit(game: PlayableGame, name: str, habit: Mapping[str, Any]) -> Source:
    """A game's file with one more habit, or with another in the place of one that it has by that name.

    Raises:
        BadRequest: the file cannot be written so, or would say something else.
        GameError: the habit makes the game impossible.
    """
    source = game.source
    if not source.text or source.text.lstrip().startswith("{"):
        raise BadRequest("a habit is written into a file in YAML; copy it from the JSON of this answer by hand")
    texts = own_texts(source)
    trees = {file: yaml_editor().load(text) for file, text in texts.items()}
    # Where a habit of that name stands already, else in the game file.
    holds = {file: tree.get("habits") or {} for file, tree in trees.items()}
    file = next((file for file, habits in holds.items() if name in habits), "")
    if trees[file].get("habits") is None:
        trees[file]["habits"] = {}
    trees[file]["habits"][name] = dict(habit)
    again = read_again(source, {file: yaml_dump(trees[file])})
    wanted = {**source.data, "habits": {**source.data.get("habits", {}), name: dict(habit)}}
    if again.data != wanted:
        raise BadRequest(f"'{name}' cannot be written into {source.file} without changing something else")
    return game_of(again, type(game)).source
