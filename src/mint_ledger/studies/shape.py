"""How a measure is spread over the runs of a study, or of two run by run: histogram, quantiles, distribution."""

from __future__ import annotations

import math
from dataclasses import dataclass
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.errors import BadRequest
from mint_ledger.plain import finite, labeled_table
from mint_ledger.showing import Result
from mint_ledger.studies.estimate import Estimate, quantile, quantile_gap

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

COLUMNS = {
    "from": "where the bin begins",
    "to": "where it ends; the same where a bin is one value",
    "runs": "how many runs lie in it: from its beginning on, up to but without its end (the last bin with it)",
    "share": "their share of all that have the measure",
}
QUANTILES = (0.05, 0.25, 0.5, 0.75, 0.95)
# So many different values have a bin each.
MOST_VALUES = 20
BINS = 20
Floats = np.ndarray[Any, np.dtype[np.floating[Any]]]


@dataclass(frozen=True)
class Bin:
    """A part of the values: from `low` to below `high` (the last to `high`), or one value where both are equal."""

    low: float
    high: float
    count: int


@dataclass(frozen=True, repr=False)
class Shape(Result):
    """How a measure is spread over the runs of a study.

    Attributes:
        unit: what the measure is counted in, if that is known.
        numbers: the runs that have it, and `values` what it is in each, both of shape (runs that have it,).
        runs: how many runs were played.
    """

    title: str
    measure: str
    unit: str
    runs: int
    seed: int
    sure: float
    numbers: np.ndarray[Any, np.dtype[np.int64]]
    values: Floats

    @cached_property
    def bins(self) -> tuple[Bin, ...]:
        """The values in bins: each by itself where they are few, else in bins of a round width."""
        return binned(self.values, bin_edges(self.values), np.unique(self.values))

    def quantile(self, q: float) -> Estimate:
        """A quantile, with its interval."""
        return quantile(self.values.tolist(), q, self.sure)

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a bin; its columns are those of `COLUMNS`."""
        import pandas as pd

        rows = [[b.low, b.high, b.count, b.count / len(self.values)] for b in self.bins]
        return pd.DataFrame(rows, columns=list(COLUMNS))

    def distribution(self) -> pd.DataFrame:
        """The share of runs that come to each value or less, with a band that holds the whole true distribution.

        Columns: value, share, low, high. The band is that of Dvoretzky, Kiefer and Wolfowitz with the constant of
        Massart, "The tight constant in the Dvoretzky-Kiefer-Wolfowitz inequality", Ann. Prob. 18 (1990).
        """
        import pandas as pd

        once, counts = np.unique(self.values, return_counts=True)
        share = np.cumsum(counts) / len(self.values)
        half = math.sqrt(math.log(2.0 / (1.0 - self.sure)) / (2.0 * len(self.values)))
        band = {"low": np.clip(share - half, 0.0, 1.0), "high": np.clip(share + half, 0.0, 1.0)}
        return pd.DataFrame({"value": once, "share": share, **band})

    def summary(self) -> str:
        """Histogram and quantiles, for people."""
        return showing.text("shape_text.shape_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Histogram and distribution."""
        return showing.figure("shape_plot.plot_shapes", [self], ax=ax)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "measure": self.measure,
            "runs": self.runs,
            "with": len(self.values),
            "seed": self.seed,
            "sure": self.sure,
            "quantiles": {f"{q:g}": _plain(self.quantile(q)) for q in QUANTILES},
            "bins": [{"from": b.low, "to": b.high, "runs": b.count} for b in self.bins],
        }


@dataclass(frozen=True, repr=False)
class Shapes(Result):
    """A measure of two studies of the same runs, one over the other."""

    one: Shape
    other: Shape

    @cached_property
    def bins(self) -> tuple[tuple[Bin, ...], tuple[Bin, ...]]:
        """The values of both in the same bins."""
        both = np.concatenate([self.one.values, self.other.values])
        edges, once = bin_edges(both), np.unique(both)
        return binned(self.one.values, edges, once), binned(self.other.values, edges, once)

    def gap(self, q: float) -> Estimate | None:
        """Return how much higher a quantile of the other is, in the runs that both have; None where there are none."""
        _, first, second = np.intersect1d(self.one.numbers, self.other.numbers, return_indices=True)
        if not len(first):
            return None
        return quantile_gap(self.one.values[first].tolist(), self.other.values[second].tolist(), q, self.one.sure)

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a bin; columns: from, to, runs, share, other_runs, other_share."""
        import pandas as pd

        rows = [
            [a.low, a.high, a.count, a.count / len(self.one.values), b.count, b.count / len(self.other.values)]
            for a, b in zip(*self.bins, strict=True)
        ]
        return pd.DataFrame(rows, columns=[*COLUMNS, "other_runs", "other_share"])

    def summary(self) -> str:
        """Both histograms, quantiles and their differences, for people."""
        return showing.text("shape_text.shapes_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Both histograms and distributions, one over the other."""
        return showing.figure("shape_plot.plot_shapes", [self.one, self.other], ax=ax)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        gaps = {f"{q:g}": self.gap(q) for q in QUANTILES}
        return {
            "one": self.one.as_json(),
            "other": self.other.as_json(),
            "gaps": {q: _plain(gap) if gap is not None else None for q, gap in gaps.items()},
        }


def _plain(e: Estimate) -> dict[str, float]:
    return {"value": e.value, "low": e.low, "high": e.high}


def shapes_of(one: Shape, other: Shape) -> Shapes:
    """One measure of two studies, run by run.

    Raises:
        BadRequest: their seeds or numbers of runs differ, so that their runs are no pairs.
    """
    if (one.seed, one.runs) != (other.seed, other.runs):
        raise BadRequest("studies are compared run by run, so both want the same seed and the same number of runs")
    return Shapes(one, other)


def bin_edges(values: Floats) -> Floats | None:
    """Return where bins begin and end; None where each value is a bin of its own.

    Their width is round (1, 2, 2.5 or 5 times a power of ten), and near that of Freedman and Diaconis, "On the
    histogram as a density estimator", Z. Wahrscheinlichkeitstheorie 57 (1981), with 20 bins at most.
    """
    once = np.unique(values)
    if len(once) <= MOST_VALUES and bool(np.all(once == np.floor(once))) and once[-1] - once[0] <= 2 * MOST_VALUES:
        return None
    if len(once) <= 2:
        return None
    length = float(once[-1] - once[0])
    middle = float(np.subtract(*np.quantile(values, [0.75, 0.25])))
    width = max(2.0 * middle / len(values) ** (1 / 3), length / BINS)
    power = 10.0 ** math.floor(math.log10(width))
    round_width = next(factor * power for factor in (1.0, 2.0, 2.5, 5.0, 10.0, 20.0) if factor * power >= width)
    first = math.floor(once[0] / round_width)
    last = max(math.ceil(once[-1] / round_width), first + 1)
    return np.asarray(np.arange(first, last + 1) * round_width, dtype=float)


def binned(values: Floats, edges: Floats | None, once: Floats) -> tuple[Bin, ...]:
    """Values in bins between edges; without those in one for each of the values `once`."""
    if edges is None:
        return tuple(Bin(float(value), float(value), int((values == value).sum())) for value in once)
    counts, _ = np.histogram(values, edges)
    return tuple(Bin(float(a), float(b), int(n)) for a, b, n in zip(edges[:-1], edges[1:], counts, strict=True))
