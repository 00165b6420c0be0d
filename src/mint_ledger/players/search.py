"""Searches for the habit that wins most: among neighbours, with successive halving under the same, fresh luck.

Sources: Karnin, Koren, Somekh, "Almost optimal exploration in multi-armed bandits", ICML 2013, for halving; the beam is
a common search of artificial intelligence (Lowerre, "The HARPY speech recognition system", 1976).
"""

from __future__ import annotations

import random
import sys
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace

import numpy as np

from mint_ledger.players.candidate import SLOTS, TERMS, Candidate, Flags, Played, Slot, Space, Term, tidy
from mint_ledger.studies.budget import Progress

# So many are tried in a round, of which so many go on; the first round has more, drawn at random.
WIDE, BEAM, BEGIN = 96, 4, 320
FIRST_RUNS, MOST_RUNS = 30, 1_600
# Neighbours are many and mostly worse: of those of a round a fifth goes on each time.
CUT, FIRST_OF_PAIRS, FIRST_OF_ROUND, LAST_OF_ROUND = 5, 20, 40, 1_200
# Of so many thresholds all are looked at from the start.
FEW = 4
# The search is over after so many rounds in which nothing better came.
STILL, STILL_BUILT = 4, 2
# What costs less than a quarter of a point is left out.
WORTH = 0.0025
MOST_PASSES, FIRST_OF_POLISH = 3, 120
JUDGED, PARTS = 4_000, 4
# A climb takes so many steps at most, and ends where so many rounds found nothing higher.
MOST_CLIMBS, STILL_CLIMBS = 16, 2
# So many that are farther away are looked at each time.
MOST_FAR = 8_000
# How candidates are changed; what stands here more often is done more often.
KINDS = (*["threshold"] * 3, "term", "term", "act", "put in", "put in", "drop", "swap")


