"""Dials: every number of a game that stands outside a formula, by its path.

A kind that is like another has dials of its own for what it takes over, so `crab.health` may be turned
although only `foe.health` stands in the file; turning `foe.health` turns it too, unless the crab has its own.
"""

from __future__ import annotations

import copy
from collections.abc import Iterator, Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Any

from mint_ledger.errors import NoSuchKey, NotFound, nearest
from mint_ledger.formula import Formula
from mint_ledger.game.cast import Cast, Member
from mint_ledger.game.dial_value import Value
from mint_ledger.game.document import GameFile
from mint_ledger.game.kind import Kind
from mint_ledger.game.parts import Part
from mint_ledger.game.paths import path_name
from mint_ledger.game.sections import SECTIONS
from mint_ledger.game.stat import Stat
from mint_ledger.game.table import Table

Path = tuple[str | int, ...]
_NO_DIALS = {"room", "stack", "where", "faces"}
# What a kind takes over is carried out once for all that are like it, and belongs to the kind that it stands under.
_NOT_TAKEN_OVER = ("rules", "endings", "lives")
# Stats that are written as the place of a kind.
COORDINATES: dict[str, Path] = {"x": ("where", 0), "y": ("where", 1), "faces": ("faces",)}
_STANDS_ALONE = "when"
"""A list whose only item has no number in its path."""


@dataclass(frozen=True)
class Dials(Mapping[str, Value]):
    """All dials of a game: a mapping of their names to their values as a file has them.

    Attributes:
        paths: what they are known by: where they stand among the models.
        written: where they stand in the file; only coordinates stand elsewhere, in `where` and `faces`.
        names: what people call them.
        numbers: their numbers (float64), as engines know them.
        flags: whether they are yes or no.
        follows: for each the dial whose number it takes over; itself where it stands in the file.
        words: of the dials that are words, all that each may be; their numbers are the places among them.
        formulas: starts that are formulas, by their names, with their places: a number may be set instead of each.
        worked_out: the names of formulas that stand where a number may; what is asked for by such a name is told so.
    """

    paths: tuple[Path, ...]
    names: tuple[str, ...]
    numbers: tuple[float, ...]
    flags: tuple[bool, ...] = ()
    follows: tuple[int, ...] = ()
    written: tuple[Path, ...] = ()
    formulas: Mapping[str, Path] = field(default_factory=dict)
    words: Mapping[int, tuple[str, ...]] = field(default_factory=dict)
    worked_out: tuple[str, ...] = ()

    @cached_property
    def _by_path(self) -> dict[Path, int]:
        return {path: index for index, path in enumerate(self.paths)}

    @cached_property
    def _by_name(self) -> dict[str, int]:
        return {name: index for index, name in enumerate(self.names)}

    def __getitem__(self, name: str) -> Value:
        """The value of a dial.

        Raises:
            NoSuchKey: there is none of that name; it is a `KeyError` too.
        """
        try:
            index = self.find(name)
        except NotFound as error:
            raise NoSuchKey(str(error)) from None
        value = self.shown(name)
        return bool(value) if self.flags and self.flags[index] else value

    def __iter__(self) -> Iterator[str]:
        return iter(self.names)

    def __len__(self) -> int:
        return len(self.names)

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
        # What is written as the only item of a list may be named without its number.
        for known, index in self._by_name.items():
            if "[1]." in known and known.replace("[1].", ".") == name:
                return index
        if "*" in name:
            raise NotFound(f"'{name}' means several dials, and one is wanted here")
        if name in self.formulas:
            raise NotFound(f"'{name}' starts as a formula, so it has no number yet; set one, like {name}=10")
        if name in self.worked_out:
            more = "that is a formula, of which a number becomes a dial by a name under 'numbers'"
            raise NotFound(f"there is no dial '{name}': {more}")
        raise NotFound(f"there is no dial '{name}'{nearest(name, (*self.names, *self.formulas))}")

    def place(self, name: str) -> Path:
        """Return where the number of that name stands in the file, or the formula that a number would replace.

        Raises:
            NotFound: there is none of that name.
        """
        return self.formulas[name] if name in self.formulas else self.written[self.find(name)]

    def value(self, name: str) -> float:
        """The value of a dial by name."""
        return self.numbers[self.find(name)]

    def shown(self, name: str) -> float | str:
        """The value of a dial as it stands in a file: a number, or a word."""
        index = self.find(name)
        words = self.words.get(index)
        return words[int(self.numbers[index])] if words is not None else plain_value(self.numbers[index])

    def as_number(self, index: int, value: float | bool | str) -> float:
        """A value of a dial as engines know it: a word as its place among those that it may be."""
        return float(self.words[index].index(value)) if isinstance(value, str) else float(value)

    def turned(self, changes: Mapping[int, float]) -> Dials:
        """The dials with some of them set, by their indices; what takes over a number goes with it."""
        follows = list(self.follows)
        for index in changes:
            follows[index] = index
        numbers = tuple(
            changes.get(leader, value) if leader in changes else value
            for leader, value in zip(follows, self.numbers, strict=True)
        )
        turned = replace(self, numbers=numbers, follows=tuple(follows))
        # Where they stand and what they are called stays as it is.
        for key in ("_by_path", "_by_name"):
            turned.__dict__[key] = getattr(self, key)
        return turned


