"""Gives a name of a game another one, wherever the file says it.

What may say the name is changed, and the game that comes of it is held against the one before: they have to be the
same except for their names, else nothing is changed.
"""

from __future__ import annotations

import re
from collections.abc import Callable, Iterator, Mapping
from dataclasses import dataclass, fields, is_dataclass
from typing import Any

from mint_ledger.editing.analysis import Analysis, analyzed
from mint_ledger.editing.cursor import spot_at
from mint_ledger.editing.names import SINGULAR, Name, name_meant, names_of_sort, token_at
from mint_ledger.editing.standing import is_name
from mint_ledger.errors import BadRequest, Place
from mint_ledger.game.source import Path_, Source
from mint_ledger.program.handle import Path

# Texts for people, in which a name is a word like others; in those with braces it is a name within these.
_FREE = ("title", "about", "label", "because", "name", "group")
_BRACES = ("tell", "line", "readout")
# Numbers beyond this are hashes of places, in which names stand.
_HASH = 2**31


@dataclass(frozen=True, slots=True)
class Edit:
    """A text in the place of what stands in a file, from column to column of a line; all from 0."""

    file: str
    line: int
    first: int
    last: int
    text: str


def renamed(analysis: Analysis, name: Name, new: str) -> list[Edit]:
    """Return what changes in which files where a name is given another one.

    Raises:
        BadRequest: it cannot be; the message says why.
    """
    source, old = analysis.source, name.text
    if not analysis.is_right or source is None or analysis.played is None:
        raise BadRequest("the game has faults; they have to be fixed before something in it is renamed")
    if new == old:
        return []
    _check(analysis, name, new)
    edits = [edit for file, text in _texts(source).items() for edit in _edits(file, text, name, new)]
    texts = {file: applied(text, [e for e in edits if e.file == file]) for file, text in _texts(source).items()}
    read = _reader(source, texts)
    after = analyzed(texts[source.file], source.file, read)
    if not after.is_right or after.played is None:
        fault = after.faults[0] if after.faults else None
        told = f": {fault.message} (line {fault.place.line})" if fault is not None else ""
        raise BadRequest(f"'{old}' cannot become '{new}'{told}")
    programs = (analysis.played.lowered.program, after.played.lowered.program)
    if _bare(programs[0]) != _bare(programs[1]):
        raise BadRequest(f"'{old}' cannot become '{new}' without changing more than its name; change it by hand")
    return edits


def name_to_rename(analysis: Analysis, text: str, line: int, column: int) -> Name:
    """The name at a place of a text.

    Raises:
        BadRequest: none stands there that the file makes.
    """
    spot, content = spot_at(text, line, column), text.split("\n")[line]
    token = token_at(content, column)
    name = name_meant(analysis, spot, token) if spot is not None and token is not None else None
    if name is None or not name.path or name.sort not in (*SINGULAR.values(), "cue", "value"):
        what = f"'{token.text}'" if token is not None else "what stands there"
        raise BadRequest(f"{what} is no name that can be changed")
    return name


def _check(analysis: Analysis, name: Name, new: str) -> None:
    """Refuse what is the name of several things, or would be.

    Raises:
        BadRequest: it is.
    """
    if not re.fullmatch(r"[^\W\d]\w*", new) or new.startswith("_"):
        raise BadRequest(f"'{new}' is no name; a name has letters, digits and _")
    for text in (name.text, new):
        sorts = _sorts_of(analysis, text)
        if len(sorts) > 1 or (text == new and sorts):
            what = " and ".join(f"a{'n' if sort[0] in 'aeiou' else ''} {sort}" for sort in sorts)
            raise BadRequest(f"'{text}' is {what}{' already' if text == new else '; rename one of them by hand first'}")


def _sorts_of(analysis: Analysis, text: str) -> list[str]:
    """All that is called by a name."""
    game = analysis.played
    assert game is not None
    sorts = [word for section, word in SINGULAR.items() if section != "stats" and text in getattr(game, section)]
    sorts += ["stat"] if any(name.text == text for name in names_of_sort(analysis, "stats")) else []
    sorts += ["cue"] if any(name.text == text for name in names_of_sort(analysis, "cues")) else []
    sites = game.lowered.sites
    lets = {name for seen in sites.seen.values() for name in seen.lets} | {
        n for f in game.formulas.values() for n in f.of
    }
    sorts += ["value of a rule or formula"] if text in lets else []
    sorts += ["rule"] if any(rule.title == text for rule in sites.rules.values()) else []
    columns = {column for table in game.tables.values() for column in table.columns}
    sorts += ["column of a table"] if text in columns else []
    stats = [*game.stats.values(), *(stat for kind in game.kinds.values() for stat in kind.stats.values())]
    words = {word for stat in stats for word in (*(stat.one_of or ()), *(stat.bands or ()))}
    return [*sorts, *(["word"] if text in words else [])]


