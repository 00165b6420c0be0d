"""Puts a habit into the text of a game file; comments and all else stay."""

from __future__ import annotations

import io
from collections.abc import Mapping
from typing import Any

from mint_ledger.errors import BadRequest
from mint_ledger.game.source import Source, parse_source
from mint_ledger.game.table_files import read_again
from mint_ledger.lowering.playable import PlayableGame, game_of


def with_habit(game: PlayableGame, name: str, habit: Mapping[str, Any]) -> Source:
    """A game's file with one more habit, or with another in the place of one that it has by that name.

    Raises:
        BadRequest: the file cannot be written so, or would say something else.
        GameError: the habit makes the game impossible.
    """
    from ruamel.yaml import YAML

    source = game.source
    if not source.text or source.text.lstrip().startswith("{"):
        raise BadRequest("a habit is written into a file in YAML; copy it from the JSON of this answer by hand")
    editor = YAML()
    editor.preserve_quotes = True
    editor.width = 4096
    tree = editor.load(source.text)
    if tree.get("habits") is None:
        tree["habits"] = {}
    tree["habits"][name] = dict(habit)
    out = io.StringIO()
    editor.dump(tree, out)
    again = read_again(source, out.getvalue())
    wanted = {**source.data, "habits": {**source.data.get("habits", {}), name: dict(habit)}}
    plain = parse_source(out.getvalue(), source.file).data if not source.files else again.data
    if plain != wanted:
        raise BadRequest(f"'{name}' cannot be written into {source.file} without changing something else")
    return game_of(again, type(game)).source
