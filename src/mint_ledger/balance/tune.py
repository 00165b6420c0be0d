"""Tunes one dial to one target: which values of the dial meet it, and how sure that is.

The estimate is taken to go one way as the dial goes up; under the same luck at every value it hardly ever does
otherwise. So there is one border where it comes to the lower end of what is wanted, and one for the upper end. Each
is found by halving, with few runs far away from it and more near it.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass, field, replace
from typing import Any

from mint_ledger import showing
from mint_ledger.balance.estimates import is_share, measured
from mint_ledger.balance.targets import Verdict, verdict
from mint_ledger.errors import BadRequest
from mint_ledger.game.parts import Span
from mint_ledger.game.script import Wanted
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.budget import Budget, OutOfBudget
from mint_ledger.studies.estimate import Estimate
from mint_ledger.studies.studying import measure_game

FEW = 400
MORE = 4
# A value is looked at several times, with more runs each time, and several values are: each look asks 99 intervals
# in 100 to hold (2.58 for 1.96 standard errors), so that 95 of 100 answers do. With 95 it was 90.
WIDER = 1.315
# Far from any seed that a designer would write, so that a confirmation has luck of its own.
FRESH = 1_000_003
Told = Callable[[float, Estimate], None]


@dataclass(frozen=True, slots=True)
class Tried:
    """What one value of the dial gave."""

    value: float
    estimate: Estimate


@dataclass(frozen=True)
class Tuned:
    """What tuning found.

    Attributes:
        sure: the first and last value of the dial that certainly meet the target; none if no value does.
        possible: the first and last value that may meet it.
        best: the value to take; where the target cannot be met, the nearest.
        confirmed: the estimate at `best` with luck of its own, and `verdict` what it says.
        reached: whether any value may meet the target; else `stopped_by` says which bound is in the way.
        interrupted: whether it was stopped before it was done.
    """

    title: str
    dial: str
    measure: str
    want: Span
    today: float
    bounds: tuple[float, float]
    step: float
    sure: tuple[float, float] | None
    possible: tuple[float, float] | None
    best: float
    confirmed: Estimate | None
    verdict: Verdict
    reached: bool
    stopped_by: str
    tried: tuple[Tried, ...] = field(repr=False)
    runs: int
    interrupted: bool = False

    @property
    def is_share(self) -> bool:
        """Whether the estimate is a share, told in per cent."""
        return is_share(self.measure)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The answer as plain values."""
        estimate = self.confirmed
        return {
            "dial": self.dial,
            "today": self.today,
            "measure": self.measure,
            "want": str(self.want),
            "best": self.best,
            "sure": list(self.sure) if self.sure else None,
            "possible": list(self.possible) if self.possible else None,
            "reached": self.reached,
            "stopped_by": self.stopped_by,
            "verdict": self.verdict,
            "confirmed": {"value": estimate.value, "low": estimate.low, "high": estimate.high, "runs": estimate.runs}
            if estimate
            else None,
            "tried": [
                {"value": t.value, "estimate": t.estimate.value, "low": t.estimate.low, "high": t.estimate.high}
                for t in self.tried
            ],
            "runs": self.runs,
            "interrupted": self.interrupted,
        }

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self) -> str:
        """The answer as text."""
        return showing.text("tune_text.tune_text", self)

    def __str__(self) -> str:
        return self.summary()


def tune_dial(
    game: PlayableGame,
    dial: str,
    bounds: tuple[float, float, float],
    wanted: Wanted,
    budget: Budget,
    setting: Setting,
    told: Told | None = None,
) -> Tuned:
    """Find the values of a dial that meet a target.

    Args:
        game: the game.
        dial: the dial's name.
        bounds: the least and the most that it may be, and its own step.
        wanted: an estimate, like `rate(win)`, and between which values it should lie.
        budget: the most runs at one value of the dial; how long, and how many runs in all.
        setting: how the game is played; its seed is that of all studies but the one that confirms.
        told: is told each value that was tried, and its estimate.

    Raises:
        NotFound: there is no such dial, habit, measure.
        BadRequest: the bounds or the number of runs make no sense.
    """
    low, high, step = bounds
    want, runs = wanted.want, budget.runs
    if not low < high or not 0.0 < step <= high - low:
        raise BadRequest(f"{dial} wants bounds that go up and a step between them, not {low:g}..{high:g} by {step:g}")
    if runs < FEW:
        raise BadRequest(f"tuning wants {FEW} runs at a value at least, not {runs}")
    search = _Search(game, dial, bounds, wanted.measure, budget, setting, told)
    today = game.turned(setting.variant, None).dials.value(dial)
    last = search.count - 1
    try:
        rises = search.rises()
        bottom, top = (want.low, False), (want.high, True)
        below, not_below = search.border(*(bottom if rises else top), rises)
        above_from, above_to = search.border(*(top if rises else bottom), rises)
        first, end = below + 1, above_to - 1
        sure_first, sure_end = not_below, above_from
        interrupted = False
    except (KeyboardInterrupt, OutOfBudget):
        inside = [i for i, e in search.found.items() if want.low <= e.value <= want.high]
        first, end = (min(inside), max(inside)) if inside else (0, -1)
        sure_first, sure_end = last + 1, -1
        interrupted = True
    reached = first <= end
    if reached:
        sure = (search.value(sure_first), search.value(sure_end)) if sure_first <= sure_end else None
        span = (sure_first, sure_end) if sure_first <= sure_end else (first, end)
        best, stopped = _nearest(span, search, today), ""
    else:
        sure = None
        best, stopped = search.nearest_bound(want) if search.found else (today, "")
    possible = (search.value(first), search.value(end)) if reached else None
    confirmed = None if interrupted else search.estimate(best, runs, setting.seed + FRESH)
    return Tuned(
        title=setting.title(game.title),
        dial=dial,
        measure=wanted.measure,
        want=want,
        today=today,
        bounds=(low, high),
        step=step,
        sure=sure,
        possible=possible,
        best=best,
        confirmed=confirmed,
        verdict=verdict(confirmed, want) if confirmed is not None else "undecided",
        reached=reached,
        stopped_by=stopped,
        tried=tuple(Tried(search.value(i), e) for i, e in sorted(search.found.items())),
        runs=search.spending.played,
        interrupted=interrupted,
    )


