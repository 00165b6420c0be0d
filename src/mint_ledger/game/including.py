"""Games in several files: `include: [foes.yaml, items.yaml]` reads them as if their sections stood in the game file.

What stands in the game file comes first, then each of the others in its order; every place is told in its own file.
"""

from __future__ import annotations

import posixpath
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import replace
from typing import Any

from mint_ledger.errors import Fault, GameError, Place
from mint_ledger.game.sections import SECTIONS, sections
from mint_ledger.game.source import MAX_BYTES, MAX_VALUES, Path_, Source, parse_source

INCLUDE = "include"
MOST_FILES = 50
OUTSIDE = "stands outside the folder of the game file; what belongs to a game stands beside its file"
# What each file may say of itself.
OF_A_FILE = ("mint_ledger", "about")


class BesideError(ValueError):
    """A file beside a game file that cannot be used."""

    def __init__(self, message: str, line: int | None = None) -> None:
        self.line = line
        super().__init__(message)


def with_included(source: Source, read: Callable[[str], str]) -> Source:
    """The source with the sections of the files that it includes; `read` gives the text of a file beside it.

    Raises:
        GameError: one cannot be read, or says what another says already.
    """
    if source.data.get(INCLUDE) is None:
        return source
    names = _names(source)
    data = {key: value for key, value in source.data.items() if key != INCLUDE}
    places = dict(source.places)
    files, faults, parts = {}, list[Fault](), [source]
    for index, name in names:
        if posixpath.normpath(source.beside(name)) == posixpath.normpath(
            source.beside(posixpath.basename(source.file))
        ):
            faults.append(Fault(source.place((INCLUDE, index)), INCLUDE, f"'{name}' is the game file itself"))
            continue
        try:
            files[name] = read(name)
        except BesideError as error:
            place = Place(source.beside(name), error.line, 1) if error.line else source.place((INCLUDE, index))
            faults.append(Fault(place, INCLUDE, str(error) if error.line else f"'{name}' {error}"))
            continue
        if sum(map(len, (source.text, *files.values()))) > MAX_BYTES:
            message = f"the files of a game may have {MAX_BYTES:,} letters together at most"
            faults.append(Fault(source.place((INCLUDE,)), INCLUDE, message))
            break
        try:
            parts.append(parse_source(files[name], source.beside(name)))
        except GameError as error:
            faults += error.faults
    if sum(len(part.places) for part in parts) > MAX_VALUES:
        faults.append(Fault(source.place((INCLUDE,)), INCLUDE, f"the game has more than {MAX_VALUES:,} values"))
    for part in parts[1:] if not faults else ():
        faults += _taken_in(data, places, part)
    if faults:
        raise GameError(faults)
    return replace(source, data=data, places=places, files={**source.files, **files}, included=tuple(files))


def _names(source: Source) -> list[tuple[int, str]]:
    """The files that a game includes."""
    given = source.data[INCLUDE]
    items = [given] if isinstance(given, str) else given
    if not isinstance(items, list) or not all(isinstance(item, str) and item for item in items):
        message = "wants the names of files beside this one, like [foes.yaml, items.yaml]"
        raise GameError([Fault(source.place((INCLUDE,)), INCLUDE, message)])
    twice = next((index for index, item in enumerate(items) if item in items[:index]), None)
    if twice is not None:
        raise GameError([Fault(source.place((INCLUDE, twice)), INCLUDE, f"'{items[twice]}' stands here twice")])
    if len(items) > MOST_FILES:
        message = f"{len(items)} files are too many; a game may include {MOST_FILES} at most"
        raise GameError([Fault(source.place((INCLUDE,)), INCLUDE, message)])
    return list(enumerate(items))


def _taken_in(data: dict[str, Any], places: dict[Path_, Place], part: Source) -> Iterator[Fault]:
    """Take the sections of a file in; what stands elsewhere already, or cannot be joined, is a fault."""
    for key, value in part.data.items():
        if key == INCLUDE:
            message = "a file that is included includes no others; name them in the game file"
            yield Fault(part.place((key,)), key, message)
        elif key in OF_A_FILE and data.get(key, value) is not None:
            if key == "mint_ledger" and value != data.setdefault(key, value):
                yield Fault(part.place((key,)), key, f"the game file is of format {data[key]}, and this one of {value}")
        elif data.get(key) is None:
            data[key] = value
            _move(places, part.places, (key,))
        elif value is None:
            continue
        elif key in sections("by name") and isinstance(value, dict) and isinstance(data[key], dict):
            data[key] = dict(data[key])
            for name, item in value.items():
                if name in data[key]:
                    yield _twice(part, (key, name), places)
                    continue
                data[key][name] = item
                _move(places, part.places, (key, name))
        elif key in sections("list") and isinstance(value, list) and isinstance(data[key], list):
            begin = len(data[key])
            data[key] = [*data[key], *value]
            for index in range(len(value)):
                _move(places, part.places, (key, index), (key, begin + index))
        elif key in sections("by name") or key in sections("list"):
            what = "a mapping" if key in sections("by name") else "a list"
            yield Fault(part.place((key,)), key, f"wants {what} in every file in which it stands")
        else:
            yield _twice(part, (key,), places)


def _twice(part: Source, path: Path_, places: Mapping[Path_, Place]) -> Fault:
    before = places.get(path)
    where = f" in {before.file}, line {before.line}" if before is not None else ""
    return Fault(part.place(path), ".".join(map(str, path)), f"'{path[-1]}' stands{where} already")


def _move(places: dict[Path_, Place], known: Mapping[Path_, Place], path: Path_, to: Path_ | None = None) -> None:
    """Take over the places of a part of another file."""
    to, depth = to or path, len(path)
    for inner, place in known.items():
        if inner[:depth] == path:
            places.setdefault((*to, *inner[depth:]), place)


def joined(trees: Sequence[dict[str, Any]]) -> dict[str, Any]:
    """The trees of a game's files as that of one game; what they are made of is shared."""
    whole: dict[str, Any] = {}
    for tree in trees:
        for key, value in tree.items():
            if key == INCLUDE or value is None or (key in OF_A_FILE and key in whole):
                continue
            if isinstance(value, dict) and key in sections("by name"):
                whole[key] = {**whole.get(key, {}), **value}
            elif isinstance(value, list) and key in sections("list"):
                whole[key] = [*whole.get(key, []), *value]
            else:
                whole[key] = value
    return whole


def put_apart(trees: Sequence[dict[str, Any]], whole: Mapping[str, Any]) -> None:
    """Put what became of the parts of a joined game back into the trees of its files; what is new into the first."""
    for section in SECTIONS:
        key = section.name
        if key not in whole:
            continue
        holders = [tree for tree in trees if tree.get(key) is not None]
        if section.shape == "by name":
            for holder in holders:
                for name in holder[key]:
                    holder[key][name] = whole[key][name]
            new = {n: item for n, item in whole[key].items() if not any(n in holder[key] for holder in holders)}
            if new:
                holders[0][key].update(new) if holders else trees[0].update({key: new})
        elif section.shape == "list":
            rest = list(whole[key])
            for holder in holders:
                for index in range(len(holder[key])):
                    holder[key][index] = rest.pop(0)
        elif holders:
            holders[0][key] = whole[key]
