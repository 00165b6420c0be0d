"""Estimates: every number from many runs comes with an interval, and says how that was made."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import dataclass, field, replace
from numbers import Real
from typing import Any

from mint_ledger.errors import BadRequest
from mint_ledger.game.target import ESTIMATE
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.studies.intervals import (
    FEW_EVENTS,
    FEW_VALUES,
    OPEN,
    Average,
    Basis,
    Ends,
    FewValues,
    Ordered,
    QuantileGap,
    Raised,
    Share,
    Turned,
    Widened,
    share_ends,
)

CONFIDENCE = 0.95


@dataclass(frozen=True, slots=True)
class Estimate:
    """A value, an interval that holds the true one with `confidence`, from `runs` runs, made by `method`.

    An end that so many runs cannot tell is open: infinite. The interval is for one look; `ever` gives the one that
    is valid at any number of runs.
    """

    value: float
    low: float
    high: float
    runs: int
    method: str
    confidence: float = CONFIDENCE
    basis: Basis | None = field(default=None, repr=False, compare=False)

    def __float__(self) -> float:
        return float(self.value)

    def __eq__(self, other: object) -> bool:
        if isinstance(other, Estimate):
            known = (other.value, other.low, other.high, other.runs, other.method, other.confidence)
            return (self.value, self.low, self.high, self.runs, self.method, self.confidence) == known
        return isinstance(other, Real) and self.value == other

    def __hash__(self) -> int:
        return hash((self.value, self.low, self.high, self.runs))

    def __lt__(self, other: object) -> bool:
        return self.value < _number(other, "compared with")

    def __le__(self, other: object) -> bool:
        return self.value <= _number(other, "compared with")

    def __gt__(self, other: object) -> bool:
        return self.value > _number(other, "compared with")

    def __ge__(self, other: object) -> bool:
        return self.value >= _number(other, "compared with")

    def __add__(self, other: object) -> Estimate:
        more = _number(other, "added to")
        return replace(self, value=self.value + more, low=self.low + more, high=self.high + more, basis=None)

    __radd__ = __add__

    def __sub__(self, other: object) -> Estimate:
        return self + -_number(other, "taken from")

    def __rsub__(self, other: object) -> Estimate:
        return -self + _number(other, "taken from")

    def __neg__(self) -> Estimate:
        return replace(self, value=-self.value, low=-self.high, high=-self.low, basis=None)

    def __mul__(self, other: object) -> Estimate:
        factor = _number(other, "multiplied by")
        return self.scaled(factor) if factor >= 0.0 else -self.scaled(-factor)

    __rmul__ = __mul__

    def __truediv__(self, other: object) -> Estimate:
        divisor = _number(other, "divided by")
        if not divisor:
            raise BadRequest("an estimate is not divided by 0")
        return self * (1.0 / divisor)

    def __format__(self, spec: str) -> str:
        return format(self.value, spec) if spec else str(self)

    @property
    def half_width(self) -> float:
        """Half the interval's length."""
        return (self.high - self.low) / 2

    @property
    def known_to(self) -> float:
        """Half the length of the interval that is valid at any number of runs."""
        low, high = self.ever() if self.basis is not None else (self.low, self.high)
        return (high - low) / 2

    def scaled(self, factor: float) -> Estimate:
        """The same in other units, without its sample."""
        return replace(self, value=factor * self.value, low=factor * self.low, high=factor * self.high, basis=None)

    def interval(self, sure: float) -> Ends:
        """The interval that holds the true value with another chance.

        Raises:
            BadRequest: `sure` is no chance between 0 and 1, or the estimate has no sample to make it of.
        """
        return self._checked(sure).interval(sure)

    def ever(self, sure: float | None = None) -> Ends:
        """The interval that holds the true value at all looks together, with chance `sure` (by default `confidence`).

        Raises:
            BadRequest: `sure` is no chance between 0 and 1, or the estimate has no sample to make it of.
        """
        wanted = self.confidence if sure is None else sure
        return self._checked(wanted).ever(wanted)

    def _checked(self, sure: float) -> Basis:
        checked_sure(sure)
        if self.basis is None:
            raise BadRequest("this estimate has one interval alone")
        return self.basis

    def at(self, sure: float) -> Estimate:
        """The same estimate with the interval of another chance."""
        low, high = self.interval(sure)
        return replace(self, low=low, high=high, confidence=sure)


def _number(other: object, what: str) -> float:
    """The number that an estimate meets; two estimates are no numbers, as they may rest on the same runs.

    Raises:
        BadRequest: it is none.
    """
    if isinstance(other, Estimate):
        raise BadRequest(f"an estimate is {what} a number; two of them are compared run by run: game.compare()")
    if isinstance(other, bool) or not isinstance(other, Real):
        raise BadRequest(f"an estimate is {what} a number, not {type(other).__name__}")
    return float(other)


def plain(estimate: Estimate | None) -> dict[str, float] | None:
    """An estimate as plain values: value, low, high; none of none."""
    return None if estimate is None else {"value": estimate.value, "low": estimate.low, "high": estimate.high}


