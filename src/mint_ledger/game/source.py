"""Reads a game file's text into plain values, and remembers where each of them stands.

The file is untrusted: its size, its nesting and what its aliases unfold to are limited, and nothing but
mappings, lists, texts, numbers and flags comes out of it.
"""

from __future__ import annotations

import math
import posixpath
import re
import stat
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from pathlib import Path
from typing import IO, Any

from mint_ledger.errors import Fault, GameError, Place

MAX_BYTES = 250_000
MAX_VALUES = 50_000
MAX_NESTING = 40
# A reader takes about 0.2 ms for each bracket.
MAX_BRACKETS = 12_000
MAX_ALIASES = 2_000

Path_ = tuple[str | int, ...]


@dataclass(frozen=True, slots=True)
class Source:
    """The plain content of a game file, with the place of every key and value in it.

    Attributes:
        files: the texts of the files that belong to it, by their names beside it.
        included: those of them whose sections are its own.
        table_files: for each table that stands in a file, which; in `data` it has its columns and rows.
    """

    file: str
    data: Any
    text: str = ""
    places: dict[Path_, Place] = field(default_factory=dict)
    files: dict[str, str] = field(default_factory=dict)
    table_files: dict[str, str] = field(default_factory=dict)
    included: tuple[str, ...] = ()

    def beside(self, name: str) -> str:
        """Return how a file is called that stands beside this one."""
        return posixpath.join(posixpath.dirname(self.file.replace("\\", "/")), name)

    def name_at(self, place: Place) -> str:
        """The file in which a place stands, by its name beside the game file; empty for that itself."""
        return next((name for name in self.included if self.beside(name) == place.file), "")

    def text_at(self, place: Place) -> str:
        """The text of the file in which a place stands."""
        return self.files.get(self.name_at(place), self.text)

    def place(self, path: Path_) -> Place:
        """Return where `path` stands, or the nearest part of the file that holds it."""
        for length in range(len(path), -1, -1):
            known = self.places.get(path[:length])
            if known:
                return known
        return Place(self.file, 1, 1)


def read_source(path: str | Path) -> Source:
    """Read a game file.

    Raises:
        GameError: there is no such file, or it is no YAML or JSON document of a mapping.
    """
    file = Path(path)
    text = read_text(file)
    return parse_source(text, str(path))


def _fault(file: str, message: str, line: int = 1, column: int = 1) -> GameError:
    return GameError([Fault(Place(file, line, column), "", message)])


def read_text(file: Path, *, missing: str = "; 'mint-ledger new' makes a game to start from") -> str:
    """The text of a file; `missing` goes on with what is told where there is none.

    Raises:
        GameError: there is no such file, or it cannot be read as text.
    """
    name = str(file)
    try:
        if file.is_dir():
            raise _fault(name, "this is a folder, not a game file")
        known = file.stat()
        if not stat.S_ISREG(known.st_mode):
            raise _fault(name, "this is a device or a pipe, not a file; write the game into a file")
        if known.st_size > MAX_BYTES:
            raise _fault(name, f"the file has {known.st_size:,} bytes; a game file may have {MAX_BYTES:,} at most")
        with file.open("rb") as stream:
            # What a file says of its size need not be what comes out of it.
            raw = stream.read(MAX_BYTES + 1)
    except FileNotFoundError:
        raise _fault(name, f"there is no such file{missing}") from None
    except (OSError, ValueError) as error:
        raise _fault(name, f"cannot be read: {getattr(error, 'strerror', None) or error}") from None
    return _as_text(raw, name)


def read_stream(stream: IO[bytes], name: str) -> str:
    """The text that comes out of a stream.

    Raises:
        GameError: it is too long, or no text.
    """
    try:
        raw = stream.read(MAX_BYTES + 1)
    except (OSError, ValueError) as error:
        raise _fault(name, f"cannot be read: {getattr(error, 'strerror', None) or error}") from None
    return _as_text(raw, name)


