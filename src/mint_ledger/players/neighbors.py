"""What stands near a candidate: all that are one change away, coarse steps, and what is drawn at random."""

from __future__ import annotations

import random
from collections.abc import Iterator, Sequence
from dataclasses import replace
from itertools import product

from mint_ledger.players.candidate import SLOTS, TERMS, Candidate, CandidateSpace, Slot, Term, tidy

# Of so many thresholds all are looked at from the start.
FEW = 4
# How candidates are changed; what stands here more often is done more often.
KINDS = (*["threshold"] * 3, "term", "term", "act", "put in", "put in", "drop", "swap")
# What is replaced by what, and before what it stands.
Change = tuple[Candidate, Candidate, Candidate]


def size(candidate: Candidate) -> int:
    """Return how many acts and conditions it has."""
    return len(candidate) + sum(len(slot.terms) for slot in candidate)


def change(old: Candidate, new: Candidate) -> Change:
    """Return what makes the one of the other: what is replaced by what, and what it stands before."""
    shorter = min(len(old), len(new))
    head = next((k for k in range(shorter) if old[k] != new[k]), shorter)
    tail = next((k for k in range(shorter - head) if old[-1 - k] != new[-1 - k]), shorter - head)
    end = len(old) - tail
    return old[head:end], new[head : len(new) - tail], old[end : end + 1]


def terms_of(candidate: Candidate) -> list[tuple[int, int, Term]]:
    """All conditions, with their places."""
    return [(place, n, term) for place, slot in enumerate(candidate) for n, term in enumerate(slot.terms)]


def with_term(candidate: Candidate, place: int, number: int, term: Term | None) -> Candidate:
    """With another condition in the place of one, or with none there."""
    slot = candidate[place]
    terms = (*slot.terms[:number], *((term,) if term is not None else ()), *slot.terms[number + 1 :])
    return (*candidate[:place], Slot(slot.action, terms), *candidate[place + 1 :])


def shorter_ones(candidate: Candidate) -> Iterator[Candidate]:
    """All with one act or one condition less."""
    for place, slot in enumerate(candidate):
        yield (*candidate[:place], *candidate[place + 1 :])
        for number in range(len(slot.terms)):
            yield tidy(with_term(candidate, place, number, None))


def _all_terms(space: CandidateSpace) -> list[Term]:
    return [Term(name, below, at) for name, known in space.features.items() for at in known for below in (True, False)]


def neighbors(candidate: Candidate, space: CandidateSpace, terms: Sequence[Term] | None = None) -> Iterator[Candidate]:
    """All that are one change away: an act put in (with one condition or none), left out, another or exchanged; a
    condition another, dropped or added.
    """
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
            yield from (tidy(with_term(candidate, place, number, term)) for term in (None, *terms))
        if len(slot.terms) < TERMS:
            for term in terms:
                longer = Slot(slot.action, (*slot.terms, term))
                yield tidy((*candidate[:place], longer, *candidate[place + 1 :]))
        for other in range(place + 1, len(candidate)):
            slots = list(candidate)
            slots[place], slots[other] = slots[other], slots[place]
            yield tidy(slots)


def in_two(candidate: Candidate, space: CandidateSpace) -> Iterator[Candidate]:
    """All whose two conditions of an act have both another threshold, or stand there with others as well."""
    for place, slot in enumerate(candidate):
        if len(slot.terms) < TERMS:
            continue
        for moved in product(*(space.features[term.feature] for term in slot.terms)):
            other = Slot(slot.action, tuple(replace(t, threshold=at) for t, at in zip(slot.terms, moved, strict=True)))
            yield tidy((*candidate[:place], other, *candidate[place + 1 :]))
            if len(candidate) < SLOTS:
                yield tidy((*candidate[:place], other, *candidate[place:]))


def coarse_terms(space: CandidateSpace) -> list[Term]:
    """Conditions at the quarters of each range, both ways; all of few."""
    return [
        Term(feature, below, at)
        for feature, known in space.features.items()
        for at in (known if len(known) <= FEW else sorted(_quarters(known)))
        for below in (True, False)
    ]


def _quarters(known: Sequence[float]) -> set[float]:
    return {known[len(known) * quarter // 4] for quarter in (1, 2, 3)}


def pairs(space: CandidateSpace, terms: Sequence[Term]) -> Iterator[Candidate]:
    """One act, or one and before or behind it another, under one condition or none."""
    for action in space.actions:
        yield (Slot(action),)
        for term in terms:
            yield (Slot(action, (term,)),)
        for other in space.actions:
            for term in terms if other != action else ():
                yield (Slot(action), Slot(other, (term,)))
                yield (Slot(other, (term,)), Slot(action))


def around(candidate: Candidate, space: CandidateSpace, terms: Sequence[Term]) -> Iterator[Candidate]:
    """Those that are a coarse step away: one act or condition changed, at the quarters; thresholds also near by."""
    yield from neighbors(candidate, space, terms)
    for place, number, term in terms_of(candidate):
        known = space.features[term.feature]
        at = min(range(len(known)), key=lambda k: abs(known[k] - term.threshold))
        for step in (-4, -2, -1, 1, 2, 4):
            if 0 <= at + step < len(known):
                yield with_term(candidate, place, number, replace(term, threshold=known[at + step]))


def simple_ones(space: CandidateSpace) -> Iterator[Candidate]:
    """One act, without a condition or with one at a quarter of the range."""
    for action in space.actions:
        yield (Slot(action),)
        for feature, known in space.features.items():
            for threshold in sorted(_quarters(known)):
                for below in (True, False):
                    yield (Slot(action, (Term(feature, below, threshold),)),)


def _term(space: CandidateSpace, draw: random.Random) -> Term:
    feature = draw.choice(list(space.features))
    return Term(feature, draw.random() < 0.5, draw.choice(space.features[feature]))


def _slot(space: CandidateSpace, draw: random.Random) -> Slot:
    """An act with none, one or two conditions; mostly one."""
    terms = draw.choice((0, 1, 1, 2)) if space.features else 0
    return Slot(draw.choice(space.actions), tuple(_term(space, draw) for _ in range(terms)))


def drawn_one(space: CandidateSpace, draw: random.Random) -> Candidate:
    """One to four acts, drawn."""
    return tidy(_slot(space, draw) for _ in range(draw.randint(1, 4)))


def changed(candidate: Candidate, space: CandidateSpace, draw: random.Random) -> Candidate:
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


def far_one(candidate: Candidate, space: CandidateSpace, draw: random.Random) -> Candidate:
    """Two to four changes away."""
    return changed(changed(candidate, space, draw), space, draw)


def _moved(term: Term, space: CandidateSpace, draw: random.Random) -> Term:
    """A condition with another threshold near by, or turned round."""
    known = space.features[term.feature]
    at = min(range(len(known)), key=lambda k: abs(known[k] - term.threshold))
    step = draw.choice((-4, -2, -1, 1, 2, 4, 0))
    if step == 0:
        return replace(term, below=not term.below)
    return replace(term, threshold=known[min(max(at + step, 0), len(known) - 1)])
