"""What the operations of a program do with floats, where Python alone would do it otherwise."""

from __future__ import annotations

import math
from collections.abc import Callable


class ArithmeticStop(Exception):
    """An operation without a result: a division by zero, the root or logarithm of a negative number."""


def rounded(amount: float, how: str) -> float:
    """A whole amount, rounded by its size; nearest takes halves away from zero."""
    size = abs(amount)
    if how == "down":
        whole = math.floor(size)
    elif how == "up":
        whole = math.ceil(size)
    else:
        whole = math.floor(size)
        whole += size - whole >= 0.5
    return float(whole) if amount > 0.0 else 0.0 - float(whole)


def wrapped_over(value: float, low: float, high: float) -> float:
    """A counter that runs over: high + 1 is low again (an 8-bit counter goes from 255 to 0)."""
    size = high - low + 1.0
    return low + (value - low) % size if size > 0.0 else low


def _scaled(value: float, power: float) -> float:
    try:
        return math.ldexp(value, int(max(min(power, 5000.0), -5000.0)))
    except OverflowError:
        return math.copysign(math.inf, value)


def _divided(left: float, right: float) -> float:
    if right == 0.0:
        raise ArithmeticStop("division by zero")
    return left / right


def _root(value: float) -> float:
    if value < 0.0:
        raise ArithmeticStop("the square root of a negative number")
    return math.sqrt(value)


def _floor(value: float) -> float:
    # Asked of the value itself, which may be a draw that is still open (`exact.luck`).
    try:
        return float(math.floor(value)) + 0.0
    except (OverflowError, ValueError):
        return value


def _nearest(value: float) -> float:
    return rounded(value, "nearest") + 0.0 if math.isfinite(value) else value


def _total(items: list[tuple[float, float]]) -> float:
    # A plain loop: Python's sum() compensates from 3.12 on, so its bits differ from version to version.
    total = 0.0
    for _, value in items:
        total += value
    return total


def _arg(items: list[tuple[float, float]], sign: float) -> float:
    chosen, best = -1.0, 0.0
    for entity, value in items:
        if chosen < 0.0 or value * sign < best * sign:
            chosen, best = entity, value
    return chosen


def _extreme(items: list[tuple[float, float]], sign: float) -> float:
    best, found = 0.0, False
    for _, value in items:
        if not found or value * sign < best * sign:
            best, found = value, True
    return best


UNARY: dict[str, Callable[[float], float]] = {
    "negate": lambda a: 0.0 - a,
    "not": lambda a: 1.0 if a == 0.0 else 0.0,
    "abs": abs,
    "floor": _floor,
    "ceil": lambda a: 0.0 - _floor(0.0 - a),
    "round": _nearest,
    "sqrt": _root,
    "exponent": lambda a: float(math.frexp(a)[1]),
}
BINARY: dict[str, Callable[[float, float], float]] = {
    "/": _divided,
    "min": lambda a, b: a if a < b else b,
    "max": lambda a, b: a if a > b else b,
    "scale": _scaled,
}
FOLDS: dict[str, Callable[[list[tuple[float, float]]], float]] = {
    "sum": _total,
    "count": lambda items: float(len(items)),
    "min": lambda items: _extreme(items, 1.0),
    "max": lambda items: _extreme(items, -1.0),
    "any": lambda items: 1.0 if any(value != 0.0 for _, value in items) else 0.0,
    "all": lambda items: 1.0 if all(value != 0.0 for _, value in items) else 0.0,
    "argmin": lambda items: _arg(items, 1.0),
    "argmax": lambda items: _arg(items, -1.0),
}