def _as_text(raw: bytes, name: str) -> str:
    if len(raw) > MAX_BYTES:
        raise _fault(name, f"the file is too long; a game file may have {MAX_BYTES:,} bytes at most")
    try:
        return raw.decode("utf-8-sig")
    except UnicodeDecodeError as error:
        line = raw[: error.start].count(b"\n") + 1
        raise _fault(name, "this is not text in UTF-8; a game file is YAML or JSON", line) from None


def read_list(path: str | Path, key: str) -> Source:
    """Read a file that holds a list, or a mapping in which a list stands under `key`.

    Raises:
        GameError: it cannot be read, or holds no such list.
    """
    source = parse_source(read_text(Path(path), missing=""), str(path), any_shape=True)
    if isinstance(source.data, dict) and isinstance(source.data.get(key), list):
        places = {path[1:]: place for path, place in source.places.items() if path[:1] == (key,)}
        return Source(source.file, source.data[key], source.text, places)
    if not isinstance(source.data, list):
        raise _fault(str(path), f"wants a list of happenings, or a mapping with '{key}:'")
    return source


def parse_source(text: str, file: str = "game", *, any_shape: bool = False) -> Source:
    """Read the text of a game file; see `read_source`."""
    from ruamel.yaml import YAML
    from ruamel.yaml.error import MarkedYAMLError, YAMLError

    if not text.strip():
        raise _fault(file, "the file is empty; 'mint-ledger new' makes a game to start from")
    if _bracket_depth(text) > 2 * MAX_NESTING:
        raise _fault(file, f"the file is nested too deep; the most is {MAX_NESTING}")
    if text.count(",") > MAX_VALUES:
        raise _fault(file, f"the file has more than {MAX_VALUES:,} values, which are the most")
    if text.count("[") + text.count("{") > MAX_BRACKETS:
        raise _fault(file, f"the file has more than {MAX_BRACKETS:,} lists and mappings in brackets: too many")
    aliases = len(_ALIAS.findall(text))
    if aliases > MAX_ALIASES:
        raise _fault(file, f"the file has {aliases:,} aliases, like *name; {MAX_ALIASES:,} are the most")
    if aliases:
        _refuse_unfolding(text, file)
    reader = YAML(typ="rt", pure=True)
    reader.composer.warn_double_anchors = False  # YAML lets a later anchor take a name over
    try:
        # JSON may be indented with tabs, which YAML refuses; a space in their place keeps every column.
        tree = reader.load(text.replace("\t", " ") if text.lstrip().startswith("{") else text)
    except MarkedYAMLError as error:
        mark = error.problem_mark or error.context_mark
        line, column = (mark.line + 1, mark.column + 1) if mark else (1, 1)
        raise _fault(file, _indent_message(error, text) or _yaml_message(error), line, column) from None
    except YAMLError as error:
        raise _fault(file, f"this is not YAML: {str(error).splitlines()[0]}") from None
    except RecursionError:
        raise _fault(file, f"the file is nested too deep; the most is {MAX_NESTING}") from None
    except (ArithmeticError, AssertionError, AttributeError, LookupError, RuntimeError, TypeError, ValueError) as error:
        raise _unreadable(file, text, error) from None
    reading = _Reading(file)
    data = reading.plain(tree, ())
    if not isinstance(data, dict) and not any_shape:
        raise _fault(file, "a game file is a mapping of keys like 'kinds:' and 'rules:'")
    return Source(file, data, text, reading.places)


_ALIAS = re.compile(r"[\s:\[{,]\*\w")


