"""Quantiles of Student's distribution and of the normal one, in plain Python: SciPy takes longer to import."""

from __future__ import annotations

import math
from functools import lru_cache
from statistics import NormalDist

# Beyond so many degrees of freedom a short expansion is right to more digits than are ever shown.
MOST_FREEDOM = 2_000


def normal_quantile(chance: float) -> float:
    """The value below which a standard normal variable lies with some chance."""
    return NormalDist().inv_cdf(chance)


@lru_cache(4096)
def student_within(freedom: int, sure: float) -> float:
    """The t for which a variable of Student's distribution lies between -t and t with the chance `sure`.

    By Newton's steps on the closed sums for whole degrees of freedom (Abramowitz and Stegun, "Handbook of mathematical
    functions", 26.7.3 and 26.7.4); beyond 2,000 of them the first terms of the expansion of Fisher and Cornish.
    """
    z = normal_quantile((1.0 + sure) / 2.0)
    t = z + (z**3 + z) / (4 * freedom) + (5 * z**5 + 16 * z**3 + 3 * z) / (96 * freedom**2)
    if freedom > MOST_FREEDOM:
        return t
    if freedom == 1:
        return math.tan(math.pi * sure / 2.0)
    if freedom == 2:
        return sure * math.sqrt(2.0 / ((1.0 - sure) * (1.0 + sure)))
    at_zero = _density_at_zero(freedom)
    for _ in range(100):
        # In steps of the logarithm of the tail, which is nearly straight where the tail is thin.
        density = 2.0 * at_zero * (1.0 + t * t / freedom) ** (-(freedom + 1) / 2.0)
        outside, wanted = 1.0 - _within(t, freedom), 1.0 - sure
        if outside <= 0.0 or density <= 0.0:
            t /= 2.0
            continue
        step = (outside / density) * math.log(outside / wanted) if wanted > 0.0 else math.inf
        t = max(t + step, t / 2.0)
        if abs(step) <= 1e-8 * t:
            break  # the digits double with each step
    return t


def _within(t: float, freedom: int) -> float:
    """The chance that a variable of Student's distribution lies between -t and t."""
    angle = math.atan2(t, math.sqrt(freedom))
    square = freedom / (freedom + t * t)
    sine = t / math.sqrt(freedom + t * t)
    odd = freedom % 2
    term = math.sqrt(square) if odd else 1.0
    terms = [term]
    for k in range(2 + odd, freedom - 1, 2):
        term *= square * (k - 1) / k
        terms.append(term)
    total = math.fsum(terms)
    return 2.0 / math.pi * (angle + sine * total) if odd else sine * total


def _density_at_zero(freedom: int) -> float:
    """The density of Student's distribution at 0."""
    known = 1.0 / math.pi if freedom % 2 else 1.0 / math.sqrt(8.0)
    # d(n + 2) / d(n) from the ratio of gamma functions, which would lose digits by themselves.
    for n in range(2 - freedom % 2, freedom, 2):
        known *= (n + 1) / math.sqrt(n * (n + 2.0))
    return known