def checked_sure(sure: float) -> float:
    """A chance with which an interval holds.

    Raises:
        BadRequest: it is no chance between 0 and 1.
    """
    if not 0.0 < sure < 1.0:
        raise BadRequest(f"an interval is sure with a chance between 0 and 1, like 0.9, not {sure:g}")
    return sure


def sure_words(sure: float) -> str:
    """Return how sure an interval is, in per cent: `95 %`."""
    return f"{100.0 * sure:.6g} %"


def _estimate(value: float, runs: int, method: str, confidence: float, basis: Basis) -> Estimate:
    low, high = basis.interval(confidence)
    return Estimate(value, low, high, runs, method, confidence, basis)


def rate(count: int, runs: int, confidence: float = CONFIDENCE) -> Estimate:
    """The share of runs in which something happened, with its interval; see `intervals.share_ends`."""
    if runs < 1:
        raise BadRequest("a rate wants one run at least")
    few = min(count, runs - count) < FEW_EVENTS
    return _estimate(count / runs, runs, "Clopper and Pearson" if few else "Wilson", confidence, Share(count, runs))


def turned_rate(gained: int, lost: int, runs: int, confidence: float = CONFIDENCE) -> Estimate:
    """The difference of two shares of the same runs; see `intervals.Turned`."""
    if runs < 1:
        raise BadRequest("a difference of rates wants one pair of runs at least")
    return _estimate((gained - lost) / runs, runs, "Bonett and Price", confidence, Turned(gained, lost, runs))


def quantile(values: Sequence[float], q: float, confidence: float = CONFIDENCE) -> Estimate:
    """A quantile (0 < q < 1) of a sample, with the interval between two order statistics; see `intervals.Ordered`."""
    import numpy as np

    if not 0 < q < 1:
        raise BadRequest(f"a quantile lies between 0 and 1, not at {q}")
    ordered = np.sort(np.asarray(values, dtype=float))
    n = len(ordered)
    if n < 1:
        raise BadRequest("a quantile wants one run at least")
    return _estimate(float(np.quantile(ordered, q)), n, "order statistics", confidence, Ordered(ordered, q))


def quantile_of(text: str) -> tuple[str, float]:
    """The measure and the share of a quantile by its text: `median(time)`, `quantile(time, 0.9)`.

    Raises:
        BadRequest: the text is no quantile.
    """
    match = ESTIMATE.fullmatch(text)
    if match is not None and match[1] == "median":
        return match[2], 0.5
    if match is not None and match[1] == "quantile":
        measure, _, share = match[2].rpartition(",")
        try:
            return measure.strip(), float(share)
        except ValueError:
            pass
    raise BadRequest(f"'{text}' is no quantile; write median(time) or quantile(time, 0.9), or the measure alone")


def quantile_gap(one: Sequence[float], other: Sequence[float], q: float, confidence: float = CONFIDENCE) -> Estimate:
    """Return how much higher a quantile of the other is, from pairs of runs; see `intervals.QuantileGap`."""
    if not 0 < q < 1:
        raise BadRequest(f"a quantile lies between 0 and 1, not at {q}")
    basis = QuantileGap(tuple(one), tuple(other), q)
    return _estimate(basis.gap, len(one), "paired bootstrap", confidence, basis)


def mean(
    total: float, squares: float, cubes: float, runs: int, confidence: float = CONFIDENCE, *, certain: bool = False
) -> Estimate:
    """The mean of a sample from its sum and the sums of squares and cubes about its mean; see `intervals.Average`.

    `certain` says that no run can come to anything else.
    """
    if runs < 1:
        raise BadRequest("a mean wants one run at least")
    value = total / runs
    deviation = math.sqrt(squares / (runs - 1)) if runs > 1 else 0.0
    skewness = cubes / runs / math.sqrt(squares / runs) ** 3 if squares > 0.0 else 0.0
    basis = Average(value, deviation, skewness, runs, squares == 0.0, (value, value) if certain else OPEN)
    return _estimate(value, runs, "Student's t, with Hall's transformation", confidence, basis)


def joined_sums(one: Any, runs: int, other: Any, more: int) -> Any:
    """Sums, squares and cubes about the mean of two samples together, arrays of shape (numbers, 3).

    Sources: Chan, Golub, LeVeque, "Updating formulae and a pairwise algorithm for computing sample variances",
    COMPSTAT 1982; Pébay, "Formulas for robust, one-pass parallel computation of covariances and arbitrary-order
    statistical moments", SAND2008-6212.
    """
    both = runs + more
    off = other[:, 0] / more - one[:, 0] / runs
    total = one + other
    total[:, 1] += off * off * (runs * (more / both))
    total[:, 2] += off**3 * (runs * (more / both) * ((runs - more) / both))
    total[:, 2] += 3.0 * off * (runs / both * other[:, 1] - more / both * one[:, 1])
    return total