def _refuse_unfolding(text: str, file: str) -> None:
    """Refuse a file whose aliases and merge keys unfold to too many values, before anything is unfolded.

    Raises:
        GameError: they do.
    """
    from ruamel.yaml import YAML
    from ruamel.yaml.error import YAMLError
    from ruamel.yaml.events import AliasEvent, CollectionEndEvent, CollectionStartEvent, ScalarEvent

    sizes: dict[str, int] = {}
    opened: list[tuple[str | None, int]] = []
    total = 0
    try:
        for event in YAML(typ="rt", pure=True).parse(text):
            if isinstance(event, CollectionStartEvent):
                opened.append((event.anchor, total))
                total += 1
            elif isinstance(event, CollectionEndEvent):
                anchor, before = opened.pop()
                if anchor is not None:
                    sizes[str(anchor)] = total - before
            elif isinstance(event, AliasEvent):
                total += sizes.get(str(event.anchor), 1)
            elif isinstance(event, ScalarEvent):
                total += 1
                if event.anchor is not None:
                    sizes[str(event.anchor)] = 1
            if total > 2 * MAX_VALUES:  # keys are counted here as well
                mark = event.start_mark
                message = f"the file unfolds to more than {MAX_VALUES:,} values; aliases multiply them"
                raise _fault(file, message, mark.line + 1, mark.column + 1)
    except (
        YAMLError,
        RecursionError,
        ArithmeticError,
        AssertionError,
        AttributeError,
        LookupError,
        TypeError,
        ValueError,
    ):
        return  # what is no YAML is told by the reader
    except RuntimeError:
        return


def _unreadable(file: str, text: str, error: Exception) -> GameError:
    """Return what the reader trips over without a word on where it stands."""
    digits = re.search(r"\d{4000,}", text)
    if digits is not None:
        line = text[: digits.start()].count("\n") + 1
        column = digits.start() - text.rfind("\n", 0, digits.start())
        return _fault(file, f"a number of {len(digits[0]):,} digits cannot be read; write it as 1e300", line, column)
    merge = re.search(r"^[^#\n]*<<\s*:", text, re.MULTILINE)
    if merge is not None and isinstance(error, AttributeError):
        line = text[: merge.end()].count("\n") + 1
        return _fault(file, "'<<' takes over the mapping that it stands in itself; name another one", line)
    return _fault(file, "a key or value cannot be read; is a mapping or a list used as a key?")


def _bracket_depth(text: str) -> int:
    """Return how deep brackets are nested, before a reader takes long over them."""
    depth = deepest = 0
    for character in text:
        if character in "[{":
            depth += 1
            deepest = max(deepest, depth)
        elif character in "]}":
            depth = max(depth - 1, 0)
    return deepest


def _indent_message(error: Any, text: str) -> str:
    """Return how deep a line has to stand that is indented to no level above it, or nothing if that is not the fault.

    The levels are those of the lines above that are open still: each is as deep as the first line that stands deeper
    than its parent.
    """
    if "expected <block end>" not in str(error.problem) or error.problem_mark is None:
        return ""
    lines = text.split("\n")
    line = lines[error.problem_mark.line]
    depth = len(line) - len(line.lstrip())
    open_levels: list[tuple[int, str]] = []
    for above in lines[: error.problem_mark.line]:
        word = above.strip()
        if not word or word.startswith("#"):
            continue
        deep = len(above) - len(above.lstrip())
        open_levels = [level for level in open_levels if level[0] < deep]
        open_levels.append((deep, word.removeprefix("- ").partition(":")[0]))
    levels = dict(open_levels)
    if depth in levels or not levels:
        return ""
    near = sorted(sorted(levels, key=lambda deep: abs(deep - depth))[:2])
    where = " or ".join(f"{deep} spaces, beside '{levels[deep]}'" for deep in near)
    return f"this line is indented by {depth} spaces, as no line above it; write it with {where}"


