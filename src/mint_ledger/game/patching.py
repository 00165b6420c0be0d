"""Puts a number into the text of a game file and leaves all else, comments and layout, as it was.

The new text is read again and held against the content that it should have; where it would not have it, nothing is
changed.
"""

from __future__ import annotations

import copy
import re
from collections.abc import Mapping
from typing import Any

from mint_ledger.errors import BadRequest, GameError, Place
from mint_ledger.game.cast import Cast
from mint_ledger.game.dials import Path, plain_value, turn_data, turn_in_place
from mint_ledger.game.including import joined, put_apart
from mint_ledger.game.source import Source
from mint_ledger.game.table_files import OWN, patched_table, read_again
from mint_ledger.game.writing import own_texts, yaml_dump, yaml_editor

_NUMBER = r"(?:[-+]?(?:\d[\d_]*\.?\d*|\.\d+)(?:[eE][-+]?\d+)?|true|false)"


def variant_source(source: Source, variant: str, dial: str, value: float | bool | str) -> Source | None:
    """A file with one dial set in one of its variants; none where more than that would change."""
    path: Path = ("variants", variant, dial)
    wanted = _set(source.data, path, value)
    texts = _replaced(source, path, value) or _added(source, path, value)
    return read_again(source, texts) if texts is not None and _holds(texts, source, wanted) else None


def patched_source(source: Source, cast: Cast, changes: Mapping[Path, float | bool | str]) -> Source | None:
    """A file's text with some dials set, by their paths, and its content; none where more than numbers would change."""
    for path, value in changes.items():
        plain = _plain(value)
        if _is_in_file(source, path):
            turned = patched_table(source, path, float(plain))
        else:
            turned = _patched(source, cast, path, plain) if source.text else None
        if turned is None:
            return None
        source = turned
    return source


def rewritten_source(source: Source, cast: Cast, changes: Mapping[Path, float | bool | str]) -> Source | None:
    """The same, written again where more than numbers change; comments stay with what they stand beside."""
    if not source.text or any(text.lstrip().startswith("{") for text in own_texts(source).values()):
        return None
    plain = {path: _plain(value) for path, value in changes.items()}
    in_files = {path: value for path, value in plain.items() if _is_in_file(source, path)}
    of_tables = patched_source(source, cast, in_files)
    if of_tables is None:
        return None
    source, plain = of_tables, {path: value for path, value in plain.items() if path not in in_files}
    editor, texts = yaml_editor(), own_texts(source)
    trees = [_written_out(editor.load(text), set()) for text in texts.values()]
    whole = joined(trees)
    turn_in_place(whole, cast, plain)
    put_apart(trees, whole)
    try:
        rewritten = read_again(source, dict(zip(texts, map(yaml_dump, trees), strict=True)))
    except GameError:
        return None
    return rewritten if rewritten.data == turn_data(source.data, cast, plain) else None


def _plain(value: float | bool | str) -> float | bool | str:
    return value if isinstance(value, (bool, str)) else plain_value(value)


def _is_in_file(source: Source, path: Path) -> bool:
    """Return whether a number stands in the file of a table."""
    return path[0] == "tables" and path[1] in source.table_files


def _written_out(node: Any, seen: set[int]) -> Any:
    """A tree in which what was taken over by `*name` is written out, so that a number can be turned in one place."""
    if not isinstance(node, (dict, list)):
        if getattr(node, "anchor", None) is not None:
            node.anchor.value = None
        return node
    if id(node) in seen:
        node = copy.deepcopy(node)
        node.anchor.value = None
    seen.add(id(node))
    for key in list(node) if isinstance(node, dict) else range(len(node)):
        child = node[key]
        written = _written_out(child, seen)
        if written is not child:
            node[key] = written
    return node


def _patched(source: Source, cast: Cast, path: Path, plain: float | bool | str) -> Source | None:
    wanted = turn_data(source.data, cast, {path: plain})
    for where in (path, path[:-1]) if path[-1] == "start" else (path,):
        for texts in (_replaced(source, where, plain), _added(source, where, plain)):
            if texts is None:
                continue
            try:
                turned = read_again(source, texts)
            except GameError:
                continue
            if turned.data == wanted:
                return turned
    return None


