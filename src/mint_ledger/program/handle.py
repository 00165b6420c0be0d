"""What a part of a program is known by: what it is for, and whose it is."""

from __future__ import annotations

from typing import NamedTuple

Path = tuple[str | int, ...]


class Handle(NamedTuple):
    """A column, procedure or event of a program.

    Attributes:
        use: what it is for, in plain words: `timer base`, `rule`, `stat`.
        owner: the path of its owner in the game file, and which of the owner's it is; empty for what a game has once.
    """

    use: str
    owner: Path = ()

    def __str__(self) -> str:
        return f"{self.use} of {'.'.join(map(str, self.owner))}" if self.owner else self.use


OPENING_ACCOUNTS, OPENING = Handle("opening accounts"), Handle("opening")
TIME_PART, PLAYERS_PART, CONTACT_PART = Handle("part", (1,)), Handle("part", (3,)), Handle("part", (4,))
RULES_PART, FLOWS_PART, ENDINGS_PART = Handle("part", (5,)), Handle("part", (6,)), Handle("part", (7,))
LEVELS_PART, MEASURES_PART = Handle("part", (7, "levels")), Handle("part", (7, "measures"))
WATCH, WATCH_GONE = Handle("watch"), Handle("watch gone")
PARTS_BEFORE_SCRIPT = (TIME_PART,)
PARTS_AFTER_SCRIPT = (
    PLAYERS_PART,
    CONTACT_PART,
    RULES_PART,
    FLOWS_PART,
    ENDINGS_PART,
    LEVELS_PART,
    MEASURES_PART,
)
"""The procedures of a step, in their order; part 2 is the script's happenings."""
