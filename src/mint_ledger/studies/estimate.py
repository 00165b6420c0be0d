"""Estimates: every number from many runs comes with an interval, and says how that was made."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mint_ledger.errors import BadRequest

CONFIDENCE = 0.95


@dataclass(frozen=True, slots=True)
class Estimate:
    """A value, an interval that holds the true one with `confidence`, from `runs` runs, made by `method`."""

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
    from scipy.stats import binomtest

    if runs < 1:
        raise BadRequest("a rate wants one run at least")
    interval = binomtest(count, runs).proportion_ci(confidence, method="wilson")
    return Estimate(count / runs, float(interval.low), float(interval.high), runs, "Wilson", confidence)


def quantile(values: Sequence[float], q: float, confidence: float = CONFIDENCE) -> Estimate:
    """A quantile (0 < q < 1) of a sample, with the interval between two order statistics.

    The number of values below the true quantile is binomial, whatever the distribution, so the interval holds
    with `confidence` at least (Conover, "Practical nonparametric statistics", section 3.2).
    """
    import numpy as np
    from scipy.stats import binom

    if not 0 < q < 1:
        raise BadRequest(f"a quantile lies between 0 and 1, not at {q}")
    ordered = np.sort(np.asarray(values, dtype=float))
    n = len(ordered)
    if n < 1:
        raise BadRequest("a quantile wants one run at least")
    tail = (1 - confidence) / 2
    low = int(binom.ppf(tail, n, q))
    high = int(binom.ppf(1 - tail, n, q))
    return Estimate(
        float(np.quantile(ordered, q)),
        float(ordered[max(low - 1, 0)]) if low >= 1 else float(ordered[0]),
        float(ordered[min(high, n - 1)]),
        n,
        "order statistics",
        confidence,
    )
