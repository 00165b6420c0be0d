"""A study: many runs of one game, each with luck of its own, and what they say."""

from __future__ import annotations

import math
import operator
import re
from collections import Counter
from collections.abc import Callable, Iterator, Mapping, Sequence
from concurrent.futures import Executor
from contextlib import AbstractContextManager
from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import TYPE_CHECKING, Any, Protocol

from mint_ledger import showing
from mint_ledger.engines.tally import TALLY_HEAD, TALLY_OF_CAUSE, tally_size
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.target import ESTIMATE
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.plain import finite
from mint_ledger.playing.setting import check_seed, titled
from mint_ledger.studies.block import BLOCK, Block
from mint_ledger.studies.estimate import CONFIDENCE, Estimate, checked_sure, joined_sums, mean, mean_of, quantile, rate
from mint_ledger.studies.intervals import OPEN, wilson
from mint_ledger.studies.limits import draws_something, measure_bounds, time_limit
from mint_ledger.studies.playing import Span, play_blocks
from mint_ledger.studies.request import Prepared, StudyRequest
from mint_ledger.studies.seats import RESULTS, Seats, seat_names, seats_of
from mint_ledger.studies.shape import Shape

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MAX_RUNS = 10_000_000
MOST_UNKNOWN = 50_000
COLUMNS = {
    "run": "the number of the run; `mint-ledger run --run` plays it again",
    "result": "win, lose, draw or unfinished",
    "ending": "the ending that was reached; empty at the clock's limit",
    "winner": "the entity that won, where an ending names one",
    "time": "how long it took (seconds or turns)",
    "level": "the level that was reached, where the game has levels",
    "(measures)": "each measure of the file and of `--measure`, by its name; empty where the run has none",
}
BANDS = (0.05, 0.25, 0.5, 0.75, 0.95)
# Measures that are in seconds or turns.
TIMED = ("time_while(", "in_reach(", "first_time(", "idle(")
RunProgress = Callable[[int, int, int], None]
"""Is told how many runs are done, how many there are to be, and how many of those done were won."""


class KeptBlocks(Protocol):
    """Where the blocks of a study are kept."""

    def has(self, span: Span) -> bool:
        """Whether a block is there."""

    @property
    def replayed(self) -> int:
        """How many runs had to be played again."""

    def get(self, span: Span) -> Block | None:
        """A block that is there; none where it is damaged, so that it has to be played again."""

    def put(self, block: Block) -> None:
        """Keep a block."""

    def writing(self) -> AbstractContextManager[None]:
        """While nobody else writes."""


@dataclass(frozen=True)
class Until:
    """Go on until an estimate's interval is no wider than ± `half_width`."""

    measure: str
    half_width: float


