"""Exact answers: every state that a game can come to, the chances from each to the next, and what follows.

The chances of the endings, step by step, are those of an absorbing Markov chain (Kemeny and Snell, "Finite Markov
chains", chapter 3), carried forward as sparse products up to the clock's limit: what is left then is unfinished.
"""

from __future__ import annotations

import math
import time
from collections import defaultdict
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.errors import BadRequest, BrokenProgram, NotFound, nearest
from mint_ledger.exact.counted import collected, countable, taking_of
from mint_ledger.exact.luck import NotCountable
from mint_ledger.exact.walk import NOTHING, Walk, Work, not_countable
from mint_ledger.game.target import ESTIMATE
from mint_ledger.lowering.measure import Measure
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import titled
from mint_ledger.program.program import Program
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import measured
from mint_ledger.studies.request import check_measures, named_measures

if TYPE_CHECKING:
    import pandas as pd


STATES = 200_000
UNFINISHED = "unfinished"
UNSURE = 1e-12
RESULTS = ("win", "lose", "draw", UNFINISHED)


@dataclass(frozen=True, slots=True)
class ExactEnding:
    """One way the game ends: its chance, and how long it takes then on average (seconds or turns)."""

    name: str
    result: str
    chance: float
    mean_time: float


@dataclass(frozen=True)
class Distribution:
    """What a number taken from each run comes to.

    Attributes:
        values: all that it can come to, going up, shape (n,).
        chances: how likely each is, shape (n,).
        missing: the chance of a run in which it is no number.
    """

    values: Any = field(repr=False)
    chances: Any = field(repr=False)
    missing: float = 0.0

    @cached_property
    def mean(self) -> float:
        """The mean of the runs in which it is a number; nan if there is none."""
        there = math.fsum(self.chances.tolist())
        return math.fsum((self.values * self.chances).tolist()) / there if there > 0.0 else math.nan

    def quantile(self, q: float) -> float:
        """The least value that a share q of the runs does not exceed.

        Raises:
            BadRequest: q is no share.
        """
        if not 0 < q < 1:
            raise BadRequest(f"a quantile lies between 0 and 1, not at {q}")
        if not len(self.values):
            return math.nan
        index = int((self.chances.cumsum() < q * math.fsum(self.chances.tolist()) - 1e-12).sum())
        return float(self.values[min(index, len(self.values) - 1)])

    def at_most(self, value: float) -> float:
        """The chance of a run in which it is at most some value."""
        return math.fsum(self.chances[self.values <= value].tolist())

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a value: value, chance."""
        import pandas as pd

        return pd.DataFrame({"value": self.values, "chance": self.chances})

    @finite
    def as_json(self) -> dict[str, Any]:
        """Mean, quantiles and all values as plain values."""
        return {
            "mean": self.mean,
            **{f"{q:g}": self.quantile(q) for q in (0.1, 0.5, 0.9)},
            "missing": self.missing,
            "values": self.values.tolist(),
            "chances": self.chances.tolist(),
        }


@dataclass(frozen=True, repr=False)
class Exact(Result):
    """Answers about a game without sampling error.

    Attributes:
        endings: those that can come up, the likeliest first; what reaches the clock's limit is `unfinished`.
        winners: the chance of each entity to win, where endings name one.
        known_seats: the entities that may be asked about by each name: one by its own, all copies by their kind's.
        states: how many states the game has.
        times: the times at which runs end, going up, and `chances` how many of them end there.
        measures: the distribution of each measure that was asked for, by name.
        left_out: the measures that have no exact answer, and why not.
    """

    title: str
    unit: str
    endings: tuple[ExactEnding, ...]
    winners: dict[str, float]
    known_seats: Mapping[str, tuple[str, ...]]
    states: int
    known_endings: tuple[tuple[str, str], ...]
    times: Any = field(repr=False)
    chances: Any = field(repr=False)
    measures: dict[str, Distribution] = field(default_factory=dict)
    left_out: dict[str, str] = field(default_factory=dict)

    def rate(self, what: str) -> float:
        """The chance of a result (`win`, `lose`, `draw`, `unfinished`) or of an ending of that name.

        Raises:
            NotFound: there is no such result or ending.
        """
        known = [*RESULTS, *(name for name, _ in self.known_endings)]
        if what not in known and what in self.known_seats:
            return math.fsum(self.winners.get(seat, 0.0) for seat in self.known_seats[what])
        if what not in known:
            raise NotFound(f"there is no result or ending '{what}'{nearest(what, known)}")
        return math.fsum(e.chance for e in self.endings if what == (e.result if what in RESULTS else e.name))

    @cached_property
    def mean_time(self) -> float:
        """Return how long a run takes on average; one that reaches the clock's limit counts with that."""
        return math.fsum((self.times * self.chances).tolist())

    @cached_property
    def time(self) -> Distribution:
        """Return how long a run takes; those that reach the clock's limit count with that."""
        some = self.chances > 0.0
        return Distribution(self.times[some], self.chances[some])

    def time_quantile(self, q: float) -> float:
        """The time by which a share q of all runs has ended.

        Raises:
            BadRequest: q is no share.
        """
        return self.time.quantile(q)

    def distribution(self, measure: str) -> Distribution:
        """The distribution of `time` or of a measure, by its name.

        Raises:
            NotFound: it was not asked for, or has no exact answer.
        """
        if measure == "time":
            return self.time
        if measure in self.measures:
            return self.measures[measure]
        if measure in self.left_out:
            raise NotFound(f"'{measure}' has no exact answer: {self.left_out[measure]}")
        known = ["time", *self.measures]
        raise NotFound(
            f"no exact answer was asked for of '{measure}'{nearest(measure, known)}; there are {', '.join(known)}"
        )

    def value(self, text: str) -> float:
        """An estimate by its text: `rate(win)`, `mean(time)`, `median(left)`, `quantile(left, 0.9)`.

        Raises:
            BadRequest: it is none of these.
            NotFound: there is no such result, ending or measure among the answers.
        """
        match = ESTIMATE.fullmatch(text.strip())
        what, inside = (match[1], match[2].strip().strip("\"'")) if match else ("", "")
        if what == "rate":
            return self.rate(inside)
        if what == "mean":
            return self.distribution(inside).mean
        if what == "median":
            return self.distribution(inside).quantile(0.5)
        measure, _, share = inside.rpartition(",")
        try:
            return self.distribution(measure.strip()).quantile(float(share))
        except ValueError:
            raise BadRequest(
                f"exact answers are of rate(…), mean(…), median(…), quantile(…, 0.9), not of '{text}'"
            ) from None

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row an ending: ending, result, chance, mean_time."""
        import pandas as pd

        rows = [(e.name, e.result, e.chance, e.mean_time) for e in self.endings]
        return pd.DataFrame(rows, columns=["ending", "result", "chance", "mean_time"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The answers as plain values."""
        return {
            "title": self.title,
            "exact": True,
            "states": self.states,
            "results": {result: self.rate(result) for result in RESULTS},
            "endings": [
                {"name": e.name, "result": e.result, "chance": e.chance, "mean_time": e.mean_time} for e in self.endings
            ],
            "winners": self.winners,
            "time": {"mean": self.mean_time, **{f"{q:g}": self.time_quantile(q) for q in (0.1, 0.5, 0.9)}},
            "measures": {name: measure.as_json() for name, measure in self.measures.items()},
            "left_out": self.left_out,
        }

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self) -> str:
        """The answers as text."""
        return showing.text("exact_text.exact_text", self)

    def __str__(self) -> str:
        return self.summary()


