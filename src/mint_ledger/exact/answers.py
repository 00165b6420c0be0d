"""Exact answers: every state that a game can come to, the chances from each to the next, and what follows.

The chances of the endings, step by step, are those of an absorbing Markov chain (Kemeny and Snell, "Finite Markov
chains", chapter 3), carried forward as sparse products up to the clock's limit: what is left then is unfinished.
"""

from __future__ import annotations

import math
import time
from array import array
from collections import defaultdict
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.engines.moment import DUE_TOLERANCE
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest, BrokenProgram, NotFound, nearest
from mint_ledger.exact.dice import with_sums
from mint_ledger.exact.luck import Branching, NotCountable
from mint_ledger.exact.states import NormalForm
from mint_ledger.game.target import ESTIMATE
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite
from mint_ledger.playing.setting import habit_starts
from mint_ledger.program import parts
from mint_ledger.program.program import Program
from mint_ledger.program.statements import Procedure
from mint_ledger.studies.budget import Progress

if TYPE_CHECKING:
    import pandas as pd


STATES = 200_000
MOST_WAYS = 50_000
# Of all runs: what is still going on is too little to be seen in any answer.
NOTHING = 1e-16
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
class Exact:
    """Answers about a game without sampling error.

    Attributes:
        endings: those that can come up, the likeliest first; what reaches the clock's limit is `unfinished`.
        winners: the chance of each entity to win, where endings name one.
        states: how many states the game has.
        times: the times at which runs end, going up, and `chances` how many of them end there.
    """

    title: str
    unit: str
    endings: tuple[ExactEnding, ...]
    winners: dict[str, float]
    states: int
    known_endings: tuple[tuple[str, str], ...]
    times: Any = field(repr=False)
    chances: Any = field(repr=False)

    def rate(self, what: str) -> float:
        """The chance of a result (`win`, `lose`, `draw`, `unfinished`) or of an ending of that name.

        Raises:
            NotFound: there is no such result or ending.
        """
        known = [*RESULTS, *(name for name, _ in self.known_endings)]
        if what not in known:
            raise NotFound(f"there is no result or ending '{what}'{nearest(what, known)}")
        return math.fsum(e.chance for e in self.endings if what == (e.result if what in RESULTS else e.name))

    @cached_property
    def mean_time(self) -> float:
        """How long a run takes on average; one that reaches the clock's limit counts with that."""
        return math.fsum((self.times * self.chances).tolist())

    def time_quantile(self, q: float) -> float:
        """The time by which a share q of all runs has ended.

        Raises:
            BadRequest: q is no share.
        """
        if not 0 < q < 1:
            raise BadRequest(f"a quantile lies between 0 and 1, not at {q}")
        index = int((self.chances.cumsum() < q - 1e-12).sum())
        return float(self.times[min(index, len(self.times) - 1)])

    def value(self, text: str) -> float:
        """An estimate by its text: `rate(win)`, `mean(time)`, `median(time)`, `quantile(time, 0.9)`.

        Raises:
            BadRequest: it is none of these.
            NotFound: there is no such result or ending.
        """
        match = ESTIMATE.fullmatch(text.strip())
        what, inside = (match[1], match[2].strip().strip("\"'")) if match else ("", "")
        if what == "rate":
            return self.rate(inside)
        measure, _, share = inside.partition(",")
        if measure.strip() == "time":
            try:
                return self.mean_time if what == "mean" else self.time_quantile(float(share) if share else 0.5)
            except ValueError:
                pass
        raise BadRequest(
            f"exact answers are of rate(…), mean(time), median(time), quantile(time, 0.9), not of '{text}'"
        )

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
    states: int = STATES,
    seconds: float = math.inf,
    progress: Progress | None = None,
) -> Exact:
    """Walk all states of a game and work out the chance of each ending.

    Args:
        game: the game.
        habit: how simulated players play.
        states: give up beyond so many.
        seconds: give up after so long.
        progress: is told how many states were gone on from, and how many are known.

    Raises:
        NotFound: there is no such habit.
        BadRequest: the game has too many states for so many or so long, or chance in it that cannot be counted.
        RunStopped: a run of the game could not go on.
    """
    if not seconds > 0.0:
        raise BadRequest(f"the time to work in is more than 0 seconds, not {seconds:g}")
    if states < 1:
        raise BadRequest(f"a game has one state at least, not {states}")
    lowered = game.lowered
    levels = game.levels.values()
    walk = _Walk(lowered, habit, any(level.again == "as_left" for level in levels), states, progress)
    walk.ends_at = time.monotonic() + seconds
    try:
        walk.go()
    except NotCountable:
        raise BadRequest(_not_countable(walk.engine)) from None
    return _solved(walk, game.title + (f" · {habit}" if habit else ""))


class _Endless(ReferenceEngine):
    """An engine whose clock is turned back, so that its limit is counted by whoever does so."""

    def _expire(self) -> None:
        pass

    @property
    def formula(self) -> int:
        """The formula that was worked out last."""
        return self._formula