def mean_of(
    values: Sequence[float], confidence: float = CONFIDENCE, bounds: Ends = OPEN, *, paired: bool = False
) -> Estimate:
    """The mean of a sample with its skewness; `bounds` are those that no value can leave. See `intervals.Average`.

    `paired` says that the values are differences, so that each sign may come.

    Worked out about the mean itself, so that nothing cancels.
    """
    import numpy as np

    sample = np.asarray(values, dtype=float)
    n = len(sample)
    if n < 1:
        raise BadRequest("a mean wants one run at least")
    center = math.fsum(sample) / n
    off = sample - center
    squares = math.fsum(off * off)
    deviation = math.sqrt(squares / (n - 1)) if n > 1 else 0.0
    alike = bool((sample == sample[0]).all())
    skewness = 0.0 if alike or squares == 0.0 else math.fsum(off**3) / n / math.sqrt(squares / n) ** 3
    basis = Average(center, deviation, skewness, n, alike, bounds, None if alike else _few_values(sample, paired))
    return _estimate(center, n, "Student's t, with Hall's transformation", confidence, basis)


def raised_estimate(basis: Raised, runs: int, confidence: float) -> Estimate:
    """The mean of a study with rare outcomes; see `studies.raised`."""
    return _estimate(basis.mean, runs, "Student's t, with raised runs weighed back", confidence, basis)


def widened(estimate: Estimate, takes: float, gives: float) -> Estimate:
    """A mean that a cause may change which came in no run; see `studies.never_came`."""
    assert isinstance(estimate.basis, (Average, Raised))
    basis = Widened(estimate.basis, takes, gives, estimate.runs)
    return _estimate(estimate.value, estimate.runs, estimate.method, estimate.confidence, basis)


def _few_values(sample: Any, paired: bool) -> FewValues | None:
    """Return what is known of a sample in which all values but a few are one; none of any other."""
    import numpy as np

    n = len(sample)
    common = float(np.partition(sample, n // 2)[n // 2])  # where most are one, the median is
    off = sample - common
    above, below = off[off > 0.0], off[off < 0.0]
    if not 0 < len(above) + len(below) < min(FEW_VALUES, n // 2):
        return None
    rise, fall = (float(abs(part).mean()) if len(part) else 0.0 for part in (above, below))
    return FewValues(len(above), rise, len(below), fall, n, paired)


def ratio(tops: Sequence[float], bottoms: Sequence[float], confidence: float = CONFIDENCE) -> Estimate:
    """A total over another, of amounts that come in runs: points a life lost, or what share of them a cause took.

    What comes in one run is not independent, so the interval is that of the runs' residuals (the delta method, as in
    Cochran, "Sampling Techniques", 1977, section 6.4), with the same care for skewness as a mean.

    Args:
        tops: one total a run, shape (runs,).
        bottoms: the other, shape (runs,); its sum is above 0.

    Raises:
        BadRequest: there is nothing to divide by.
    """
    import numpy as np

    top, bottom = np.asarray(tops, dtype=float), np.asarray(bottoms, dtype=float)
    if not bottom.sum() > 0.0:
        raise BadRequest("a ratio wants something to divide by")
    value = float(top.sum() / bottom.sum())
    about = mean_of((top - value * bottom).tolist(), confidence)
    each = float(bottom.mean())
    low, high = value + (about.low - about.value) / each, value + (about.high - about.value) / each
    return Estimate(value, low, high, len(top), "ratio of totals, delta method", confidence)


def clustered_share(counts: Sequence[int], times: Sequence[int], confidence: float = CONFIDENCE) -> Estimate:
    """The share of what happened that is of a sort, where several times in one run are not independent.

    The interval of a share of as many independent times as the runs are worth (Korn and Graubard, "Confidence intervals
    for proportions with small expected number of positive counts", Survey Methodology 24, 1998).

    Args:
        counts: how often it was of that sort, shape (runs,).
        times: how often it happened, shape (runs,); its sum is above 0.

    Raises:
        BadRequest: it never happened.
    """
    import numpy as np

    some, all_of = np.asarray(counts, dtype=float), np.asarray(times, dtype=float)
    happened, runs = float(all_of.sum()), int((all_of > 0.0).sum())
    if not happened:
        raise BadRequest("a share wants something that happened")
    value = float(some.sum()) / happened
    worth = float(runs)
    if 0.0 < value < 1.0 and runs > 1:
        variance = float(((some - value * all_of) ** 2).sum()) / happened**2 * runs / (runs - 1)
        worth = min(value * (1.0 - value) / variance, happened) if variance > 0.0 else happened
    low, high = share_ends(value * worth, worth, confidence)
    return Estimate(value, low, high, runs, "share of as many as the runs are worth", confidence)


def measured(game: PlayableGame, text: str) -> list[str]:
    """The measures that a study of the game has to take in addition to its own for an estimate.

    Raises:
        BadRequest: the text is no estimate.
    """
    match = ESTIMATE.fullmatch(text)
    if match is None:
        raise BadRequest(f"'{text}' is no estimate; write rate(win), mean(time), median(time), quantile(time, 0.9)")
    what, inside = match[1], match[2]
    if what == "rate":
        return []
    measure = inside.rpartition(",")[0].strip() if what == "quantile" else inside
    return [] if measure in ("time", *game.measures) else [measure]


def is_share(text: str) -> bool:
    """Return whether an estimate is a share of runs, told in per cent."""
    return text.strip().startswith("rate")
