"""Where a place of a text stands among keys and lists, also while the text is being typed and is no YAML yet.

It goes by indentation, brackets and quotes alone; what stands there means nothing here.
"""

from __future__ import annotations

import re
from dataclasses import dataclass, field
from typing import Literal

from mint_ledger.program.handle import Path

_KEY = re.compile(r"""("(?:[^"\\]|\\.)*"|'(?:[^']|'')*'|[^\s{}\[\],#"'&*!|>%@`][^#]*?)\s*:(?=\s|$)""")
_FLOW_KEY = re.compile(r"""("(?:[^"\\]|\\.)*"|'(?:[^']|'')*'|[^\s{}\[\],"'][^{}\[\],]*?)\s*:(?=[\s,}\]]|$)""")
_MARK = re.compile(r"[&!][^\s,\[\]{}]*\s+")
_BLOCK = re.compile(r"[|>][-+0-9]*\s*(#.*)?$")


@dataclass(frozen=True, slots=True)
class Spot:
    """Where a place of a text stands.

    Attributes:
        path: the keys and numbers of items down to it; where a key stands, those of the mapping around it.
        at: whether a key stands there, a value, or (as a lone word in a list) either.
        begun: what stands there before the place, from the beginning of the key or value.
        keys: the keys that the mapping around has.
    """

    path: Path
    at: Literal["key", "value", "either"]
    begun: str
    keys: frozenset[str] = frozenset()


@dataclass
class _Flow:
    """A bracket that is open."""

    opener: str
    part: str | int | None
    keys: set[str] = field(default_factory=set)


def spot_at(text: str, line: int, column: int) -> Spot | None:
    """Return where a place stands, by its line and column from 0; none in a comment."""
    return _Walk(text, line, column).spot()


