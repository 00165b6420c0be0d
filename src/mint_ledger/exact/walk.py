"""The walk through all states of a game: what each of them leads to, with every draw branched."""

from __future__ import annotations

import math
import time
from array import array
from collections import defaultdict
from collections.abc import Callable, Collection, Iterator, Sequence
from dataclasses import dataclass, replace
from functools import partial
from itertools import pairwise

import numpy as np

from mint_ledger.engines.moment import DUE_TOLERANCE
from mint_ledger.engines.reference import Finished, ReferenceEngine
from mint_ledger.errors import BadRequest
from mint_ledger.exact.counted import Counted, Counts
from mint_ledger.exact.dice import with_sums
from mint_ledger.exact.luck import Branching, NotCountable
from mint_ledger.exact.states import NormalForm
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.measure import Measure
from mint_ledger.playing.setting import habit_starts
from mint_ledger.program import parts
from mint_ledger.program.program import Program
from mint_ledger.program.statements import Procedure
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.taking import Floats

MOST_WAYS = 50_000
# Of all runs: what is still going on is too little to be seen in any answer.
NOTHING = 1e-16
# What is known after these many seconds and states is enough to foresee how the rest goes on.
FORESEEN_FROM = 5_000
GROWTHS = 3
# Only what is foreseen far beyond the limit is given up for it.
FAR_BEYOND = 4.0


# So many stages of steps are remembered.
MOST_SPREADS = 100_000


class Endless(ReferenceEngine):
    """An engine whose clock is turned back, so that its limit is counted by whoever does so."""

    def _expire(self) -> None:
        pass

    def go_on(self, stage: int, stops: Callable[[], bool]) -> int | None:
        """Play a step from one of its stages on, as far as the first after which `stops` says so.

        Returns:
            The stage to go on from; none where the step is over.
        """
        if stage == 0:
            self.state[self._step] += 1.0
        self._work = 0
        try:
            for index in range(stage, len(STAGES)):
                self._call(STAGES[index])
                if index + 1 < len(STAGES) and stops():
                    return index + 1
        except Finished:
            pass
        return None

    @property
    def formula(self) -> int:
        """The formula that was worked out last."""
        return self._formula


# A walk has no script, so the parts of a step are all that happens in it.
STAGES = (*parts.BEFORE_SCRIPT, *parts.AFTER_SCRIPT)

Over = tuple[int, int, Counts]
"""An ending, the winner, and what measures counted."""
State = tuple[bytes, bool, Counts]


@dataclass(frozen=True, slots=True)
class Cut:
    """The stage that a step goes on from, the state in which it stands there, and what tells that from others."""

    stage: int
    state: bytes
    dirty: bool
    counts: Counts
    key: bytes = b""


@dataclass(frozen=True, slots=True)
class Work:
    """How much may be done: so many states, until a moment of `time.monotonic`; and who is told of it."""

    states: int
    ends_at: float
    progress: Progress | None = None


