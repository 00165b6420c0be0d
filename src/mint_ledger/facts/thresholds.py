"""At which numbers a draw turns something: the edges that comparisons cut [0, 1) into, place by place.

`chance: 0.002` cuts at 0.002, a lot at the sums of its weights, `dice(1, 20) == 20` at 19/20, and `dice(3, 6) == 18`
cuts the distribution of the sum at 215/216. Each edge is a function of the dials. A number that depends on the state of
a run has bounds (`facts.bounds`); it cuts at these, and where it is small in any state at tenths of them.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from itertools import product
from statistics import NormalDist

import numpy as np

from mint_ledger.facts.between import Between, joined
from mint_ledger.facts.bounds import Carrying, Locals
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.program import Program
from mint_ledger.program.state import Column
from mint_ledger.program.walking import named_locals, nodes

Number = Callable[[Sequence[float]], float]
"""A number of the program, as a function of the dials."""
Known = tuple[Number, ...]
"""The values that an expression may have: a few numbers."""
Seen = Mapping[int, Between]
"""Between which values numbers from the state of a run lie, by the identity of their expressions."""
Edge = Callable[[Sequence[float], Seen], list[float]]
"""Where a comparison cuts [0, 1), as a function of the dials and of what is known of the state."""
MOST_KNOWN = 8
MOST_EDGES = 64
# A draw of so many equal cells is taken as a number between 0 and 1 itself.
FINE = 2.0**40
NONE = 1.0
# A number from the state cuts whole points one by one where they are so few, and a range at tenths so often.
MOST_WHOLE = 32
TENTHS = 3
SMALL = 0.1
# The most faces, of all dice together, of which the sum is worked out.
MOST_FACES = 4_000


@dataclass(frozen=True)
class FromState:
    """A number that depends on the state of a run, times a number of the dials."""

    value: ex.Expr
    factor: Number


@dataclass(frozen=True)
class DrawValue:
    """A number made of a draw u: `outer` of the whole part of, the normal quantile of, or just `inner` of u.

    `dice` are how many are thrown and their sides where it is a sum; `plus` is added from the state of a run, and a
    plain draw is multiplied by `times` of it. `unsigned` says that its sign is left out at last.
    """

    place: int
    scale: Number
    shift: Number
    shape: str = "plain"
    outer_scale: Number = lambda _: 1.0
    outer_shift: Number = lambda _: 0.0
    dice: tuple[Number, Number] | None = None
    plus: tuple[FromState, ...] = ()
    times: ex.Expr | None = None
    unsigned: bool = False


Value = Known | DrawValue | None


@dataclass(frozen=True)
class DrawingPlace:
    """One place that draws: where its draws are counted, whose they are, and what cuts them.

    Attributes:
        column: where its draws are counted.
        spans: for each run of entities the first, how many, and the hash of the place.
        edges: where comparisons cut [0, 1); where several dice are thrown, the distribution of their sum.
        dice: how many dice are thrown at once and their sides; none for a single draw.
        asks: numbers from the state of a run that edges ask for.
    """

    column: Column
    spans: tuple[tuple[int, int, int], ...]
    edges: tuple[Edge, ...]
    dice: tuple[Number, Number] | None = None
    asks: tuple[ex.Expr, ...] = ()

    def cut(self, dials: Sequence[float], seen: Seen | None = None) -> tuple[float, ...]:
        """The edges with some numbers of the dials, going up within [0, 1]; those that cut nothing are 1."""
        found: list[float] = []
        for edge in self.edges:
            try:
                values = edge(dials, seen or {})
            except (ArithmeticError, ValueError):
                values = [NONE]
            found += [value if 0.0 < value < 1.0 else NONE for value in values]
        return tuple(sorted(found))

    def thrown(self, dials: Sequence[float]) -> tuple[int, int] | None:
        """Return how many dice are thrown at once, and their sides; none for one alone, or for what is no throw."""
        if self.dice is None:
            return None
        count, sides = (number(dials) for number in self.dice)
        if not (count >= 2.0 and sides >= 1.0 and count * sides <= MOST_FACES):
            return None
        return int(count), int(sides)


class _Procedures:
    """A program's procedures as a key: programs that differ in their dials alone share them."""

    def __init__(self, program: Program) -> None:
        self.program, self._held = program, program.procedures

    def __hash__(self) -> int:
        return id(self._held)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Procedures) and other._held is self._held


class _ProceduresAndDials(_Procedures):
    """A program's procedures and its dials' numbers as a key."""

    def __hash__(self) -> int:
        return hash((id(self._held), self.program.dials.numbers))

    def __eq__(self, other: object) -> bool:
        return super().__eq__(other) and isinstance(other, _ProceduresAndDials) and self._numbers == other._numbers

    @property
    def _numbers(self) -> tuple[float, ...]:
        return self.program.dials.numbers


