"""Estimates: every number from many runs comes with an interval, and says how that was made."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mint_ledger.errors import BadRequest

if TYPE_CHECKING:
    import numpy as np

    Floats = np.ndarray[Any, np.dtype[np.float64]]

CONFIDENCE = 0.95


@dataclass(frozen=True, slots=True)
class Estimate:
    """A value, an interval that holds the true one with `confidence`, from `runs` runs, made by `method`.

    An end that so many runs cannot tell is open: infinite.
    """

    value: float
    low: float
    high: float
    runs: int
    method: str
    confidence: float = CONFIDENCE

    @property
    def half_width(self) -> float:
        """Half the interval's length."""
        return (self.high - self.low) / 2


def rate(count: int, runs: int, confidence: float = CONFIDENCE) -> Estimate:
    """The share of runs in which something happened, with Wilson's score interval.

    Source: Wilson, "Probable inference, the law of succession, and statistical inference", JASA 22 (1927).
    """
    # Python's own inverse normal: SciPy would take longer to import than a thousand runs to play.
    from statistics import NormalDist

    if runs < 1:
        raise BadRequest("a rate wants one run at least")
    z = NormalDist().inv_cdf((1 + confidence) / 2)
    share = count / runs
    centre = (share + z * z / (2 * runs)) / (1 + z * z / runs)
    half = z / (1 + z * z / runs) * math.sqrt(share * (1 - share) / runs + z * z / (4 * runs * runs))
    low = 0.0 if count == 0 else max(0.0, centre - half)
    high = 1.0 if count == runs else min(1.0, centre + half)
    return Estimate(share, low, high, runs, "Wilson", confidence)


def binomial_below(n: int, q: float) -> Floats:
    """The chances that 0, 1 … n or fewer of `n` come up, each with chance `q`.

    SciPy has this too, but to import it takes longer than a short command.
    """
    import numpy as np

    k = np.arange(1, n + 1)
    ratios = np.log((n - k + 1) / k) + math.log(q / (1 - q))
    logs = n * math.log1p(-q) + np.concatenate(([0.0], np.cumsum(ratios)))
    chances: Floats = np.minimum(np.cumsum(np.exp(logs)), 1.0)
    return chances


def quantile(values: Sequence[float], q: float, confidence: float = CONFIDENCE) -> Estimate:
    """A quantile (0 < q < 1) of a sample, with the interval between two order statistics.

    The number of values below the true quantile is binomial, whatever the distribution, so the interval holds
    with `confidence` at least (Conover, "Practical nonparametric statistics", section 3.2).
    """
    import numpy as np

    if not 0 < q < 1:
        raise BadRequest(f"a quantile lies between 0 and 1, not at {q}")
    ordered = np.sort(np.asarray(values, dtype=float))
    n = len(ordered)
    if n < 1:
        raise BadRequest("a quantile wants one run at least")
    tail = (1 - confidence) / 2
    # The kth value from below is above the quantile with the chance that fewer than k of n lie below it. Where even the
    # first (or last) value is not far enough out, that end is open.
    below = binomial_below(n, q)
    low = int(np.searchsorted(below, tail, side="right"))
    high = int(np.searchsorted(below, 1 - tail))
    return Estimate(
        float(np.quantile(ordered, q)),
        float(ordered[low - 1]) if low >= 1 else -math.inf,
        float(ordered[high]) if high < n else math.inf,
        n,
        "order statistics",
        confidence,
    )


def mean(total: float, spread: float, runs: int, confidence: float = CONFIDENCE) -> Estimate:
    """The mean of a sample from its sum and the sum of squares about its mean, with Student's t interval.

    Source: Student, "The probable error of a mean", Biometrika 6 (1908); for many runs it rests on the central limit
    theorem, whatever the distribution.
    """
    from scipy.special import stdtrit

    if runs < 1:
        raise BadRequest("a mean wants one run at least")
    value = total / runs
    if runs == 1:
        return Estimate(value, -math.inf, math.inf, runs, "Student's t", confidence)
    variance = spread / (runs - 1)
    half = float(stdtrit(runs - 1, (1 + confidence) / 2)) * math.sqrt(variance / runs)
    return Estimate(value, value - half, value + half, runs, "Student's t", confidence)


def joined_sums(one: Any, runs: int, other: Any, more: int) -> Any:
    """Sums and squares about the mean of two samples together, arrays of shape (numbers, 2).

    Source: Chan, Golub, LeVeque, "Updating formulae and a pairwise algorithm for computing sample variances",
    COMPSTAT 1982.
    """
    off = other[:, 0] / more - one[:, 0] / runs
    total = one + other
    total[:, 1] += off * off * (runs * (more / (runs + more)))
    return total


def mean_of(values: Sequence[float], confidence: float = CONFIDENCE) -> Estimate:
    """The mean of a sample; see `mean`. Worked out about the mean itself, so that nothing cancels."""
    import numpy as np

    sample = np.asarray(values, dtype=float)
    if len(sample) < 1:
        raise BadRequest("a mean wants one run at least")
    centre = math.fsum(sample) / len(sample)
    off = sample - centre
    about = mean(math.fsum(off), math.fsum(off * off), len(sample), confidence)
    return Estimate(centre, centre + about.low, centre + about.high, len(sample), about.method, confidence)
