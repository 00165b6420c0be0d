"""A search along one dial for the settings that meet a target, whatever the shape of the estimate over the dial.

Certain is only what was played: a setting whose own interval lies in the target. Between two of them stands a band that
no interval of a look contradicts. While the looks agree with one way (up or down), it is what a function that goes this
way may do; otherwise it is padded by how much the looks bend around it. Looks go where most of the range is open for a
run; then some go to random places of every part that looks met, since what repeats itself between even steps hides from
even steps.
"""

from __future__ import annotations

import math
import random
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass, field
from itertools import groupby, pairwise
from typing import Literal, TypeVar

from mint_ledger.game.parts import Span
from mint_ledger.studies.budget import Spending
from mint_ledger.studies.estimate import Estimate
from mint_ledger.studies.intervals import Ends

State = Literal["met", "looks", "open", "out"]
"""Certainly met, looks met by the settings around it, may be met, or looks out."""
Way = Literal["rises", "falls", "flat", ""]
Kind = TypeVar("Kind")
SPREAD = 17
FEW, MORE = 400, 4
# A setting is looked at several times, and several are: each look asks 99 intervals in 100 to hold, so that 95 of 100
# answers do.
SURE = 0.99
ERRORS = 2.576
# A setting is called certainly met only by an interval that holds it so often: some 50 settings are called so at once.
CERTAIN = 0.999
# So many random looks inside each part that looks met, and so many rounds of them.
CHECKS, ROUNDS = 2, 3
# How often a step is halved to tell a jump from a steep part.
FINE = 6
# Looks agree with one way while none turns back by more than so many standard errors of both.
AGREES = 1.0
# A parabola through three looks leaves their line by half as much between them.
PAD = 0.5
# So many looks that leave the line of their neighbors are a wave.
OFTEN = 6
# Looks on no side of an edge are not parted below this share of the range.
FINEST = 64


@dataclass(frozen=True, slots=True)
class Probe:
    """What one setting gave: the estimate, and the interval in which it certainly lies."""

    estimate: Estimate
    low: float
    high: float

    @property
    def error(self) -> float:
        """The standard error, as the interval has it; none is known where an end is open."""
        width = self.high - self.low
        return width / 2 / ERRORS if math.isfinite(width) else math.inf


@dataclass(frozen=True, slots=True)
class Gap:
    """The settings between two neighboring looks, and between which values the estimate certainly lies there."""

    first: float
    last: float
    low: float
    high: float