def table_column(dials: Dials, name: str) -> list[tuple[float, float]]:
    """The keys and values of a column of a table, `rank.health`; empty where there is none of that name."""
    return [
        (float(known[len(name) + 1 : -1]), value)
        for known, path, value in zip(dials.names, dials.paths, dials.numbers, strict=True)
        if path[0] == "tables" and known.startswith(f"{name}[")
    ]


def list_dials(game: GameFile, cast: Cast) -> Dials:
    """Find every dial of a game, in the order of the file."""
    found: list[tuple[Path, float | None, bool]] = []
    for section in SECTIONS:
        if section.has_dials and section.name != "kinds":
            found.extend(_numbers_in(getattr(game, section.name), (section.name,)))
    for name, member in cast.members.items():
        found.extend(_numbers_of_kind(game.kinds[name], member, ("kinds", name)))
    numbers = [(path, value, is_flag) for path, value, is_flag in found if value is not None]
    worked_out = tuple(path_name(path, game.source.data) for path, value, _ in found if value is None)
    words_at = dict(_words(game, cast))
    numbers.extend((path, float(words.index(word)), False) for path, (word, words) in words_at.items())
    paths = tuple(path for path, _, _ in numbers)
    by_path = {path: index for index, path in enumerate(paths)}
    written = tuple(_written_at(game, cast, path) for path in paths)
    leaders = (_taken_from(game, cast, path, place) for path, place in zip(paths, written, strict=True))
    follows = tuple(by_path.get(leader, index) for index, leader in enumerate(leaders))
    names = [path_name(path, game.source.data) for path in paths]
    doubled = {name for name in names if names.count(name) > 1} if len(set(names)) < len(names) else set()
    unique = (".".join(map(str, p)) if name in doubled else name for p, name in zip(paths, names, strict=True))
    starts = dict(_formula_starts(game, cast))
    words = {by_path[path]: words for path, (_, words) in words_at.items()}
    values, flags = tuple(value for _, value, _ in numbers), tuple(is_flag for *_, is_flag in numbers)
    return Dials(paths, tuple(unique), values, flags, follows, written, starts, words, worked_out)


def _words(game: GameFile, cast: Cast) -> Iterator[tuple[Path, tuple[str, tuple[str, ...]]]]:
    """The starts that are words, with all that each may be; those of copies among them."""
    owners: list[tuple[Path, dict[str, Stat], Kind | None]] = [(("stats",), game.stats, None)]
    owners += [(("kinds", name, "stats"), member.kind.stats, game.kinds[name]) for name, member in cast.members.items()]
    for path, stats, kind in owners:
        for name, stat in stats.items():
            if stat.one_of is None or stat.formula is not None:
                continue
            words = tuple(stat.one_of)
            if not stat.starts_by_formula:
                word = stat.start.text if stat.start is not None else words[0]
                yield (*path, name, "start"), (word if word in words else words[0], words)
            for index, own in enumerate(kind.copies if kind is not None and isinstance(kind.copies, list) else []):
                if name in own and own[name].text in words:
                    yield ("kinds", str(path[1]), "copies", index, name), (own[name].text, words)


def _formula_starts(game: GameFile, cast: Cast) -> Iterator[tuple[str, Path]]:
    """The names of starts that are formulas, and where each may be replaced by a number."""
    for name, stat in game.stats.items():
        if stat.starts_by_formula and stat.one_of is None:
            yield name, ("stats", name, "start")
    for kind, member in cast.members.items():
        for name, stat in member.kind.stats.items():
            if stat.starts_by_formula and stat.one_of is None:
                yield f"{kind}.{name}", _written_at(game, cast, ("kinds", kind, "stats", name, "start"))


def _numbers_of_kind(own: Kind, member: Member, path: Path) -> Iterator[tuple[Path, float | None, bool]]:
    for name, described in Kind.model_fields.items():
        if name in _NO_DIALS:
            continue
        kind = own if name in _NOT_TAKEN_OVER else member.kind
        if name in kind.model_fields_set:
            yield from _numbers_in(getattr(kind, name), (*path, described.alias or name))