@dataclass(frozen=True, eq=False)
class Study:
    """The runs of a study.

    Attributes:
        columns: what was taken of each run, as numbers.
        sums: for each tallied account, cause after cause, the sums over the runs and of the squares about the mean.
        samples: values at the grid's times, NaN once a run is over, shape (runs, times, accounts).
        visited: how many steps were looked at; the others were quiet and skipped.
        steps: how many steps the runs took.
        sure: the chance with which each interval holds the true value.
        replayed: how many runs were played again because what a store had of them was damaged.
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

    def __repr__(self) -> str:
        wins = self.rate("win")
        return f"<Study {self.title!r}: {self.runs:,} runs, seed {self.seed}, wins {100 * wins.value:.1f} %>"

    def at(self, sure: float) -> Study:
        """The same runs with intervals that hold the true values with another chance.

        Raises:
            BadRequest: `sure` is no chance between 0 and 1.
        """
        return self if sure == self.sure else replace(self, sure=checked_sure(sure))

    def first(self, runs: int) -> Study:
        """The first runs of it, without what was added up over all of them (by cause) and read at times."""
        columns = self.columns
        cut = Columns(
            columns.ending[:runs],
            columns.winner[:runs],
            columns.time[:runs],
            columns.level[:runs],
            {name: values[:runs] for name, values in columns.measures.items()},
        )
        return replace(self, request=replace(self.request, accounts=(), sampled=(), times=()), columns=cut)

    @cached_property
    def measures(self) -> pd.DataFrame:
        """One row a run, by its number: result, ending, winner, time (seconds or turns), level where the game has
        levels, and each measure."""
        return study_table(self.lowered, self.columns)

    @property
    def seed(self) -> int:
        """The seed; run k has the luck of `game.run(seed, run=k)`."""
        return self.request.seed

    @property
    def title(self) -> str:
        """The game, the habit and the variant."""
        title, by_hand = self.lowered.program.title, bool(self.lowered.script)
        return titled(title, self.lowered, self.request.habit, self.request.variant, by_hand=by_hand)

    @property
    def unit(self) -> str:
        """What time is counted in."""
        return "turns" if self.lowered.program.clock.unit == "turn" else "s"

    @property
    def runs(self) -> int:
        """How many runs it has."""
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
            seats = seat_names(self.lowered.program, what)
            return rate(int(self.measures["winner"].isin(seats).sum()), self.runs, self.sure)
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
            return (self.measures["result"] == what).to_numpy()
        if what in (ending.name for ending in self.lowered.program.endings):
            return (self.measures["ending"] == what).to_numpy()
        return self.measures["winner"].isin(seat_names(self.lowered.program, what)).to_numpy()

    @cached_property
    def _ending_counts(self) -> list[int]:
        """How many runs came to each ending, and last how many to none."""
        import numpy as np

        counts = np.bincount(self.columns.ending, minlength=len(self.lowered.program.endings) + 1)
        return [int(count) for count in counts]

    def values(self, measure: str) -> pd.Series[float]:
        """A numeric measure, one value a run, by its name or its text; runs without one are left out."""
        names = {"time": "time", **{m.text: m.name for m in self.lowered.measures}}
        names |= {m.name: m.name for m in self.lowered.measures}
        if measure not in names:
            raise NotFound(f"this study has no measure '{measure}'{nearest(measure, names)}; it has {', '.join(names)}")
        column = self.measures[names[measure]]
        return column[column.notna()].astype(float)

    def mean(self, measure: str) -> Estimate:
        """The mean of a numeric measure.

        Where skewness, or that all runs are alike, leaves an end of its interval open, what no run can leave bounds it.
        """
        values = self.values(measure).tolist()
        estimate = mean_of(values, self.sure)
        if math.isfinite(estimate.low) and math.isfinite(estimate.high):
            return estimate
        return mean_of(values, self.sure, bounds=self._bounds_of(measure))

    @cached_property
    def _is_certain(self) -> bool:
        """Whether nothing in the game is drawn, so that all runs are one."""
        return not draws_something(self.lowered.program)

    def _bounds_of(self, measure: str) -> tuple[float, float]:
        if self._is_certain:
            value = float(self.values(measure)[0])
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
        return quantile(self.values(measure).tolist(), q, self.sure)

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
        counts = self.measures.loc[self.measures["ending"] != "", "ending"].value_counts()
        return [str(name) for name, count in counts.items() if count]

    def winners(self) -> list[str]:
        """The entities that won at least once, in the order of their names."""
        return sorted(str(name) for name in set(self.measures["winner"]) if name)

    def winner(self, entity: str) -> Estimate:
        """How often an entity won."""
        return rate(int((self.measures["winner"] == entity).sum()), self.runs, self.sure)

    def seats(self) -> list[Seats]:
        """For each kind of which several copies can win: whether they win equally often."""
        return seats_of(self.lowered.program, Counter(self.measures["winner"]))

    def by_cause(self, account: str) -> pd.DataFrame:
        """What took and gave an account its points, a run on average, by cause.

        Columns: cause, changes (a run), total, low, high (its interval), waste (what limits refused).

        Raises:
            NotFound: the account was not added up in this study.
        """
        import pandas as pd

        if account not in self.accounts:
            raise NotFound(
                f"this study did not add up '{account}'{nearest(account, self.accounts)}; ask for it with accounts="
            )
        program = self.lowered.program
        size = tally_size(program)
        tally = self.sums[self.accounts.index(account) * size :][:size]
        rows = []
        for index in range(len(program.causes)):
            first = TALLY_HEAD + TALLY_OF_CAUSE * index
            total, waste, changes = tally[first : first + TALLY_OF_CAUSE]
            if changes[0]:
                points, squares, cubes = map(float, total)
                about = mean(points, squares, cubes, self.runs, self.sure, certain=self._is_certain)
                share = [float(changes[0]) / self.runs, about.value, about.low, about.high]
                rows.append([program.cause_labels[index], *share, float(waste[0]) / self.runs])
        table = pd.DataFrame(rows, columns=["cause", "changes", "total", "low", "high", "waste"])
        table = table.groupby("cause", sort=False, as_index=False).sum() if table["cause"].duplicated().any() else table
        return table.sort_values("total", kind="stable").reset_index(drop=True)

    @cached_property
    def times(self) -> Any:
        """The times of the grid at which accounts were read."""
        import numpy as np

        return np.array(self.request.times)

    def bands(self, account: str) -> pd.DataFrame:
        """Quantiles of an account over time, of the runs that were still going; columns: time, going, q05 … q95.

        Raises:
            NotFound: the account's values were not read in this study.
        """
        import numpy as np
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
        """How many runs go on beyond each time, with an interval; columns: time, going, low, high.

        The product-limit estimate of Kaplan and Meier (JASA 53, 1958); a run that reached the clock's limit is
        censored. The interval is Wilson's of as many runs as Greenwood's variance is worth (Cutler and Ederer,
        J. Chronic Dis. 8, 1958, have the effective number); before the first ending it is the exact one of no ending
        in so many runs.
        """
        import numpy as np
        import pandas as pd

        over = (self.measures["ending"] != "").to_numpy()
        time = self.measures["time"].to_numpy()
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
            low, high = wilson(going * worth, worth, self.sure)
            if moment > 0.0:
                rows.append((float(moment), going, low, high))
            else:
                rows[0] = (0.0, going, low, high)
        if not over.any():
            rows.append((float(time.max()), *rows[0][1:]))
        return pd.DataFrame(rows, columns=["time", "going", "low", "high"])

    def shape(self, measure: str) -> Shape:
        """How a measure is spread over the runs: histogram, quantiles, distribution.

        Raises:
            NotFound: the study has no such measure.
            BadRequest: no run has it.
        """
        values = self.values(measure)
        if not len(values):
            raise BadRequest(f"no run has {measure}, so there is nothing to tell of it")
        texts = {name: text for m in self.lowered.measures for name, text in ((m.name, m.text), (m.text, m.text))}
        timed = texts.get(measure, measure).startswith(TIMED)
        numbers, some = values.index.to_numpy(), values.to_numpy(dtype=float)
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
        """How often each ending came up, with intervals; in a figure of its own, or into axes that are given."""
        return showing.figure("study_plots.plot_outcomes", self, ax=ax)

    def plot_survival(self, ax: Axes | None = None) -> Figure:
        """How many runs go on, and by which ending the others have ended, over time."""
        return showing.figure("study_plots.plot_survival", self, ax=ax)

    def plot_bands(self, accounts: Sequence[str] | None = None, ax: Axes | None = None) -> Figure:
        """Quantile bands of accounts over time."""
        return showing.figure("study_plots.plot_bands", self, accounts, ax=ax)

    def plot_causes(self, account: str | None = None, ax: Axes | None = None) -> Figure:
        """What took and gave an account its points."""
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
                    "runs": len(self.values(name)),
                }
                for name in self.names[1:]
                if len(self.values(name))
            },
            "by_cause": {name: self.by_cause(name).to_dict("records") for name in self.accounts},
        }


class StudyInterrupted(KeyboardInterrupt):
    """A study was stopped with Ctrl-C after some of its runs; `study` has those, of `runs` that were wanted."""

    def __init__(self, study: Study, runs: int) -> None:
        self.study, self.runs = study, runs
        super().__init__(f"stopped after {study.runs:,} of {runs:,} runs")


def make_study(
    prepared: Prepared,
    request: StudyRequest,
    runs: int,
    *,
    until: Until | None = None,
    executor: Executor | None = None,
    progress: RunProgress | None = None,
    stored: KeptBlocks | None = None,
    first: int = 0,
) -> Study:
    """Play runs 0 to runs-1 of a request, or as many from `first` on; see `Game.study`.

    Raises:
        BadRequest: the number of runs or the seed makes no sense.
        RunStopped: one of the runs could not go on.
        StudyInterrupted: it was stopped with Ctrl-C; what was played until then is a study too.
    """
    runs = _whole(runs)
    check_seed(request.seed)
    gathered = _Gathered(prepared, request)
    while True:
        starts = range(len(gathered), runs, BLOCK)
        spans = [(first + start, min(BLOCK, runs - start)) for start in starts]
        try:
            for block in _blocks(prepared, request, spans, runs, executor, stored):
                gathered.add(block)
                if progress:
                    progress(len(gathered), runs, gathered.wins)
        except KeyboardInterrupt:
            if not len(gathered):
                raise
            raise StudyInterrupted(gathered.study(None), runs) from None
        if until is None:
            break
        estimate = gathered.study(until).estimate(until.measure)
        known_to = estimate.known_to
        if known_to <= until.half_width or runs >= MAX_RUNS:
            break
        if math.isinf(known_to) and runs >= MOST_UNKNOWN:
            break  # all runs are alike, or a few of them say all: more of them may never tell
        runs = _more_runs(runs, known_to / until.half_width)
        gathered.drop_short_block()
    study = gathered.study(until)
    return replace(study, replayed=stored.replayed) if stored is not None and stored.replayed else study


def _whole(runs: int) -> int:
    """A number of runs; NumPy's whole numbers are some too."""
    try:
        whole = operator.index(runs)
    except TypeError:
        whole = 0
    if isinstance(runs, bool) or not 1 <= whole <= MAX_RUNS:
        raise BadRequest(f"a study has 1 to {MAX_RUNS:,} runs, not {runs}")
    return whole