def drawing_places(program: Program) -> tuple[DrawingPlace, ...]:
    """All places of a program whose draws are cut anywhere."""
    return _drawing_places(_Procedures(program))


def numbers_from_state(program: Program) -> Seen:
    """Between which values the numbers from the state lie that edges of its places ask for."""
    if not any(place.asks for place in drawing_places(program)):
        return {}
    return _numbers_from_state(_ProceduresAndDials(program))


@lru_cache(maxsize=16)
def _numbers_from_state(key: _ProceduresAndDials) -> Seen:
    noting = _Noting(key.program, {id(value): value for place in drawing_places(key.program) for value in place.asks})
    noting.run()
    return noting.seen


class _Noting(Carrying):
    """Carries a program out on ranges of values, and notes those of some expressions."""

    def __init__(self, program: Program, asked: Mapping[int, ex.Expr]) -> None:
        self.asked = asked
        self.seen: dict[int, Between] = {}
        super().__init__(program)

    def of(self, e: ex.Expr, frame: Locals) -> Between:
        value = super().of(e, frame)
        if id(e) in self.asked:
            known = joined(self.seen.get(id(e)), value)
            assert known is not None
            self.seen[id(e)] = known
        return value


@lru_cache(maxsize=16)
def _drawing_places(key: _Procedures) -> tuple[DrawingPlace, ...]:
    found: dict[int, DrawingPlace] = {}
    for procedure in key.program.procedures.values():
        if any(isinstance(node, st.Draw) for node in nodes(procedure.body)):
            for place in _Reader(procedure).places():
                known = found.get(place.column.base)
                found[place.column.base] = (
                    replace(place, edges=known.edges + place.edges, asks=known.asks + place.asks) if known else place
                )
    return tuple(found.values())


class _Reader:
    """Reads one procedure from its top; what is assigned more than once is not known."""

    def __init__(self, procedure: st.Procedure) -> None:
        self.procedure = procedure
        self.draws: list[st.Draw] = []
        self.edges: list[list[Edge]] = []
        self.dice: list[tuple[Number, Number] | None] = []
        self.asks: list[list[ex.Expr]] = []
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
        for draw, edges, dice, asks in zip(self.draws, self.edges, self.dice, self.asks, strict=True):
            if edges and len(edges) <= MOST_EDGES:
                yield DrawingPlace(draw.count, draw.places, tuple(edges), dice, tuple(asks))

    def _drawn(self, draw: st.Draw, dice: tuple[Number, Number] | None = None) -> int:
        """Begin with a place; return its number."""
        self.draws.append(draw)
        self.edges.append([])
        self.dice.append(dice)
        self.asks.append([])
        return len(self.draws) - 1

    def _block(self, block: st.Block) -> None:
        for statement in block:
            match statement:
                case st.Draw(local=local, part=part) if part == ex.ZERO:
                    place = self._drawn(statement)
                    if local in self.once:
                        self.known[local] = DrawValue(place, lambda _: 1.0, lambda _: 0.0)
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
        """Read `dice(n, sides)` as it is lowered: a draw of whole points for each, added up."""
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
        dice = (count[0], sides[0])
        place = self._drawn(draw, dice)
        self.known[total] = DrawValue(place, lambda _: 1.0, lambda _: 0.0, "whole", dice=dice)
        return True

    def _look(self, value: ex.Expr) -> None:
        for node in nodes(value):
            if isinstance(node, ex.Compare):
                self._cut(node)

    def _cut(self, node: ex.Compare) -> None:
        left, right, op = self._value(node.left), self._value(node.right), node.op
        number = node.right
        if isinstance(right, DrawValue):
            left, right, number = right, left, node.left
            op = _MIRROR.get(op, op)
        if not isinstance(left, DrawValue) or isinstance(right, DrawValue):
            return
        if right is not None and not left.plus and left.times is None:
            self.edges[left.place] += [_edge(left, op, each) for each in right]
            if left.unsigned:
                self.edges[left.place] += [_edge(left, _MIRROR.get(op, op), _worked(lambda x: -x, n)) for n in right]
            return
        asks = [part.value for part in left.plus] + ([left.times] if left.times is not None else [])
        if right is None:
            asks.append(number)
        self.asks[left.place] += asks
        self.edges[left.place] += [_edge_by_state(left, each) for each in (right if right is not None else (number,))]

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
                return _binary(op, self._value(left), self._value(right), left, right)
            case ex.Apply(function, (argument,)) if function == "normal":
                # Lowered as the middle of one of 2⁵² equal cells: as good as the draw itself.
                drawn = self._value(argument)
                if isinstance(drawn, DrawValue) and drawn.shape == "whole" and not drawn.plus and drawn.times is None:
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
        if op == "floor" and value.shape == "plain" and not value.plus and value.times is None:
            return DrawValue(value.place, value.scale, value.shift, "whole")
        if op == "negate":
            return _moved(value, lambda _: -1.0, lambda _: 0.0)
        if op == "abs" and not value.plus and value.times is None:
            return replace(value, unsigned=True)
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