_BLOCK = re.compile(r"^variants:[ \t]*(#.*)?\r?\n(?P<indent>[ \t]+)?", re.MULTILINE)


def with_empty_variant(source: Source, name: str) -> Source:
    """The file with a new and empty variant, as the first of its section."""
    if not re.fullmatch(r"[\w][\w -]*", name):
        raise BadRequest(f"'{name}' is no name for a variant; a name has letters, digits, _ and -")
    text = source.text
    match = _BLOCK.search(text)
    if match is not None:
        indent = match["indent"] or "  "
        at = match.end() - len(match["indent"] or "")
        longer = f"{text[:at]}{indent}{name}: {{}}\n{text[at:]}"
    elif source.places.get(("variants",), Place("", 0, 0)).file != source.file:
        longer = f"{text.rstrip()}\n\nvariants:\n  {name}: {{}}\n"
    else:
        longer = ""
    wanted = copy.deepcopy(source.data)
    wanted["variants"] = {name: {}, **(wanted.get("variants") or {})}
    if not longer or not _holds({OWN: longer}, source, wanted):
        raise BadRequest(
            f"the variant '{name}' cannot be added to {source.file}; write 'variants: {{{name}: {{}}}}' first"
        )
    return read_again(source, {OWN: longer})


def _set(data: Any, path: Path, value: float | bool | str) -> Any:
    changed = copy.deepcopy(data)
    node = changed
    for part in path[:-1]:
        node = node[part]
        if node is None:
            return changed
    node[path[-1]] = value
    return changed


def _replaced(source: Source, path: Path, value: float | bool | str) -> dict[str, str] | None:
    """The text of a file with the number at a path replaced; none where no number stands there."""
    place = source.places.get(path)
    if place is None:
        return None
    lines = source.text_at(place).splitlines(keepends=True)
    line, start = lines[place.line - 1], place.column - 1
    key = re.escape(str(path[-1]))
    pattern = rf"(['\"]?{key}['\"]?\s*:\s*)({_NUMBER})" if isinstance(path[-1], str) else rf"()({_NUMBER})"
    match = re.compile(pattern).match(line, start)
    if match is None:
        return None
    lines[place.line - 1] = line[: match.start(2)] + _written(value) + line[match.end(2) :]
    return {source.name_at(place): "".join(lines)}


def _added(source: Source, path: Path, value: float | bool | str) -> dict[str, str] | None:
    """The text of a file with a new entry in the innermost part around a path that is written as `{…}` on one line."""
    for depth in range(len(path) - 1, 0, -1):
        place = source.places.get(path[:depth])
        if place is None:
            continue
        lines = source.text_at(place).splitlines(keepends=True)
        line, start = lines[place.line - 1], place.column - 1
        key = re.escape(str(path[depth - 1]))
        match = re.compile(rf"['\"]?{key}['\"]?\s*:\s*\{{([^{{}}]*)\}}").match(line, start)
        if match is None:
            return None
        inside = match[1].strip()
        entry = _entry(path[depth:], value)
        whole = f"{inside}, {entry}" if inside else entry
        lines[place.line - 1] = line[: match.start(1)] + whole + line[match.end(1) :]
        return {source.name_at(place): "".join(lines)}
    return None


def _written(value: float | bool | str) -> str:
    return str(value).lower() if isinstance(value, bool) else f"{value}"


def _entry(path: Path, value: float | bool | str) -> str:
    """Return what is written for the rest of a path: `stats: {bite: 9}`."""
    if len(path) == 1:
        return f"{path[0]}: {_written(value)}"
    return f"{path[0]}: {{{_entry(path[1:], value)}}}"


def _holds(texts: Mapping[str, str], source: Source, wanted: Any) -> bool:
    try:
        return bool(read_again(source, texts).data == wanted)
    except GameError:
        return False
