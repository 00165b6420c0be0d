"""Intervals for what a sample tells: one for a single look, one that is valid at any number of runs.

Each basis is what a sample leaves of itself; `interval(sure)` is for one look, `ever(sure)` for all looks together. An
end that the sample cannot tell is open: infinite.
"""

from __future__ import annotations

import math
from collections.abc import Callable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mint_ledger.studies.beta import beta_quantile
from mint_ledger.studies.student import normal_quantile, student_within

if TYPE_CHECKING:
    import numpy as np

    Floats = np.ndarray[Any, np.dtype[np.float64]]

Ends = tuple[float, float]
OPEN: Ends = (-math.inf, math.inf)
# The mixture around a share weighs as much as so many runs; it is narrowest at about as many runs.
WEIGHT = 100.0
# The mixture for means is narrowest at about so many runs.
NARROWEST = 1_000.0
# Below so many runs for each unit of squared skewness, the long end of a mean is not known.
RUNS_OF_SKEWNESS = 25.0
# With fewer events (or fewer runs without one) than this Wilson's interval holds too seldom: .86 of .95 at an expected
# number of 0.15, .88 of .90 at 8.
FEW_EVENTS = 30.0
# Of a mean, with fewer values than this that differ from all the others.
FEW_VALUES = 12
# By so much of itself the arithmetic of floats may miss a mean that is known exactly.
ROUNDING = 1e-11
# How often pairs are drawn again.
RESAMPLES = 1_000


def _z(sure: float) -> float:
    return normal_quantile((1 + sure) / 2)


def wilson(count: float, runs: float, sure: float) -> Ends:
    """The score interval of a share.

    Source: Wilson, "Probable inference, the law of succession, and statistical inference", JASA 22 (1927).
    """
    z = _z(sure)
    share = count / runs
    center = (share + z * z / (2 * runs)) / (1 + z * z / runs)
    half = z / (1 + z * z / runs) * math.sqrt(share * (1 - share) / runs + z * z / (4 * runs * runs))
    low = 0.0 if count == 0 else max(0.0, center - half)
    return low, 1.0 if count == runs else min(1.0, center + half)


def share_ends(count: float, runs: float, sure: float) -> Ends:
    """The interval of a share: Wilson's, and where there are few events the exact one.

    Neither number has to be whole: runs that are not independent are worth fewer.

    Source of the exact one: Clopper and Pearson, "The use of confidence or fiducial limits illustrated in the case of
    the binomial", Biometrika 26 (1934).
    """
    if min(count, runs - count) >= FEW_EVENTS:
        return wilson(count, runs, sure)
    tail = (1.0 - sure) / 2.0
    low = 0.0 if count <= 0.0 else beta_quantile(tail, count, runs - count + 1.0)
    high = 1.0 if count >= runs else beta_quantile(1.0 - tail, count + 1.0, runs - count)
    return low, high


@dataclass(frozen=True, slots=True)
class Share:
    """In how many of how many runs something happened."""

    count: int
    runs: int

    def interval(self, sure: float) -> Ends:
        """Wilson's, or Clopper and Pearson's; see `share_ends`."""
        return share_ends(self.count, self.runs, sure)

    def ever(self, sure: float) -> Ends:
        """A confidence sequence: the shares that a mixture over beta distributions around them does not rule out.

        The mixture is a martingale while the share is the true one, so it is seldom ever above 1/(1 - sure): in
        1 - sure of all cases.

        Sources: Robbins, "Statistical methods related to the law of the iterated logarithm", Ann. Math. Stat. 41
        (1970); Howard, Ramdas, McAuliffe and Sekhon, "Time-uniform, nonparametric, nonasymptotic confidence
        sequences", Ann. Stat. 49 (2021).
        """
        share = self.count / self.runs
        limit = -math.log(1.0 - sure)
        low = 0.0 if self.count == 0 else _border(lambda p: self._against(p) - limit, share, 0.0)
        return low, 1.0 if self.count == self.runs else _border(lambda p: self._against(p) - limit, share, 1.0)

    def _against(self, share: float) -> float:
        """The logarithm of the mixture's likelihood against a share's own."""
        if share <= 0.0 or share >= 1.0:
            return math.inf
        hits, misses = WEIGHT * share, WEIGHT * (1.0 - share)
        count, others = self.count, self.runs - self.count
        mixed = _log_beta(hits + count, misses + others) - _log_beta(hits, misses)
        return mixed - count * math.log(share) - others * math.log1p(-share)


