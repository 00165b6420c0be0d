"""Tunes one dial to one target: which settings meet it, how sure that is, and what was not looked at.

See `tune_search.py` for how it looks. A separate seed confirms the answer; what that refutes is no longer claimed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Sequence
from dataclasses import dataclass, field, replace
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.dial_range import is_read_nowhere, number_today, setting_of
from mint_ledger.balance.targets import Verdict, verdict
from mint_ledger.balance.tune_search import FEW, Search, State, Way, parts_of
from mint_ledger.errors import BadRequest
from mint_ledger.game.parts import Span
from mint_ledger.game.script import Wanted
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Budget, OutOfBudget, OutOfTime
from mint_ledger.studies.estimate import Estimate, is_share, measured
from mint_ledger.studies.studying import measure_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

# Far from any seed that a designer would write, so that a confirmation has a separate seed.
FRESH = 1_000_003
# So many values on end whose estimates are the same to the last digit were not made so by chance.
STILL = 4
Told = Callable[[float, Estimate], None]
Region = tuple[float, float]
"""The first and the last setting of a part of the range."""


@dataclass(frozen=True, slots=True)
class Tried:
    """What one value of the dial gave."""

    value: float
    estimate: Estimate


@dataclass(frozen=True, slots=True)
class Jump:
    """Two neighboring values, one on each side of all that is wanted."""

    below: Tried
    above: Tried


@dataclass(frozen=True, repr=False)
class Tuned(Result):
    """What tuning found.

    Attributes:
        met: the parts of the range of which every setting was played and certainly meets the target (or, where the
            game proves that all give the same, the whole range: `constant`).
        looks: the parts that look met: those that were played in them are, and nothing seen says otherwise.
        unsettled: the parts that may be met and do not look so.
        open: the parts in which settings may meet it or not; what looks met and was not played is among them.
        jumps: where the estimate jumps over all that is wanted.
        way: whether it `rises`, `falls` or stays `flat` along the dial, as far as all looks agree; empty if not.
        turns: whether it certainly neither only rises nor only falls.
        unseen: how wide a part of the range may be that was not looked at.
        best: the value to take; where the target was not met, the nearest.
        confirmed: the estimate at `best` with a separate seed, and `verdict` what it says.
        stopped_by: which bound is in the way, where the estimate goes one way and was met nowhere.
        used_up: whether the runs in all were used up before all was settled.
        interrupted: whether it was stopped before it was done.
    """

    title: str
    dial: str
    measure: str
    want: Span
    today: float
    bounds: tuple[float, float]
    step: float
    met: tuple[Region, ...]
    looks: tuple[Region, ...]
    open: tuple[Region, ...]
    jumps: tuple[Jump, ...]
    way: Way
    turns: bool
    unseen: float
    best: float
    confirmed: Estimate | None
    verdict: Verdict
    stopped_by: str
    tried: tuple[Tried, ...] = field(repr=False)
    runs: int
    used_up: bool = False
    interrupted: bool = False
    constant: bool = False
    finest: float = 0.0
    unsettled: tuple[Region, ...] = ()

    @property
    def still(self) -> Region | None:
        """The part of the range about `best`, up to one of its ends, in which all that was tried gave one number."""
        for tried in (self.tried, self.tried[::-1]):
            same = _still([one.estimate.value for one in tried])
            if 0 < same < len(tried) and self.best in {one.value for one in tried[:same]}:
                ends = sorted((tried[0].value, tried[same - 1].value))
                return ends[0], ends[1]
        return None

    @property
    def is_share(self) -> bool:
        """Return whether the estimate is a share, told in per cent."""
        return is_share(self.measure)

    @property
    def reached(self) -> bool:
        """Return whether any setting may meet the target, as far as was seen."""
        return bool(self.met or self.open)

    @property
    def sure(self) -> Region | None:
        """The part around the best value (or the first) that looks met."""
        return self._around(self.looks)

    @property
    def possible(self) -> Region | None:
        """The part around the best value (or the first) that may be met."""
        joined: list[Region] = []
        for low, high in sorted((*self.met, *self.open)):
            if joined and low <= joined[-1][1] + 1.5 * self.step:
                joined[-1] = (joined[-1][0], high)
            else:
                joined.append((low, high))
        return self._around(tuple(joined))

    def _around(self, regions: tuple[Region, ...]) -> Region | None:
        here = [region for region in regions if region[0] <= self.best <= region[1]]
        return here[0] if here else regions[0] if regions else None

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
            "met": [list(region) for region in self.met],
            "looks": [list(region) for region in self.looks],
            "open": [list(region) for region in self.open],
            "jumps": [[jump.below.value, jump.above.value] for jump in self.jumps],
            "way": self.way,
            "turns": self.turns,
            "unseen": self.unseen,
            "reached": self.reached,
            "stopped_by": self.stopped_by,
            "verdict": self.verdict,
            "confirmed": {
                "value": estimate.value,
                "low": estimate.low,
                "high": estimate.high,
                "runs": estimate.runs,
            }
            if estimate
            else None,
            "tried": [
                {
                    "value": t.value,
                    "estimate": t.estimate.value,
                    "low": t.estimate.low,
                    "high": t.estimate.high,
                    "runs": t.estimate.runs,
                }
                for t in self.tried
            ],
            "runs": self.runs,
            "used_up": self.used_up,
            "interrupted": self.interrupted,
            "constant": self.constant,
            "finest": self.finest,
        }

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a value that was tried: the estimate there, its interval, and of how many runs."""
        import pandas as pd

        return pd.DataFrame(self.as_json()["tried"], columns=["value", "estimate", "low", "high", "runs"])

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self) -> str:
        """The answer as text."""
        return showing.text("tune_text.tune_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """The looks with their intervals, what is wanted, and the parts that meet it; see `views.tune_plot`."""
        return showing.figure("tune_plot.plot_tuned", self, ax=ax)

    def __str__(self) -> str:
        return self.summary()


def check_runs(runs: int) -> None:
    """Refuse so few runs that nothing could be told of a value.

    Raises:
        BadRequest: they are too few.
    """
    if runs < FEW:
        raise BadRequest(f"tuning wants {FEW} runs at a value at least, not {runs}")


def tune_dial(
    game: PlayableGame,
    dial: str,
    bounds: tuple[float, float, float],
    wanted: Wanted,
    budget: Budget,
    setting: Setting,
    told: Told | None = None,
    finest: float | None = None,
) -> Tuned:
    """Find the values of a dial that meet a target, whatever the shape of the estimate over the dial.

    Args:
        game: the game.
        dial: the dial's name.
        bounds: the least and the most that it may be, and its own step.
        wanted: an estimate, like `rate(win)`, and between which values it should lie.
        budget: the most runs at one value of the dial; how long, and how many runs in all.
        setting: how the game is played; its seed is that of all studies but the one that confirms.
        told: is told each value that was tried, and its estimate.
        finest: the finest step that is looked at; by default the dial's own step.

    Raises:
        NotFound: there is no such dial, habit, measure.
        BadRequest: the bounds or the number of runs make no sense.
    """
    low, high, step = bounds
    want, runs = wanted.want, budget.runs
    if not low < high or not 0.0 < step <= high - low:
        raise BadRequest(f"{dial} wants bounds that go up and a step between them, not {low:g}..{high:g} by {step:g}")
    check_runs(runs)
    needed = measured(game, wanted.measure)
    spending = budget.begin()

    def study(value: float, count: int, seed: int = setting.seed) -> Estimate:
        part = replace(setting.with_dials({dial: setting_of(dial, value)}), seed=seed)
        found = measure_game(game, count, part, needed).estimate(wanted.measure)
        spending.add(count)
        return found

    today = number_today(game.turned(setting.variant, None), dial)
    finest = step if finest is None else finest
    constant = is_read_nowhere(game.turned(setting.variant, None), dial)
    search = Search(study, bounds, want, runs, spending, today, told, finest, setting.seed, constant)
    interrupted = used_up = False
    try:
        search.run()
    except (KeyboardInterrupt, OutOfTime):
        interrupted = True
    except OutOfBudget:
        used_up = True  # what was seen until then is told
    states = search.states() if len(search.raw) > 1 else []
    best = _best(search, states, today) if search.raw else today
    confirmed = None if interrupted else study(best, runs, setting.seed + FRESH)
    said: Verdict = verdict(confirmed, want) if confirmed is not None else "undecided"
    if said == "missed":
        # Fresh luck refutes the setting, and with it the part of the range that was claimed around it.
        states = _refuted(states, round((best - low) / step))
    between = _between_steps(search) if said != "missed" else {}
    met = _regions(states, ("met",), search, between)
    looks = _regions(states, ("met", "looks"), search, between)
    may = _regions(states, ("open", "looks"), search, between)
    tried = {place: Tried(search.value(place), search.raw[place].estimate) for place in search.places}
    return Tuned(
        title=setting.title(game),
        dial=dial,
        measure=wanted.measure,
        want=want,
        today=today,
        bounds=(low, high),
        step=step,
        met=met,
        looks=looks,
        open=may,
        jumps=tuple(Jump(tried[a], tried[b]) for a, b in search.jumps()) if not looks else (),
        way=search.way() if search.raw else "",
        turns=search.turns() if search.raw else False,
        unseen=search.widest(),
        best=best,
        confirmed=confirmed,
        verdict=said,
        stopped_by="" if met or may or interrupted else _in_the_way(search, want),
        tried=tuple(tried.values()),
        runs=spending.played,
        used_up=used_up,
        interrupted=interrupted,
        constant=constant,
        finest=finest,
        unsettled=_regions(states, ("open",), search, between),
    )


def _best(search: Search, states: list[State], today: float) -> float:
    """Today's value where it will do; else the middle of the widest part that will; else the nearest that was seen."""
    here = round((today - search.bounds[0]) / search.bounds[2])
    between = _between_steps(search)
    for wanted in (("met", "looks"), ("open",)):
        parts = [(first, last) for first, last, is_it in parts_of([state in wanted for state in states]) if is_it]
        if any(first <= here <= last for first, last in parts) and search.value(here) == today:
            return search.value(here)
        if parts:
            first, last = max(parts, key=lambda part: part[1] - part[0])
            return search.value((first + last) // 2)
        fine = [place for place, state in between.items() if state in wanted]
        if fine:
            return search.value(min(fine, key=lambda place: _middle_off(search.raw[place].estimate.value, search.want)))
    places = [place for place in search.places if place == int(place)] or search.places
    return search.value(min(places, key=lambda place: _off(search.raw[place].estimate.value, search.want)))


def _off(value: float, want: Span) -> float:
    return math.inf if math.isnan(value) else max(want.low - value, value - want.high, 0.0)


def _middle_off(value: float, want: Span) -> float:
    middle = (want.low + want.high) / 2
    return abs(value - middle) if math.isfinite(middle) else _off(value, want)


def _refuted(states: list[State], place: int) -> list[State]:
    """The same with the part around a setting open, where it was claimed to be met."""
    changed = list(states)
    for first, last, is_met in parts_of([state in ("met", "looks") for state in states]):
        if is_met and first <= place <= last:
            changed[first : last + 1] = ["open"] * (last + 1 - first)
    return changed


def _regions(
    states: list[State], wanted: Sequence[State], search: Search, between: dict[float, State]
) -> tuple[Region, ...]:
    parts = parts_of([state in wanted for state in states])
    regions = [(search.value(first), search.value(last)) for first, last, is_it in parts if is_it]
    regions += [(search.value(place),) * 2 for place, state in between.items() if state in wanted]
    return tuple(sorted(regions))


def _between_steps(search: Search) -> dict[float, State]:
    """Return what was found of the settings between two steps, where a jump was looked into."""
    return {place: search.state_at(place) for place in search.places if place != int(place)}


def _still(values: Sequence[float]) -> int:
    """Return how many of the first values are the same to the last digit; 0 if they are few."""
    same = next((place for place, value in enumerate(values) if value != values[0]), len(values))
    return same if same >= STILL else 0


def _in_the_way(search: Search, want: Span) -> str:
    """Which bound is in the way, where the estimate goes one way and lies on one side of the target all along."""
    values = [search.raw[place].estimate.value for place in search.places]
    if search.way() not in ("rises", "falls"):
        return ""
    too_low = all(value < want.low for value in values)
    if not too_low and not all(value > want.high for value in values):
        return ""
    at_end = (search.way() == "rises") is too_low
    if _still(values[::-1] if at_end else values):
        return ""
    return f"the bound {search.value(search.count - 1 if at_end else 0):g}"
