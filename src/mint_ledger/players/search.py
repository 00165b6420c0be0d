"""Searches for the habit that wins most: among neighbors, with successive halving under the same, fresh luck.

Sources: Karnin, Koren, Somekh, "Almost optimal exploration in multi-armed bandits", ICML 2013, for halving; the beam is
a common search of artificial intelligence (Lowerre, "The HARPY speech recognition system", 1976).
"""

from __future__ import annotations

import random
import time
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import NamedTuple

import numpy as np

from mint_ledger.players.candidate import Candidate, CandidateSpace, Played, RunOutcomes
from mint_ledger.players.neighbors import (
    Change,
    around,
    change,
    changed,
    coarse_terms,
    drawn_one,
    far_one,
    in_two,
    neighbors,
    pairs,
    shorter_ones,
    simple_ones,
    size,
    terms_of,
    with_term,
)
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.taking import Floats

# So many are tried in a round, of which so many go on; the first round has more, drawn at random.
WIDE, BEAM, BEGIN = 96, 4, 320
# So many runs each at first, after which so many go on; in each later look this part of all runs of the first; the last
# few play so many runs each.
FIRST_RUNS, KEPT, LATER, MOST_RUNS, LAST_OF_PAIRS = 20, 60, 0.15, 1_000, 400
# A climb looks longer.
KEPT_CLIMBING, LATER_CLIMBING, LAST_CLIMBING = 150, 0.3, 1_600
# The search is over after so many rounds in which nothing better came.
STILL = 4
# What costs less than a quarter of a point is left out.
WORTH = 0.0025
MOST_PASSES, FIRST_OF_POLISH = 3, 60
JUDGED, PARTS = 3_000, 3
# A climb takes so many steps at most, and ends where so many rounds found nothing higher.
MOST_CLIMBS, STILL_CLIMBS = 16, 2
# So many that are farther away are looked at each time.
MOST_FAR = 2_500


class Raced(NamedTuple):
    """What came of a race: the best few, the best first; and those that were not among the best at the first look."""

    best: list[Candidate]
    poor: set[Candidate]


def costs_little(gap: float, half: float) -> bool:
    """Whether what wins by so much more often (with half of the interval) costs less than a quarter of a point."""
    return gap > -WORTH and gap - half > -2 * WORTH


class Judge:
    """Holds others against one candidate, with the same luck in the same runs."""

    def __init__(self, played: Played, base: Candidate, seed: int, runs: int) -> None:
        self.played, self.base, self.seed = played, base, seed
        self.part = runs // PARTS
        self._known: list[RunOutcomes] = []

    def gap(self, other: Candidate) -> tuple[float, float]:
        """By how much another wins more often, and half of the interval; one that is clearly worse is not played to the
        end, nor one that plays the first part just as the candidate does.
        """
        gaps: list[Floats] = []
        while True:
            part = len(gaps)
            if part == len(self._known):
                self._known.append(self.played.play(self.base, self.part, self.seed, part * self.part))
            course, known = self.played.play(other, self.part, self.seed, part * self.part), self._known[part]
            if part == 0 and course.marks == known.marks:
                return 0.0, 0.0
            gaps.append(course.won.astype(float) - known.won)
            gap = np.concatenate(gaps)
            half = 1.96 * float(gap.std(ddof=1)) / len(gap) ** 0.5
            if len(gaps) == PARTS or gap.mean() + 1.5 * half < -WORTH:
                return float(gap.mean()), half


def least_runs(space: CandidateSpace) -> int:
    """So many runs a search among the acts of a space takes at least, to have looked at all pairs of acts."""
    return FIRST_RUNS * sum(1 for _ in pairs(space, coarse_terms(space)))


