"""Dials: every number of a game that stands outside a formula, by its path.

A kind that is like another has dials of its own for what it takes over, so `crab.health` may be turned
although only `foe.health` stands in the file; turning `foe.health` turns it too, unless the crab has its own.
"""

from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping
from dataclasses import dataclass
from functools import cached_property
from typing import Any

from mint_ledger.errors import NotFound, nearest
from mint_ledger.formula import Formula
from mint_ledger.game.cast import Cast
from mint_ledger.game.document import GameFile
from mint_ledger.game.parts import Part
from mint_ledger.game.paths import path_name

Path = tuple[str | int, ...]
_WITH_DIALS = ("clock", "numbers", "stats", "attacks", "actions", "statuses", "rules", "levels", "habits")
_NO_DIALS = {"room", "stack", "where", "faces"}


@dataclass(frozen=True)
class Dials:
    """All dials of a game: their paths in the file, their names, and their values (float64)."""

    paths: tuple[Path, ...]
    names: tuple[str, ...]
    values: tuple[float, ...]

    @cached_property
    def _by_path(self) -> dict[Path, int]:
        return {path: index for index, path in enumerate(self.paths)}

    @cached_property
    def _by_name(self) -> dict[str, int]:
        return {name: index for index, name in enumerate(self.names)}

    def at(self, path: Path) -> int | None:
        """The index of the dial at a path of the file, if there is one."""
        return self._by_path.get(path)

    def find(self, name: str) -> int:
        """The index of a dial by the name that people use.

        Raises:
            NotFound: there is none of that name; the message has the nearest names.
        """
        if name in self._by_name:
            return self._by_name[name]
        for path, index in self._by_path.items():
            if ".".join(str(part) for part in path) == name:
                return index
        raise NotFound(f"there is no dial '{name}'{nearest(name, self.names)}")

    def value(self, name: str) -> float:
        """The value of a dial by name."""
        return self.values[self.find(name)]


def list_dials(game: GameFile, cast: Cast) -> Dials:
    """Find every dial of a game, in the order of the file."""
    found: list[tuple[Path, float]] = []
    for section in _WITH_DIALS:
        found.extend(_numbers_in(getattr(game, section), (section,)))
    for name, member in cast.members.items():
        found.extend(_numbers_in(member.kind, ("kinds", name)))
    paths = tuple(path for path, _ in found)
    names = [path_name(path, game.source.data) for path in paths]
    doubled = {name for name in names if names.count(name) > 1} if len(set(names)) < len(names) else set()
    unique = (".".join(map(str, p)) if name in doubled else name for p, name in zip(paths, names, strict=True))
    return Dials(paths, tuple(unique), tuple(value for _, value in found))


def _numbers_in(value: Any, path: Path) -> Iterator[tuple[Path, float]]:
    if isinstance(value, Part):
        fields = type(value).model_fields
        for name in fields:
            # Clock defaults are dials too: a designer may want another step or limit than the file's silence.
            if name in _NO_DIALS or (name not in value.model_fields_set and path != ("clock",)):
                continue
            yield from _numbers_in(getattr(value, name), (*path, fields[name].alias or name))
    elif isinstance(value, dict):
        for key, item in value.items():
            yield from _numbers_in(item, (*path, key))
    elif isinstance(value, list):
        # A trigger or layer that is not in a list in the file has no number of its own in its path.
        for index, item in enumerate(value):
            single = len(value) == 1 and path[-1] == "when"
            yield from _numbers_in(item, path if single else (*path, index))
    elif isinstance(value, Formula):
        if value.number is not None:
            yield path, value.number
    elif isinstance(value, (int, float)) and not isinstance(value, bool):
        yield path, float(value)


def plain_value(value: float) -> float:
    """12.0 as 12, as a designer would write it in a file."""
    return int(value) if value == int(value) and abs(value) < 1e15 else value


def turn_dials(game: GameFile, cast: Cast, dials: Dials, changes: Mapping[str, float | bool]) -> dict[str, Any]:
    """Return the plain content of the game with some dials set; the game itself stays as it is.

    Raises:
        NotFound: there is no dial of that name.
    """
    data: dict[str, Any] = copy.deepcopy(game.source.data)
    for name, value in changes.items():
        path = dials.paths[dials.find(name)]
        if path[0] == "kinds" and path[-1] == "copies":
            _keep_room(data, str(path[1]), cast.members[str(path[1])].room)
        _put(data, path, value)
    return data


def _keep_room(data: dict[str, Any], kind: str, room: int) -> None:
    data["kinds"][kind].setdefault("room", room)


def _put(node: Any, path: Path, value: float | bool) -> None:
    for depth, part in enumerate(path[:-1]):
        following = path[depth + 1]
        if isinstance(node, dict):
            child = node.get(str(part))
            if isinstance(child, list) and not isinstance(following, int):
                child = child[0]
            elif not isinstance(child, (dict, list)):
                if following == "start" and depth == len(path) - 2:
                    node[str(part)] = value
                    return
                child = node[str(part)] = {} if child is None else {"start": child}
        else:
            child = node[int(part)]
            if child is None:
                child = node[int(part)] = {}
        node = child
    node[path[-1]] = value
