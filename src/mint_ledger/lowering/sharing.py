"""What stands several times in a formula, once it is written out, is worked out once.

The formulas of stats and limits are written out where they are read, and some operations name what they work with
twice. Parts that come again are the same object here, so that they are found without comparing anything.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterator, Mapping
from typing import assert_never, cast

from mint_ledger.lowering.problem import Problem
from mint_ledger.program import expressions as ex
from mint_ledger.program.building import BlockBuilder
from mint_ledger.program.walking import children, rebuilt

# Smaller parts are worked out where they stand: engines and facts know them by their shape.
SHARED_FROM = 24
MOST_PARTS = 20_000
Parts = frozenset[int]
NONE: Parts = frozenset()


def shared(expression: ex.Expr, builder: BlockBuilder, text: str) -> ex.Expr:
    """The same expression, in which large parts that come again are worked out once, where they surely are.

    Raises:
        Problem: it has too many parts even so.
    """
    sharing = _PartSharing(builder)
    if sharing.size(expression) < 2 * SHARED_FROM:
        return expression
    result = sharing.of(expression)
    parts = sharing.size(result)
    if parts > MOST_PARTS:
        raise Problem(
            f"'{text}' grows to {_about(parts)} parts where all that it reads is written out, and {MOST_PARTS:,} are "
            "the most; keep what it reads several times in a stat that a rule sets"
        )
    return result


def _about(count: int) -> str:
    return f"{count:,}" if count < 10**9 else "more than a billion"


class _PartSharing:
    """Goes through an expression from the parts up; each object is looked at once."""

    def __init__(self, builder: BlockBuilder) -> None:
        self._builder = builder
        self._done: dict[int, ex.Expr] = {}
        self._sizes: dict[int, int] = {}
        self._again: set[int] = set()
        self._certain: dict[int, Parts] = {}
        self._within: dict[int, Parts] = {}
        # Objects are known by their numbers as long as they are kept.
        self._kept: dict[int, ex.Expr] = {}

    def size(self, e: ex.Expr) -> int:
        """Return how many parts an expression has, written out."""
        for part in self._upwards(e, self._sizes):
            self._sizes[id(part)] = 1 + sum(self._sizes[id(child)] for child in children(part))
        return self._sizes[id(e)]

    def of(self, e: ex.Expr) -> ex.Expr:
        """The expression with its parts shared."""
        stands = Counter(id(child) for part in _objects(e) for child in children(part))
        for part in self._upwards(e, self._done):
            new = self._keep(self._bound(cast(ex.Expr, rebuilt(part, lambda child: self._done[id(child)]))))
            self._done[id(part)] = new
            if stands[id(part)] > 1 and self.size(new) >= SHARED_FROM:
                self._again.add(id(new))
        return self._done[id(e)]

    def _keep(self, e: ex.Expr) -> ex.Expr:
        self._kept[id(e)] = e
        return e

    def _upwards(self, e: ex.Expr, done: Mapping[int, object]) -> Iterator[ex.Expr]:
        """All objects that are not done yet, each after what it is made of."""
        waiting = [(e, False)]
        while waiting:
            part, is_ready = waiting.pop()
            if id(part) in done:
                continue
            self._keep(part)
            if is_ready:
                yield part
            else:
                waiting.append((part, True))
                waiting += [(child, False) for child in children(part)]

    def _bound(self, e: ex.Expr) -> ex.Expr:
        """The expression with those parts bound that stand in several of its operands, and surely count in one."""
        if not self._again:
            return e
        stands = Counter(part for operand in children(e) for part in self._parts(operand)[1])
        several = [part for part, count in stands.items() if count > 1 and part in self._parts(e)[0]]
        bound = e
        for part in sorted(several, key=self._sizes.__getitem__, reverse=True):
            value = self._kept[part]
            if sum(part in self._parts(operand)[1] for operand in children(bound)) < 2:
                continue  # it stands in a larger part alone, which is bound for its own sake
            local = self._builder.new_local()
            bound = ex.With(local, value, _replaced(bound, value, ex.Local(local)))
        return bound

    def _parts(self, e: ex.Expr) -> tuple[Parts, Parts]:
        """The parts that come again and are surely worked out where the expression is, and those that may be."""
        for part in self._upwards(e, self._within):
            own = {id(part)} if id(part) in self._again else NONE
            self._within[id(part)] = NONE.union(own, *(self._within[id(child)] for child in children(part)))
            self._certain[id(part)] = NONE.union(own, _certain(part, lambda child: self._certain[id(child)]))
        return self._certain[id(e)], self._within[id(e)]


def _certain(e: ex.Expr, of: Callable[[ex.Expr], Parts]) -> Parts:
    """The parts of an expression that are surely worked out with it."""
    match e:
        case ex.And(items) | ex.Or(items):
            return of(items[0]) if items else NONE
        case ex.Choose(condition, then, other):
            return of(condition) | (of(then) & of(other))
        case ex.Fold():
            return NONE  # there may be nobody
        case ex.Only() | ex.With() | ex.Unary() | ex.Binary() | ex.Compare() | ex.Apply() | ex.Checked():
            # Where what is wanted of `Only` does not hold, the run stops.
            return NONE.union(*map(of, children(e)))
        case ex.Constant() | ex.Dial() | ex.DialOf() | ex.At() | ex.Read() | ex.Local():
            return NONE.union(*map(of, children(e)))
        case ex.Step() | ex.Time() | ex.Due() | ex.Seconds():
            return NONE.union(*map(of, children(e)))
        case _:
            assert_never(e)


def _objects(e: ex.Expr) -> Iterator[ex.Expr]:
    """Each object of an expression once."""
    seen: set[int] = set()
    waiting = [e]
    while waiting:
        part = waiting.pop()
        if id(part) not in seen:
            seen.add(id(part))
            yield part
            waiting += children(part)


def _replaced(e: ex.Expr, part: ex.Expr, by: ex.Expr) -> ex.Expr:
    """The expression with another for one of its parts, wherever that stands."""
    done: dict[int, ex.Expr] = {id(part): by}
    kept: list[ex.Expr] = []

    def change(node: ex.Expr) -> ex.Expr:
        if id(node) not in done:
            kept.append(node)
            done[id(node)] = cast(ex.Expr, rebuilt(node, change))
        return done[id(node)]

    return cast(ex.Expr, rebuilt(e, change))