class _Walk:
    """Goes through the lines of a text up to a place, and on for the keys that stand behind it."""

    def __init__(self, text: str, line: int, column: int) -> None:
        self.lines = text.split("\n")
        self.at = (line, column)
        self.block: list[tuple[int, str | int]] = []
        self.flow: list[_Flow] = []
        self.known: dict[Path, set[str]] = {}
        self.quote = ""
        self.begun = ""
        # Lines of a text in a block are deeper than this.
        self.deeper: int | None = None
        self.found: Spot | None = None
        self.over = False

    def spot(self) -> Spot | None:
        for number, line in enumerate(self.lines):
            self._line(number, line.rstrip("\r"))
        if self.found is None or self.found.at == "value":
            return self.found
        return Spot(self.found.path, self.found.at, self.found.begun, frozenset(self.known.get(self.found.path, ())))

    def _path(self) -> Path:
        inner = [bracket.part for bracket in self.flow if bracket.part is not None]
        return (*(part for _, part in self.block), *inner)

    def _see(self, number: int, begin: int, end: int, path: Path, at: Literal["key", "value", "either"]) -> None:
        """Note that a key or value goes from one column of a line to another; the place may be in it."""
        line, column = self.at
        if self.found is None and number == line and begin <= column <= end:
            before = self.begun + self.lines[number][begin:column]
            self.found = Spot(path, at, before.lstrip())

    def _note(self, path: Path, key: str) -> str:
        name = key.strip().strip("\"'")
        self.known.setdefault(path, set()).add(name)
        return name

    def _line(self, number: int, line: str) -> None:
        if self.flow or self.quote:
            self._in_flow(number, line, 0) if self.flow else self._quoted(number, line, 0)
            return
        indent = len(line) - len(line.lstrip(" "))
        content = line[indent:]
        if self.deeper is not None and (not content or indent > self.deeper):
            self._see(number, 0, len(line), self._path(), "value")
            return
        self.deeper = None
        if not content:
            # A key may begin here, as deep as the place stands.
            if number == self.at[0] and self.found is None:
                self._close(self.at[1], is_item=False, is_blank=True)
                self._see(number, 0, len(line), self._path(), "key")
            return
        if content.startswith("#") or (indent == 0 and content in ("---", "...")):
            return
        self._content(number, line, indent)

    def _close(self, column: int, *, is_item: bool, is_blank: bool = False) -> None:
        """Leave the parts that end before something that begins in a column."""
        while self.block:
            depth, part = self.block[-1]
            same = depth == column and (is_item != isinstance(part, str))
            if depth > column or (depth == column and not (is_item and isinstance(part, str))) or (same and is_blank):
                self.block.pop()
            else:
                return

    def _content(self, number: int, line: str, column: int) -> None:
        if line[column:] == "-" or line[column:].startswith("- "):
            before = next((part for depth, part in reversed(self.block) if depth == column), None)
            index = before + 1 if isinstance(before, int) else 0
            self._close(column, is_item=True)
            self.block.append((column, index))
            rest = column + 1
            while rest < len(line) and line[rest] == " ":
                rest += 1
            if rest >= len(line) or line[rest] == "#":
                self._see(number, column + 1, len(line), self._path(), "either")
            else:
                self._content(number, line, rest)
            return
        key = _KEY.match(line, column)
        if key is None:
            if line[column] in "{[":
                self._close(column, is_item=False)
                self._in_flow(number, line, column)
                return
            self._close(column, is_item=False)
            self._value(number, line, column, "either")
            return
        self._close(column, is_item=False)
        around = self._path()
        name = self._note(around, key[1])
        self._see(number, column, key.end(1), around, "key")
        self.block.append((column, name))
        self._value(number, line, key.end(), "value")

    def _value(self, number: int, line: str, begin: int, at: Literal["value", "either"]) -> None:
        """What stands behind a key or a dash."""
        first = begin
        while first < len(line) and line[first] == " ":
            first += 1
        marked = _MARK.match(line, first)
        first = marked.end() if marked is not None else first
        if first < len(line) and line[first] in "{[":
            self._in_flow(number, line, first)
        elif first < len(line) and line[first] in "\"'":
            self.quote = line[first]
            self.begun = ""
            self._quoted(number, line, first + 1)
        elif _BLOCK.match(line, first):
            self.deeper = self.block[-1][0] if self.block else 0
        else:
            comment = line.find(" #", begin)
            end = len(line) if comment < 0 else comment
            # `crab: ` and `- sw`: the second may become a key.
            path = self._path()
            self._see(number, min(first, end) if first < len(line) else begin + 1, end, path, at)

    def _quoted(self, number: int, line: str, begin: int) -> None:
        end = begin
        while end < len(line) and line[end] != self.quote:
            end += 2 if self.quote == '"' and line[end] == "\\" else 1
        self._see(number, begin, min(end, len(line)), self._path(), "value")
        if end < len(line):
            self.quote, self.begun = "", ""
            if self.flow:
                self._in_flow(number, line, end + 1)
        else:
            self.begun += line[begin:] + " "

    def _in_flow(self, number: int, line: str, begin: int) -> None:
        if self.quote:
            self._quoted(number, line, begin)
            return
        column = begin
        while column < len(line):
            letter = line[column]
            if letter in "{[":
                self.flow.append(_Flow(letter, 0 if letter == "[" else None))
                column += 1
                if letter == "{" or line[column:].strip(" ") == "" or line[column] in " ]":
                    self._see(number, column, column, self._path(), "key" if letter == "{" else "either")
            elif letter in "}]":
                self.flow.pop()
                column += 1
                if not self.flow:
                    return
            elif letter == ",":
                top = self.flow[-1]
                top.part = top.part + 1 if isinstance(top.part, int) else None
                column += 1
                rest = len(line) - len(line[column:].lstrip(" "))
                self._see(number, column, rest, self._path(), "key" if top.opener == "{" else "either")
                column = rest
            elif letter == "#" and (column == 0 or line[column - 1] == " "):
                return
            elif letter == " ":
                self._see(number, column, column, self._path(), self._expected())
                column += 1
            else:
                column = self._flow_token(number, line, column)
                if column < 0:
                    return

    def _expected(self) -> Literal["key", "value", "either"]:
        top = self.flow[-1]
        return "either" if top.opener == "[" else "key" if top.part is None else "value"

    def _flow_token(self, number: int, line: str, column: int) -> int:
        """A key or value inside brackets; the column behind it, or -1 where it goes on in the next line."""
        top = self.flow[-1]
        if top.opener == "{" and top.part is None:
            key = _FLOW_KEY.match(line, column)
            if key is not None:
                around = self._path()
                self._see(number, column, key.end(1), around, "key")
                top.part = self._note(around, key[1])
                rest = len(line) - len(line[key.end() :].lstrip(" "))
                self._see(number, key.end() + 1, max(rest, key.end() + 1), self._path(), "value")
                return rest
        if line[column] in "\"'":
            self.quote = line[column]
            self.begun = ""
            end = column + 1
            while end < len(line) and line[end] != self.quote:
                end += 2 if self.quote == '"' and line[end] == "\\" else 1
            self._see(number, column + 1, min(end, len(line)), self._path(), self._expected())
            if end < len(line):
                self.quote = ""
                return end + 1
            self.begun = line[column + 1 :] + " "
            return -1
        end = column
        while end < len(line) and line[end] not in ",]}" and line[end : end + 2] != " #":
            end += 1
        self._see(number, column, end, self._path(), self._expected())
        return end
