"""Seats: whether copies of one kind win equally often, and how small a difference a study would have seen."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass
from typing import Any

from mint_ledger.errors import NotFound, nearest
from mint_ledger.plain import finite
from mint_ledger.program.program import Program
from mint_ledger.studies.student import normal_quantile

RESULTS = ("win", "lose", "draw", "unfinished")
# How many names of entities are looked through for one that is meant.
MOST_NAMES = 1_000
LEVEL = 0.05
POWER = 0.9


@dataclass(frozen=True, slots=True)
class Seats:
    """How often each copy of a kind won, among the runs that one of them won.

    Each share is held against that of equal seats by a score test at half of `level` over the number of seats
    (Bonferroni's bound, so that all of them together err in a share `level` of the studies at most).

    Attributes:
        kind: the kind.
        wins: how many runs each copy won, by its name, in the order of the copies.
        runs: how many runs one of them won.
    """

    kind: str
    wins: Mapping[str, int]
    runs: int
    level: float = LEVEL

    @property
    def even(self) -> float:
        """The share of each seat were they equal."""
        return 1.0 / len(self.wins)

    def _errors(self) -> float:
        """Return how many standard errors away counts as a difference."""
        return -normal_quantile(self.level / (2.0 * len(self.wins)))

    @property
    def unequal(self) -> tuple[str, ...]:
        """The copies whose share differs from that of equal seats by more than chance makes it."""
        if not self.runs:
            return ()
        error = math.sqrt(self.even * (1.0 - self.even) / self.runs)
        limit = self._errors() * error
        return tuple(name for name, count in self.wins.items() if abs(count / self.runs - self.even) > limit)

    @property
    def chance(self) -> float:
        """Return how likely a share as far from the even one as the farthest is, for one seat, were the seats equal."""
        if not self.runs:
            return 1.0
        error = math.sqrt(self.even * (1.0 - self.even) / self.runs)
        farthest = max(abs(count / self.runs - self.even) for count in self.wins.values())
        return math.erfc(farthest / error / math.sqrt(2.0))

    @property
    def would_have_seen(self) -> float:
        """The least difference of a seat's share from the even one that is seen in nine of ten such studies.

        1 where so few runs could not see any.
        """
        if not self.runs:
            return 1.0
        least = self._errors() * math.sqrt(self.even * (1.0 - self.even) / self.runs)
        # The true share that comes out beyond the limit with the wanted chance; its own error counts there.
        share = min(1.0, self.even + least)
        for _ in range(100):
            share = min(1.0, self.even + least + normal_quantile(POWER) * math.sqrt(share * (1.0 - share) / self.runs))
        return share - self.even if share < 1.0 else 1.0

    @finite
    def as_json(self) -> dict[str, Any]:
        """The seats as plain values."""
        return {
            "kind": self.kind,
            "wins": dict(self.wins),
            "runs": self.runs,
            "unequal": list(self.unequal),
            "would_have_seen": self.would_have_seen,
        }


def seats_of(program: Program, wins: Mapping[str, int], level: float = LEVEL) -> list[Seats]:
    """The kinds of which several copies can win, with how often each did."""
    cast = program.cast
    found = []
    for member in cast.members.values():
        seats = [cast.entity_name(entity) for entity in member.entities]
        counts = {name: int(wins.get(name, 0)) for name in seats}
        if len(seats) > 1 and any(counts.values()):
            found.append(Seats(member.name, counts, sum(counts.values()), level))
    return found


def seat_names(program: Program, name: str) -> list[str]:
    """The entities that a name means as winners: itself, or all copies of a kind.

    Raises:
        NotFound: there is no result, ending or entity of that name.
    """
    cast = program.cast
    if name in cast.members:
        return [cast.entity_name(entity) for entity in cast.members[name].entities]
    known = [cast.entity_name(entity) for entity in range(1, cast.size)]
    if name in known:
        return [name]
    endings = [ending.name for ending in program.endings]
    raise NotFound(f"there is no result or ending '{name}'{nearest(name, [*RESULTS, *endings, *known[:MOST_NAMES]])}")
