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
