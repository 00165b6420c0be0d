"""Two studies of the same runs under the same luck, run by run."""

from __future__ import annotations

from typing import Any

import numpy as np

from mint_ledger.studies.estimate import Estimate, mean_of, raised_estimate
from mint_ledger.studies.intervals import OPEN
from mint_ledger.studies.limits import draws_something
from mint_ledger.studies.raised import RareOutcomes, rare_outcomes
from mint_ledger.studies.study import Study


def mean_gap(one: Study, other: Study, measure: str, sure: float) -> Estimate | None:
    """Return how much higher the mean of a measure is in the other study, run by run; None where no run has it in both.

    Where outcomes are rare, both are played with their chances raised alike (`studies.raised`).

    Raises:
        NotFound: one of them has no such measure.
    """
    first, second = paired_values(one, other, measure)
    if not len(first):
        return None
    rare = _rare_pair(one, other) if len(first) == one.runs else None
    if rare is not None:
        differences = []
        for data in (rare.plain, rare.raised):
            sides = [
                study.taken(study.column_of(measure), part) for study, part in zip((one, other), data, strict=True)
            ]
            differences.append(sides[1] - sides[0])
        basis = rare.mean(differences[0], differences[1], sure, OPEN)
        if basis is not None:
            return raised_estimate(basis, len(first), sure)
    gaps = (second - first).tolist()
    certain = not any(draws_something(study.lowered.program) for study in (one, other))
    return mean_of(gaps, sure, bounds=(gaps[0], gaps[0]) if certain else OPEN, paired=True)


def _rare_pair(one: Study, other: Study) -> RareOutcomes | None:
    """The rare outcomes of two studies that are compared run by run; looked for once."""
    if not (one.request.text and other.request.text) or (one.begins, one.runs) != (other.begins, other.runs):
        return None
    known: dict[int, tuple[Study, RareOutcomes | None]] = one.__dict__.setdefault("_pairs", {})
    if id(other) not in known:
        known[id(other)] = other, rare_outcomes([one.prepared, other.prepared], one.runs, one.begins)
    return known[id(other)][1]


def paired_values(one: Study, other: Study, measure: str) -> tuple[Any, Any]:
    """A measure in the runs in which both studies have it; two arrays of one length.

    Raises:
        NotFound: one of them has no such measure.
    """
    (runs, first), (others, second) = one.numbers(measure), other.numbers(measure)
    _, at, beside = np.intersect1d(runs, others, assume_unique=True, return_indices=True)
    return first[at], second[beside]