def _log_beta(a: float, b: float) -> float:
    return math.lgamma(a) + math.lgamma(b) - math.lgamma(a + b)


def _border(over: Callable[[float], float], inside: float, outside: float) -> float:
    """Return where something comes above 0 between two values, to twelve digits; the outer one where it never does."""
    for _ in range(60):
        middle = (inside + outside) / 2
        if over(middle) > 0.0:
            outside = middle
        else:
            inside = middle
    return outside


@dataclass(frozen=True, slots=True)
class FewValues:
    """A sample of which all values but a few are one: how many lie above and below it, and how far on average.

    Of differences run by run (`both_ways`) a side on which none was seen may have values as large as the other's.
    """

    above: int
    rise: float
    below: int
    fall: float
    runs: int
    both_ways: bool = False

    def interval(self, sure: float) -> Ends:
        """Return how far the mean lies from the common value: the exact intervals of both shares, squared and added.

        Source: Zou and Donner, "Construction of confidence limits about effect measures: a general approach", Stat.
        Med. 27 (2008).
        """
        parts = []
        for count, size in ((self.above, self.rise), (self.below, self.fall)):
            low, high = share_ends(count, self.runs, sure)
            other = size if count or not self.both_ways else self.rise + self.fall
            parts.append((count / self.runs * size, low * size, high * other))
        (up, up_low, up_high), (down, down_low, down_high) = parts
        value = up - down
        return value - math.hypot(up - up_low, down_high - down), value + math.hypot(up_high - up, down - down_low)


@dataclass(frozen=True, slots=True)
class Average:
    """The mean of a sample, with its spread and skewness; `bounds` are those that no value can leave.

    `alike` says that all values are one: then nothing is known of rarer ones. `few` is known where all but a few are.
    """

    mean: float
    deviation: float
    skewness: float
    runs: int
    alike: bool = False
    bounds: Ends = OPEN
    few: FewValues | None = None
    # Whether skewness leaves the long end open; not where the rare values are known by design.
    opens: bool = True

    def interval(self, sure: float) -> Ends:
        """Student's, with Hall's transformation for skewness.

        Sources: Student, "The probable error of a mean", Biometrika 6 (1908); Hall, "On the removal of skewness by
        transformation", J. R. Stat. Soc. B 54 (1992).
        """
        if self.runs < 2 or self.alike:
            return self._held(*self._rare(sure))
        error = self.deviation / math.sqrt(self.runs)
        t = student_within(self.runs - 1, sure)
        low = self.mean - error * self._untransformed(t)
        high = self.mean - error * self._untransformed(-t)
        if self.few is not None:
            from_few = self.few.interval(sure)
            common = self.mean - (self.few.above * self.few.rise - self.few.below * self.few.fall) / self.runs
            low, high = min(low, common + from_few[0]), max(high, common + from_few[1])
        return self._held(*self._opened(low, high, sure))

    def ever(self, sure: float) -> Ends:
        """A confidence sequence for the mean, from a mixture of normal distributions; it rests on the central limit
        theorem, as Student's does.

        Source: Waudby-Smith, Arbour, Sinha, Kennedy and Ramdas, "Time-uniform central limit theory and asymptotic
        confidence sequences", Ann. Stat. 52 (2024), theorem 2.2.
        """
        if self.runs < 2 or self.alike:
            return self._held(*self._rare(sure))
        alpha = 1.0 - sure
        rho2 = (-2.0 * math.log(alpha) + math.log(-2.0 * math.log(alpha)) + 1.0) / NARROWEST
        grown = self.runs * rho2 + 1.0
        half = self.deviation * math.sqrt(2.0 * grown / (self.runs**2 * rho2) * math.log(math.sqrt(grown) / alpha))
        low, high = self.interval(sure)
        opened = self._opened(min(self.mean - half, low), max(self.mean + half, high), sure)
        return self._held(*opened)

    def _untransformed(self, t: float) -> float:
        """The studentised mean whose transform is `t`."""
        skew = self.skewness / math.sqrt(self.runs)
        if abs(skew) < 1e-9:
            return t
        inner = 1.0 + skew * (t - skew / 6.0)
        return 3.0 / skew * (math.copysign(abs(inner) ** (1.0 / 3.0), inner) - 1.0)

    def _opened(self, low: float, high: float, sure: float) -> Ends:
        """The long end is not known while so few runs hang on the tail."""
        if self.opens and self.runs < RUNS_OF_SKEWNESS * self.skewness**2:
            return (low, math.inf) if self.skewness > 0.0 else (-math.inf, high)
        return low, high

    def _rare(self, sure: float) -> Ends:
        """Where all values are alike, what is rarer than `runs` can tell may lie anywhere that it can be."""
        if self.alike and not self.opens:
            return self.mean, self.mean
        if math.isfinite(self.bounds[0]) and math.isfinite(self.bounds[1]):
            share = 1.0 - (1.0 - sure) ** (1.0 / self.runs) if self.runs else 1.0
            return (
                self.mean - share * (self.mean - self.bounds[0]),
                self.mean + share * (self.bounds[1] - self.mean),
            )
        return OPEN

    def _held(self, low: float, high: float) -> Ends:
        """No mean lies outside of what its values can be."""
        return max(low, self.bounds[0]), min(high, self.bounds[1])