@dataclass
class Search:
    """The looks at a dial so far. Settings are numbered from 0 in steps; below a step they have fractions."""

    study: Callable[[float, int], Estimate]
    bounds: tuple[float, float, float]
    want: Span
    most: int
    spending: Spending
    today: float
    told: Callable[[float, Estimate], None] | None = None
    # The finest step: a dial that has to be whole has none below 1, nor has a range with a step of its own.
    finest: float = 0.0
    # Where random looks go.
    seed: int = 1
    # Whether facts of the game prove that all settings give the same.
    is_constant: bool = False
    raw: dict[float, Probe] = field(default_factory=dict)
    ends: dict[float, Ends] = field(default_factory=dict)
    _checked: set[int] = field(default_factory=set)

    @property
    def count(self) -> int:
        """Return how many settings there are."""
        low, high, step = self.bounds
        return int((high - low) / step + 1e-9) + 1

    @property
    def part_of_step(self) -> float:
        """The finest step as a share of the search's own."""
        return max(self.finest / self.bounds[2], 2.0**-FINE)

    def value(self, place: float) -> float:
        """The value of a setting."""
        exact = round(self.bounds[0] + self.bounds[2] * place, 12)
        return int(exact) if exact == int(exact) else exact

    def run(self) -> None:
        """Look until nothing is open that more runs would likely settle.

        Raises:
            OutOfBudget: the time is over, or the runs are.
        """
        last = self.count - 1
        spread = min(self.count, SPREAD)
        first = {round(k * last / (spread - 1)) for k in range(spread)}
        today = round((self.today - self.bounds[0]) / self.bounds[2])
        for place in sorted(first | ({today} & set(range(self.count)))):
            self._look(place, FEW)
        chooser = random.Random(self.seed)
        for _ in range(ROUNDS):
            while self._further():
                pass
            checks = [place for part in self._parts_unplayed() for place in self._some_of(part, chooser)]
            if not checks:
                break
            for place in checks:
                self._look(place, FEW)
        while self._further():
            pass

    def _parts_unplayed(self) -> list[list[int]]:
        """Of each part that looks met the settings that were not played; all of them where none may be met."""
        states = self.states()
        if all(state == "out" for state in states):
            unplayed = [place for place in range(self.count) if place not in self.raw]
            half = max(len(unplayed) // 2, 1)
            return [part for part in (unplayed[:half], unplayed[half:]) if part]
        parts = []
        for first, last, is_met in parts_of([state in ("met", "looks") for state in states]):
            unplayed = [place for place in range(first, last + 1) if place not in self.raw]
            if is_met and unplayed:
                parts.append(unplayed)
        return parts

    def _some_of(self, places: list[int], chooser: random.Random) -> list[int]:
        """A few places of a part, one of each stretch of it; none where it was checked before."""
        if any(place in self._checked for place in range(places[0], places[-1] + 1)):
            return []
        count = min(CHECKS, len(places))
        borders = [round(k * len(places) / count) for k in range(count + 1)]
        chosen = [places[chooser.randrange(start, end)] for start, end in pairwise(borders)]
        self._checked.update(chosen)
        return chosen

    def _look(self, place: float, runs: int) -> None:
        self.spending.check()
        estimate = self.study(self.value(place), runs)
        low, high = estimate.interval(SURE) if estimate.basis is not None else (estimate.low, estimate.high)
        self.raw[place] = Probe(estimate, low, high)
        self._tighten()
        if self.told is not None:
            self.told(self.value(place), estimate)

    # What the looks say together

    @property
    def places(self) -> list[float]:
        """The settings that were looked at, going up."""
        return sorted(self.raw)

    def way(self) -> Way:
        """Which way all looks agree with, as they stand; none where they turn."""
        looks = [self.raw[place] for place in self.places]
        slack = [AGREES * look.error for look in looks]
        values = [look.estimate.value for look in looks]
        if not all(map(math.isfinite, (*slack, *values))):
            return ""
        highest, lowest, up, down = -math.inf, math.inf, True, True
        for value, room in zip(values, slack, strict=True):
            highest, lowest = max(highest, value - room), min(lowest, value + room)
            up, down = up and value + room >= highest, down and value - room <= lowest
        moved = max(look.low for look in looks) > min(look.high for look in looks)
        if up and down and not moved:
            return "flat"
        return "rises" if up and moved else "falls" if down and moved else ""

    def turns(self) -> bool:
        """Return whether the looks certainly contradict both ways, by their own intervals."""
        looks = [self.raw[place] for place in self.places]
        highest, lowest, up, down = -math.inf, math.inf, True, True
        for look in looks:
            highest, lowest = max(highest, look.low), min(lowest, look.high)
            up, down = up and look.high >= highest, down and look.low <= lowest
        return not up and not down

    def _tighten(self) -> None:
        """Where all looks agree with one way, each also bounds those beyond it."""
        places = self.places
        self.ends = {place: (self.raw[place].low, self.raw[place].high) for place in places}
        way = self.way()
        if way not in ("rises", "falls"):
            return
        if way == "falls":
            places.reverse()
        low, lows = -math.inf, {}
        for place in places:
            low = lows[place] = max(low, self.raw[place].low)
        high, highs = math.inf, {}
        for place in reversed(places):
            high = highs[place] = min(high, self.raw[place].high)
        # Where that contradicts itself, the intervals of the looks stand alone.
        self.ends = {p: (lows[p], highs[p]) if lows[p] <= highs[p] else self.ends[p] for p in places}

    def gaps(self) -> list[Gap]:
        """The band between all neighboring looks."""
        places = self.places
        one_way = self.way() in ("rises", "falls")
        bends = [self._bend(index) for index in range(len(places))]
        # What bends by so much somewhere may do so anywhere; of what bends again and again looks see a part alone.
        often = sum(bend > 0.0 for bend in bends) >= OFTEN
        usual = (1.0 if often else PAD) * max(bends, default=0.0)
        found = []
        for first, last in pairwise(places):
            (a, b), (c, d) = self.ends[first], self.ends[last]
            pad = 0.0 if one_way or last - first <= 1 else usual
            found.append(Gap(first, last, min(a, c) - pad, max(b, d) + pad))
        return found

    def _bend(self, index: int) -> float:
        """By how much a look leaves the line of its neighbors, beyond noise."""
        places = self.places
        if not 0 < index < len(places) - 1:
            return 0.0
        before, here, after = (self.raw[place] for place in places[index - 1 : index + 2])
        share = (places[index] - places[index - 1]) / (places[index + 1] - places[index - 1])
        line = before.estimate.value + (after.estimate.value - before.estimate.value) * share
        noise = 1.5 * math.sqrt(here.error**2 + (before.error**2 + after.error**2) / 4)
        bend = abs(here.estimate.value - line) - noise
        return max(bend, 0.0) if math.isfinite(bend) else math.inf

    def state(self, low: float, high: float) -> State:
        """Return what an interval says of the target."""
        if self.want.low <= low and high <= self.want.high:
            return "met"
        return "out" if high < self.want.low or low > self.want.high else "open"

    def states(self) -> list[State]:
        """Each setting: certainly met where it was played (or all give the same), looks met, open, or looks out."""
        states: dict[int, State] = {}
        for gap in self.gaps():
            between = self.state(gap.low, gap.high)
            for index in range(math.ceil(gap.first), math.floor(gap.last) + 1):
                states[index] = "looks" if between == "met" else between
        for place in self.ends:
            if place == int(place):
                states[int(place)] = self.state_at(place)
        found = [states.get(index, "open") for index in range(self.count)]
        if self.is_constant and "met" in found:
            return ["met"] * self.count
        return found

    def state_at(self, place: float) -> State:
        """The state of a setting that was played."""
        state = self.state(*self.ends[place])
        return "looks" if state == "met" and not self._is_certain(place) else state

    def _is_certain(self, place: float) -> bool:
        """Return whether a setting's own runs alone say that it meets the target."""
        estimate = self.raw[place].estimate
        low, high = estimate.interval(CERTAIN) if estimate.basis is not None else (estimate.low, estimate.high)
        return self.state(low, high) == "met"

    def jumps(self) -> Iterator[tuple[float, float]]:
        """Neighboring looks, a step or less apart, on both sides of all that is wanted."""
        for first, last in pairwise(self.places):
            (a, b), (c, d) = self.ends[first], self.ends[last]
            across = (b < self.want.low and c > self.want.high) or (d < self.want.low and a > self.want.high)
            if last - first <= 1 and across:
                yield first, last

    # Where to look next

    def _further(self) -> bool:
        """The one look more that is worth most for its runs; whether there was one."""
        met = any(self.state(*ends) == "met" for ends in self.ends.values())
        if not met:
            for first, last in self.jumps():
                middle = (first + last) / 2
                if last - first > 1.5 * self.part_of_step and middle not in self.raw:
                    self._look(middle, FEW)
                    return True
        open_gaps = [gap for gap in self.gaps() if self.state(gap.low, gap.high) == "open"]
        room: dict[float, float] = {}
        for gap in open_gaps:
            for place in (gap.first, gap.last):
                room[place] = room.get(place, 0.0) + (gap.last - gap.first) / 2
        best: tuple[float, float, int] = (0.0, 0.0, 0)
        for place in self.places:
            if self._waits(place):
                runs = min(self.raw[place].estimate.runs * MORE, self.most)
                worth = max(room.get(place, 0.0), 0.5) / max(self._needs(place), runs)
                best = max(best, (worth, place, runs))
        for gap in open_gaps:
            floor = 0.0 if self._crosses(gap) else (self.count - 1) / FINEST
            if gap.last - gap.first > max(1.0, floor) and not (self._waits(gap.first) or self._waits(gap.last)):
                middle = float((math.ceil(gap.first) + math.floor(gap.last)) // 2)
                if middle not in self.raw:
                    best = max(best, ((gap.last - gap.first) / 2 / FEW, middle, FEW))
        if not best[2]:
            return False
        self._look(best[1], best[2])
        return True

    def _needs(self, place: float) -> float:
        """About how many runs would settle a look: its interval has to become as narrow as its way to the border."""
        look = self.raw[place]
        if not math.isfinite(look.error):
            return float(look.estimate.runs * MORE)
        edges = [edge for edge in (self.want.low, self.want.high) if math.isfinite(edge)]
        # It may well be one error further off than it looks.
        way = min((abs(look.estimate.value - edge) for edge in edges), default=math.inf) + look.error
        return look.estimate.runs * (ERRORS * look.error / max(way, 1e-12)) ** 2

    def _waits(self, place: float) -> bool:
        """Return whether a look does not tell yet, and more runs would probably settle it."""
        is_open = self.state(*self.ends[place]) == "open" and self.raw[place].estimate.runs < self.most
        return is_open and self._needs(place) <= self.most

    def _crosses(self, gap: Gap) -> bool:
        """Return whether its ends are on different sides of an edge, or one of them lies on it."""
        first, last = (self.state(*self.ends[place]) for place in (gap.first, gap.last))
        if first != last:
            return True
        above = [self.ends[place][0] > self.want.high for place in (gap.first, gap.last)]
        return first == "out" and above[0] != above[1]

    def widest(self) -> float:
        """Return how wide a part of the range is at most that was not looked at."""
        return max((last - first for first, last in pairwise(self.places)), default=0.0) * self.bounds[2]


def parts_of(states: Sequence[Kind]) -> list[tuple[int, int, Kind]]:
    """Neighboring settings that are alike: first, last, what they are."""
    parts: list[tuple[int, int, Kind]] = []
    for kind, group in groupby(enumerate(states), key=lambda item: item[1]):
        places = [place for place, _ in group]
        parts.append((places[0], places[-1], kind))
    return parts
