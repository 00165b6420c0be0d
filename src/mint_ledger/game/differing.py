"""What differs between the contents of two game files, change by change, and a file with some of these changes made.

A number that differs is a change; so is what was added or dropped under a name (a rule, a kind, an attack); of all
else that differs in such a thing, each key is one.
"""

from __future__ import annotations

import json
from collections.abc import Callable, Collection, Iterable, Sequence
from dataclasses import dataclass
from typing import Any, Literal

from mint_ledger.game.paths import path_name
from mint_ledger.game.sections import sections

Path = tuple[str | int, ...]
Sort = Literal["number", "changed", "added", "dropped", "order"]
MISSING: Any = object()
# What nobody plays by: words about the game, what is asked of it, and what is set only where it is named.
_SAYS_NOTHING_OF_PLAY = (
    "mint_ledger",
    "about",
    "variants",
    "readout",
    "playtests",
    "measures",
    "targets",
    "allow",
)
# In these the order in which the file lists its parts means something.
_ORDERED = ("kinds", "attacks", "actions", "statuses", "levels", "endings", "rules")


@dataclass(frozen=True, slots=True)
class FileChange:
    """One change from a file to another.

    Attributes:
        name: what differs, as a dial is called, or `rule oil leaks`.
        before: its value in the first file, and `after` in the second; `MISSING` where there is none.
    """

    path: Path
    sort: Sort
    name: str
    before: Any
    after: Any

    @property
    def words(self) -> str:
        """It in words: `crab.bite 12 → 14`, `rule oil leaks added`."""
        if self.sort == "order":
            return f"order of {self.name}"
        if self.sort in ("added", "dropped"):
            value = self.after if self.sort == "added" else self.before
            plain = isinstance(value, str | int | float) and len(_text(value)) <= 24
            return f"{self.name} {self.sort}" + (f" ({_text(value)})" if plain else "")
        values = [_text(value) for value in (self.before, self.after)]
        if max(map(len, values)) > 24:
            return f"{self.name} changed"
        return f"{self.name} {values[0]} → {values[1]}"


Build = Callable[[Collection[int]], Any]


@dataclass(frozen=True)
class FileChanges:
    """All changes between two files; `data` gives the content with some of them made, by their places.

    Sections that say nothing of play are left out of it: what they name may be gone.
    """

    changes: tuple[FileChange, ...]
    data: Build


def file_changes(one: Any, other: Any) -> FileChanges:
    """The changes from the content of one game file to another's, in the order in which they stand there."""
    found = _Found(one, other)
    build = found.mapping(one, other, ())
    return FileChanges(tuple(found.changes), build)


class _Found:
    """Finds the changes, and says for each part how it is built with some of them."""

    def __init__(self, one: Any, other: Any) -> None:
        self.contents = (one, other)
        self.changes: list[FileChange] = []

    def part(self, one: Any, other: Any, path: Path) -> Build:
        if _same(one, other):
            return lambda _: one
        if one is MISSING or other is MISSING:
            return self._change(one, other, path, "dropped" if other is MISSING else "added")
        if len(path) >= 2 and path[-2] == "stats" and isinstance(one, dict) != isinstance(other, dict):
            # A stat may be one number alone.
            one, other = (value if isinstance(value, dict) else {"start": value} for value in (one, other))
        if isinstance(one, dict) and isinstance(other, dict):
            return self.mapping(one, other, path)
        if isinstance(one, list) and isinstance(other, list):
            if path[-1] == "rules":
                return self._rules(one, other, path)
            if len(one) == len(other) and (path[-1] in ("copies", "rows") or path[-2:-1] == ("rows",)):
                parts = [self.part(a, b, (*path, i)) for i, (a, b) in enumerate(zip(one, other, strict=True))]
                return lambda made: [part(made) for part in parts]
        number = all(isinstance(value, int | float) and not isinstance(value, bool) for value in (one, other))
        return self._change(one, other, path, "number" if number else "changed")

    def mapping(self, one: Any, other: Any, path: Path) -> Build:
        parts: dict[Any, Build] = {"title": _always(self.contents[0].get("title", ""))} if not path else {}
        may_be_left_out = set()
        for key in _merged(list(one), list(other)):
            if not path and key == "title":
                continue
            first, second = one.get(key, MISSING), other.get(key, MISSING)
            if not path and key in _SAYS_NOTHING_OF_PLAY:
                parts[key] = _always(MISSING)
                continue
            empty = _empty(path, key)
            if empty is not None and MISSING in (first, second):
                may_be_left_out.add(key)
                first, second = (empty if value is MISSING else value for value in (first, second))
            parts[key] = self.part(first, second, (*path, key))
        order = self._order(list(one), list(other), path) if not path or path[-1] in _ORDERED else None

        def build(made: Collection[int]) -> dict[Any, Any]:
            turned = order is not None and order in made
            keys = _merged(list(other), list(one)) if turned else _merged(list(one), list(other))
            values = {key: parts[key](made) for key in keys}
            return {k: v for k, v in values.items() if v is not MISSING and (v or k not in may_be_left_out)}

        return build

    def _rules(self, one: list[Any], other: list[Any], path: Path) -> Build:
        keys = _keys(one, other)
        sides = [dict(zip(names, rules, strict=True)) for names, rules in zip(keys, (one, other), strict=True)]
        parts = {
            key: self.part(
                sides[0].get(key, MISSING),
                sides[1].get(key, MISSING),
                (*path, keys[0].index(key) if key in sides[0] else _Rule(key)),
            )
            for key in _merged(*map(list, sides))
        }
        order = self._order(list(sides[0]), list(sides[1]), path)

        def build(made: Collection[int]) -> list[Any]:
            turned = order is not None and order in made
            keys = _merged(*(list(side) for side in (sides[::-1] if turned else sides)))
            values = (parts[key](made) for key in keys)
            return [value for value in values if value is not MISSING]

        return build

    def _order(self, one: list[Any], other: list[Any], path: Path) -> int | None:
        """The change of the order of what both have; none where it is the same."""
        common = [[key for key in keys if key in there] for keys, there in ((one, set(other)), (other, set(one)))]
        if not path:
            common = [[key for key in keys if key in _ORDERED or key == "turns"] for keys in common]
        if common[0] == common[1]:
            return None
        name = self._name(path) or "sections"
        self.changes.append(FileChange(path, "order", name, common[0], common[1]))
        return len(self.changes) - 1

    def _change(self, one: Any, other: Any, path: Path, sort: Sort) -> Build:
        number = len(self.changes)
        self.changes.append(FileChange(path, sort, self._name(path), one, other))
        return lambda made: other if number in made else one

    def _name(self, path: Path) -> str:
        if path[-2:-1] != ("rules",):
            return path_name(path, self.contents[0])
        owner = f" of {path[1]}" if path[0] == "kinds" else ""
        named = path[-1] if isinstance(path[-1], _Rule) else path_name(path[-2:], self.contents[0])
        if isinstance(path[-1], int) and path[0] == "kinds":
            rule = self.contents[0]["kinds"][path[1]]["rules"][path[-1]]
            named = rule.get("name", named) if isinstance(rule, dict) else named
        return f"rule '{named}'{owner}"