_MIRROR: dict[ex.CompareOp, ex.CompareOp] = {"<": ">", "<=": ">=", ">": "<", ">=": "<="}
_WORK: dict[str, Callable[[float, float], float]] = {
    "+": lambda a, b: a + b,
    "-": lambda a, b: a - b,
    "*": lambda a, b: a * b,
    "/": lambda a, b: a / b,
    "min": min,
    "max": max,
}


def _binary(op: ex.BinaryOp, left: Value, right: Value, left_is: ex.Expr, right_is: ex.Expr) -> Value:
    if isinstance(left, DrawValue) and isinstance(right, DrawValue):
        return None
    if isinstance(left, DrawValue) or isinstance(right, DrawValue):
        drawn, other, is_first = (left, right, True) if isinstance(left, DrawValue) else (right, left, False)
        assert isinstance(drawn, DrawValue) and not isinstance(other, DrawValue)
        if op in ("min", "max"):
            return drawn  # a limit moves no edge within it
        if drawn.unsigned:
            return None
        if other is None:
            return _with_state(op, drawn, right_is if is_first else left_is, is_first=is_first)
        return _with_number(op, drawn, other[0], is_first=is_first) if len(other) == 1 else None
    if op not in _WORK or left is None or right is None or len(left) * len(right) > MOST_KNOWN:
        return None
    work = _WORK[op]
    return tuple(_worked(work, *pair) for pair in product(left, right))


def _with_number(op: ex.BinaryOp, drawn: DrawValue, number: Number, *, is_first: bool) -> Value:
    """A draw and a number of the dials."""
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


def _with_state(op: ex.BinaryOp, drawn: DrawValue, value: ex.Expr, *, is_first: bool) -> Value:
    """A draw and a number from the state of a run."""
    if op == "+":
        return replace(drawn, plus=(*drawn.plus, FromState(value, lambda _: 1.0)))
    if op == "-" and is_first:
        return replace(drawn, plus=(*drawn.plus, FromState(value, lambda _: -1.0)))
    if op == "-":
        turned = _moved(drawn, lambda _: -1.0, lambda _: 0.0)
        return replace(turned, plus=(*turned.plus, FromState(value, lambda _: 1.0)))
    if op == "*" and drawn.shape == "plain" and not drawn.plus and drawn.times is None:
        return replace(drawn, times=value)
    return None


def _moved(drawn: DrawValue, scale: Number, shift: Number) -> DrawValue:
    """The draw times a number and plus one."""
    a, b = drawn.outer_scale, drawn.outer_shift
    plus = tuple(FromState(part.value, _worked(lambda x, y: x * y, part.factor, scale)) for part in drawn.plus)
    if drawn.shape == "plain" and drawn.times is None:
        c, d = drawn.scale, drawn.shift
        return replace(
            drawn,
            scale=lambda dials: c(dials) * scale(dials),
            shift=lambda dials: d(dials) * scale(dials) + shift(dials),
            plus=plus,
        )
    return replace(
        drawn,
        outer_scale=lambda dials: a(dials) * scale(dials),
        outer_shift=lambda dials: b(dials) * scale(dials) + shift(dials),
        plus=plus,
    )


@lru_cache(maxsize=256)
def sum_of_dice(count: int, sides: int) -> np.ndarray:
    """The chances of 0, 1, 2 … points of N dice, shape (count × sides + 1,); none of 0 dice is 1 of 0 points."""
    one = np.array([0.0] + [1.0 / sides] * sides)
    chances = np.ones(1)
    for _ in range(count):
        chances = np.convolve(chances, one)
    return chances


@lru_cache(maxsize=256)
def dice_below(count: int, sides: int) -> np.ndarray:
    """The chances that N dice show fewer than 0, 1, 2 … points, shape (count × sides + 2,)."""
    chances = np.concatenate(((0.0,), np.cumsum(sum_of_dice(count, sides))))
    chances[-1] = 1.0
    return np.minimum(chances, 1.0)


