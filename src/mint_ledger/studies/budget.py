"""How much may be played for an answer."""

from __future__ import annotations

import math
import time
from collections.abc import Callable
from dataclasses import dataclass, replace

Progress = Callable[[int, int], None]
"""Is told how much is done, and how much there is to be. Where runs are counted that are won or lost, what is done is a
`Done`, a number that knows how many of them were won."""


class Done(int):
    """How many runs are done, and how many of these were won."""

    wins: int

    def __new__(cls, runs: int, wins: int) -> Done:
        """So many runs, of which some were won."""
        one = super().__new__(cls, runs)
        one.wins = wins
        return one


@dataclass(frozen=True, slots=True)
class Budget:
    """What a search may use.

    Attributes:
        runs: how many runs of one setting judge an answer.
        seconds: nothing new is tried after so long.
        most_runs: nor after so many runs in all.
    """

    runs: int
    seconds: float = math.inf
    most_runs: float = math.inf

    def shared(self, among: int) -> Budget:
        """The part of each of several searches."""
        return replace(self, seconds=self.seconds / among, most_runs=self.most_runs / among)

    def begin(self) -> Spending:
        """Start the clock."""
        return Spending(self, time.monotonic() + self.seconds)


class OutOfBudget(Exception):
    """The runs of a search are used up, or its time."""


class OutOfTime(OutOfBudget):
    """The time of a search is used up."""


class Spending:
    """A budget of which some is used up."""

    def __init__(self, budget: Budget, ends: float) -> None:
        self.budget, self._ends, self.played = budget, ends, 0

    def check(self) -> None:
        """Stop where nothing new may be begun.

        Raises:
            OutOfBudget: the time is over, or the runs are.
        """
        if time.monotonic() > self._ends:
            raise OutOfTime
        if self.played >= self.budget.most_runs:
            raise OutOfBudget

    def add(self, runs: int) -> None:
        """Note that so many runs were played."""
        self.played += runs
