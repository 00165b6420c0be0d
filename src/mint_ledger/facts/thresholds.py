"""At which numbers a draw turns something: the edges that comparisons cut [0, 1) into, place by place.

`chance: 0.002` cuts at 0.002, a lot at the sums of its weights, `dice(1, 20) == 20` at 19/20. Each edge is a function
of the dials. Numbers that depend on the state of a run are not known here; what they cut is left out.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import product
from statistics import NormalDist

from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.program import Program
from mint_ledger.program.state import Column
from mint_ledger.program.walking import named_locals, nodes

Number = Callable[[Sequence[float]], float]
"""A number of the program, as a function of the dials."""
Known = tuple[Number, ...]
"""The values that an expression may have: a few numbers."""
MOST_KNOWN = 8
MOST_EDGES = 64
# A draw of so many equal cells is taken as a number between 0 and 1 itself.
FINE = 2.0**40
NONE = 1.0


@dataclass(frozen=True)
class DrawValue:
    """A number made of a draw u: `outer` of the whole part of, the normal quantile of, or just `inner` of u."""

    place: int
    scale: Number
    shift: Number
    shape: str = "plain"
    outer_scale: Number = lambda _: 1.0
    outer_shift: Number = lambda _: 0.0


Value = Known | DrawValue | None


@dataclass(frozen=True)
class DrawingPlace:
    """One place that draws: where its draws are counted, whose they are, and its edges as functions of the dials."""

    column: Column
    spans: tuple[tuple[int, int, int], ...]
    edges: tuple[Number, ...]

    def cut(self, dials: Sequence[float]) -> tuple[float, ...]:
        """The edges with some numbers of the dials, going up within [0, 1]; those that cut nothing are 1."""
        found = []
        for edge in self.edges:
            try:
                value = edge(dials)
            except (ArithmeticError, ValueError):
                value = NONE
            found.append(value if 0.0 < value < 1.0 else NONE)
        return tuple(sorted(found))


class _Procedures:
    """A program's procedures as a key: programs that differ in their dials alone share them."""

    def __init__(self, program: Program) -> None:
        self.program, self._held = program, program.procedures

    def __hash__(self) -> int:
        return id(self._held)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Procedures) and other._held is self._held


def drawing_places(program: Program) -> tuple[DrawingPlace, ...]:
    """All places of a program whose draws are cut anywhere; dice that are thrown several at once are left out."""
    return _drawing_places(_Procedures(program))


@lru_cache(maxsize=16)
def _drawing_places(key: _Procedures) -> tuple[DrawingPlace, ...]:
    found: dict[int, DrawingPlace] = {}
    for procedure in key.program.procedures.values():
        if any(isinstance(node, st.Draw) for node in nodes(procedure.body)):
            for place in _Reader(procedure).places():
                known = found.get(place.column.base)
                found[place.column.base] = replace(place, edges=known.edges + place.edges) if known else place
    return tuple(found.values())