def _texts(source: Source) -> dict[str, str]:
    """The texts of a game by the names of their files."""
    return {source.file: source.text, **{source.beside(name): source.files[name] for name in source.included}}


def _reader(source: Source, texts: Mapping[str, str]) -> Callable[[str], str]:
    return lambda name: texts.get(source.beside(name), source.files.get(name, ""))


def applied(text: str, edits: list[Edit]) -> str:
    """A text with some changes."""
    lines = text.split("\n")
    for edit in sorted(edits, key=lambda e: (e.line, e.first), reverse=True):
        line = lines[edit.line]
        lines[edit.line] = line[: edit.first] + edit.text + line[edit.last :]
    return "\n".join(lines)


def _edits(file: str, text: str, name: Name, new: str) -> Iterator[Edit]:
    """Return where a text may say a name."""
    word = re.compile(rf"(?<!\w){re.escape(name.text)}(?!\w)")
    within = name.path[:-1] if name.sort == "value" else ()
    if within[-1:] == ("let",):
        within = within[:-1]
    lines = text.split("\n")
    for path, is_key, begin, end in _scalars(text):
        if within and path[: len(within)] != within:
            continue
        if is_key and not is_name(path):
            continue
        free = next((step for step in reversed(path) if isinstance(step, str)), "") if not is_key else ""
        if free in _FREE and not is_name(path):
            continue
        for number in range(begin[0], end[0] + 1):
            first = begin[1] if number == begin[0] else 0
            last = end[1] if number == end[0] else len(lines[number])
            for match in word.finditer(lines[number], first, last):
                if _is_said(lines[number][first:last], match.start() - first, name.text, braces=free in _BRACES):
                    yield Edit(file, number, match.start(), match.end(), new)


def _is_said(text: str, at: int, name: str, *, braces: bool) -> bool:
    """Return whether a word of a scalar may be a name, and is no part of a text for people."""
    if braces and text.rfind("{", 0, at) <= text.rfind("}", 0, at):
        return False
    inner = text[1:-1] if len(text) > 1 and text[0] in "\"'" and text[-1] == text[0] else text
    at -= 1 if inner is not text else 0
    for quote in "'\"":
        # Within quotes of a formula a name stands alone: 'pincer', but not in 'a cold pincer'.
        if inner.count(quote, 0, at) % 2:
            begin, end = inner.rfind(quote, 0, at) + 1, inner.find(quote, at)
            return inner[begin:end] == name
    return True


def _scalars(text: str) -> Iterator[tuple[Path, bool, tuple[int, int], tuple[int, int]]]:
    """All keys and values of a text, with their paths, whether they are keys, and from where to where they go."""
    from ruamel.yaml import YAML
    from ruamel.yaml.nodes import MappingNode, ScalarNode, SequenceNode

    reader = YAML(typ="rt", pure=True)
    reader.composer.warn_double_anchors = False
    seen: set[int] = set()

    def walk(node: Any, path: Path_) -> Iterator[tuple[Path, bool, tuple[int, int], tuple[int, int]]]:
        if id(node) in seen:
            return  # what stands once and is taken over elsewhere
        seen.add(id(node))
        if isinstance(node, MappingNode):
            for key, value in node.value:
                inner = (*path, str(key.value))
                yield inner, True, _from(key.start_mark), _from(key.end_mark)
                yield from walk(value, inner)
        elif isinstance(node, SequenceNode):
            for index, value in enumerate(node.value):
                yield from walk(value, (*path, index))
        elif isinstance(node, ScalarNode):
            yield path, False, _from(node.start_mark), _from(node.end_mark)

    root = reader.compose(text)
    yield from walk(root, ())


def _from(mark: Any) -> tuple[int, int]:
    return int(mark.line), int(mark.column)


def _bare(value: Any) -> Any:
    """Return what a program does, without the names and places in it."""
    if isinstance(value, (str, Place)):
        return ""
    if isinstance(value, bool) or value is None:
        return value
    if isinstance(value, int):
        return value if abs(value) < _HASH else 0
    if isinstance(value, float):
        return repr(value)
    if is_dataclass(value) and not isinstance(value, type):
        return (type(value).__name__, *(_bare(getattr(value, field.name)) for field in fields(value)))
    if isinstance(value, Mapping):
        return ("mapping", *((_bare(key), _bare(item)) for key, item in value.items()))
    if isinstance(value, (list, tuple)):
        return tuple(_bare(item) for item in value)
    if isinstance(value, (set, frozenset)):
        return ("set", *sorted(repr(_bare(item)) for item in value))
    return type(value).__name__