def _yaml_message(error: Any) -> str:
    problem = str(error.problem or error.context or "this is not YAML").strip()
    if "duplicate key" in problem:
        return problem.split(" with value")[0].replace("found duplicate key", "this key stands here twice:")
    if "multiple documents" in problem or "expected a single document" in str(error):
        return "a game file holds one document, so '---' may stand only at its top"
    if "'\\t'" in problem:
        return "a tab cannot indent YAML; use spaces"
    hint = ""
    if "found undefined alias" in problem:
        hint = "; YAML reads a bare * as an alias: a pattern wants quotes, like '*.bite'"
    if "mapping values are not allowed" in problem:
        hint = "; a value with a colon in it wants quotes"
    if "flow" in str(error.context or "") or "','" in problem:
        hint = "; inside { } a value with a comma, a colon or a bracket wants quotes, and every bracket an end"
    return f"this is not YAML: {problem}{hint}"


class _Reading:
    """Turns what the YAML reader gives into plain values, counting as it goes (aliases are unfolded)."""

    def __init__(self, file: str) -> None:
        self.file = file
        self.places: dict[Path_, Place] = {}
        self.count = 0

    def plain(self, node: Any, path: Path_) -> Any:
        self.count += 1
        if self.count > MAX_VALUES:
            raise _fault(self.file, f"the file unfolds to more than {MAX_VALUES:,} values; aliases multiply them")
        if len(path) > MAX_NESTING:
            raise _fault(self.file, f"the file is nested too deep; the most is {MAX_NESTING}")
        if isinstance(node, dict):
            return self._mapping(node, path)
        if isinstance(node, (list, tuple, set)):
            return self._list(node, path)
        return self._scalar(node, path)

    def _mapping(self, node: Any, path: Path_) -> dict[str, Any]:
        out: dict[str, Any] = {}
        for key, value in node.items():
            if isinstance(key, Mapping) or (isinstance(key, Sequence) and not isinstance(key, str)):
                here = self.places.get(path, Place(self.file, 1, 1))
                what = "mapping" if isinstance(key, Mapping) else "list"
                raise _fault(self.file, f"a {what} is no key; a key is a name or a number", here.line, here.column)
            name = self._whole(_key_text(key), path)
            spot = _mark(lambda key=key: node.lc.key(key))
            if spot:
                self.places[(*path, name)] = Place(self.file, spot[0] + 1, spot[1] + 1)
            out[name] = self.plain(value, (*path, name))
        return out

    def _whole(self, text: str, path: Path_) -> str:
        """A text in which the halves of a character, as JSON may write them, are one character."""
        if not any("\ud800" <= letter <= "\udfff" for letter in text):
            return text
        try:
            return text.encode("utf-16", "surrogatepass").decode("utf-16")
        except UnicodeDecodeError:
            here = self.places.get(path, Place(self.file, 1, 1))
            message = "half of a character stands here alone; a pair of \\u escapes makes one"
            raise _fault(self.file, message, here.line, here.column) from None

    def _list(self, node: Any, path: Path_) -> list[Any]:
        out: list[Any] = []
        for index, value in enumerate(node):
            spot = _mark(lambda index=index: node.lc.item(index))
            if spot:
                self.places[(*path, index)] = Place(self.file, spot[0] + 1, spot[1] + 1)
            out.append(self.plain(value, (*path, index)))
        return out

    def _scalar(self, node: Any, path: Path_) -> Any:
        if node is None or isinstance(node, bool):
            return node
        kind = type(node).__name__
        if kind == "ScalarBoolean":
            return bool(node)
        if isinstance(node, int):
            return int(node) if abs(int(node)) < 10**300 else math.inf
        if isinstance(node, float):
            return float(node)
        if isinstance(node, str):
            return self._whole(str(node), path)
        place = self.places.get(path, Place(self.file, 1, 1))
        what = "a tag" if "Tag" in kind else "a date" if "Time" in kind or "date" in kind else f"a {kind}"
        raise _fault(self.file, f"{what} has no meaning in a game file", place.line, place.column)


def _key_text(key: Any) -> str:
    if isinstance(key, bool):
        return str(key).lower()
    return str(key)


def _mark(look: Any) -> tuple[int, int] | None:
    try:
        line, column = look()
    except (AttributeError, KeyError, TypeError, IndexError):
        return None
    return int(line), int(column)
