"""Routines that differ in their numbers alone are compiled as one that is handed them.

A thousand rules are a thousand times the same few routines with other slots, dials and callees. For quick code each
sort is compiled once; thorough code keeps the numbers where they are used, unless there are very many of a sort.
"""

from __future__ import annotations

import re
from collections import defaultdict
from collections.abc import Iterable, Sequence
from dataclasses import dataclass, field

MOST_HANDED = 24
"""So many numbers are handed over at most; routines with more that differ stay apart."""
FEWEST = {"quick": 3, "thorough": 50}
"""So many have to be alike; what is handed over costs a run a little."""
SHORT = 8
_VARIES = re.compile(r"( -?[0-9][0-9A-Fx.]*|@[a-z_]+[0-9]\w*)")
_CALLED = re.compile(r"@([a-z_]+[0-9]\w*)\(([^()]*)\)")
_HEAD = re.compile(r"define internal \w+ @(\w+)\((.*?)\)[^\n]*\n")
_TYPE = re.compile(r"\b(?:i1|i8|i32|i64|double|ptr)\b")
_FIXED = ("alloca", "switch", "[")
"""Lines with numbers that have to be constants."""

Column = tuple[str, ...]
"""What stands at one place in each of the routines that are alike."""


@dataclass
class _Shared:
    """What is known so far: the name and what is handed, in the place of each routine that became a call of one."""

    made: list[str] = field(default_factory=list)
    instead: dict[str, tuple[str, str]] = field(default_factory=dict)

    def rewritten(self, text: str) -> str:
        """A routine's text with the calls of those that were shared as calls of what is in their place."""
        return _CALLED.sub(self._call, text)

    def _call(self, call: re.Match[str]) -> str:
        found = self.instead.get(call[1])
        return call[0] if found is None else f"@{found[0]}({call[2]}{found[1]})"

    def share(self, pieces: Sequence[str], routines: Sequence[str], values: Sequence[Sequence[str]]) -> None:
        """Make one of those that are alike, by their names; with numbers that cannot be handed they stay.

        They have the same pieces of text, and between them values of their own.
        """
        name = f"alike{len(self.made)}"
        columns: list[Column] = list(zip(*values, strict=True))
        # The first of each is its own name.
        differing = {column for column in columns[1:] if len(set(column)) > 1}
        if len(differing) > MOST_HANDED:
            return
        registers: dict[tuple[Column, str], str] = {}
        text, line = [pieces[0], f"@{name}", pieces[1]], ""
        for column, before, following in zip(columns[1:], pieces[1:], pieces[2:], strict=False):
            line = before[before.rfind("\n") + 1 :] if "\n" in before else line + before
            value = column[0]
            if column in differing:
                sort = _sort(line, value)
                if sort is None:
                    return
                register = registers.setdefault((column, sort), f"%n{len(registers)}")
                value = register if sort == "ptr" else f" {register}"
            line += value
            text += [value, following]
        one = "".join(text)
        head = _HEAD.match(one)
        assert head is not None, one[:80]
        taken = "".join(f", {sort} {register}" for (_, sort), register in registers.items())
        # What is called so often is not to be put in the place of each call.
        self.made.append(f"{one[: head.end(2)]}{taken}) noinline {{{one[head.end() - 1 :]}")
        for place, routine in enumerate(routines):
            handed = "".join(f", {sort} {column[place].strip()}" for column, sort in registers)
            self.instead[routine] = name, handed


def shared(routines: Iterable[str], fewest: int) -> list[str]:
    """The routines of a module (each `define internal`), with one in the place of those that are alike, where they are
    at least so many.
    """
    texts = {_name(text): text for text in routines}
    by_length = defaultdict(list)
    for name, text in texts.items():
        lines = text.count("\n")
        if _VARIES.match(f"@{name}") and lines >= SHORT:
            by_length[lines].append(name)
    waiting = {name for names in by_length.values() if len(names) >= fewest for name in names}
    called = {name: [callee for callee, _ in _CALLED.findall(texts[name])] for name in waiting}
    # Its head names a routine too; one that calls itself stays as it is.
    waiting = {name for name in waiting if called[name].count(name) == 1}
    callees = {name: (set(called[name]) & waiting) - {name} for name in waiting}
    found = _Shared()
    # Whom a routine calls is settled before it is looked at, so that it calls what is there in the end.
    while ready := [name for name in texts if name in waiting and not callees[name] & waiting]:
        alike: dict[tuple[str, ...], dict[str, Sequence[str]]] = defaultdict(dict)
        for name in ready:
            text = found.rewritten(texts[name]) if callees[name] else texts[name]
            pieces = _VARIES.split(text)
            alike[tuple(pieces[::2])][name] = pieces[1::2]
        for same, group in alike.items():
            if len(group) >= fewest:
                found.share(same, list(group), list(group.values()))
        waiting.difference_update(ready)
    apart = [found.rewritten(text) for name, text in texts.items() if name not in found.instead]
    return [*found.made, *apart]


def _name(text: str) -> str:
    head = _HEAD.match(text)
    assert head is not None, text[:80]
    return head[1]


def _sort(line: str, value: str) -> str | None:
    """The type of a value, by what stands before it in its line; none where it has to be a constant."""
    if any(word in line for word in _FIXED):
        return None
    if value.startswith("@"):
        return "ptr"
    types: Sequence[str] = _TYPE.findall(line)
    return types[-1] if types and types[-1] in ("i64", "double") else None