def exact_answers(
    game: PlayableGame,
    *,
    habit: str | None = None,
    measures: Mapping[str, str] | Sequence[str] | None = None,
    states: int = STATES,
    seconds: float = math.inf,
    progress: Progress | None = None,
) -> Exact:
    """Walk all states of a game and work out the chance of each ending.

    Args:
        game: the game.
        habit: how simulated players play.
        measures: measures by name or text. Without any those of the file and its targets are answered where that can
            be done within the limits, and left out where it cannot.
        states: give up beyond so many.
        seconds: give up after so long.
        progress: is told how many states were gone on from, and how many are known.

    Raises:
        NotFound: there is no such habit.
        GameError: a measure is none.
        BadRequest: the game has too many states for so many or so long, or chance in it that cannot be counted; or a
            measure that was asked for has no exact answer.
        RunStopped: a run of the game could not go on.
    """
    if not seconds > 0.0:
        raise BadRequest(f"the time to work in is more than 0 seconds, not {seconds:g}")
    if states < 1:
        raise BadRequest(f"a game has one state at least, not {states}")
    if measures is None:
        of_targets = dict.fromkeys(text for target in game.all_targets for text in measured(game, target.measure))
        wanted, left_out = countable(
            game.lowered, game.lowered_with(dict(zip(of_targets, of_targets, strict=True))).measures
        )
    else:
        wanted, left_out = _asked(game, named_measures(measures))
    whole = time.monotonic() + seconds
    title = titled(game.title, game.lowered, habit, game.chosen_variant)
    if measures is None and wanted:
        # Half of the time at most is for what nobody asked for by name.
        some = Work(states, time.monotonic() + seconds / 2.0, progress)
        try:
            return _solved(_walked(game, habit, wanted, some), title, wanted, left_out)
        except BadRequest as problem:
            left_out |= {measure.name: f"with it {problem}" for measure in wanted}
            wanted = ()
    return _solved(_walked(game, habit, wanted, Work(states, whole, progress)), title, wanted, left_out)


