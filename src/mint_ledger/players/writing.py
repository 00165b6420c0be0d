"""Puts a habit into the text of a game file; comments and all else stay."""

from __future__ import annotations

from collections.abc import Mapping
from typing import Any

from mint_ledger.errors import BadRequest, GameError
from mint_ledger.game.source import Source
from mint_ledger.game.table_files import read_again
from mint_ledger.game.writing import own_texts, yaml_dump, yaml_editor, yaml_of
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
    wanted = {**source.data, "habits": {**source.data.get("habits", {}), name: dict(habit)}}
    # Where lines can be put in, all others stay as they are; else the file is written again.
    for text in (_put_in(texts[file], trees[file], name, habit), _written_anew(trees[file], name, habit)):
        if text is not None and (again := _read(source, file, text)) is not None and again.data == wanted:
            return game_of(again, type(game)).source
    raise BadRequest(f"'{name}' cannot be written into {source.file} without changing something else")


def _read(source: Source, file: str, text: str) -> Source | None:
    try:
        return read_again(source, {file: text})
    except GameError:
        return None


def _put_in(text: str, tree: Any, name: str, habit: Mapping[str, Any]) -> str | None:
    """The text with the lines of a habit behind those of the others, or in the place of its own; none where habits do
    not stand on lines of their own.
    """
    lines = text.splitlines(keepends=True)
    if lines and not lines[-1].endswith("\n"):
        lines[-1] += "\n"
    if "habits" not in tree:
        return "".join([*lines, "\n", "habits:\n", *_lines(name, habit, 2)])
    habits = tree["habits"]
    if not habits or habits.fa.flow_style():
        return None
    key = name if name in habits else list(habits)[-1]
    first, indent = habits.lc.key(key)
    end = first + 1
    while end < len(lines) and (not lines[end].strip() or len(lines[end]) - len(lines[end].lstrip()) > indent):
        end += 1
    while not lines[end - 1].strip():
        end -= 1
    begin = first if key == name else end
    return "".join([*lines[:begin], *_lines(name, habit, indent), *lines[end:]])


def _lines(name: str, habit: Mapping[str, Any], indent: int) -> list[str]:
    text = yaml_of({name: dict(habit)}, open_to=2)
    return [" " * indent + line for line in text.splitlines(keepends=True)]


def _written_anew(tree: Any, name: str, habit: Mapping[str, Any]) -> str:
    if tree.get("habits") is None:
        tree["habits"] = {}
    tree["habits"][name] = dict(habit)
    return yaml_dump(tree)