@dataclass(frozen=True, slots=True)
class Ordered:
    """A sample in order, for one of its quantiles."""

    values: Floats
    q: float

    def interval(self, sure: float) -> Ends:
        """Between two order statistics: how many values lie below the true quantile is binomial, whatever they are.

        Source: Conover, "Practical nonparametric statistics", section 3.2.
        """
        import numpy as np

        n, tail = len(self.values), (1 - sure) / 2
        # The kth value from below is above the quantile with the chance that fewer than k of n lie below it. Where even
        # the first (or last) value is not far enough out, that end is open.
        below = binomial_below(n, self.q)
        low = int(np.searchsorted(below, tail, side="right"))
        high = int(np.searchsorted(below, 1 - tail))
        return (
            float(self.values[low - 1]) if low >= 1 else -math.inf,
            float(self.values[high]) if high < n else math.inf,
        )

    def ever(self, sure: float) -> Ends:
        """Between the order statistics whose shares a confidence sequence around `q` does not rule out."""
        n = len(self.values)
        limit = -math.log(1.0 - sure)

        def rules_out(count: int) -> bool:
            return Share(count, n)._against(self.q) > limit

        low, high = 0, round(self.q * n)
        while low < high:  # the least count that may lie below the quantile
            middle = (low + high) // 2
            low, high = (middle + 1, high) if rules_out(middle) else (low, middle)
        least = low
        low, high = round(self.q * n), n
        while low < high:  # the greatest
            middle = (low + high + 1) // 2
            low, high = (low, middle - 1) if rules_out(middle) else (middle, high)
        return (
            float(self.values[least - 1]) if least >= 1 else -math.inf,
            float(self.values[low]) if low < n else math.inf,
        )


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


@dataclass(frozen=True, slots=True)
class Turned:
    """Pairs of runs: in how many something came to happen, in how many it no longer did."""

    gained: int
    lost: int
    runs: int

    def interval(self, sure: float) -> Ends:
        """Of the difference of two paired shares.

        Source: Bonett and Price, "Adjusted Wald confidence interval for a difference of binomial proportions based on
        paired data", J. Educ. Behav. Stat. 37 (2012).
        """
        more, less = (self.gained + 1) / (self.runs + 2), (self.lost + 1) / (self.runs + 2)
        half = _z(sure) * math.sqrt((more + less - (more - less) ** 2) / (self.runs + 2))
        return max(-1.0, more - less - half), min(1.0, more - less + half)

    def ever(self, sure: float) -> Ends:
        """From confidence sequences of both shares, each with half of what may go wrong."""
        each = 1.0 - (1.0 - sure) / 2
        more, less = Share(self.gained, self.runs).ever(each), Share(self.lost, self.runs).ever(each)
        return more[0] - less[1], more[1] - less[0]