def _asked(game: PlayableGame, named: dict[str, str]) -> tuple[tuple[Measure, ...], dict[str, str]]:
    """Measures by name, or by text; all of them can be counted."""
    more = {name: text for name, text in named.items() if name != text or name not in (*game.measures, "time")}
    check_measures(more)
    names = [name for name in named if name != "time"]
    known, why_not = countable(game.lowered, [m for m in game.lowered_with(more).measures if m.name in names])
    for name, why in why_not.items():
        raise BadRequest(f"'{name}' has no exact answer: {why}. Play it many times instead")
    return known, {}


def _walked(game: PlayableGame, habit: str | None, measures: Sequence[Measure], work: Work) -> Walk:
    comes_back = any(level.again == "as_left" for level in game.levels.values())
    walk = Walk(game.lowered, habit, comes_back, measures, work)
    try:
        walk.go()
    except NotCountable:
        raise BadRequest(not_countable(walk.engine)) from None
    return walk


class _Sum:
    """Adds up arrays without what rounding takes (Neumaier, "Rundungsfehleranalyse", 1974)."""

    def __init__(self, size: int) -> None:
        import numpy as np

        self.whole = np.zeros(size)
        self.lost = np.zeros(size)

    def add(self, more: Any) -> None:
        import numpy as np

        whole = self.whole + more
        is_larger = np.abs(self.whole) >= np.abs(more)
        self.lost += np.where(is_larger, (self.whole - whole) + more, (more - whole) + self.whole)
        self.whole = whole

    @property
    def total(self) -> Any:
        return self.whole + self.lost


