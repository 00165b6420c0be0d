"""A draw that is still open: the reference engine works with it as with a number, until something asks.

What asks is a comparison (a chance) or a floor (dice, whole, pick). Then the ways that it can turn out are branched,
and the draw is narrowed to the part in which it did. What would need the number itself cannot be counted.
"""

from __future__ import annotations

import math
from collections.abc import Collection, Sequence
from itertools import pairwise
from typing import NamedTuple

MOST_WAYS = 1_000


class NotCountable(Exception):
    """A draw is used in a way that has endlessly many outcomes."""


class Fork(NamedTuple):
    """A place at which ways part: whether a player decides there, which way was taken, and its chance."""

    decides: bool
    taken: int
    chance: float


class Branching:
    """All ways through one step: plays them one after another, each with its chance.

    Args:
        decisions: the places of draws that stand for decisions.

    Attributes:
        path: where the way that is being gone parted from others.
    """

    def __init__(self, decisions: Collection[int] = ()) -> None:
        self._decisions = frozenset(decisions)
        self._taken: list[int] = []
        self._ways: list[int] = []
        self._position = 0
        self.chance = 1.0
        self.path: list[Fork] = []

    def begin(self) -> None:
        """Go the next way from its start."""
        self._position = 0
        self.chance = 1.0
        self.path = []

    def choose(self, chances: Sequence[float], *, decides: bool = False) -> int:
        """Which of some outcomes it is on this way; those without a chance never are."""
        possible = [index for index, chance in enumerate(chances) if chance > 0.0]
        if len(possible) == 1:
            return possible[0]
        index = possible[self._next(len(possible))]
        self._go(index, chances[index], decides=decides)
        return index

    def choose_half(self, first: float, second: float, *, decides: bool) -> int:
        """Which of two outcomes it is on this way; both have a chance."""
        index = self._next(2)
        self._go(index, second if index else first, decides=decides)
        return index

    def _next(self, ways: int) -> int:
        """Which of so many ways is gone at the next fork."""
        if self._position == len(self._taken):
            self._taken.append(0)
            self._ways.append(ways)
        self._position += 1
        return self._taken[self._position - 1]

    def _go(self, index: int, chance: float, *, decides: bool) -> None:
        self.chance *= chance
        self.path.append(Fork(decides, index, chance))

    def advance(self) -> bool:
        """Turn to the next way; whether there is one."""
        while self._taken and self._taken[-1] + 1 == self._ways[-1]:
            self._taken.pop()
            self._ways.pop()
        if not self._taken:
            return False
        self._taken[-1] += 1
        return True

    def draw(self, _: int, place: int, *__: int) -> OpenDraw:
        """A new draw; the arguments are those of the engines' own draws."""
        return OpenDraw(_Draw(self, decides=place in self._decisions), 1.0, 0.0)


class _Draw:
    """What is known of a uniform number: it lies in [low, high)."""

    def __init__(self, branching: Branching, *, decides: bool) -> None:
        self.branching, self.decides = branching, decides
        self.low, self.high = 0.0, 1.0

    def narrow(self, edges: Sequence[float]) -> int:
        """Between which of some edges (low to high) it lies; counted from 0."""
        inner = [min(max(edge, self.low), self.high) for edge in edges]
        ends = [self.low, *inner, self.high]
        width = self.high - self.low
        chosen = self.branching.choose([(b - a) / width for a, b in pairwise(ends)], decides=self.decides)
        self.low, self.high = ends[chosen], ends[chosen + 1]
        return chosen

    def is_below(self, edge: float) -> bool:
        """Return whether it lies below an edge; most often only one of both can be."""
        low, high = self.low, self.high
        if edge <= low or edge >= high:
            return edge > low
        width = high - low
        if self.branching.choose_half((edge - low) / width, (high - edge) / width, decides=self.decides):
            self.low = edge
            return False
        self.high = edge
        return True


class OpenDraw:
    """offset + scale · u of a draw u that is still open."""

    __slots__ = ("draw", "offset", "scale")
    __hash__ = None  # type: ignore[assignment]

    def __init__(self, draw: _Draw, scale: float, offset: float) -> None:
        self.draw, self.scale, self.offset = draw, scale, offset

    def _with(self, scale: float, offset: float) -> OpenDraw | float:
        return OpenDraw(self.draw, scale, offset) if scale != 0.0 else offset

    def __add__(self, other: object) -> OpenDraw | float:
        return self._with(self.scale, self.offset + _number(other))

    __radd__ = __add__

    def __sub__(self, other: object) -> OpenDraw | float:
        return self._with(self.scale, self.offset - _number(other))

    def __rsub__(self, other: object) -> OpenDraw | float:
        return self._with(0.0 - self.scale, _number(other) - self.offset)

    def __mul__(self, other: object) -> OpenDraw | float:
        factor = _number(other)
        return self._with(self.scale * factor, self.offset * factor)

    __rmul__ = __mul__

    def __truediv__(self, other: object) -> OpenDraw | float:
        divisor = _number(other)
        return self._with(self.scale / divisor, self.offset / divisor)

    def _is_below(self, other: object) -> bool:
        """Return whether it is less than a number; the number itself has no chance."""
        edge = (_number(other) - self.offset) / self.scale
        is_first = self.draw.is_below(edge)
        return is_first if self.scale > 0.0 else not is_first

    __lt__ = __le__ = _is_below

    def __gt__(self, other: object) -> bool:
        return not self._is_below(other)

    __ge__ = __gt__

    def __floor__(self) -> int:
        ends = sorted(self.offset + self.scale * u for u in (self.draw.low, self.draw.high))
        first, last = math.floor(ends[0]), math.ceil(ends[1]) - 1
        if last - first >= MOST_WAYS:
            raise NotCountable
        edges = sorted((whole - self.offset) / self.scale for whole in range(first + 1, last + 1))
        chosen = self.draw.narrow(edges)
        return first + chosen if self.scale > 0.0 else last - chosen

    def _refuse(self, *_: object) -> float:
        raise NotCountable

    __float__ = __abs__ = __eq__ = __ne__ = __bool__ = __int__ = _refuse  # type: ignore[assignment]
    __neg__ = __mod__ = __pow__ = __rtruediv__ = __trunc__ = __index__ = _refuse


def _number(value: object) -> float:
    if isinstance(value, OpenDraw):
        raise NotCountable
    return float(value)  # type: ignore[arg-type]