Over = tuple[int, int]
"""An ending and the winner."""


class _Walk:
    """All states, and for each the chances to the next."""

    def __init__(
        self,
        lowered: Lowered,
        habit: str | None,
        comes_back: bool,
        most: int,
        progress: Progress | None,
    ) -> None:
        program = lowered.program
        program = replace(
            program, procedures={**program.procedures, parts.MEASURES: Procedure(parts.MEASURES, 0, 0, ())}
        )
        program = with_sums(program, program.dials.values)
        self.program: Program = program
        self.branching = Branching()
        self.engine = _Endless(
            program,
            journal=False,
            starts=habit_starts(lowered, habit),
            draw=self.branching.draw,  # type: ignore[arg-type]
        )
        self.form = NormalForm(self.engine, program, comes_back)
        self.most, self.progress = most, progress
        self.numbers: dict[tuple[bytes, bool], int] = {}
        self.waiting: list[tuple[bytes, bool]] = []
        self.depths: list[int] = []
        self._depth = 0
        self.ends_at = math.inf
        # How many of the states were gone on from; those that are first reached at the limit are not.
        self.walked = 0
        self.last = _last_step(self.engine)
        self.first: dict[int, float] = defaultdict(float)
        self.over_at_once: dict[Over, float] = defaultdict(float)
        self.moves: list[tuple[int, int, float]] = []
        self.ends: list[tuple[int, Over, float]] = []

    def go(self) -> None:
        """Walk from the opening until no new state turns up."""
        for chance, to in self._ways(self.engine.open):
            if isinstance(to, int):
                self.first[to] += chance
            else:
                self.over_at_once[to] += chance
        number = 0
        while number < len(self.waiting):
            state, dirty = self.waiting[number]
            self.waiting[number] = (b"", False)
            self._depth = self.depths[number] + 1
            if self._depth > self.last:
                break  # the clock's limit; what is waiting was not reached earlier either

            def step(state: bytes = state, dirty: bool = dirty) -> None:
                self.engine.take_up(memoryview(state).cast("d"), dirty)
                self.engine.step()

            moves: dict[int, float] = defaultdict(float)
            ends: dict[Over, float] = defaultdict(float)
            for chance, to in self._ways(step):
                if isinstance(to, int):
                    moves[to] += chance
                else:
                    ends[to] += chance
            self.moves += [(number, to, chance) for to, chance in moves.items()]
            self.ends += [(number, over, chance) for over, chance in ends.items()]
            number += 1
            self.walked = number
            if self.progress is not None and number % 100 == 0:
                self.progress(number, len(self.waiting))

    def _ways(self, play: Callable[[], None]) -> Iterator[tuple[float, int | Over]]:
        for _ in range(MOST_WAYS):
            if time.monotonic() > self.ends_at:
                raise BadRequest(self._too_slow())
            self.branching.begin()
            play()
            yield self.branching.chance, self._arrived()
            if not self.branching.advance():
                return
        raise BadRequest(
            f"{self.program.title}: a single step can turn out in more than {MOST_WAYS:,} ways, at "
            f"{self.engine.time_of(float(self._depth)):g}; fewer or smaller draws at once can be counted. "
            "Or play it many times instead"
        )

    def _arrived(self) -> int | Over:
        engine = self.engine
        if engine.is_over:
            return engine.ending, engine.winner
        self.form.settle()
        key = (self.form.key(), engine.is_dirty)
        if key not in self.numbers:
            if len(self.numbers) >= self.most:
                raise BadRequest(self._too_large())
            self.numbers[key] = len(self.numbers)
            self.waiting.append((array("d", engine.state).tobytes(), engine.is_dirty))
            self.depths.append(self._depth)
        return self.numbers[key]

    def _too_slow(self) -> str:
        """How far it came in its time, and what to do about it."""
        here = self.engine.time_of(float(self._depth))
        limit = self.engine.time_of(float(self.last))
        return (
            f"{self.program.title}: in this time {self.walked:,} of {len(self.numbers):,} states that are known were "
            f"gone on from, as far as {here:g} of {limit:g}{self._largest()}. Play it many times instead, or allow "
            "more with --seconds"
        )

    def _too_large(self) -> str:
        """Which account has most values, and what to do about it."""
        clock = "" if self.form.forgets else "; something in it reads the time itself, so that no state comes again"
        return (
            f"{self.program.title} has more than {self.most:,} states{self._largest()}{clock}. Play it many times "
            "instead, or allow more with --states"
        )

    def _largest(self) -> str:
        """The accounts with most values."""
        places = self.form.places()
        seen: list[set[float]] = [set() for _ in places]
        for key, _ in self.numbers:
            for values, value in zip(seen, self.form.values(key), strict=True):
                values.add(value)
        accounts = {account.column.base: account.stat for account in self.program.accounts}
        counts = sorted(
            (
                (len(values), accounts[column.base], entity)
                for values, (column, entity) in zip(seen, places, strict=True)
                if column.base in accounts
            ),
            key=lambda found: -found[0],
        )
        cast = self.program.cast
        told = [
            f"{cast.entity_name(entity) + '.' if entity else ''}{stat} has {count:,} values so far"
            for count, stat, entity in counts[:3]
            if count > 1
        ]
        return f": {', '.join(told)}" if told else ""