def _solved(walk: Walk, title: str, measures: Sequence[Measure], left_out: dict[str, str]) -> Exact:
    """Carry the chances forward, step by step, up to the clock's limit."""
    import numpy as np
    from scipy.sparse import csr_array

    engine, program = walk.engine, walk.program
    count = len(walk.numbers)
    overs = sorted({*walk.over_at_once, *(over for _, over, _ in walk.ends)}, key=repr)
    where = {over: index for index, over in enumerate(overs)}

    at, to, chances = walk.moves
    onward = csr_array((np.array(chances), (to, at)), shape=(count, count))
    shares = [chance for _, _, chance in walk.ends]
    places = ([where[over] for _, over, _ in walk.ends], [state for state, _, _ in walk.ends])
    ending = csr_array((shares, places), shape=(len(overs), count))
    measured = _Measured(walk, measures, [over[2] for over in overs])
    going: Any = walk.opening_chances()
    gone: Any = np.array([walk.over_at_once.get(over, 0.0) for over in overs])
    ended, timed = _Sum(len(overs)), _Sum(len(overs))
    at_step: list[float] = []
    seconds: list[float] = []
    _check_shares((np.asarray(onward.sum(axis=0)) + np.asarray(ending.sum(axis=0)))[: walk.walked])
    while True:
        seconds.append(engine.time_of(float(len(seconds))))
        at_step.append(math.fsum(gone.tolist()))
        ended.add(gone)
        timed.add(gone * seconds[-1])
        measured.add(len(seconds) - 1, gone)
        left = float(going.sum())
        if len(seconds) > walk.last or left <= NOTHING:
            break
        gone, on = ending @ going, onward @ going
        # What rounding takes or adds in a step is given back, so that it never piles up.
        exact = left / float(gone.sum() + on.sum())
        gone, going = gone * exact, on * exact
    if left > NOTHING:
        at_step[-1] += left
        measured.unfinished(len(seconds) - 1, going)
    else:
        left = 0.0
    whole = math.fsum(at_step)
    if abs(whole - 1.0) > UNSURE:
        raise BrokenProgram(f"the chances of all endings add up to {whole!r}")
    by_ending: dict[tuple[str, str], list[float]] = {}
    winners: dict[str, float] = defaultdict(float)
    names = [(spec.name, spec.result) for spec in program.endings]
    for (number, winner, _), chance, total in zip(overs, ended.total.tolist(), timed.total.tolist(), strict=True):
        # Two kinds may have endings of one name: they are told together.
        both = by_ending.setdefault(names[number], [0.0, 0.0])
        both[0] += chance
        both[1] += total
        if winner > 0:
            winners[program.cast.entity_name(winner)] += chance
    if left:
        by_ending["", UNFINISHED] = [left, left * seconds[-1]]
    endings = [
        ExactEnding(*which, chance, total / chance) for which, (chance, total) in by_ending.items() if chance > 0.0
    ]
    return Exact(
        title=title,
        unit="turns" if program.clock.unit == "turn" else "s",
        endings=tuple(sorted(endings, key=lambda e: -e.chance)),
        winners=dict(sorted(winners.items())),
        known_seats=_seats(program),
        states=count,
        known_endings=tuple(names),
        times=np.array(seconds),
        chances=np.array(at_step),
        measures=measured.distributions(),
        left_out=left_out,
    )


class _Measured:
    """Gathers what the measures of all runs come to, from what was counted in each."""

    def __init__(self, walk: Walk, measures: Sequence[Measure], overs: Sequence[Any]) -> None:
        self.measures = measures
        readings = walk.counted.readings
        self.taking = taking_of(walk.engine, measures, readings)
        self.readings = len(readings)
        self.clock = [index for index, reading in enumerate(readings) if reading.sort == "time"]
        self.overs, self.going = self._array(overs), walk.closing
        self.whole = _Sum(len(overs))
        self.found: dict[str, list[Any]] = {measure.name: [] for measure in measures}

    def _array(self, counts: Sequence[Any]) -> Any:
        import numpy as np

        return np.array(counts, dtype=float).reshape(len(counts), self.readings)

    def add(self, step: int, gone: Any) -> None:
        """What ended in a step."""
        if self.clock:
            self._gather(self.overs, step, gone)
        elif self.measures:
            self.whole.add(gone)

    def unfinished(self, step: int, going: Any) -> None:
        """What is going on at the clock's limit."""
        if self.measures:
            self._gather(self._array(self.going), step, going)

    def _gather(self, counts: Any, step: int, chances: Any) -> None:
        some = chances > 0.0
        if not some.any():
            return
        taken, shares = counts[some], chances[some]
        taken[:, self.clock] = step
        for name, values in self.taking.measured(taken).items():
            self.found[name].append(collected(values, shares))

    def distributions(self) -> dict[str, Distribution]:
        """Each measure's values and their chances."""
        import numpy as np

        if not self.clock and self.measures:
            self._gather(self.overs, 0, self.whole.total)
        distributions = {}
        for name, parts in self.found.items():
            values, chances = (np.concatenate([part[side] for part in parts]) for side in (0, 1))
            values, chances = collected(values, chances)
            there = ~np.isnan(values)
            distributions[name] = Distribution(values[there], chances[there], math.fsum(chances[~there].tolist()))
        return distributions


def _check_shares(shares: Any) -> None:
    """Each state goes on in some way or other: what it shares out is the whole of it."""
    off = float(abs(shares - 1.0).max()) if shares.size else 0.0
    if off > UNSURE:
        raise BrokenProgram(f"the chances of what follows a state add up to 1 with an error of {off:g}")


def _seats(program: Program) -> dict[str, tuple[str, ...]]:
    names: dict[str, tuple[str, ...]] = {}
    for member in program.cast.members.values():
        own = tuple(program.cast.entity_name(entity) for entity in member.entities)
        names |= {member.name: own, **{name: (name,) for name in own}}
    return names
