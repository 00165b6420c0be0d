"""The best that players can do who know everything: all states are walked, and where they choose, the best way counts.

A player of a habit that chooses at random decides wherever it would draw; all other draws stay chance. What each
state is worth is worked out backward from the clock's limit, step by step.

Source: Bellman, "Dynamic programming" (1957), chapter 3.
"""

from __future__ import annotations

import math
import time
from array import array
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import partial
from typing import Any

import numpy as np

from mint_ledger.errors import BadRequest
from mint_ledger.exact.luck import Fork, NotCountable
from mint_ledger.exact.walk import Cut, Over, Walk, Work, not_countable
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.taking import Floats

# States, ends and knots stand in one array of worths: a state's number, or one of these tuples.
End = tuple[str, int]
Target = int | End
"""A state by its number; ("end", number) an end, ("knot", number) a place where ways part."""


@dataclass(frozen=True, slots=True)
class Optimum:
    """The chance to win of players who always choose what is best, knowing everything; and of how many states."""

    wins: float
    states: int


@dataclass
class _Knots:
    """Where ways part: each knot has branches with their chances, and is worth their mean or, at a choice, the best.

    A knot comes after all those that it leads to.
    """

    chosen: list[bool] = field(default_factory=list)
    height: list[int] = field(default_factory=list)
    branches: list[Mapping[Target, float]] = field(default_factory=list)

    def tie(self, branches: Mapping[Target, float], *, chosen: bool) -> Target:
        """The knot of some branches; a branch alone needs none."""
        if len(branches) == 1:
            return next(iter(branches))
        below = [self.height[to[1]] for to in branches if isinstance(to, tuple) and to[0] == "knot"]
        self.chosen.append(chosen)
        self.height.append(1 + max(below, default=0))
        self.branches.append(branches)
        return "knot", len(self.branches) - 1


class _Decided(Walk):
    """A walk that keeps, for each state, how its ways part."""

    knots: _Knots
    begins: list[Target]
    overs: dict[Over, int]

    def begin(self) -> None:
        """Nothing is known yet."""
        self.knots, self.begins, self.overs = _Knots(), [], {}
        self._known: dict[tuple[int, bytes, bool, tuple[float, ...]], Target] = {}

    def walk(self) -> Target:
        """Walk all states that any choice leads to; where it begins."""
        self.begin()
        first = self._tied([(way, self._target(to)) for way, to in self._opened()], 0)
        while len(self.begins) < len(self.waiting):
            number = len(self.begins)
            state, dirty, counts = self.waiting[number]
            self.waiting[number] = (b"", False, ())
            self._depth = self.depths[number] + 1
            if self._depth > self.last:
                break
            self.begins.append(self._from(Cut(0, state, dirty, counts)))
            if self.work.progress is not None and number % 100 == 0:
                self.work.progress(number, len(self.waiting))
        return first

    def _opened(self) -> list[tuple[tuple[Fork, ...], int | Over | Cut]]:
        return [(tuple(self.branching.path), to) for _, to in self._ways(self.engine.open, None)]

    def _from(self, start: Cut) -> Target:
        """Return what a step comes to from a stage of it on."""
        place = (start.stage, start.key, start.dirty, start.counts)
        known = self._known.get(place) if start.stage else None
        if known is None:
            ways = [(tuple(self.branching.path), to) for _, to in self._ways(partial(self._play, start), start.counts)]
            known = self._tied([(way, self._target(to)) for way, to in ways], 0)
            if start.stage:
                self._known[place] = known
        return known

    def _target(self, to: int | Over | Cut) -> Target:
        if isinstance(to, Cut):
            return self._from(to)
        return to if isinstance(to, int) else ("end", self.overs.setdefault(to, len(self.overs)))

    def _tied(self, ways: Sequence[tuple[tuple[Fork, ...], Target]], depth: int) -> Target:
        """The knot in which ways part that were one for so many forks."""
        shared = self._shares(ways, depth)
        return self.knots.tie(shared, chosen=False)

    def _shares(self, ways: Sequence[tuple[tuple[Fork, ...], Target]], depth: int) -> Mapping[Target, float]:
        path, target = ways[0]
        if depth == len(path):
            return {target: 1.0}
        parts: dict[int, list[tuple[tuple[Fork, ...], Target]]] = {}
        for way in ways:
            parts.setdefault(way[0][depth].taken, []).append(way)
        if path[depth].decides:
            best = {self._tied(part, depth + 1): 1.0 for part in parts.values()}
            return {self.knots.tie(best, chosen=True): 1.0}
        shares: dict[Target, float] = defaultdict(float)
        for part in parts.values():
            for to, share in self._shares(part, depth + 1).items():
                shares[to] += part[0][0][depth].chance * share
        return shares