def parse_until(text: str | float) -> Until:
    """`±0.01` (of the share of wins), or an estimate and how sure it is to be: `mean(time) ±0.5`.

    Raises:
        BadRequest: the text says no width.
    """
    match = re.fullmatch(r"(.*?)\s*(?:±|\+-|\+/-)?\s*([0-9.eE+-]+)\s*", str(text))
    try:
        width = float(match[2]) if match else math.nan
    except ValueError:
        width = math.nan
    if match is None or not 0 < width < math.inf:
        raise BadRequest(f"'{text}' is no width of an interval; write ±0.01 for wins, or 'mean(time) ±0.5'")
    return Until(match[1].strip() or "rate(win)", width)


def _more_runs(runs: int, too_wide: float) -> int:
    """How many runs will do, as an interval narrows with their root; twice as many at least, ten times at most."""
    wanted = runs * min(max(too_wide**2 * 1.05, 2.0), 10.0)
    return min(MAX_RUNS, math.ceil(wanted / BLOCK) * BLOCK)


def _blocks(
    prepared: Prepared,
    request: StudyRequest,
    spans: Sequence[Span],
    runs: int,
    executor: Executor | None,
    stored: KeptBlocks | None,
) -> Iterator[Block]:
    """The blocks of some spans in order: those that are stored already, and the others played (and stored)."""
    if stored is None:
        yield from play_blocks(prepared, request, spans, runs, executor)
        return
    missing = [span for span in spans if not stored.has(span)]
    played = play_blocks(prepared, request, missing, sum(count for _, count in missing), executor)
    with stored.writing():
        wanted = set(missing)
        for span in spans:
            if span in wanted:
                block = next(played)
                stored.put(block)
            else:
                kept = stored.get(span)
                if kept is None:
                    # What was damaged is played again, and kept in its place.
                    [block] = play_blocks(prepared, request, [span], span[1], executor)
                    stored.put(block)
                else:
                    block = kept
            yield block