@dataclass
class Search:
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

    def run(self, begin: Sequence[Candidate], space: Space | None = None) -> Candidate:
        """The best candidate that is found from some to begin with, of the acts of a space."""
        space = space or self.played.space
        draw = random.Random(f"{self.seed} {space.actions}")
        drawn = [_some(space, draw) for _ in range(min(BEGIN, self.budget // 150))]
        pool = list(dict.fromkeys([*begin, (), *_simple(space), *drawn]))
        best, still, round_ = pool[0], 0, 0
        spent = self.played.runs
        while still < STILL and self.played.runs - spent < self.budget and time.monotonic() < self.until:
            round_ += 1
            beam = self._halved(pool, self.seed + round_, spent + self.budget)
            still = still + 1 if beam[0] == best else 0
            best = self.best = beam[0]
            pool = list(dict.fromkeys([*beam, *(_changed(draw.choice(beam), space, draw) for _ in range(WIDE))]))
            if self.progress is not None:
                self.progress(min(self.played.runs - spent, self.budget), self.budget)
        return best

    def built(self, begin: Sequence[Candidate], space: Space | None = None) -> Candidate:
        """The best that is built up from pairs of acts: in each round the best of those that are a coarse step away."""
        space = space or self.played.space
        terms = _coarse(space)
        spent = self.played.runs
        beam = self._halved(
            list(dict.fromkeys([*begin, (), *_pairs(space, terms)])),
            self.seed,
            spent + self.budget,
            begin=FIRST_OF_PAIRS,
            cut=CUT,
        )
        best, still, round_ = beam[0], 0, 0
        self.best = best
        while still < STILL_BUILT and self.played.runs - spent < self.budget and time.monotonic() < self.until:
            round_ += 1
            pool = list(dict.fromkeys([best, *beam, *_around(best, space, terms)]))
            # A round that is begun is played to its end: what is best half way through is best by luck.
            beam = self._halved(
                pool, self.seed + round_, sys.maxsize, begin=FIRST_OF_ROUND, cut=CUT, last=LAST_OF_ROUND, known=best
            )
            still = still + 1 if beam[0] == best else 0
            best = self.best = beam[0]
            if self.progress is not None:
                self.progress(min(self.played.runs - spent, self.budget), self.budget)
        return best

    def _halved(
        self,
        pool: list[Candidate],
        seed: int,
        most: int,
        *,
        begin: int = FIRST_RUNS,
        cut: int = 4,
        last: int = MOST_RUNS,
        known: Candidate | None = None,
    ) -> list[Candidate]:
        """The best of a pool: the worse part goes, the others are played on, with the same luck each.

        Nothing more is played once so many runs were played in all. What is `known`, the first of the pool, is played
        to the end; what is won and lost in the very same runs at first is taken to play alike, and left out.
        """
        runs, first = begin, 0
        won = dict.fromkeys(pool, 0.0)
        while True:
            flags = {candidate: self.played.wins(candidate, runs, seed, first) for candidate in pool}
            if known is not None and first == 0:
                pool = [one for one in pool if one == known or not np.array_equal(flags[one], flags[known])]
            for candidate in pool:
                won[candidate] += float(flags[candidate].sum())
            first += runs
            pool = sorted(pool, key=lambda candidate: -won[candidate])
            if (len(pool) <= BEAM + (known is not None) and runs >= last // 4) or self.played.runs >= most:
                return pool[:BEAM]
            better = pool[: max(BEAM, len(pool) // cut)]
            pool = better if known is None or known in better else [*better, known]
            runs = min(3 * runs, last)

    def _gap(self, candidate: Candidate, base: Flags, seed: int) -> tuple[float, float]:
        """By how much a candidate wins more often than the one whose wins are known, under the same luck, and half of
        the interval; one that is clearly worse is not played to the end."""
        won: list[Flags] = []
        while True:
            first = len(won) * (self.judged // PARTS)
            won.append(self.played.wins(candidate, self.judged // PARTS, seed, first))
            gap = np.concatenate(won).astype(float) - base[: first + self.judged // PARTS]
            half = 1.96 * float(gap.std(ddof=1)) / len(gap) ** 0.5
            if len(won) == PARTS or gap.mean() + 1.5 * half < -WORTH:
                return float(gap.mean()), half

    def climbed(self, candidate: Candidate) -> Candidate:
        """The best neighbour of all, and of that the best again, as long as it certainly wins more often; where none
        does, the best of many that are farther away."""
        space, still, draw = self.played.space, 0, random.Random(f"{self.seed} climbing")
        for round_ in range(MOST_CLIMBS):
            if time.monotonic() >= self.until:
                break
            near = (_far(candidate, space, draw) for _ in range(MOST_FAR)) if still else _neighbours(candidate, space)
            pool = list(dict.fromkeys([candidate, *near]))
            seed = self.seed + 4_000 + round_
            higher = self._halved(
                pool,
                seed,
                sys.maxsize,
                begin=FIRST_RUNS * self.care,
                cut=CUT,
                last=MOST_RUNS * self.care,
                known=candidate,
            )[0]
            if higher == candidate:
                still += 1
                if still == STILL_CLIMBS:
                    break
                continue
            base = self.played.wins(candidate, self.judged, seed + 1_000)
            gap, half = self._gap(higher, base, seed + 1_000)
            if gap > half:
                candidate, still = higher, 0
                self.best = candidate
            else:
                still += 1
                if still == STILL_CLIMBS:
                    break
        return candidate

    def pruned(self, candidate: Candidate) -> Candidate:
        """Without what costs less than a quarter point: acts, and conditions."""
        seed = self.seed + 1_000
        while candidate:
            base = self.played.wins(candidate, self.judged, seed)
            best: tuple[float, Candidate] | None = None
            for shorter in _shorter(candidate):
                gap, half = self._gap(shorter, base, seed)
                if gap - half > -2 * WORTH and gap > -WORTH and (best is None or gap > best[0]):
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
                _with_term(candidate, place, number, replace(term, threshold=threshold))
                for place, number, term in _terms_of(candidate)
                for threshold in self.played.space.features[term.feature]
            )
            pool = list(dict.fromkeys([candidate, *moved]))
            higher = self._halved(
                pool, seed, sys.maxsize, begin=FIRST_OF_POLISH, cut=3, last=MOST_RUNS * self.care, known=candidate
            )[0]
            if higher == candidate:
                break
            gap, half = self._gap(higher, self.played.wins(candidate, self.judged, seed + 500), seed + 500)
            if gap <= half:
                break
            candidate = higher
        return candidate

    def flat(self, candidate: Candidate) -> dict[tuple[int, int], tuple[float, float]]:
        """For each condition (act, condition) between which thresholds wins stay within a quarter point of the best."""
        seed, spans = self.seed + 2_000, {}
        base = self.played.wins(candidate, self.judged, seed)
        for place, slot in enumerate(candidate):
            for number, term in enumerate(slot.terms):
                known = self.played.space.features[term.feature]
                at = min(range(len(known)), key=lambda k: abs(known[k] - term.threshold))
                ends = []
                for step in (-1, 1):
                    edge = at
                    while 0 <= edge + step < len(known):
                        moved = _with_term(candidate, place, number, replace(term, threshold=known[edge + step]))
                        if self._gap(moved, base, seed)[0] < -WORTH:
                            break
                        edge += step
                    ends.append(known[edge])
                spans[place, number] = (ends[0], ends[1])
        return spans


def _terms_of(candidate: Candidate) -> list[tuple[int, int, Term]]:
    """All conditions, with their places."""
    return [(place, n, term) for place, slot in enumerate(candidate) for n, term in enumerate(slot.terms)]


def _with_term(candidate: Candidate, place: int, number: int, term: Term | None) -> Candidate:
    slot = candidate[place]
    terms = (*slot.terms[:number], *((term,) if term is not None else ()), *slot.terms[number + 1 :])
    return (*candidate[:place], Slot(slot.action, terms), *candidate[place + 1 :])


def _shorter(candidate: Candidate) -> Iterator[Candidate]:
    for place, slot in enumerate(candidate):
        yield (*candidate[:place], *candidate[place + 1 :])
        for number in range(len(slot.terms)):
            yield tidy(_with_term(candidate, place, number, None))


def _all_terms(space: Space) -> list[Term]:
    return [Term(name, below, at) for name, known in space.features.items() for at in known for below in (True, False)]


def _neighbours(candidate: Candidate, space: Space, terms: Sequence[Term] | None = None) -> Iterator[Candidate]:
    """All that are one change away: an act put in (with one condition or none), left out, another or exchanged; a
    condition another, dropped or added."""
    if terms is None:
        terms = _all_terms(space)
    for place in range(len(candidate) + 1 if len(candidate) < SLOTS else 0):
        for action in space.actions:
            for some in ((), *((term,) for term in terms)):
                yield tidy((*candidate[:place], Slot(action, some), *candidate[place:]))
    for place, slot in enumerate(candidate):
        yield (*candidate[:place], *candidate[place + 1 :])
        for action in space.actions:
            yield tidy((*candidate[:place], Slot(action, slot.terms), *candidate[place + 1 :]))
        for number in range(len(slot.terms)):
            yield from (tidy(_with_term(candidate, place, number, term)) for term in (None, *terms))
        if len(slot.terms) < TERMS:
            for term in terms:
                longer = Slot(slot.action, (*slot.terms, term))
                yield tidy((*candidate[:place], longer, *candidate[place + 1 :]))
        for other in range(place + 1, len(candidate)):
            slots = list(candidate)
            slots[place], slots[other] = slots[other], slots[place]
            yield tidy(slots)


def _coarse(space: Space) -> list[Term]:
    """Conditions at the quarters of each range, both ways; all of few."""
    return [
        Term(feature, below, at)
        for feature, known in space.features.items()
        for at in (known if len(known) <= FEW else sorted(_quarters(known)))
        for below in (True, False)
    ]


def _quarters(known: Sequence[float]) -> set[float]:
    return {known[len(known) * quarter // 4] for quarter in (1, 2, 3)}


def _pairs(space: Space, terms: Sequence[Term]) -> Iterator[Candidate]:
    """One act, or one and before or behind it another, under one condition or none."""
    for action in space.actions:
        yield (Slot(action),)
        for term in terms:
            yield (Slot(action, (term,)),)
        for other in space.actions:
            for term in terms if other != action else ():
                yield (Slot(action), Slot(other, (term,)))
                yield (Slot(other, (term,)), Slot(action))


def _around(candidate: Candidate, space: Space, terms: Sequence[Term]) -> Iterator[Candidate]:
    """Those that are a coarse step away: one act or condition changed, at the quarters; thresholds also near by."""
    yield from _neighbours(candidate, space, terms)
    for place, number, term in _terms_of(candidate):
        known = space.features[term.feature]
        at = min(range(len(known)), key=lambda k: abs(known[k] - term.threshold))
        for step in (-4, -2, -1, 1, 2, 4):
            if 0 <= at + step < len(known):
                yield _with_term(candidate, place, number, replace(term, threshold=known[at + step]))


def _simple(space: Space) -> Iterator[Candidate]:
    """One act, without a condition or with one at a quarter of the range."""
    for action in space.actions:
        yield (Slot(action),)
        for feature, known in space.features.items():
            for threshold in sorted(_quarters(known)):
                for below in (True, False):
                    yield (Slot(action, (Term(feature, below, threshold),)),)


def _term(space: Space, draw: random.Random) -> Term:
    feature = draw.choice(list(space.features))
    return Term(feature, draw.random() < 0.5, draw.choice(space.features[feature]))


def _slot(space: Space, draw: random.Random) -> Slot:
    """An act with none, one or two conditions; mostly one."""
    terms = draw.choice((0, 1, 1, 2)) if space.features else 0
    return Slot(draw.choice(space.actions), tuple(_term(space, draw) for _ in range(terms)))


def _some(space: Space, draw: random.Random) -> Candidate:
    return tidy(_slot(space, draw) for _ in range(draw.randint(1, 4)))


def _changed(candidate: Candidate, space: Space, draw: random.Random) -> Candidate:
    """One or two changes away: an act put in, left out, moved or another; a condition added, dropped, turned, moved."""
    for _ in range(draw.choice((1, 1, 2))):
        slots = list(candidate)
        kind = draw.choice(KINDS)
        if not slots or kind == "put in":
            if len(slots) < SLOTS:
                slots.insert(draw.randint(0, len(slots)), _slot(space, draw))
            candidate = tidy(slots)
            continue
        place = draw.randrange(len(slots))
        slot, terms = slots[place], list(slots[place].terms)
        if kind == "threshold" and terms:
            number = draw.randrange(len(terms))
            terms[number] = _moved(terms[number], space, draw)
        elif kind == "term" and space.features:
            if terms and draw.random() < 0.3:
                terms.pop(draw.randrange(len(terms)))
            elif terms and (len(terms) == TERMS or draw.random() < 0.5):
                terms[draw.randrange(len(terms))] = _term(space, draw)
            elif len(terms) < TERMS:
                terms.append(_term(space, draw))
        slots[place] = Slot(draw.choice(space.actions) if kind == "act" else slot.action, tuple(terms))
        if kind == "drop" and len(slots) > 1:
            slots.pop(place)
        elif kind == "swap" and len(slots) > 1:
            other = draw.randrange(len(slots))
            slots[place], slots[other] = slots[other], slots[place]
        candidate = tidy(slots)
    return candidate


def _far(candidate: Candidate, space: Space, draw: random.Random) -> Candidate:
    """Two to four changes away."""
    return _changed(_changed(candidate, space, draw), space, draw)


def _moved(term: Term, space: Space, draw: random.Random) -> Term:
    """A condition with another threshold near by, or turned round."""
    known = space.features[term.feature]
    at = min(range(len(known)), key=lambda k: abs(known[k] - term.threshold))
    step = draw.choice((-4, -2, -1, 1, 2, 4, 0))
    if step == 0:
        return replace(term, below=not term.below)
    return replace(term, threshold=known[min(max(at + step, 0), len(known) - 1)])