def _nearest(span: tuple[int, int], search: _Search, today: float) -> float:
    """Today's value where it will do; else the middle of the values that will."""
    if search.value(span[0]) <= today <= search.value(span[1]):
        return today
    return search.value((span[0] + span[1]) // 2)


class _Search:
    """The values that a dial can take, numbered from 0, and the best estimate at each so far."""

    def __init__(
        self,
        game: PlayableGame,
        dial: str,
        bounds: tuple[float, float, float],
        measure: str,
        budget: Budget,
        setting: Setting,
        told: Told | None,
    ) -> None:
        self.game, self.dial, self.measure = game, dial, measure
        self.low, self.high, self.step = bounds
        self.most, self.setting, self.spending, self.told = budget.runs, setting, budget.begin(), told
        self.count = int((self.high - self.low) / self.step + 1e-9) + 1
        self.needed = measured(game, measure)
        self.found: dict[int, Estimate] = {}

    def value(self, index: int) -> float:
        """The value of a number."""
        exact = round(self.low + self.step * index, 12)
        return int(exact) if exact == int(exact) else exact

    def estimate(self, value: float, runs: int, seed: int) -> Estimate:
        """The estimate at a value of the dial."""
        setting = replace(self.setting.with_dials({self.dial: value}), seed=seed)
        study = measure_game(self.game, runs, setting, self.needed)
        self.spending.add(runs)
        return study.estimate(self.measure)

    def side(self, index: int, border: float, is_top: bool) -> int:
        """-1 where the estimate is certainly below a border, 1 where it is above, 0 where the runs do not tell.

        On the border itself is inside what is wanted: below its top, above its bottom.
        """
        runs = FEW
        while True:
            known = self.found.get(index)
            if known is None or known.runs < runs:
                self.spending.check()
                known = self.found[index] = self.estimate(self.value(index), runs, self.setting.seed)
                if self.told is not None:
                    self.told(self.value(index), known)
            low = known.value - WIDER * (known.value - known.low)
            high = known.value + WIDER * (known.high - known.value)
            if high < border or (is_top and high <= border):
                return -1
            if low > border or (not is_top and low >= border):
                return 1
            if known.runs >= self.most:
                return 0
            runs = min(max(known.runs * MORE, FEW), self.most)

    def rises(self) -> bool:
        """Whether the estimate goes up with the dial, by what both ends give."""
        for index in (0, self.count - 1):
            self.side(index, math.inf, True)
        return self.found[self.count - 1].value >= self.found[0].value

    def border(self, border: float, is_top: bool, rises: bool) -> tuple[int, int]:
        """The last number before a border for certain (-1: none), and the first beyond it (count: none)."""
        sign = 1 if rises else -1
        before = self._last(lambda index: sign * self.side(index, border, is_top) < 0)
        beyond = self._last(lambda index: sign * self.side(index, border, is_top) <= 0) + 1
        return before, beyond

    def _last(self, holds: Callable[[int], bool]) -> int:
        """The last number for which something holds that holds up to a point and then no more; -1 if for none."""
        low, high = -1, self.count
        while high - low > 1:
            middle = (low + high) // 2
            if holds(middle):
                low = middle
            else:
                high = middle
        return low

    def nearest_bound(self, want: Span) -> tuple[float, str]:
        """The value nearest to the target, and in which way the bounds are in the way."""

        def off(index: int) -> float:
            estimate = self.found[index]
            return max(want.low - estimate.value, estimate.value - want.high, 0.0)

        index = min(self.found, key=off)
        if index in (0, self.count - 1):
            return self.value(index), f"the bound {self.value(index):g}"
        return self.value(index), f"the step of {self.step:g}: the target lies between two values"