def best_play(
    game: PlayableGame, habit: str, *, states: int, seconds: float = math.inf, progress: Progress | None = None
) -> Optimum:
    """The chance to win of players who always choose what is best, knowing everything.

    Args:
        game: the game.
        habit: a habit that chooses at random; what it may choose among is decided, and nothing else.
        states: give up beyond so many.
        seconds: give up after so long.
        progress: is told how many states were gone on from, and how many are known.

    Raises:
        BadRequest: the game has too many states for so many or so long, or chance that cannot be counted; or its
            players choose nothing.
        RunStopped: a run of the game could not go on.
    """
    decisions = game.lowered.sites.choices.get(habit, ())
    if not decisions:
        raise BadRequest(f"the players of '{habit}' choose nothing")
    comes_back = any(level.again == "as_left" for level in game.levels.values())
    work = Work(states, time.monotonic() + seconds, progress)
    walk = _Decided(game.lowered, habit, comes_back, (), work, decisions)
    try:
        first = walk.walk()
    except NotCountable:
        raise BadRequest(not_countable(walk.engine)) from None
    return Optimum(_worth(walk, first), len(walk.numbers))


def _worth(walk: _Decided, first: Target) -> float:
    """Return what the beginning is worth: backward from the limit, where whoever is still going has not won."""
    endings = walk.program.endings
    won = [1.0 if ending < len(endings) and endings[ending].result == "win" else 0.0 for ending, _, _ in walk.overs]
    states, ends, knots = len(walk.numbers), len(won), walk.knots
    begins = {"end": states, "knot": states + ends}

    def place(to: Target) -> int:
        return to if isinstance(to, int) else begins[to[0]] + to[1]

    groups = _groups(knots, place, states + ends)
    following = np.array([place(to) for to in walk.begins], dtype=np.int64)
    worth = np.zeros(states + ends + len(knots.branches))
    worth[states : states + ends] = won
    for _ in range(walk.last):
        _settle_knots(worth, groups)
        later = worth[following]
        if np.array_equal(later, worth[: len(later)]):
            break
        worth[: len(later)] = later
    _settle_knots(worth, groups)
    return float(worth[place(first)])


_Group = tuple[bool, Any, Any, Any, Any]


def _groups(knots: _Knots, place: Any, first: int) -> list[_Group]:
    """Knots that can be worked out at once: (chosen, which, where their branches begin, to what, with which chance)."""
    alike: dict[tuple[int, bool], list[int]] = {}
    for number, (height, chosen) in enumerate(zip(knots.height, knots.chosen, strict=True)):
        alike.setdefault((height, chosen), []).append(number)
    groups: list[_Group] = []
    for (_, chosen), numbers in sorted(alike.items()):
        to, shares, at = array("q"), array("d"), array("q")
        for number in numbers:
            at.append(len(to))
            for target, share in knots.branches[number].items():
                to.append(place(target))
                shares.append(share)
        groups.append((chosen, np.array(numbers) + first, np.array(at), np.array(to), np.array(shares)))
    return groups


def _settle_knots(worth: Floats, groups: Sequence[_Group]) -> None:
    """Work out what all knots are worth, the lowest first."""
    for chosen, which, at, to, shares in groups:
        worth[which] = np.maximum.reduceat(worth[to], at) if chosen else np.add.reduceat(worth[to] * shares, at)
