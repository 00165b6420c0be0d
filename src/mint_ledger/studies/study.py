"""A study: many runs of one game, each with its own random numbers, and what they say."""

from __future__ import annotations

import math
from collections.abc import Sequence
from dataclasses import asdict, astuple, dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.engines.tally import TALLY_HEAD, TALLY_OF_CAUSE, tally_size
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.target import ESTIMATE
from mint_ledger.journal.books import find_account
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.plain import arrow_table, finite, labeled
from mint_ledger.playing.setting import habit_starts, scripted_title, titled
from mint_ledger.showing import Result
from mint_ledger.studies.columns import Columns, Outcomes, study_table
from mint_ledger.studies.estimate import (
    CONFIDENCE,
    Estimate,
    checked_sure,
    mean,
    mean_of,
    quantile,
    raised_estimate,
    rate,
    widened,
)
from mint_ledger.studies.intervals import OPEN, share_ends
from mint_ledger.studies.limits import draws_something, measure_bounds, time_limit
from mint_ledger.studies.never_came import NeverCame, never_came
from mint_ledger.studies.raised import RareOutcomes, RunsAgain, rare_outcomes
from mint_ledger.studies.request import Prepared, StudyRequest
from mint_ledger.studies.seats import RESULTS, Seats, seat_names, seats_of
from mint_ledger.studies.shape import Shape
from mint_ledger.studies.taking import make_taking

if TYPE_CHECKING:
    import pandas as pd
    import pyarrow
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


# What is drawn of a study.
FIGURES = ("outcomes", "survival", "bands", "causes")
BANDS = (0.05, 0.25, 0.5, 0.75, 0.95)
# Measures that are in seconds or turns.
TIMED = ("time_while(", "in_reach(", "first_time(", "idle(")


@dataclass(frozen=True, slots=True)
class CauseSums:
    """What a cause did to an account, a run on average: how often, its points with their interval, what was refused."""

    cause: str
    changes: float
    total: float
    low: float
    high: float
    waste: float

    def plus(self, other: CauseSums) -> CauseSums:
        """Of two causes of one name."""
        numbers = (a + b for a, b in zip(astuple(self)[1:], astuple(other)[1:], strict=True))
        return CauseSums(self.cause, *numbers)


@dataclass(frozen=True)
class Until:
    """Go on until an estimate's interval is no wider than ± `half_width`.

    What would likely take more than `patience` seconds is refused, with how long.
    """

    measure: str
    half_width: float
    patience: float = math.inf