def _not_countable(engine: _Endless) -> str:
    formulas = engine.program.formulas
    advice = "dice, whole, pick and chance can be counted; or play it many times, without --exact"
    if 0 <= engine.formula < len(formulas):
        place = formulas[engine.formula]
        return (
            f"{place.place}: '{place.text}' can come out in more ways than can be counted, so there is no exact "
            f"answer; {advice}"
        )
    return f"{engine.program.title}: chance in it can come out in more ways than can be counted; {advice}"


def _solved(walk: _Walk, title: str) -> Exact:
    """Carry the chances forward, step by step, up to the clock's limit."""
    import numpy as np
    from scipy.sparse import csr_array

    engine, program = walk.engine, walk.program
    count = len(walk.numbers)
    overs = sorted({*walk.over_at_once, *(over for _, over, _ in walk.ends)})
    where = {over: index for index, over in enumerate(overs)}

    def matrix(entries: list[tuple[int, int, float]], height: int) -> Any:
        """The transposed matrix: from the column's state to the row's."""
        rows = [to for _, to, _ in entries]
        columns = [at for at, _, _ in entries]
        return csr_array(([chance for _, _, chance in entries], (rows, columns)), shape=(height, count))

    onward = matrix(walk.moves, count)
    ending = matrix([(at, where[over], chance) for at, over, chance in walk.ends], len(overs))
    going = np.zeros(count)
    for number, chance in walk.first.items():
        going[number] = chance
    ended = [np.array([walk.over_at_once.get(over, 0.0) for over in overs])]
    left = float(going.sum())
    _check_shares((np.asarray(onward.sum(axis=0)) + np.asarray(ending.sum(axis=0)))[: walk.walked])
    while len(ended) <= walk.last and left > NOTHING:
        gone, on = ending @ going, onward @ going
        # What rounding takes or adds in a step is given back, so that it never piles up.
        exact = left / float(gone.sum() + on.sum())
        ended.append(gone * exact)
        going = on * exact
        left = float(going.sum())
    by_step = np.array(ended).reshape(len(ended), len(overs))
    seconds = np.array([engine.time_of(float(step)) for step in range(len(ended))])
    chances = by_step.sum(axis=1)
    if left > NOTHING:
        chances[-1] += left
    else:
        left = 0.0
    whole = math.fsum(chances.tolist())
    if abs(whole - 1.0) > UNSURE:
        raise BrokenProgram(f"the chances of all endings add up to {whole!r}")
    by_ending: dict[tuple[str, str], list[float]] = {}
    winners: dict[str, float] = defaultdict(float)
    names = {index: (spec.name, spec.result) for index, spec in enumerate(program.endings)}
    sums: dict[int, list[float]] = defaultdict(lambda: [0.0, 0.0])
    for over, index in where.items():
        chance = math.fsum(by_step[:, index].tolist())
        sums[over[0]][0] += chance
        sums[over[0]][1] += math.fsum((by_step[:, index] * seconds).tolist())
        if over[1] > 0:
            winners[program.cast.entity_name(over[1])] += chance
    for number, (chance, total) in sums.items():
        # Two kinds may have endings of one name: they are told together.
        both = by_ending.setdefault(names[number], [0.0, 0.0])
        both[0] += chance
        both[1] += total
    if left:
        by_ending["", UNFINISHED] = [left, left * float(seconds[-1])]
    endings = [
        ExactEnding(*which, chance, total / chance) for which, (chance, total) in by_ending.items() if chance > 0.0
    ]
    return Exact(
        title=title,
        unit="turns" if program.clock.unit == "turn" else "s",
        endings=tuple(sorted(endings, key=lambda e: -e.chance)),
        winners=dict(sorted(winners.items())),
        states=count,
        known_endings=tuple(names.values()),
        times=seconds,
        chances=chances,
    )


def _check_shares(shares: Any) -> None:
    """Each state goes on in some way or other: what it shares out is the whole of it."""
    off = float(abs(shares - 1.0).max()) if shares.size else 0.0
    if off > UNSURE:
        raise BrokenProgram(f"the ways on from a state add up to 1 but for {off:g}")


def _last_step(engine: _Endless) -> int:
    """The step at which the clock's limit is reached."""
    limit = engine.evaluate(engine.program.clock_limit)
    tolerance = DUE_TOLERANCE / engine.steps_per_second
    step = max(0, math.floor(limit / engine.time_of(1.0)) - 2)
    while engine.time_of(float(step)) - limit < -tolerance:
        step += 1
    return step