class _Reader:
    """Reads one procedure from its top; what is assigned more than once is not known."""

    def __init__(self, procedure: st.Procedure) -> None:
        self.procedure = procedure
        self.draws: list[st.Draw] = []
        self.edges: list[list[Number]] = []
        self.known: dict[int, Value] = {}
        assigned = Counter(
            local
            for node in nodes(procedure.body)
            if isinstance(node, (st.Let, st.Draw, st.Each, st.Call, ex.Fold, ex.With))
            for local in named_locals(node)
        )
        self.once = {local for local, times in assigned.items() if times == 1}

    def places(self) -> Iterator[DrawingPlace]:
        """The places of the procedure that are cut."""
        self._block(self.procedure.body)
        if self.procedure.result is not None:
            self._look(self.procedure.result)
        for draw, edges in zip(self.draws, self.edges, strict=True):
            if edges and len(edges) <= MOST_EDGES:
                yield DrawingPlace(draw.count, draw.places, tuple(edges))

    def _block(self, block: st.Block) -> None:
        for statement in block:
            match statement:
                case st.Draw(local=local, part=part) if part == ex.ZERO:
                    self.draws.append(statement)
                    self.edges.append([])
                    if local in self.once:
                        self.known[local] = DrawValue(len(self.draws) - 1, lambda _: 1.0, lambda _: 0.0)
                case st.Let(local, value):
                    self._look(value)
                    if local in self.once:
                        self.known[local] = self._value(value)
                case st.If(condition, then, other):
                    self._look(condition)
                    self._block(then)
                    self._block(other)
                case st.Each(body=body, repeat=repeat):
                    if not (repeat is not None and self._throw(body, repeat)):
                        self._block(body)
                case _:
                    for node in nodes(statement):
                        if isinstance(node, ex.Compare):
                            self._cut(node)

    def _throw(self, body: st.Block, repeat: ex.Expr) -> bool:
        """Read `dice(1, sides)` as it is lowered: one draw of whole points. Where more are thrown, nothing is cut."""
        count = self._value(repeat)
        match body:
            case (
                st.Draw(local=local) as draw,
                st.Let(total, ex.Binary("+", ex.Local(same), ex.Binary("+", one, points))),
            ) if total == same and one == ex.ONE:
                if not isinstance(points, ex.Unary) or not isinstance(points.value, ex.Binary):
                    return False
                u, n = points.value.left, points.value.right
                if u != ex.Local(local):
                    return False
                sides = self._value(n)
            case _:
                return False
        if not (isinstance(count, tuple) and isinstance(sides, tuple) and len(count) == len(sides) == 1):
            return False
        how_many, of = count[0], sides[0]
        self.draws.append(draw)
        self.edges.append([])
        self.known[total] = DrawValue(
            len(self.draws) - 1,
            lambda dials: of(dials) if how_many(dials) == 1.0 else math.nan,
            lambda _: 0.0,
            "whole",
            lambda _: 1.0,
            lambda _: 1.0,
        )
        return True

    def _look(self, value: ex.Expr) -> None:
        for node in nodes(value):
            if isinstance(node, ex.Compare):
                self._cut(node)

    def _cut(self, node: ex.Compare) -> None:
        left, right, op = self._value(node.left), self._value(node.right), node.op
        if isinstance(right, DrawValue):
            left, right = right, left
            op = {"<": ">", "<=": ">=", ">": "<", ">=": "<="}.get(op, op)  # type: ignore[assignment]
        if isinstance(left, DrawValue) and isinstance(right, tuple):
            for number in right:
                self.edges[left.place] += _edges(left, op, number)

    def _value(self, e: ex.Expr) -> Value:
        match e:
            case ex.Constant(value):
                return (_constant(value),)
            case ex.Dial(index):
                return (_dial(index),)
            case ex.DialOf(table):
                chosen = [at for at in dict.fromkeys(table) if at >= 0][: MOST_KNOWN + 1]
                return tuple(map(_dial, chosen)) if len(chosen) <= MOST_KNOWN else None
            case ex.Local(index):
                return self.known.get(index)
            case ex.Checked(value) | ex.Only(value):
                return self._value(value)
            case ex.Choose(_, then, other):
                ways = self._value(then), self._value(other)
                if isinstance(ways[0], tuple) and isinstance(ways[1], tuple) and len(ways[0] + ways[1]) <= MOST_KNOWN:
                    return ways[0] + ways[1]
                return None
            case ex.Unary(op, value):
                return _unary(op, self._value(value))
            case ex.Binary(op, left, right):
                return _binary(op, self._value(left), self._value(right))
            case ex.Apply(function, (argument,)) if function == "normal":
                # Lowered as the middle of one of 2⁵² equal cells: as good as the draw itself.
                drawn = self._value(argument)
                if isinstance(drawn, DrawValue) and drawn.shape == "whole":
                    return DrawValue(drawn.place, lambda _: 1.0, lambda _: 0.0, "normal")
        return None


def _dial(index: int) -> Number:
    return lambda dials: dials[index]


def _constant(value: float) -> Number:
    return lambda _: value


def _worked(work: Callable[..., float], *numbers: Number) -> Number:
    return lambda dials: work(*(number(dials) for number in numbers))