class _Gathered:
    """The blocks of a study that have come in, in order."""

    def __init__(self, prepared: Prepared, request: StudyRequest) -> None:
        self.prepared = prepared
        self.request = request
        self.blocks: list[Block] = []
        self.wins = 0
        self._runs = 0
        self._sums: Any = None
        self._last_sums: Any = None
        self._winning = [ending.result == "win" for ending in prepared.lowered.program.endings] + [False]

    def __len__(self) -> int:
        return self._runs

    def add(self, block: Block) -> None:
        # The sums of all but the last block are one array: a million runs have twenty thousand blocks.
        self._sums = self._all_sums()
        self._last_sums = block.sums
        self.blocks.append(replace(block, sums=block.sums[:0]))
        self._runs += len(block.ending)
        self.wins += sum(self._winning[ending] for ending in block.ending.tolist())

    def _all_sums(self) -> Any:
        if self._sums is None or self._last_sums is None:
            return self._sums if self._last_sums is None else self._last_sums
        last = len(self.blocks[-1].ending)
        return joined_sums(self._sums, self._runs - last, self._last_sums, last)

    def drop_short_block(self) -> None:
        """A block at the end that is not full is played anew as a whole."""
        if self.blocks and len(self.blocks[-1].ending) < BLOCK:
            last = self.blocks.pop()
            self._last_sums = None
            self._runs -= len(last.ending)
            self.wins -= sum(self._winning[ending] for ending in last.ending.tolist())

    def study(self, until: Until | None) -> Study:
        columns = gathered_columns(self.prepared, self.blocks)
        sums = self._all_sums()
        steps = int(sum(int(block.steps.sum()) for block in self.blocks))
        visited = sum(block.visited for block in self.blocks)
        import numpy as np

        samples = np.concatenate([block.samples for block in self.blocks])
        return Study(self.prepared.lowered, self.request, columns, sums, samples, visited, steps, until)