@dataclass(frozen=True, slots=True)
class QuantileGap:
    """Pairs of runs, for how much higher a quantile of the others is."""

    one: tuple[float, ...]
    other: tuple[float, ...]
    q: float

    @property
    def gap(self) -> float:
        """The difference of the quantiles."""
        import numpy as np

        return float(np.quantile(self.other, self.q) - np.quantile(self.one, self.q))

    def interval(self, sure: float) -> Ends:
        """Percentiles of the difference over pairs drawn again; an end is open where that of either quantile is.

        The draws are the same for the same pairs. Source: Efron and Tibshirani, "An introduction to the bootstrap"
        (1993), chapter 13.
        """
        import numpy as np

        sides = np.array([self.one, self.other])
        chooser = np.random.Generator(np.random.Philox(len(self.one)))
        runs = sides.shape[1]
        gaps = np.empty(RESAMPLES)
        for index in range(RESAMPLES):
            drawn = sides[:, chooser.integers(0, runs, runs)]
            below = np.quantile(drawn, self.q, axis=1)
            gaps[index] = below[1] - below[0]
        low, high = (float(end) for end in np.quantile(gaps, [(1 - sure) / 2, (1 + sure) / 2]))
        one, other = (Ordered(np.sort(side), self.q).interval(sure) for side in sides)
        is_low = math.isfinite(other[0]) and math.isfinite(one[1])
        is_high = math.isfinite(other[1]) and math.isfinite(one[0])
        return low if is_low else -math.inf, high if is_high else math.inf

    def ever(self, sure: float) -> Ends:
        """From confidence sequences of both quantiles, each with half of what may go wrong."""
        import numpy as np

        each = 1.0 - (1.0 - sure) / 2
        one, other = (Ordered(np.sort(side), self.q).ever(each) for side in (self.one, self.other))
        return other[0] - one[1], other[1] - one[0]


@dataclass(frozen=True, slots=True)
class Raised:
    """A mean with rare outcomes: what a study's own runs tell, and what raised runs leave, which is `share` of them.

    Without a `body` the mean is not judged, and both ends are open.
    """

    mean: float
    body: Average | None
    left: Average | None
    share: float
    bounds: Ends = OPEN

    def interval(self, sure: float) -> Ends:
        """Both intervals, squared and added (Zou and Donner, Stat. Med. 27, 2008)."""
        return self._joined([part.interval(sure) for part in (self.body, self.left) if part is not None])

    def ever(self, sure: float) -> Ends:
        """The same of both confidence sequences."""
        return self._joined([part.ever(sure) for part in (self.body, self.left) if part is not None])

    def _joined(self, ends: list[Ends]) -> Ends:
        if self.body is None or self.left is None:
            return self.bounds
        (low, high), (left_low, left_high) = ends
        rounding = ROUNDING * max(1.0, abs(self.mean))
        down = rounding + math.hypot(self.body.mean - low, self.share * (self.left.mean - left_low))
        up = rounding + math.hypot(high - self.body.mean, self.share * (left_high - self.left.mean))
        return max(self.mean - down, self.bounds[0]), min(self.mean + up, self.bounds[1])


@dataclass(frozen=True, slots=True)
class Widened:
    """A mean that a cause may change which came in no run: each end by the share of runs in which it may still come.

    `takes` (0 or less) and `gives` are what it may do to one run at most.
    """

    basis: Average | Raised
    takes: float
    gives: float
    runs: int

    def interval(self, sure: float) -> Ends:
        """The interval without it, and at either end what may be unseen."""
        return self._wider(self.basis.interval(sure), 1.0 - (1.0 - sure) ** (1.0 / self.runs))

    def ever(self, sure: float) -> Ends:
        """The same of the confidence sequences."""
        return self._wider(self.basis.ever(sure), Share(0, self.runs).ever(sure)[1])

    def _wider(self, ends: Ends, share: float) -> Ends:
        low, high = ends[0] + share * self.takes, ends[1] + share * self.gives
        return max(low, self.basis.bounds[0]), min(high, self.basis.bounds[1])


Basis = Share | Average | Ordered | Turned | QuantileGap | Raised | Widened