def _unary(op: ex.UnaryOp, value: Value) -> Value:
    if isinstance(value, DrawValue):
        if op == "floor" and value.shape == "plain":
            return DrawValue(value.place, value.scale, value.shift, "whole")
        return None
    known: dict[str, Callable[[float], float]] = {
        "negate": lambda x: -x,
        "abs": abs,
        "floor": lambda x: float(math.floor(x)),
        "ceil": lambda x: float(math.ceil(x)),
        "sqrt": math.sqrt,
        "not": lambda x: float(x == 0.0),
    }
    if value is None or op not in known:
        return None
    work = known[op]
    return tuple(_worked(work, number) for number in value)


_WORK: dict[str, Callable[[float, float], float]] = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "/": lambda a, b: a / b,
    "min": min,
    "max": max,
}


def _binary(op: ex.BinaryOp, left: Value, right: Value) -> Value:
    if op not in _WORK or left is None or right is None:
        return None
    work = _WORK[op]
    if isinstance(left, tuple) and isinstance(right, tuple):
        if len(left) * len(right) > MOST_KNOWN:
            return None
        return tuple(_worked(work, *pair) for pair in product(left, right))
    if isinstance(left, DrawValue) and isinstance(right, DrawValue):
        return None
    drawn, other = (left, right) if isinstance(left, DrawValue) else (right, left)
    if not isinstance(drawn, DrawValue) or not isinstance(other, tuple) or len(other) != 1:
        return None
    number, is_first = other[0], drawn is left
    if op == "+":
        return _moved(drawn, lambda _: 1.0, number)
    if op == "-":
        if is_first:
            return _moved(drawn, lambda _: 1.0, lambda dials: -number(dials))
        return _moved(drawn, lambda _: -1.0, number)
    if op == "*":
        return _moved(drawn, number, lambda _: 0.0)
    if op == "/" and is_first:
        return _moved(drawn, lambda dials: 1.0 / number(dials), lambda _: 0.0)
    return None


def _moved(drawn: DrawValue, scale: Number, shift: Number) -> DrawValue:
    """The draw times a number and plus one."""
    a, b = drawn.outer_scale, drawn.outer_shift
    if drawn.shape == "plain":
        c, d = drawn.scale, drawn.shift
        return DrawValue(
            drawn.place,
            lambda dials: c(dials) * scale(dials),
            lambda dials: d(dials) * scale(dials) + shift(dials),
        )
    return DrawValue(
        drawn.place,
        drawn.scale,
        drawn.shift,
        drawn.shape,
        lambda dials: a(dials) * scale(dials),
        lambda dials: b(dials) * scale(dials) + shift(dials),
    )


def _edges(drawn: DrawValue, op: ex.CompareOp, number: Number) -> list[Number]:
    """Return where a comparison of a draw with a number turns."""

    def inner(goal: float, dials: Sequence[float]) -> float:
        return (goal - drawn.shift(dials)) / drawn.scale(dials)

    def goal_of(dials: Sequence[float]) -> float:
        return (number(dials) - drawn.outer_shift(dials)) / drawn.outer_scale(dials)

    if drawn.shape == "plain":
        return [lambda dials: inner(number(dials), dials)]
    if drawn.shape == "normal":
        return [lambda dials: inner(NormalDist().cdf(goal_of(dials)), dials)]

    def at_or_above(dials: Sequence[float]) -> float:
        goal = goal_of(dials)
        return inner(float(math.ceil(goal)), dials) if not abs(drawn.scale(dials)) >= FINE else inner(goal, dials)

    def above(dials: Sequence[float]) -> float:
        goal = goal_of(dials)
        return (
            inner(float(math.floor(goal)) + 1.0, dials) if not abs(drawn.scale(dials)) >= FINE else inner(goal, dials)
        )

    def flips(dials: Sequence[float]) -> bool:
        return drawn.outer_scale(dials) < 0.0

    if op in ("==", "!="):
        return [
            lambda dials: at_or_above(dials) if goal_of(dials) == math.floor(goal_of(dials)) else NONE,
            lambda dials: above(dials) if goal_of(dials) == math.floor(goal_of(dials)) else NONE,
        ]
    if op in ("<", ">="):
        return [lambda dials: above(dials) if flips(dials) else at_or_above(dials)]
    return [lambda dials: at_or_above(dials) if flips(dials) else above(dials)]
