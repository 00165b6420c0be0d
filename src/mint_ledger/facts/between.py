"""Values that are known to lie between two numbers, and what becomes of them in arithmetic.

What is not known lies between −∞ and ∞, so a bound that is given is always right.
"""

from __future__ import annotations

import math
import operator
from collections.abc import Callable, Iterable
from dataclasses import dataclass
from itertools import product
from typing import assert_never

from mint_ledger.program.expressions import BinaryOp, CompareOp, UnaryOp

MOST_NAMED = 64


@dataclass(frozen=True, slots=True)
class Between:
    """Values from `low` to `high`; `named` has them one by one where they are few, as numbers of entities are."""

    low: float
    high: float
    named: frozenset[float] | None = None

    @property
    def is_one(self) -> bool:
        """Return whether it can be one value alone."""
        return self.low == self.high

    @property
    def never(self) -> bool:
        """Whether, as a condition, it cannot hold."""
        return self.low == 0.0 == self.high

    @property
    def always(self) -> bool:
        """Whether, as a condition, it holds in any case."""
        return self.low > 0.0 or self.high < 0.0 or (self.named is not None and 0.0 not in self.named)

    def __contains__(self, value: float) -> bool:
        return self.low <= value <= self.high and (self.named is None or value in self.named)


ANY = Between(-math.inf, math.inf)
TRUTH = Between(0.0, 1.0, frozenset((0.0, 1.0)))


def one(value: float) -> Between:
    """One value alone."""
    return Between(value, value, frozenset((value,)))


def some(values: Iterable[float]) -> Between:
    """Any of some values."""
    known = frozenset(values)
    return Between(min(known), max(known), known if len(known) <= MOST_NAMED else None)


def truth(always: bool, never: bool) -> Between:
    """A condition that holds always, never, or now and then."""
    return one(float(always)) if always or never else TRUTH


def joined(first: Between | None, second: Between | None) -> Between | None:
    """Return what is either; none is nothing at all."""
    if first is None or second is None or first == second:
        return second if first is None else first
    named = first.named | second.named if first.named is not None and second.named is not None else None
    if named is not None and len(named) > MOST_NAMED:
        named = None
    return Between(min(first.low, second.low), max(first.high, second.high), named)


def within(value: Between, limits: Between) -> Between:
    """Return what is held within limits."""
    low = min(max(value.low, limits.low), limits.high)
    high = max(min(value.high, limits.high), limits.low)
    return Between(low, high)


def as_truth(value: Between) -> Between:
    """Return whether something holds, as a condition."""
    return truth(value.always, value.never)


def unary(op: UnaryOp, value: Between) -> Between:
    """One operand."""
    low, high = value.low, value.high
    match op:
        case "negate":
            return Between(-high, -low, frozenset(-v for v in value.named) if value.named is not None else None)
        case "not":
            return truth(value.never, value.always)
        case "abs":
            inside = low <= 0.0 <= high
            return Between(0.0 if inside else min(abs(low), abs(high)), max(abs(low), abs(high)))
        case "floor" | "ceil" | "round":
            known = value.named
            if known is not None and all(v == math.floor(v) for v in known if math.isfinite(v)):
                return value
            down, up = (math.ceil if op == "ceil" else math.floor), (math.floor if op == "floor" else math.ceil)
            return Between(_whole(down, low), _whole(up, high))
        case "sqrt":
            return Between(math.sqrt(max(low, 0.0)), math.sqrt(max(high, 0.0)))
        case "exponent":
            return ANY
        case _:
            assert_never(op)


def _whole(way: Callable[[float], int], value: float) -> float:
    return float(way(value)) if math.isfinite(value) else value


def binary(op: BinaryOp, left: Between, right: Between) -> Between:
    """Two operands."""
    a, b, c, d = left.low, left.high, right.low, right.high
    match op:
        case "+":
            between = ANY if _mixed(a, c) or _mixed(b, d) else Between(a + c, b + d)
        case "-":
            between = ANY if _mixed(a, -d) or _mixed(b, -c) else Between(a - d, b - c)
        case "*":
            between = _hull(_times(x, y) for x in (a, b) for y in (c, d))
        case "/":
            endless = math.inf in (-a, b) and math.inf in (-c, d)
            between = (
                _hull(_over(x, y) for x in (a, b) for y in (c, d)) if (c > 0.0 or d < 0.0) and not endless else ANY
            )
        case "min":
            between = Between(min(a, c), min(b, d))
        case "max":
            between = Between(max(a, c), max(b, d))
        case "scale":
            return ANY
        case _:
            assert_never(op)
    if left.named is not None and right.named is not None and len(left.named) * len(right.named) <= MOST_NAMED:
        return _one_by_one(op, left.named, right.named, between)
    return between


def _one_by_one(op: BinaryOp, left: frozenset[float], right: frozenset[float], between: Between) -> Between:
    ways: dict[str, Callable[[float, float], float]] = {
        "+": operator.add,
        "-": operator.sub,
        "*": operator.mul,
        "min": min,
        "max": max,
    }
    if op not in ways:
        return between
    values = [ways[op](x, y) for x, y in product(left, right)]
    return between if any(map(math.isnan, values)) else some(values)


def compared(op: CompareOp, left: Between, right: Between) -> Between:
    """Return whether a comparison holds."""
    a, b, c, d = left.low, left.high, right.low, right.high
    match op:
        case "<":
            return truth(b < c, a >= d)
        case "<=":
            return truth(b <= c, a > d)
        case ">":
            return truth(a > d, b <= c)
        case ">=":
            return truth(a >= d, b < c)
        case "==" | "!=":
            same = a == b == c == d and math.isfinite(a)
            apart = b < c or a > d
            if left.named is not None and right.named is not None:
                apart = apart or not left.named & right.named
            return truth(same, apart) if op == "==" else truth(apart, same)
        case _:
            assert_never(op)


def _mixed(first: float, second: float) -> bool:
    return math.isinf(first) and math.isinf(second) and first != second


def _times(first: float, second: float) -> float:
    return 0.0 if 0.0 in (first, second) else first * second


def _over(first: float, second: float) -> float:
    return math.copysign(0.0, first) if math.isinf(second) else first / second


def _hull(values: Iterable[float]) -> Between:
    known = list(values)
    return Between(min(known), max(known))