def _numbers_in(value: Any, path: Path) -> Iterator[tuple[Path, float | None, bool]]:
    """The numbers of a part, and where formulas stand in the place of one."""
    if isinstance(value, Table):
        for row, cells in enumerate(value.rows):
            # The keys are what cells are known by.
            yield from (
                (((*path, "rows", row, c), v, False)) for c, v in enumerate(cells) if c and isinstance(v, float)
            )
    elif isinstance(value, Part):
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
        single = len(value) == 1 and path[-1] == _STANDS_ALONE
        for index, item in enumerate(value):
            yield from _numbers_in(item, path if single else (*path, index))
    elif isinstance(value, Formula):
        yield path, value.number, value.is_flag
    elif isinstance(value, (int, float)) and not isinstance(value, bool):
        yield path, float(value), False


def _unit(path: Path) -> Path:
    """What is taken over entirely: a key of a kind, or a key of one of its stats; `path` begins within the kind."""
    return path[:3] if path[0] == "stats" else path[:1]


def _sets(kind: Kind, unit: Path) -> bool:
    """Return whether a kind itself says something, rather than one that it is like."""
    part: Any = kind
    if unit[0] == "stats":
        part = kind.stats.get(str(unit[1]))
        if part is None or len(unit) < 3:
            return part is not None
    fields = type(part).model_fields
    return any((fields[name].alias or name) == unit[-1] for name in part.model_fields_set)


def _written_at(game: GameFile, cast: Cast, path: Path) -> Path:
    """Return where a number stands in the file: coordinates are written as `where` and `faces`, if not as stats."""
    if path[0] != "kinds" or path[2] != "stats" or path[3] not in COORDINATES or path[4:] != ("start",):
        return path
    member = cast.members[str(path[1])]
    if any(path[3] in game.kinds[ancestor].stats for ancestor in member.family):
        return path
    return (*path[:2], *COORDINATES[str(path[3])])


def _taken_from(game: GameFile, cast: Cast, path: Path, written: Path) -> Path:
    """The path of the number that a dial takes over; its own where it stands there itself."""
    if path[0] != "kinds":
        return path
    unit = _unit(written[2:])
    family = cast.members[str(path[1])].family
    # A word that nothing is said of is the first of those that its stat may be.
    for part in (unit, (*unit[:2], "one_of")) if unit[0] == "stats" and unit[-1] == "start" else (unit,):
        for ancestor in family:
            if _sets(game.kinds[ancestor], part):
                return ("kinds", ancestor, *path[2:])
    return path


def plain_value(value: float) -> float:
    """12.0 as 12, as a designer would write it in a file."""
    return int(value) if value == int(value) and abs(value) < 1e15 else value


def turn_data(data: Any, cast: Cast, changes: Mapping[Path, float | bool | str]) -> dict[str, Any]:
    """The plain content of a game with some dials set, by their paths; what is given stays as it is."""
    turned: dict[str, Any] = copy.deepcopy(data)
    turn_in_place(turned, cast, changes)
    return turned


def turn_in_place(turned: dict[str, Any], cast: Cast, changes: Mapping[Path, float | bool | str]) -> None:
    """Set some dials in the content of a game, by their paths."""
    for path, value in changes.items():
        if path[0] == "kinds":
            member = cast.members[str(path[1])]
            if path[-1] == "copies":
                turned["kinds"][member.name].setdefault("room", member.room)
            _make_own(turned["kinds"], member, path[2:])
        _put(turned, path, value)


def _make_own(kinds: dict[str, Any], member: Member, path: Path) -> None:
    """Give a kind a copy of the part around a number that it takes over, so that the rest of it stays as it is."""
    unit = _unit(path)
    if unit == path:
        return
    holders = [_at(kinds.get(ancestor), unit) for ancestor in member.family]
    if holders[0] is None:
        taken = next((holder for holder in holders if holder is not None), None)
        if taken is not None:
            _put(kinds, (member.name, *unit), copy.deepcopy(taken))


def _at(node: Any, path: Path) -> Any:
    for part in path:
        node = node.get(str(part)) if isinstance(node, dict) else None
    return node


def _put(node: Any, path: Path, value: Any) -> None:
    for depth, part in enumerate(path[:-1]):
        if isinstance(part, int) and not isinstance(node, list):
            continue  # a list that is written as its only item
        if isinstance(node, list):
            if isinstance(part, int):
                if node[part] is None:
                    node[part] = {}
                node = node[part]
                continue
            node = node[0]
        child = _step_into(node, str(part), path[depth + 1], depth == len(path) - 2, value)
        if child is None:
            return
        node = child
    if isinstance(node, list) and not isinstance(path[-1], int):
        node = node[0]
    node[path[-1]] = value


def _step_into(node: Any, part: str, following: str | int, is_last: bool, value: Any) -> Any:
    """The part below; none where the number stands there by itself, and was set."""
    child = node.get(part)
    if isinstance(child, (dict, list)):
        return child
    if following == "start" and is_last:
        node[part] = value
        return None
    node[part] = {} if child is None else {"start": child}
    return node[part]
