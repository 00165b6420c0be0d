"""Writes a lowered game out as one flat list of plain values, and makes it of such a list again.

Each value is written once, after all that it is made of, so that what is shared stays shared. Only parts of game files,
programs and what lowering makes of them are written and made; nothing else that a text may name is ever looked up.
"""

from __future__ import annotations

import ast
import importlib
import json
from collections.abc import Callable
from dataclasses import fields, is_dataclass
from typing import Any

from mint_ledger.formula import Formula, PostingText, parse_formula, parse_posting
from mint_ledger.formula.syntax import ALLOWED
from mint_ledger.game.parts import Part
from mint_ledger.program.handle import Handle

# Where the classes of these values stand.
HOMES = ("mint_ledger.errors", "mint_ledger.game.", "mint_ledger.lowering.", "mint_ledger.program.")
_PLAIN = (str, int, float, bool, type(None))
# The numbers of what is built in; classes of our own follow.
_LIST, _TUPLE, _DICT, _FROZENSET, _SET, _RANGE, _HANDLE, _NUMBER, _FORMULA, _TURNED, _TREE, _POSTING, _FIRST_CLASS = (
    range(13)
)


class NotFlat(ValueError):
    """Something that cannot be written out, or a text that nothing can be made of."""


def flatten(value: Any) -> str:
    """A value as text.

    Raises:
        NotFlat: a part of it is of no kind that can be written.
    """
    writing = _Writing()
    writing.number(value)
    content = [writing.classes, list(writing.plain.values()), writing.nodes]
    return json.dumps(content, ensure_ascii=False, separators=(",", ":"))


def unflatten(text: str) -> Any:
    """The value of a text.

    Raises:
        NotFlat: it is no such text, or one of another version.
    """
    try:
        classes, plain, nodes = json.loads(text)
        makers = [*_BUILT_IN, *(_maker(module, name, names) for module, name, names in classes)]
        values: list[Any] = []
        for node in nodes:
            # A number below 0 means one of the plain values.
            parts = [values[at] if at >= 0 else plain[~at] for at in node[1:]]
            values.append(makers[node[0]](parts))
        return values[-1]
    except (ArithmeticError, AttributeError, ImportError, LookupError, RecursionError, TypeError, ValueError) as error:
        raise NotFlat(str(error)) from error


