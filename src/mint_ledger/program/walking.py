"""How passes walk a program: what a statement or expression is made of comes from its fields, once for all."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import fields
from typing import Any

from mint_ledger.program.expressions import Expr, Local
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Statement

EXPRESSIONS: tuple[type, ...] = Expr.__args__
STATEMENTS: tuple[type, ...] = Statement.__args__


def check_complete(what: str, handled: Iterable[type], wanted: Iterable[type]) -> None:
    """Check that a table or a class has a function for every sort of node.

    Raises:
        TypeError: it lacks some; they are named.
    """
    missing = sorted({kind.__name__ for kind in wanted} - {kind.__name__ for kind in handled})
    if missing:
        raise TypeError(f"{what} has no function for {', '.join(missing)}; write one, as for the others")


Node = Any
"""A statement or an expression; a block is a tuple of statements."""


_FIELDS = {
    kind: tuple(f.name for f in fields(kind) if any(word in str(f.type) for word in ("Expr", "Block")))
    for kind in (*EXPRESSIONS, *STATEMENTS)
}
"""The fields of each sort of node that hold other nodes."""
_LAST_FIRST = {kind: names[::-1] for kind, names in _FIELDS.items()}


def _named(*known: tuple[str, str]) -> dict[type, tuple[str, ...]]:
    """For each sort of node its fields of these names and types."""
    return {
        kind: tuple(f.name for f in fields(kind) if (f.name, str(f.type)) in known)
        for kind in (*EXPRESSIONS, *STATEMENTS)
    }


_LOCALS = {
    kind: names if kind is not Local else ("index",)
    for kind, names in _named(("local", "int"), ("into", "int | None")).items()
}
_COLUMNS = _named(("column", "Column"), ("count", "Column"))
_CALLEES = _named(("procedure", "Handle"), ("function", "str"))


def parts(node: Node) -> tuple[tuple[str, Any], ...]:
    """The fields of a node that hold nodes or tuples of them, with their values."""
    return tuple((name, getattr(node, name)) for name in _FIELDS[type(node)])


def children(node: Node) -> Iterator[Node]:
    """The statements and expressions that a node is directly made of, in the order of its fields."""
    for name in _FIELDS[type(node)]:
        value = getattr(node, name)
        if isinstance(value, tuple):
            yield from value
        elif value is not None:
            yield value


def nodes(value: Node, without: type | None = None) -> Iterator[Node]:
    """All statements and expressions in a node or in a tuple of them, each before what it is made of.

    What nodes of the sort `without` are made of is passed over.
    """
    waiting = [value]
    while waiting:
        now = waiting.pop()
        if isinstance(now, tuple):
            waiting += now[::-1]
        elif now is not None:
            yield now
            if without is None or not isinstance(now, without):
                for name in _LAST_FIRST[type(now)]:
                    waiting.append(getattr(now, name))


def rebuilt(node: Node, change: Callable[[Node], Node]) -> Node:
    """The node with each of its children put through `change`; itself where none of them changes."""
    new: dict[str, Any] = {}
    for name in _FIELDS[type(node)]:
        value = getattr(node, name)
        if isinstance(value, tuple):
            changed: Any = tuple(change(item) for item in value)
            same = all(a is b for a, b in zip(changed, value, strict=True))
        else:
            changed = change(value) if value is not None else None
            same = changed is value
        if not same:
            new[name] = changed
    if not new:
        return node
    return type(node)(**{f.name: new.get(f.name, getattr(node, f.name)) for f in fields(node)})


def named_locals(node: Node) -> tuple[int, ...]:
    """The locals that a node itself names: what it reads, lets, draws, repeats or takes the result of a call into."""
    return tuple(value for name in _LOCALS[type(node)] if (value := getattr(node, name)) is not None)


def named_columns(node: Node) -> tuple[Column, ...]:
    """The columns that a node itself names."""
    return tuple(getattr(node, name) for name in _COLUMNS[type(node)])


def callees(node: Node) -> tuple[Handle | str, ...]:
    """The procedures (by their handles) and functions (by their names) that a node carries out."""
    return tuple(getattr(node, name) for name in _CALLEES[type(node)])


def locals_needed(formulas: Iterable[Expr | None]) -> int:
    """Return how many locals expressions name that see an entity as local 0."""
    return 1 + max((index for node in nodes(tuple(formulas)) for index in named_locals(node)), default=0)