@dataclass(frozen=True, eq=False, repr=False)
class Study(Result):
    """The runs of a study.

    Attributes:
        columns: what was taken of each run, as numbers.
        sums: for each tallied account, cause after cause, the sums over the runs and of the squares about the mean.
        samples: values at the grid's times, NaN once a run is over, shape (runs, times, accounts).
        visited: how many steps were looked at; the others were quiet and skipped.
        steps: how many steps the runs took.
        sure: the chance with which each interval holds the true value.
        replayed: how many runs were played again because what a store had of them was damaged.
        begins: the number of its first run.
    """

    lowered: Lowered = field(repr=False)
    request: StudyRequest = field(repr=False)
    columns: Columns = field(repr=False)
    sums: Any = field(repr=False)
    samples: Any = field(repr=False)
    visited: int
    steps: int
    until: Until | None = None
    sure: float = CONFIDENCE
    replayed: int = 0
    begins: int = 0

    def __repr__(self) -> str:
        wins = self.rate("win")
        return f"<Study {self.title!r}: {self.runs:,} runs, seed {self.seed}, wins {100 * wins.value:.1f} %>"

    def at(self, sure: float) -> Study:
        """The same runs with intervals that hold the true values with another chance.

        Raises:
            BadRequest: `sure` is no chance between 0 and 1.
        """
        if sure == self.sure:
            return self
        other = replace(self, sure=checked_sure(sure))
        if "rare" in self.__dict__:
            other.__dict__["rare"] = self.__dict__["rare"]
        return other

    def first(self, runs: int) -> Study:
        """The first runs of it, without what was added up over all of them (by cause) and read at times."""
        request = replace(self.request, accounts=(), sampled=(), times=())
        return replace(self, request=request, columns=self.columns.first(runs))

    @cached_property
    def measures(self) -> pd.DataFrame:
        """One row a run, by its number: result, ending, winner, time (seconds or turns), level where the game has
        levels, and each measure. Its `attrs` say the title, the seed and the unit of time.
        """
        return labeled(self, study_table(self.lowered, self.columns, self.outcomes))

    def to_frame(self) -> pd.DataFrame:
        """One row a run: `measures`."""
        return self.measures

    def to_arrow(self) -> pyarrow.Table:
        """The measures as an Arrow table, the run first; its schema's metadata say title, seed, runs and unit.

        Raises:
            BadRequest: the package pyarrow is not installed.
        """
        return arrow_table(self.measures)

    def estimates(self) -> dict[str, Estimate]:
        """What is known of each result and ending, of the time, and of each measure, by the texts of the estimates."""
        known = {f"rate({name})": self.rate(name) for name in (*RESULTS, *self.endings())}
        known |= {f"quantile(time, {q:g})": self.quantile("time", q) for q in (0.1, 0.5, 0.9)}
        for name in self.names[1:]:
            if len(self.numbers(name)[1]):
                known |= {f"mean({name})": self.mean(name), f"median({name})": self.median(name)}
        return known

    @cached_property
    def outcomes(self) -> Outcomes:
        """Return how each run came out, as numbers."""
        return Outcomes(self.lowered.program, self.columns)

    @property
    def seed(self) -> int:
        """The seed; run k has the luck of `game.run(seed, run=k)`."""
        return self.request.seed

    @property
    def title(self) -> str:
        """The game, the habit and the variant."""
        title, by_hand = scripted_title(self.lowered.program.title, self.lowered), bool(self.lowered.script)
        return titled(title, self.lowered, self.request.habit, self.request.variant, by_hand=by_hand)

    @property
    def unit(self) -> str:
        """Return what time is counted in."""
        return "turns" if self.lowered.program.clock.unit == "turn" else "s"

    @property
    def runs(self) -> int:
        """Return how many runs it has."""
        return len(self.columns.ending)

    @property
    def names(self) -> list[str]:
        """The measures that are numbers: time, and those that were asked for."""
        return ["time", *(measure.name for measure in self.lowered.measures)]

    @property
    def accounts(self) -> tuple[str, ...]:
        """The accounts whose changes were added up by cause."""
        return self.request.accounts

    def rate(self, what: str) -> Estimate:
        """How often a result (`win`, `lose`, `draw`, `unfinished`) or an ending of that name came up, or an entity won.

        Raises:
            NotFound: there is no such result, ending or entity.
        """
        endings = [ending.name for ending in self.lowered.program.endings]
        if what not in RESULTS and what not in endings:
            return rate(int(self.has(what).sum()), self.runs, self.sure)
        counts = self._ending_counts
        if what in RESULTS:
            results = [*(ending.result for ending in self.lowered.program.endings), "unfinished"]
            count = sum(n for n, result in zip(counts, results, strict=True) if result == what)
        else:
            count = sum(n for n, name in zip(counts, endings, strict=False) if name == what)
        return rate(count, self.runs, self.sure)

    def has(self, what: str) -> Any:
        """Which runs have a result, came to an ending, or were won by an entity; flags of shape (runs,).

        Raises:
            NotFound: there is no such result, ending or entity.
        """
        if what in RESULTS:
            return self.outcomes.results == RESULTS.index(what)
        if what in (ending.name for ending in self.lowered.program.endings):
            return self.outcomes.endings == self.outcomes.names.index(what)
        return self.outcomes.won_by(seat_names(self.lowered.program, what))

    @cached_property
    def _ending_counts(self) -> list[int]:
        """Return how many runs came to each ending, and last how many to none."""
        counts = np.bincount(self.columns.ending, minlength=len(self.lowered.program.endings) + 1)
        return [int(count) for count in counts]

    def values(self, measure: str) -> pd.Series[float]:
        """A numeric measure, one value a run, by its name or its text; runs without one are left out."""
        import pandas as pd

        runs, values = self.numbers(measure)
        return pd.Series(values, pd.Index(runs, name="run"), name=self.column_of(measure))

    def numbers(self, measure: str) -> tuple[Any, Any]:
        """The runs that have a measure, by number, and its values; two arrays of one length.

        Raises:
            NotFound: the study has no such measure.
        """
        values = self.columns.of(self.column_of(measure))
        runs = np.flatnonzero(~np.isnan(values))
        return runs, values[runs]

    def column_of(self, measure: str) -> str:
        """The column of a measure, by its name or its text."""
        names = {"time": "time", **{m.text: m.name for m in self.lowered.measures}}
        names |= {m.name: m.name for m in self.lowered.measures}
        if measure not in names:
            raise NotFound(f"this study has no measure '{measure}'{nearest(measure, names)}; it has {', '.join(names)}")
        return names[measure]

    def mean(self, measure: str) -> Estimate:
        """The mean of a numeric measure.

        Where skewness, or that all runs are alike, leaves an end of its interval open, what no run can leave bounds it.
        """
        estimate = self._mean(measure)
        unseen = self.never_came(measure)
        return widened(estimate, unseen.takes, unseen.gives) if unseen is not None else estimate

    def _mean(self, measure: str) -> Estimate:
        values = self.numbers(measure)[1].tolist()
        raised = self._raised_mean(self.column_of(measure))
        if raised is not None:
            return raised
        estimate = mean_of(values, self.sure)
        if math.isfinite(estimate.low) and math.isfinite(estimate.high):
            return estimate
        return mean_of(values, self.sure, bounds=self._bounds_of(measure))

    def never_came(self, measure: str) -> NeverCame | None:
        """Return what may change the mean of a measure and came in no run; none where it would not matter."""
        name = self.column_of(measure)
        known = self._never_came
        if name not in known:
            known[name] = None
            value = {m.name: m.value for m in self.lowered.measures}.get(name)
            if value is not None and not self._is_certain and self.request.text:
                played = [RunsAgain(self.lowered.program, self.seed, self.begins, self.runs)]
                if self.rare is not None:
                    played.append(self.rare.again)
                known[name] = never_came(self.prepared, value, played, self._mean(measure).half_width)
        return known[name]

    @cached_property
    def _never_came(self) -> dict[str, NeverCame | None]:
        return {}

    @cached_property
    def rare(self) -> RareOutcomes | None:
        """The rare outcomes of the game that its runs cannot judge, with runs in which they came more often."""
        if self._is_certain or not self.request.text:
            return None
        return rare_outcomes([self.prepared], self.runs, self.begins)

    @cached_property
    def prepared(self) -> Prepared:
        """The study's request made ready again, without what is read at times."""
        program = self.lowered.program
        slots = []
        for name in self.accounts:
            key = find_account(program, name)
            slots.append(program.accounts[key.stat].column.offset + key.entity)
        starts = tuple(habit_starts(self.lowered, self.request.habit))
        taking = make_taking(self.lowered, slots)
        return Prepared(self.lowered, self.seed, starts, taking, tuple(slots), script=self.lowered.script)

    def taken(self, measure: str, data: Any) -> Any:
        """A measure of runs from what was taken of them, shape (runs, slots)."""
        taking = self.prepared.taking
        return taking.seconds(data[:, 2]) if measure == "time" else taking.measured(data)[measure]

    def _raised_mean(self, measure: str) -> Estimate | None:
        """The mean of a measure where outcomes are rare; none where nothing is.

        Of a measure that some runs lack it is a ratio, linear about itself (Cochran, "Sampling Techniques", 1977, 6.4).
        """
        rare = self.rare
        if rare is None:
            return None
        plain, raised = (self.taken(measure, data[0]) for data in (rare.plain, rare.raised))
        bounds = self._bounds_of(measure)
        if math.isfinite(plain.sum() + raised.sum()):
            basis = rare.mean(plain, raised, self.sure, bounds)
            return raised_estimate(basis, self.runs, self.sure) if basis is not None else None
        have = [~np.isnan(side) for side in (plain, raised)]
        share = rare.mean(have[0].astype(float), have[1].astype(float), self.sure, (0.0, 1.0))
        if not have[0].any() or share is None or not share.mean > 0.0:
            return None
        about, basis = float(plain[have[0]].mean()), None
        for _ in range(2):
            sides = [
                about + np.where(has, side - about, 0.0) / share.mean
                for has, side in zip(have, (plain, raised), strict=True)
            ]
            basis = rare.mean(sides[0], sides[1], self.sure, bounds)
            about = basis.mean if basis is not None else about
        return raised_estimate(basis, int(have[0].sum()), self.sure) if basis is not None else None

    @cached_property
    def _is_certain(self) -> bool:
        """Return whether nothing in the game is drawn, so that all runs are one."""
        return not draws_something(self.lowered.program)

    def _bounds_of(self, measure: str) -> tuple[float, float]:
        if self._is_certain:
            value = float(self.numbers(measure)[1][0])
            return value, value
        # What a playtest's script or start sets is not reckoned with in the facts of the game.
        if self.lowered.script or not self.request.text:
            return OPEN
        program = self.lowered.program
        known = {text: m.value for m in self.lowered.measures for text in (m.name, m.text)}
        if measure not in known:
            return 0.0, time_limit(program)
        between = measure_bounds(program, known[measure])
        return between.low, between.high

    def quantile(self, measure: str, q: float) -> Estimate:
        """A quantile of a numeric measure, like `time`."""
        return quantile(self.numbers(measure)[1].tolist(), q, self.sure)

    def median(self, measure: str) -> Estimate:
        """The median of a numeric measure."""
        return self.quantile(measure, 0.5)

    def estimate(self, text: str) -> Estimate:
        """An estimate by its text: `rate(win)`, `mean(time)`, `median(left)`, `quantile(time, 0.9)`.

        Raises:
            NotFound: there is no such measure, result or ending.
            BadRequest: the text is no estimate.
        """
        match = ESTIMATE.fullmatch(text)
        if match is None:
            raise BadRequest(f"'{text}' is no estimate; write rate(win), mean(time), median(time), quantile(time, 0.9)")
        what, inside = match[1], match[2].strip("\"'")
        if what == "rate":
            return self.rate(inside)
        if what == "quantile":
            measure, _, q = inside.rpartition(",")
            try:
                return self.quantile(measure.strip(), float(q))
            except ValueError:
                raise BadRequest(f"'{text}' wants a share, as in quantile(time, 0.9)") from None
        return self.mean(inside) if what == "mean" else self.median(inside)

    def endings(self) -> list[str]:
        """The endings that came up, the most frequent first; runs without one are left out."""
        names = self.outcomes.names
        counts = np.bincount(self.outcomes.endings, minlength=len(names)).tolist()
        pairs = [(name, count) for name, count in zip(names, counts, strict=True) if name and count]
        return [name for name, _ in sorted(pairs, key=lambda pair: -pair[1])]

    def winners(self) -> list[str]:
        """The entities that won at least once, in the order of their names."""
        return sorted(self.outcomes.wins())

    def winner(self, entity: str) -> Estimate:
        """Return how often an entity won."""
        return rate(self.outcomes.wins().get(entity, 0), self.runs, self.sure)

    def seats(self) -> list[Seats]:
        """For each kind of which several copies can win: whether they win equally often."""
        return seats_of(self.lowered.program, self.outcomes.wins())

    def by_cause(self, account: str) -> pd.DataFrame:
        """Return what took and gave an account its points, a run on average, by cause.

        Columns: cause, changes (a run), total, low, high (its interval), waste (what limits refused).

        Raises:
            NotFound: the account was not added up in this study.
        """
        import pandas as pd

        return pd.DataFrame([astuple(part) for part in self.causes(account)], columns=list(CauseSums.__slots__))

    def causes(self, account: str) -> list[CauseSums]:
        """The rows of `by_cause`.

        Raises:
            NotFound: the account was not added up in this study.
        """
        if account not in self.accounts:
            raise NotFound(
                f"this study did not add up '{account}'{nearest(account, self.accounts)}; ask for it with accounts="
            )
        program = self.lowered.program
        size = tally_size(program)
        tally = self.sums[self.accounts.index(account) * size :][:size]
        sums: dict[str, CauseSums] = {}
        rare = self.rare
        # The columns of what each cause gave stand behind the study's own among what was taken for rare outcomes.
        first_column = len(self.prepared.taking.slots) if rare is not None else 0
        first_column += len(program.causes) * self.accounts.index(account)
        for index in range(len(program.causes)):
            first = TALLY_HEAD + TALLY_OF_CAUSE * index
            total, waste, changes = tally[first : first + TALLY_OF_CAUSE]
            if changes[0]:
                points, squares, cubes = map(float, total)
                about = mean(points, squares, cubes, self.runs, self.sure, certain=self._is_certain)
                if rare is not None:
                    column = first_column + index
                    sides = rare.plain[0][:, column], rare.raised[0][:, column]
                    basis = rare.mean(*sides, self.sure, OPEN)
                    about = raised_estimate(basis, self.runs, self.sure) if basis is not None else about
                label, often = program.cause_labels[index], float(changes[0]) / self.runs
                row = CauseSums(label, often, about.value, about.low, about.high, float(waste[0]) / self.runs)
                sums[label] = sums[label].plus(row) if label in sums else row
        return sorted(sums.values(), key=lambda row: row.total)

    @cached_property
    def times(self) -> Any:
        """The times of the grid at which accounts were read."""
        return np.array(self.request.times)

    def bands(self, account: str) -> pd.DataFrame:
        """Quantiles of an account over time, of the runs that were still going; columns: time, going, q05 … q95.

        Raises:
            NotFound: the account's values were not read in this study.
        """
        import pandas as pd

        if account not in self.request.sampled:
            raise NotFound(f"this study did not read the values of '{account}'{nearest(account, self.request.sampled)}")
        values = self.samples[:, :, self.request.sampled.index(account)]
        going = np.isfinite(values)
        table = {"time": self.times, "going": going.sum(axis=0)}
        for q in BANDS:
            table[f"q{round(100 * q):02d}"] = [
                float(np.quantile(column[here], q)) if here.any() else math.nan
                for column, here in zip(values.T, going.T, strict=True)
            ]
        return pd.DataFrame(table)

    def survival(self) -> pd.DataFrame:
        """Return how many runs go on beyond each time, with an interval; columns: time, going, low, high.

        The product-limit estimate of Kaplan and Meier (JASA 53, 1958); a run that reached the clock's limit is
        censored. The interval is that of a share of as many runs as Greenwood's variance is worth (Cutler and Ederer,
        J. Chronic Dis. 8, 1958, have the effective number); before the first ending it is the exact one of no ending
        in so many runs.
        """
        import pandas as pd

        over = self.outcomes.endings != self.outcomes.names.index("")
        time = self.columns.time
        rows = [(0.0, 1.0, ((1 - self.sure) / 2) ** (1 / self.runs), 1.0)]
        going, greenwood = 1.0, 0.0
        for moment in np.unique(time[over]):
            at_risk, ended = int((time >= moment).sum()), int(((time == moment) & over).sum())
            going *= 1.0 - ended / at_risk
            if at_risk > ended:
                greenwood += ended / (at_risk * (at_risk - ended))
                worth = (1.0 - going) / (going * greenwood)
            else:
                worth = float(at_risk)
            low, high = share_ends(going * worth, worth, self.sure)
            if moment > 0.0:
                rows.append((float(moment), going, low, high))
            else:
                rows[0] = (0.0, going, low, high)
        if not over.any():
            rows.append((float(time.max()), *rows[0][1:]))
        return pd.DataFrame(rows, columns=["time", "going", "low", "high"])

    def shape(self, measure: str) -> Shape:
        """Return how a measure is spread over the runs: histogram, quantiles, distribution.

        Raises:
            NotFound: the study has no such measure.
            BadRequest: no run has it.
        """
        numbers, some = self.numbers(measure)
        if not len(some):
            raise BadRequest(f"no run has {measure}, so there is nothing to tell of it")
        texts = {name: text for m in self.lowered.measures for name, text in ((m.name, m.text), (m.text, m.text))}
        timed = texts.get(measure, measure).startswith(TIMED)
        unit = self.unit if measure == "time" or timed else ""
        return Shape(self.title, measure, unit, self.runs, self.seed, self.sure, numbers, some)

    def worst(self, measure: str, runs: int = 5) -> pd.DataFrame:
        """The runs with the lowest values of a measure; each can be played again in full by its number."""
        values = self.values(measure).sort_values(kind="stable")[:runs]
        return self.measures.loc[values.index]

    def _repr_html_(self) -> str:
        return showing.text("notebook.study_html", self)

    def summary(self) -> str:
        """Outcomes, times and measures with their intervals, for people."""
        return showing.text("study_text.study_text", self)

    def plot_outcomes(self, ax: Axes | None = None) -> Figure:
        """Draw how often each ending came up, with intervals; in a figure of its own, or into axes that are given."""
        return showing.figure("study_plots.plot_outcomes", self, ax=ax)

    def plot_survival(self, ax: Axes | None = None) -> Figure:
        """Draw how many runs go on, and by which ending the others have ended, over time."""
        return showing.figure("study_plots.plot_survival", self, ax=ax)

    def plot_bands(self, accounts: Sequence[str] | None = None, ax: Axes | None = None) -> Figure:
        """Quantile bands of accounts over time."""
        return showing.figure("study_plots.plot_bands", self, accounts, ax=ax)

    def plot_causes(self, account: str | None = None, ax: Axes | None = None) -> Figure:
        """Draw what took and gave an account its points."""
        return showing.figure("study_plots.plot_causes", self, account, ax=ax)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The summary as plain values."""

        def plain(e: Estimate) -> dict[str, Any]:
            keys = ("value", "low", "high", "method", "confidence")
            return {key: getattr(e, key) for key in keys}

        return {
            "title": self.title,
            "seed": self.seed,
            "runs": self.runs,
            "sure": self.sure,
            "results": {name: plain(self.rate(name)) for name in RESULTS},
            "winners": {name: plain(self.winner(name)) for name in self.winners()},
            "seats": [seats.as_json() for seats in self.seats()],
            "endings": {name: plain(self.rate(name)) for name in self.endings()},
            "time": {f"{q:g}": plain(self.quantile("time", q)) for q in (0.1, 0.5, 0.9)},
            "measures": {
                name: {
                    "mean": plain(self.mean(name)),
                    "median": plain(self.median(name)),
                    "runs": len(self.numbers(name)[1]),
                }
                for name in self.names[1:]
                if len(self.numbers(name)[1])
            },
            "by_cause": {name: [asdict(row) for row in self.causes(name)] for name in self.accounts},
        }