class Walk:
    """All states, and for each the chances to the next."""

    def __init__(
        self,
        lowered: Lowered,
        habit: str | None,
        comes_back: bool,
        measures: Sequence[Measure],
        work: Work,
        decisions: Collection[int] = (),
    ) -> None:
        program = lowered.program
        if lowered.script:
            raise BadRequest(f"{program.title}: what a script does is not walked; play it many times instead")
        program = replace(
            program, procedures={**program.procedures, parts.MEASURES: Procedure(parts.MEASURES, 0, 0, ())}
        )
        program = with_sums(program, program.dials.numbers)
        self.program: Program = program
        self.counted = Counted(program, measures)
        self.branching = Branching(decisions)
        self._spreads: dict[tuple[int, bytes, bool, Counts], dict[int | Over, float]] = {}
        self.engine = Endless(
            program,
            journal=self.counted.on_the_way,
            starts=habit_starts(lowered, habit),
            draw=self.branching.draw,  # type: ignore[arg-type]
        )
        self.form = NormalForm(self.engine, program, comes_back, self.counted.columns)
        self.work = work
        self.numbers: dict[State, int] = {}
        self.waiting: list[State] = []
        # What measures would say of each state, should the clock's limit be reached in it.
        self.closing: list[Counts] = []
        self.depths: list[int] = []
        self._depth = 0
        # How many of the states were gone on from; those that are first reached at the limit are not.
        self.walked = 0
        self.last = last_step(self.engine)
        self.first: dict[int, float] = defaultdict(float)
        self.over_at_once: dict[Over, float] = defaultdict(float)
        # Moves from a state to another with their chances, side by side.
        self.moves = array("q"), array("q"), array("d")
        self.ends: list[tuple[int, Over, float]] = []

    def go(self) -> None:
        """Walk from the opening until no new state turns up."""
        for chance, to in self._ways(self.engine.open, None):
            if isinstance(to, int):
                self.first[to] += chance
            elif not isinstance(to, Cut):
                self.over_at_once[to] += chance
        number = 0
        began = time.monotonic()
        going = self.opening_chances()
        while number < len(self.waiting):
            state, dirty, counts = self.waiting[number]
            self.waiting[number] = (b"", False, ())
            if self.depths[number] == self._depth:
                # All states that a run can be in at this step are known.
                if self._depth:
                    going = self._carried_on(going)
                if float(going.sum()) <= NOTHING:
                    break
                self._foresee(time.monotonic() - began)
            self._depth = self.depths[number] + 1
            if self._depth > self.last:
                break  # the clock's limit; what is waiting was not reached earlier either

            at, to_state, chances = self.moves
            for to, chance in self._spread(Cut(0, state, dirty, counts)).items():
                if isinstance(to, int):
                    at.append(number)
                    to_state.append(to)
                    chances.append(chance)
                else:
                    self.ends.append((number, to, chance))
            number += 1
            self.walked = number
            if self.work.progress is not None and number % 100 == 0:
                self.work.progress(number, len(self.waiting))

    def _spread(self, start: Cut) -> dict[int | Over, float]:
        """Return what a step comes to from a stage of it on, with chances.

        After a stage in which something was drawn a step is cut, and many ways go on as one.
        """
        place = (start.stage, start.key, start.dirty, start.counts)
        known = self._spreads.get(place)
        if known is None:
            known = defaultdict(float)
            for chance, to in list(self._ways(partial(self._play, start), start.counts)):
                if isinstance(to, Cut):
                    for further, share in self._spread(to).items():
                        known[further] += chance * share
                else:
                    known[to] += chance
            if start.stage:
                if len(self._spreads) >= MOST_SPREADS:
                    self._spreads.clear()
                self._spreads[place] = known
        return known

    def _play(self, start: Cut) -> Cut | None:
        """Play on from a stage of a step; where it was cut, none at its end."""
        engine, stage = self.engine, start.stage
        engine.rows.clear()
        engine.take_up(memoryview(start.state).cast("d"), start.dirty)
        while True:
            following = engine.go_on(stage, self._has_forked)
            if following is None:
                return None
            try:
                state = array("d", engine.state).tobytes()
                return Cut(following, state, engine.is_dirty, start.counts, self.form.key())
            except NotCountable:
                stage = following  # a draw is still open: the step is played on

    def _has_forked(self) -> bool:
        # What rows show is counted of the entire step.
        return bool(self.branching.path) and not self.counted.on_the_way

    def opening_chances(self) -> Floats:
        """Return how likely a run is in each state as it opens."""
        going = np.zeros(len(self.numbers))
        for number, chance in self.first.items():
            going[number] = chance
        return going

    def _carried_on(self, going: Floats) -> Floats:
        """Return how likely a run is in each state one step later."""
        if not self.moves[0]:
            return np.zeros(len(self.numbers))
        at, to, chances = (np.frombuffer(side, dtype=side.typecode).copy() for side in self.moves)
        carried = np.bincount(to, weights=chances * going[at], minlength=len(self.numbers))
        return carried.astype(np.float64)

    def _ways(self, play: Callable[[], Cut | None], counts: Counts | None) -> Iterator[tuple[float, int | Over | Cut]]:
        for _ in range(MOST_WAYS):
            if time.monotonic() > self.work.ends_at:
                raise BadRequest(self._too_slow())
            self.branching.begin()
            cut = play()
            yield self.branching.chance, self._arrived(counts) if cut is None else cut
            if not self.branching.advance():
                return
        raise BadRequest(
            f"{self.program.title}: a single step can turn out in more than {MOST_WAYS:,} ways, at "
            f"{self.engine.time_of(float(self._depth)):g}; fewer or smaller draws at once can be counted. "
            "Or play it many times instead"
        )

    def _arrived(self, counts: Counts | None) -> int | Over:
        engine, counted = self.engine, self.counted
        counts = counted.further(engine, counted.opening(engine) if counts is None else counts)
        if engine.is_over:
            return engine.ending, engine.winner, counted.closing(engine, counts)
        self.form.settle()
        key = (self.form.key(), engine.is_dirty, counts)
        if key not in self.numbers:
            if len(self.numbers) >= self.work.states:
                raise BadRequest(self._too_large())
            self.numbers[key] = len(self.numbers)
            self.waiting.append((array("d", engine.state).tobytes(), engine.is_dirty, counts))
            self.closing.append(counted.closing(engine, counts))
            self.depths.append(self._depth)
        return self.numbers[key]

    def _foresee(self, spent: float) -> None:
        """Give up early what is likely to go far beyond what is allowed."""
        if self.walked < FORESEEN_FROM:
            return
        more = self._foreseen()
        if more > FAR_BEYOND * self.work.states:
            raise BadRequest(
                f"{self.program.title} is likely to have some {_about(more)} states: it has {len(self.numbers):,} as "
                f"soon as {self.engine.time_of(float(self._depth)):g} of {self.engine.time_of(float(self.last)):g}"
                f"{self._largest()}{self._why_many()}. Play it many times instead, or allow more with --states"
            )
        left = self.work.ends_at - time.monotonic()
        wanted = spent / self.walked * (more - self.walked)
        if wanted > FAR_BEYOND * left:
            raise BadRequest(
                f"{self.program.title} is likely to take some {_about(wanted)} seconds more, for some {_about(more)} "
                f"states{self._largest()}{self._why_many()}. Play it many times instead, or allow more with --seconds"
            )

    def _foreseen(self) -> float:
        """Return how many states there are if it goes on for a while as it has gone so far."""
        reached = [0] * (self._depth + 1)
        for depth in self.depths:
            reached[min(depth, self._depth)] += 1
        left = self.last - self._depth
        known, newest = len(self.numbers), reached[-1]
        # As many new ones in each step to come: where no state comes again, runs that end are all that stops it.
        foreseen = known if self.form.forgets else known + float(newest) * left
        grown = [after / before for before, after in pairwise(reached[-1 - GROWTHS :]) if before]
        if len(grown) < GROWTHS or min(grown) <= 1.0:
            return foreseen
        growth = math.prod(grown) ** (1.0 / GROWTHS)
        soon = sum(newest * growth**k for k in range(1, min(left, GROWTHS + 1) + 1))
        # Growing for as many steps again: by the power of the number of steps that it grew with so far.
        again = known * (2.0 * newest / max(reached[len(reached) // 2], 1) - 1.0) if left >= self._depth else 0.0
        return max(foreseen, known + soon, known + min(again, soon * self._depth))

    def _too_slow(self) -> str:
        """Return how far it came in its time, and what to do about it."""
        here = self.engine.time_of(float(self._depth))
        limit = self.engine.time_of(float(self.last))
        return (
            f"{self.program.title}: in this time {self.walked:,} of {len(self.numbers):,} states that are known were "
            f"gone on from, as far as {here:g} of {limit:g}{self._largest()}. Play it many times instead, or allow "
            "more with --seconds"
        )

    def _too_large(self) -> str:
        """Which account has most values, and what to do about it."""
        return (
            f"{self.program.title} has more than {self.work.states:,} states{self._largest()}{self._why_many()}. "
            "Play it many times instead, or allow more with --states"
        )

    def _why_many(self) -> str:
        clock = "" if self.form.forgets else "; something in it reads the time itself, so that no state comes again"
        return clock + ("; measures that add up on the way make more of them" if self.counted.on_the_way else "")

    def _largest(self) -> str:
        """The accounts with most values."""
        places = self.form.places()
        seen: list[set[float]] = [set() for _ in places]
        for key, _, _ in self.numbers:
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


def not_countable(engine: Endless) -> str:
    """Which formula can come out in endlessly many ways."""
    formulas = engine.program.formulas
    advice = "dice, whole, pick and chance can be counted; or play it many times, without --exact"
    if 0 <= engine.formula < len(formulas):
        place = formulas[engine.formula]
        return (
            f"{place.place}: '{place.text}' can come out in more ways than can be counted, so there is no exact "
            f"answer; {advice}"
        )
    return f"{engine.program.title}: chance in it can come out in more ways than can be counted; {advice}"


def _about(count: float) -> str:
    """A count of which only the size is known."""
    return f"{float(f'{count:.1g}'):,.0f}"


def last_step(engine: Endless) -> int:
    """The step at which the clock's limit is reached."""
    limit = engine.evaluate(engine.program.clock_limit)
    tolerance = DUE_TOLERANCE / engine.steps_per_second
    step = max(0, math.floor(limit / engine.time_of(1.0)) - 2)
    while engine.time_of(float(step)) - limit < -tolerance:
        step += 1
    return step