def _inner(drawn: DrawValue, goal: float, dials: Sequence[float]) -> float:
    """Return which u gives a number: of whole points, the first that gives so many."""
    if drawn.dice is None:
        return (goal - drawn.shift(dials)) / drawn.scale(dials)
    count, sides = (number(dials) for number in drawn.dice)
    if count == 1.0:
        return (goal - 1.0) / sides
    if not (count >= 1.0 and sides >= 1.0 and count * sides <= MOST_FACES):
        return NONE
    chances = dice_below(int(count), int(sides))
    return float(chances[min(max(math.ceil(goal), 0), len(chances) - 1)])


def _is_fine(drawn: DrawValue, dials: Sequence[float]) -> bool:
    return drawn.dice is None and abs(drawn.scale(dials)) >= FINE


def _edge(drawn: DrawValue, op: ex.CompareOp, number: Number) -> Edge:
    """Return where a comparison of a draw with a number turns."""

    def goal_of(dials: Sequence[float]) -> float:
        return (number(dials) - drawn.outer_shift(dials)) / drawn.outer_scale(dials)

    def at_or_above(dials: Sequence[float]) -> float:
        goal = goal_of(dials)
        return _inner(drawn, goal if _is_fine(drawn, dials) else float(math.ceil(goal)), dials)

    def above(dials: Sequence[float]) -> float:
        goal = goal_of(dials)
        return _inner(drawn, goal if _is_fine(drawn, dials) else float(math.floor(goal)) + 1.0, dials)

    def edge(dials: Sequence[float], _: Seen) -> list[float]:
        if drawn.shape == "plain":
            return [_inner(drawn, goal_of(dials), dials)]
        if drawn.shape == "normal":
            return [_inner(drawn, NormalDist().cdf(goal_of(dials)), dials)]
        flips = drawn.outer_scale(dials) < 0.0
        if op in ("==", "!="):
            goal = goal_of(dials)
            return [at_or_above(dials), above(dials)] if goal == math.floor(goal) else [NONE, NONE]
        if op in ("<", ">="):
            return [above(dials) if flips else at_or_above(dials)]
        return [at_or_above(dials) if flips else above(dials)]

    return edge


def _edge_by_state(drawn: DrawValue, number: Number | ex.Expr) -> Edge:
    """Return where a comparison may turn whose number depends on the state of a run."""

    def goals(dials: Sequence[float], seen: Seen) -> tuple[float, float]:
        """The bounds of the number that the draw has to reach."""
        if isinstance(number, Callable):  # type: ignore[arg-type]
            low = high = number(dials)  # type: ignore[operator]
        else:
            known = seen[id(number)]
            low, high = known.low, known.high
        for part in drawn.plus:
            known, factor = seen[id(part.value)], part.factor(dials)
            ends = sorted((known.low * factor, known.high * factor))
            low, high = low - ends[1], high - ends[0]
        a, b = drawn.outer_scale(dials), drawn.outer_shift(dials)
        low, high = sorted(((low - b) / a, (high - b) / a))
        if drawn.times is not None:
            known = seen[id(drawn.times)]
            if known.low < 0.0 or known.high <= 0.0:
                return 0.0, 1.0
            low = max(low, 0.0) / known.high
            high = max(high, 0.0) / known.low if known.low > 0.0 else math.inf
        return low, high

    def edge(dials: Sequence[float], seen: Seen) -> list[float]:
        try:
            low, high = goals(dials, seen)
        except KeyError:
            return [NONE]  # it is never come to
        if math.isnan(low) or math.isnan(high):
            return [NONE]
        if drawn.shape == "whole" and not _is_fine(drawn, dials) and high - low <= MOST_WHOLE:
            points = range(math.ceil(low), math.floor(high) + 2)
            return _padded([_inner(drawn, float(at), dials) for at in points])
        if drawn.shape == "normal":
            low, high = NormalDist().cdf(low), NormalDist().cdf(high)
        ends = sorted((_inner(drawn, low, dials), _inner(drawn, high, dials)))
        return _padded(_tenths(max(ends[0], 0.0), min(ends[1], 1.0)))

    return edge


def _tenths(low: float, high: float) -> list[float]:
    """Edges between two bounds of a chance: the nearer to never and to always, the finer.

    Only a chance that is small whatever the state is cut at tenths; one that may be large is mostly no rare one.
    """
    if not low < 1.0 or not high > 0.0:
        return []
    down = [high / 10.0**k for k in range(1, TENTHS + 1)] if high <= SMALL else []
    up = [1.0 - (1.0 - low) / 10.0**k for k in range(1, TENTHS + 1)] if low >= 1.0 - SMALL else []
    return [low, high, *(at for at in (*down, *up) if low < at < high)]


def _padded(edges: list[float]) -> list[float]:
    """The same with ones that cut nothing, so that few games differ in the number of their cells."""
    return [*edges, *[NONE] * (-len(edges) % 8)]
