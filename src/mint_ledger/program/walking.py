"""How passes walk a program: what a statement or expression is made of comes from its fields, once for all."""

from __future__ import annotations

from collections.abc import Callable, Iterable, Iterator
from dataclasses import fields
from typing import Any

from mint_ledger.program.expressions import Expr, Fold, Local
from mint_ledger.program.statements import Statement

EXPRESSIONS: tuple[type, ...] = Expr.__args__
STATEMENTS: tuple[type, ...] = Statement.__args__
Node = Any
"""A statement or an expression; a block is a tuple of statements."""


def is_node(value: object) -> bool:
    """Whether it is a statement or expression of a program."""
    return type(value) in _FIELDS


_FIELDS = {
    kind: tuple(f.name for f in fields(kind) if any(word in str(f.type) for word in ("Expr", "Block")))
    for kind in (*EXPRESSIONS, *STATEMENTS)
}
"""The fields of each sort of node that hold other nodes."""


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
                waiting += tuple(children(now))[::-1]


def rebuilt(node: Node, change: Callable[[Node], Node]) -> Node:
    """The node with each of its children put through `change`; itself where none of them changes."""
    new: dict[str, Any] = {}
    for name in _FIELDS[type(node)]:
        value = getattr(node, name)
        if isinstance(value, tuple):
            made: Any = tuple(change(item) for item in value)
            same = all(a is b for a, b in zip(made, value, strict=True))
        else:
            made = change(value) if value is not None else None
            same = made is value
        if not same:
            new[name] = made
    if not new:
        return node
    return type(node)(**{f.name: new.get(f.name, getattr(node, f.name)) for f in fields(node)})


def locals_needed(formulas: Iterable[Expr | None]) -> int:
    """How many locals expressions name that see an entity as local 0."""
    return 1 + max((index for formula in formulas if formula is not None for index in _locals(formula)), default=0)


def _locals(e: Expr) -> Iterator[int]:
    if isinstance(e, Local):
        yield e.index
    elif isinstance(e, Fold):
        yield e.local
    for part in children(e):
        yield from _locals(part)
