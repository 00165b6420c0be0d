"""What each key of the game file does, in a sentence, with an example: for editors and for the page of all keys.

The words stand in `keys.txt`, so that they can be read and mended as one text.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.resources import files
from typing import Any

from ruamel.yaml import YAML


@dataclass(frozen=True, slots=True)
class Words:
    """What is said of a key.

    Attributes:
        does: what it does.
        example: what may stand there, as plain values.
        unit: what numbers there are counted in; empty where they have no unit.
    """

    does: str
    example: Any
    unit: str


@cache
def key_words() -> dict[tuple[str, str], Words]:
    """The words of all keys, by part and key."""
    reader = YAML(typ="safe", pure=True)
    found = {}
    part = ""
    for line in files(__package__).joinpath("keys.txt").read_text("utf-8").splitlines():
        if line.startswith("["):
            part = line.strip("[]")
        elif line and not line.startswith("#"):
            key, does, example, *unit = (piece.strip() for piece in line.split(" | "))
            found[part, key] = Words(does, reader.load(example), unit[0] if unit else "")
    return found