class _Writing:
    """The values that were written so far."""

    def __init__(self) -> None:
        self.plain: dict[tuple[type, str], Any] = {}
        self.nodes: list[list[int]] = []
        self.classes: list[tuple[str, str, list[str]]] = []
        self._plain_at: dict[tuple[type, str], int] = {}
        self._class_at: dict[type, int] = {}
        # By identity; the values are held so that no other comes to stand in the place of one.
        self._at: dict[int, tuple[int, Any]] = {}

    def number(self, value: Any) -> int:
        """Return where a value stands, written now if it was not."""
        if type(value) in _PLAIN:
            # By its text: 0 and -0, 1 and true are not the same.
            key = (type(value), repr(value))
            if key not in self._plain_at:
                self._plain_at[key] = len(self.plain)
                self.plain[key] = value
            return ~self._plain_at[key]
        known = self._at.get(id(value))
        if known is None:
            self.nodes.append(self._node(value))
            known = self._at[id(value)] = len(self.nodes) - 1, value
        return known[0]

    def _node(self, value: Any) -> list[int]:
        kind = type(value)
        if kind in _IN_ORDER:
            return [_IN_ORDER[kind], *map(self.number, value)]
        if kind in (frozenset, set):
            return [_SET if kind is set else _FROZENSET, *map(self.number, sorted(value, key=repr))]
        if kind is dict:
            return [_DICT, *(self.number(part) for pair in value.items() for part in pair)]
        if kind is range:
            return [_RANGE, *map(self.number, (value.start, value.stop, value.step))]
        if kind in _TREES:
            return [_TREE, self.number(kind.__name__), *(self.number(getattr(value, name)) for name in kind._fields)]
        if kind is Formula:
            return self._formula(value)
        if kind is PostingText:
            if parse_posting(value.text) != value:
                raise NotFlat(f"a posting that is no text of a file: {value}")
            return [_POSTING, self.number(value.text)]
        if not kind.__module__.startswith(HOMES):
            raise NotFlat(f"a {kind.__qualname__} cannot be written out")
        if is_dataclass(kind):
            names = [part.name for part in fields(kind)]
            return [self._class(kind, names), *(self.number(getattr(value, name)) for name in names)]
        if isinstance(value, Part) and not value.model_extra and not kind.__private_attributes__:
            names = list(kind.model_fields)
            head = self.number((value.model_extra is not None, *sorted(value.model_fields_set)))
            return [self._class(kind, names), head, *(self.number(getattr(value, name)) for name in names)]
        raise NotFlat(f"a {kind.__qualname__} cannot be written out")

    def _formula(self, value: Formula) -> list[int]:
        if isinstance(value.tree, ast.Constant) and value.number is not None:
            return [_NUMBER, *map(self.number, (value.text, value.number, value.is_flag))]
        again = parse_formula(value.text)
        if again == value and ast.dump(again.tree) == ast.dump(value.tree):
            return [_FORMULA, self.number(value.text)]
        # Lowering made something else of its tree.
        return [_TURNED, *map(self.number, (value.text, value.tree, value.number, value.is_flag))]

    def _class(self, kind: type, names: list[str]) -> int:
        if kind not in self._class_at:
            self._class_at[kind] = _FIRST_CLASS + len(self.classes)
            self.classes.append((kind.__module__, kind.__qualname__, names))
        return self._class_at[kind]


_TREES = frozenset(ALLOWED)
_TREE_NAMES: dict[str, Any] = {kind.__name__: kind for kind in _TREES}
_IN_ORDER = {list: _LIST, tuple: _TUPLE, Handle: _HANDLE}
_Maker = Callable[[list[Any]], Any]
_BUILT_IN: list[_Maker] = [
    lambda parts: parts,
    tuple,
    lambda parts: dict(zip(parts[::2], parts[1::2], strict=True)),
    frozenset,
    set,
    lambda parts: range(*parts),
    lambda parts: Handle(*parts),
    lambda parts: _number(*parts),
    lambda parts: parse_formula(parts[0]),
    lambda parts: Formula(*parts),
    lambda parts: _TREE_NAMES[parts[0]](*parts[1:]),
    lambda parts: parse_posting(parts[0]),
]


def _number(text: str, number: float, is_flag: bool) -> Formula:
    return Formula(text, ast.Constant(bool(number) if is_flag else number), number, is_flag)


def _maker(module: str, name: str, names: list[str]) -> _Maker:
    """Return what makes a value of a class of its parts."""
    if not module.startswith(HOMES):
        raise NotFlat(f"{module} holds nothing that is written out")
    kind: Any = getattr(importlib.import_module(module), name)
    if not isinstance(kind, type) or kind.__module__ != module:
        raise NotFlat(f"{module}.{name} is no class")
    if is_dataclass(kind):
        if [part.name for part in fields(kind)] != names:
            raise NotFlat(f"{name} has other fields now")
        return lambda parts: kind(*parts)
    if not issubclass(kind, Part) or list(kind.model_fields) != names:
        raise NotFlat(f"{name} has other fields now")

    def part(parts: list[Any]) -> Any:
        # As pydantic makes a copy: what was once looked at is not looked at again.
        made = kind.__new__(kind)
        made.__setstate__(
            {
                "__dict__": dict(zip(names, parts[1:], strict=True)),
                "__pydantic_fields_set__": set(parts[0][1:]),
                "__pydantic_extra__": {} if parts[0][0] else None,
                "__pydantic_private__": None,
            }
        )
        return made

    return part