@dataclass(frozen=True)
class Columns:
    """What was taken of each run, one entry a run: numbers of the program, and time in seconds (or turns)."""

    ending: Any
    winner: Any
    time: Any
    level: Any
    measures: dict[str, Any]


def gathered_columns(prepared: Prepared, blocks: Sequence[Block]) -> Columns:
    """The columns of all blocks, one after another."""
    import numpy as np

    steps = np.concatenate([block.steps for block in blocks]).astype(float)
    return Columns(
        ending=np.concatenate([block.ending for block in blocks]),
        winner=np.concatenate([block.winner for block in blocks]),
        time=prepared.taking.seconds(steps),
        level=np.concatenate([block.level for block in blocks]),
        measures={m.name: np.concatenate([b.measures[m.name] for b in blocks]) for m in prepared.lowered.measures},
    )


def study_table(lowered: Lowered, columns: Columns) -> pd.DataFrame:
    """One row a run. Names are kept as categories, a byte or two each, so that a million runs fit."""
    import numpy as np
    import pandas as pd

    from_codes: Any = pd.Categorical.from_codes
    program = lowered.program
    results = np.array([RESULTS.index(e.result) for e in program.endings] + [RESULTS.index("unfinished")])
    names = list(dict.fromkeys([*(e.name for e in program.endings), ""]))
    positions = np.array([*(names.index(e.name) for e in program.endings), names.index("")])
    entities = [program.cast.entity_name(entity) for entity in range(program.cast.size)]
    table: dict[str, Any] = {
        "result": from_codes(results[columns.ending], list(RESULTS)),
        "ending": from_codes(positions[columns.ending], names),
        "winner": from_codes(columns.winner, entities),
        "time": columns.time,
    }
    if lowered.levels:
        table["level"] = from_codes(columns.level, list(lowered.levels))
    joined = pd.DataFrame({**table, **columns.measures})
    joined.index.name = "run"
    return joined


def named_measures(measures: Mapping[str, str] | Sequence[str]) -> dict[str, str]:
    """Measures by name; a measure without one is named by its text."""
    return dict(measures) if isinstance(measures, Mapping) else {text: text for text in measures}
