"""What each key of the game file does, in a sentence, with an example: for editors and for the page of all keys.

The words stand in `keys.txt`, so that they can be read and changed as one text.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any, Literal

from ruamel.yaml import YAML


@dataclass(frozen=True, slots=True)
class KeyWords:
    """What is said of a key.

    Attributes:
        does: what it does.
        example: what may stand there, as plain values; `shown` is its text.
        unit: what numbers there are counted in; empty where they have no unit.
        names: the sort of names that may stand there (`kinds`, `stats` …); empty where it takes others.
        names_at: whether they are what stands there (`value`), its keys (`of`), or the keys of what it holds (`each`).
    """

    does: str
    example: Any
    shown: str
    unit: str
    names: str
    names_at: Literal["value", "of", "each"]


def words_for(part: str, key: str) -> KeyWords:
    """Return the words of one key.

    Raises:
        LookupError: `keys.txt` has no line for it.
    """
    known = key_words().get((part, key))
    if known is None:
        line = f"{key} | what it does. | an example | its unit"
        raise LookupError(f"keys.txt has no line for the key '{key}' of '{part}'; write below [{part}]: {line}")
    return known


@cache
def key_words() -> dict[tuple[str, str], KeyWords]:
    """The words of all keys, by part and key."""
    reader = YAML(typ="safe", pure=True)
    found = {}
    part = ""
    for line in files(__package__).joinpath("keys.txt").read_text("utf-8").splitlines():
        if line.startswith("["):
            part = line.strip("[]")
        elif line and not line.startswith("#"):
            key, does, example, *more = (piece.strip() for piece in line.split(" | "))
            unit, names = (*more, "", "")[:2]
            at, _, sort = names.rpartition(" ")
            names_at: Literal["value", "of", "each"] = "of" if at == "of" else "each" if at else "value"
            found[part, key] = KeyWords(does, reader.load(example), example, unit, sort, names_at)
    return found