class _Rule(str):
    """A rule's name in a path."""

    __slots__ = ()


def _keys(one: Sequence[Any], other: Sequence[Any]) -> list[list[_Rule]]:
    """Return what the rules of two lists are known by: their names; without one their content; else by their turn."""
    sides = [_named(rules) for rules in (one, other)]
    common = set(sides[0]) & set(sides[1])
    # What has no name and differs is held against what has none and differs there.
    for keys in sides:
        turn = 0
        for place, key in enumerate(keys):
            if key not in common and key.startswith("{"):
                turn += 1
                keys[place] = f"without a name #{turn}"
    return [[_Rule(key) for key in keys] for keys in sides]


def _named(rules: Iterable[Any]) -> list[str]:
    seen: dict[str, int] = {}
    keys = []
    for rule in rules:
        named = isinstance(rule, dict) and isinstance(rule.get("name"), str)
        key = str(rule["name"]) if named else "{" + json.dumps(rule, sort_keys=True, default=str)
        seen[key] = seen.get(key, 0) + 1
        keys.append(key if seen[key] == 1 else f"{key} #{seen[key]}")
    return keys


def _empty(path: Path, key: Any) -> dict[Any, Any] | list[Any] | None:
    """Return what stands for parts by name, or a list of them, that a file does not have."""
    of_a_kind = path[:1] == ("kinds",) and len(path) == 2
    if (not path and key in sections("by name")) or (of_a_kind and key == "stats"):
        return {}
    return [] if (not path and key in sections("list")) or (of_a_kind and key == "rules") else None


def _merged(one: list[Any], other: list[Any]) -> list[Any]:
    """All keys of both: the first's in their order, each of the second's own behind what it follows there."""
    merged = list(one)
    for place, key in enumerate(other):
        if key not in merged:
            before = next((k for k in reversed(other[:place]) if k in merged), None)
            merged.insert(merged.index(before) + 1 if before is not None else 0, key)
    return merged


def _same(one: Any, other: Any) -> bool:
    """Return whether two values are the same; a flag is no number."""
    if isinstance(one, bool) != isinstance(other, bool):
        return False
    if isinstance(one, dict) and isinstance(other, dict):
        return list(one) == list(other) and all(_same(one[key], other[key]) for key in one)
    if isinstance(one, list) and isinstance(other, list):
        return len(one) == len(other) and all(map(_same, one, other))
    return bool(one is other or one == other)


def _always(value: Any) -> Build:
    return lambda _: value


def _text(value: Any) -> str:
    if isinstance(value, bool):
        return "true" if value else "false"
    if isinstance(value, int | float):
        return f"{value:g}"
    if isinstance(value, list) and all(isinstance(item, str) for item in value):
        return ", ".join(value)
    return str(value) if isinstance(value, str) else json.dumps(value, default=str)
