"""What may stand at a place of a game file: keys with what they do, words, names of which sort, formulas.

It is asked of the schema, which is made from the models.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass
from functools import cache
from typing import Any

from mint_ledger.game.key_words import KeyWords, key_words
from mint_ledger.game.schema import game_schema
from mint_ledger.program.handle import Path

FORMULA, CHANGE, MEASURE, VALUES = "formula", "change", "measure", "text with values"


@dataclass(frozen=True, slots=True)
class Standing:
    """What may stand at a place.

    Attributes:
        keys: the keys that a mapping may have there, each with the part of the game that it belongs to.
        words: the words that a value may be.
        formats: whether it may be a formula, a change to an account, a measure, a text with values in braces.
        names: the sorts of names that a value may be, and `name_keys` those that the keys of a mapping may be.
    """

    keys: tuple[tuple[str, str], ...]
    words: tuple[str, ...]
    formats: frozenset[str]
    names: tuple[str, ...]
    name_keys: tuple[str, ...]

    @property
    def is_formula(self) -> bool:
        """Return whether formulas may stand there, alone or in a change."""
        return bool(self.formats & {FORMULA, CHANGE})


@dataclass(frozen=True, slots=True)
class _At:
    """A schema, the key that it is of, and how many names below that."""

    schema: dict[str, Any]
    part: str
    owner: tuple[str, str]
    below: int


@cache
def _whole() -> dict[str, Any]:
    return game_schema()


def standing_at(path: Path) -> Standing:
    """Return what may stand at a path."""
    options = list(_at(path))
    keys = dict.fromkeys((o.part, key) for o in options for key in o.schema.get("properties", ()))
    words = dict.fromkeys(str(word).lower() for o in options for word in _words(o.schema) if word is not None)
    formats = frozenset(o.schema["format"] for o in options if "format" in o.schema)
    names, name_keys = dict[str, None](), dict[str, None]()
    for option in options:
        said = key_words().get(option.owner)
        if said is None or not said.names:
            continue
        if said.names_at == "value" and option.below == 0:
            names[said.names] = None
        elif (said.names_at == "of" and option.below == 0) or (said.names_at == "each" and option.below == 1):
            if option.schema.get("type") == "object":
                name_keys[said.names] = None
    return Standing(tuple(keys), tuple(words), formats, tuple(names), tuple(name_keys))


def words_of(path: Path) -> KeyWords | None:
    """Return what is said of the key at the end of a path; none where that is a name of the file."""
    return next((words for part, _ in _keys(path) if (words := key_words().get((part, str(path[-1]))))), None)


def is_name(path: Path) -> bool:
    """Return whether the last key of a path is a name that the file gives or says, and none of ours."""
    return bool(path) and isinstance(path[-1], str) and not any(_keys(path))


def _keys(path: Path) -> Iterator[tuple[str, dict[str, Any]]]:
    """The parts in which the last key of a path may stand."""
    for option in _at(path[:-1]):
        if path[-1] in option.schema.get("properties", ()):
            yield option.part, option.schema


def _at(path: Path) -> Iterator[_At]:
    now = list(_resolved(_At(_whole(), "GameFile", ("", ""), 0)))
    for step in path:
        now = [inner for option in now for inner in _stepped(option, step)]
    yield from now


def _stepped(option: _At, step: str | int) -> Iterator[_At]:
    schema = option.schema
    if isinstance(step, int):
        if isinstance(schema.get("items"), dict):
            yield from _resolved(_At(schema["items"], option.part, option.owner, option.below))
        return
    properties = schema.get("properties", {})
    if step in properties:
        yield from _resolved(_At(properties[step], option.part, (option.part, step), 0))
    elif isinstance(schema.get("additionalProperties"), dict):
        inner = schema["additionalProperties"]
        yield from _resolved(_At(inner, option.part, option.owner, option.below + 1))


def _resolved(at: _At) -> Iterator[_At]:
    """The options of a schema, references and alternatives followed."""
    schema, part = at.schema, at.part
    if "$ref" in schema:
        part = schema["$ref"].rpartition("/")[2]
        schema = _whole()["$defs"][part]
    if "anyOf" in schema:
        for option in schema["anyOf"]:
            yield from _resolved(_At(option, part, at.owner, at.below))
    else:
        yield _At(schema, part, at.owner, at.below)


def _words(schema: dict[str, Any]) -> Iterator[Any]:
    if "const" in schema:
        yield schema["const"]
    words = schema.get("enum", ())
    # Flags may be written in many ways, of which two are shown.
    yield from () if words == [0, 1] else words
    kinds = schema.get("type", ())
    if "boolean" in ([kinds] if isinstance(kinds, str) else kinds) and schema.get("format") != FORMULA:
        yield from (True, False)
