"""The sections of a game file, and what the rest of the package has to know of each: said here, once.

Whoever adds a section adds a line here; `tests/test_sections.py` fails where a part is forgotten.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Shape = Literal["value", "part", "by name", "list"]
Names = Literal["", "identifiers", "in formulas"]


@dataclass(frozen=True, slots=True)
class Section:
    """One section.

    Attributes:
        name: its key.
        shape: one value, one part, parts by name, or a list of parts; an empty `by name` or `list` may stand there.
        names: whether its names are identifiers; those that stand in formulas by themselves are so once in a game.
        has_dials: whether its numbers are dials. Kinds take numbers over from others, and have a way of their own.
        sheet: the sheet that its dials stand in, with a row for each name; empty for that of single numbers.
    """

    name: str
    shape: Shape
    names: Names = ""
    has_dials: bool = False
    sheet: str = ""


SECTIONS = (
    Section("mint_ledger", "value"),
    Section("title", "value"),
    Section("about", "value"),
    Section("include", "list"),
    Section("clock", "part", has_dials=True),
    Section("space", "part"),
    Section("numbers", "by name", "in formulas", has_dials=True),
    Section("tables", "by name", "identifiers", has_dials=True),
    Section("formulas", "by name", "identifiers"),
    Section("stats", "by name", "in formulas", has_dials=True, sheet="stats"),
    Section("kinds", "by name", "in formulas", has_dials=True, sheet="stats"),
    Section("attacks", "by name", "identifiers", has_dials=True, sheet="attacks"),
    Section("actions", "by name", "identifiers", has_dials=True, sheet="actions"),
    Section("statuses", "by name", "identifiers", has_dials=True, sheet="statuses"),
    Section("lots", "by name", "identifiers", has_dials=True),
    Section("turns", "part"),
    Section("rules", "list", has_dials=True),
    Section("levels", "by name", "identifiers", has_dials=True),
    Section("endings", "by name"),
    Section("habits", "by name", has_dials=True),
    Section("variants", "by name"),
    Section("readout", "list"),
    Section("playtests", "by name"),
    Section("measures", "by name"),
    Section("targets", "list"),
    Section("allow", "list"),
)
"""All sections, in the order in which a file without an order of its own has them."""


def sections(shape: Shape) -> tuple[str, ...]:
    """The names of the sections of a shape."""
    return tuple(section.name for section in SECTIONS if section.shape == shape)