@dataclass
class HabitSearch:
    """One search.

    Attributes:
        budget: begin no more rounds after so many runs; `until`, or after that moment (of `time.monotonic`).
        best: the best that was found so far, should the search be broken off.
        care: by so many times as many runs it is judged what is better, where runs are short.
    """

    played: Played
    seed: int
    budget: int
    until: float
    progress: Progress | None = None
    best: Candidate = ()
    care: int = 1

    @property
    def judged(self) -> int:
        """So many runs judge what is better."""
        return JUDGED * self.care

    def run(self, begin: Sequence[Candidate], space: CandidateSpace | None = None) -> Candidate:
        """The best candidate that is found from some to begin with, of the acts of a space."""
        space = space or self.played.space
        draw = random.Random(f"{self.seed} {space.actions}")
        drawn = [drawn_one(space, draw) for _ in range(min(BEGIN, self.budget // 150))]
        pool = list(dict.fromkeys([*begin, (), *simple_ones(space), *drawn]))
        best, still, round_ = pool[0], 0, 0
        spent = self.played.runs
        while still < STILL and self.played.runs - spent < self.budget and time.monotonic() < self.until:
            round_ += 1
            beam = self._raced(pool, self.seed + round_).best
            still = still + 1 if beam[0] == best else 0
            best = self.best = beam[0]
            if self.progress is not None:
                self.progress(min(self.played.runs - spent, self.budget), self.budget)
            pool = list(beam)
            for _ in range(WIDE - len(beam)):
                pool.append(changed(draw.choice(beam), space, draw))
            pool = list(dict.fromkeys(pool))
        return best

    def built(self, begin: Sequence[Candidate], space: CandidateSpace | None = None) -> Candidate:
        """The best that is built up from pairs of acts: in each round the best of those that are a coarse step away.

        A change that was no good before is tried again only where no other is any.
        """
        space = space or self.played.space
        terms = coarse_terms(space)
        spent, round_ = self.played.runs, 0
        pool = list(dict.fromkeys([*begin, (), *pairs(space, terms)]))
        beam = self._raced(pool, self.seed, last=LAST_OF_PAIRS).best
        best = self.best = beam[0]
        poor: set[Change] = set()
        stalled = False
        while self.played.runs - spent < self.budget and time.monotonic() < self.until:
            round_ += 1
            near = [one for one in around(best, space, terms) if (change(best, one) in poor) == stalled]
            race = self._raced(list(dict.fromkeys([best, *beam, *near])), self.seed + round_, known=best)
            if self.progress is not None:
                self.progress(min(self.played.runs - spent, self.budget), self.budget)
            if race.best[0] != best:
                poor |= {change(best, one) for one in race.poor}
                best = self.best = race.best[0]
                beam, stalled = race.best, False
            elif stalled or not poor:
                break
            else:
                beam, stalled = [], True
        return best

    def _raced(
        self,
        pool: Sequence[Candidate],
        seed: int,
        *,
        first: int = FIRST_RUNS,
        last: int = MOST_RUNS,
        known: Candidate | None = None,
        kept: int = KEPT,
        later: float = LATER,
    ) -> Raced:
        """The best of a pool, all played with the same luck: after a first look the best few go on, then half of them
        each time, with as many runs in all in each look.

        Of those that play alike in all runs so far only the simplest goes on. What is `known` is played to the end.
        Where the time is over, the last look that was whole says which are best, or the first as far as it came.
        """
        won = dict.fromkeys(pool, (0, 0.0))
        plays: dict[Candidate, int] = dict.fromkeys(pool, 0)
        going = sorted(pool, key=lambda candidate: (candidate != known, size(candidate)))
        each, done, runs = round(later * len(pool) * first), 0, first
        good: set[Candidate] = set()
        best: list[Candidate] = []
        while True:
            alike: dict[int, Candidate] = {}
            for candidate in going:
                if alike and time.monotonic() >= self.until:
                    best = best or sorted(alike.values(), key=won.__getitem__, reverse=True)
                    return Raced(best[:BEAM], set())
                course = self.played.play(candidate, runs, seed, done)
                wins, times = won[candidate]
                # Where as many are won, whoever holds out longer is nearer to winning.
                won[candidate] = wins + int(course.won.sum()), times + course.time
                plays[candidate] = hash((plays[candidate], course.marks))
                alike.setdefault(plays[candidate], candidate)
            best = sorted(alike.values(), key=won.__getitem__, reverse=True)
            done, good = done + runs, good or set(best[:kept])
            if runs == last or len(best) == 1:
                return Raced(best[:BEAM], set(pool) - good)
            most = max(BEAM, len(best) // 2) if done > first else kept
            there = {*best[:most], known}
            going = [one for one in alike.values() if one in there]
            runs = last if len(going) <= BEAM + 1 else min(max(each // len(going), first), last - 1)

    def judge(self, base: Candidate, seed: int) -> Judge:
        """Return the rivals of a candidate, with a separate seed."""
        return Judge(self.played, base, seed, self.judged)

    def climbed(self, candidate: Candidate, most: int) -> Candidate:
        """The best neighbor of all, and of that the best again, as long as it likely wins more often; where none
        does, the best of many that are farther away. No more steps are begun once so many runs were played in all.
        """
        space, still, draw = self.played.space, 0, random.Random(f"{self.seed} climbing")
        for round_ in range(MOST_CLIMBS):
            if time.monotonic() >= self.until or self.played.runs >= most:
                break
            if still:
                near = [far_one(candidate, space, draw) for _ in range(MOST_FAR)]
            else:
                near = [*neighbors(candidate, space), *in_two(candidate, space)]
            seed = self.seed + 4_000 + round_
            race = self._raced(
                list(dict.fromkeys([candidate, *near])),
                seed,
                first=FIRST_RUNS * self.care,
                last=LAST_CLIMBING * self.care,
                known=candidate,
                kept=KEPT_CLIMBING,
                later=LATER_CLIMBING,
            )
            gap, half = self.judge(candidate, seed + 1_000).gap(race.best[0])
            # Likely is enough: in the end the best of all climbs is chosen, with a separate seed.
            if gap > half / 2:
                candidate = self.best = race.best[0]
                still = 0
            else:
                still += 1
                if still == STILL_CLIMBS:
                    break
        return candidate

    def pruned(self, candidate: Candidate) -> Candidate:
        """Without what costs less than a quarter point, all together: acts, and conditions."""
        judge = self.judge(candidate, self.seed + 1_000)
        while candidate:
            best: tuple[float, Candidate] | None = None
            for shorter in shorter_ones(candidate):
                gap, half = judge.gap(shorter)
                if costs_little(gap, half) and (best is None or gap > best[0]):
                    best = gap, shorter
            if best is None:
                return candidate
            candidate = best[1]
        return candidate

    def polished(self, candidate: Candidate) -> Candidate:
        """With thresholds moved to where it certainly wins more often, one after another, as long as that helps."""
        for pass_ in range(MOST_PASSES):
            seed = self.seed + 3_000 + pass_
            moved = (
                with_term(candidate, place, number, replace(term, threshold=threshold))
                for place, number, term in terms_of(candidate)
                for threshold in self.played.space.features[term.feature]
            )
            pool = list(dict.fromkeys([candidate, *moved]))
            race = self._raced(pool, seed, first=FIRST_OF_POLISH, last=MOST_RUNS * self.care, known=candidate)
            higher = race.best[0]
            if higher == candidate:
                break
            gap, half = self.judge(candidate, seed + 500).gap(higher)
            if gap <= half:
                break
            candidate = higher
        return candidate

    def flat(self, candidate: Candidate) -> dict[tuple[int, int], tuple[float, float]]:
        """For each condition (act, condition) between which thresholds wins stay within a quarter point of the best, as
        far as steps that double can see.
        """
        judge, spans = Judge(self.played, candidate, self.seed + 2_000, self.judged // 2), {}
        for place, slot in enumerate(candidate):
            for number, term in enumerate(slot.terms):
                known = self.played.space.features[term.feature]
                at = min(range(len(known)), key=lambda k: abs(known[k] - term.threshold))
                ends = []
                for beyond in (-1, len(known)):
                    good, bad, ahead = at, beyond, 1
                    # In steps that double as long as it is as good, then by halves.
                    while abs(bad - good) > 1:
                        step = ahead if bad == beyond else abs(bad - good) // 2
                        way = 1 if bad > good else -1
                        probe = good + way * min(step, abs(bad - good) - 1)
                        if (
                            judge.gap(with_term(candidate, place, number, replace(term, threshold=known[probe])))[0]
                            < -WORTH
                        ):
                            bad = probe
                        else:
                            good, ahead = probe, 2 * ahead
                    ends.append(known[good])
                spans[place, number] = (ends[0], ends[1])
        return spans
