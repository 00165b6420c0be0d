"""What comes into an account and goes out of it: by cause over time, what there is to pay with, what was not bought.

Buying is an action that costs of the account. An offer is a time in which it could be begun except for what it costs.
"""

from __future__ import annotations

import math
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.engines.names import EngineName
from mint_ledger.errors import NotFound, Partial, nearest
from mint_ledger.journal.books import account_name, all_accounts, find_account
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.measure import OFFERS, Reading
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, mean_of, plain, rate, ratio
from mint_ledger.studies.journals import Floats, Integers, Journals, journals
from mint_ledger.studies.limits import draws_something

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

COLUMNS = {
    "begin": "where the interval of time begins (seconds or turns)",
    "end": "where it ends",
    "going": "how many runs were still going on as it began",
    "cause": "what changed the account; empty in the row that tells what there is at the end of the interval",
    "gave": "how much it gave, on average of the runs that were still going on as the interval began",
    "took": "how much it took, likewise; below 0",
    "least": "what one run in twenty has less of at the end of the interval",
    "median": "what half of the runs have less of",
    "most": "what nineteen runs of twenty have less of",
}
# About so many intervals.
INTERVALS = 12
MOST_INTERVALS = 60
BANDS = (0.05, 0.5, 0.95)
# A stock runs away if it gains in the last third of the time at least so much of what it gained in the middle one.
STEADY = 0.8


@dataclass(frozen=True, eq=False)
class Offer:
    """An action that costs of the account, of the runs.

    Attributes:
        counts: of each run, shape (runs,): `times`: how often it could be begun except for what it costs; `held`: what
            there was as these offers began, summed up; `could`: in how many of them it could be paid; `taken`: in how
            many it was done.
    """

    action: str
    counts: dict[str, Floats]
    sure: float

    @property
    def was_ever(self) -> bool:
        """Return whether it was ever offered."""
        return bool(self.counts["times"].any())

    @property
    def has(self) -> Estimate:
        """Return what there was as an offer began, on average; there must have been one."""
        return ratio(self.counts["held"].tolist(), self.counts["times"].tolist(), self.sure)

    def each(self, what: str) -> Estimate:
        """Return how often in a run: `times`, `could`, `taken`, or `left`: it could be paid and was not done."""
        counts = self.counts
        values = counts["could"] - counts["taken"] if what == "left" else counts[what]
        return mean_of(values.tolist(), self.sure)


@dataclass(frozen=True, eq=False, repr=False)
class Income(Result):
    """What comes into an account and goes out of it.

    Attributes:
        edges: where the intervals begin and end, shape (intervals + 1,), in seconds or turns.
        going: how many runs were still going on as each interval began, shape (intervals,).
        flows: cause → what it gave and what it took in each interval, summed over the runs, shape (2, intervals).
        gains: cause → what it gave in each run, shape (runs,), and `losses` what it took.
        lost: cause → what of it a limit refused, in each run, shape (runs,).
        stock: what there is at the end of each interval, shape (runs, intervals), NaN once a run is over.
        opening: what there is as each run begins, shape (runs,), and `closing` as it ends.
        dry: for how long the account stands at its lower limit, shape (runs,); none where it has none. `dry_at`: when
            first, NaN where it never does. `full` likewise of the upper limit.
        offers: the actions that cost of it.
        thirds: what it gained in each third of each run's time, shape (runs, 3).
        draws: whether anything is left to chance; if not, all runs are alike.
    """

    title: str
    account: str
    unit: str
    runs: int
    seed: int
    sure: float
    edges: Floats
    going: Integers
    flows: dict[str, Floats]
    gains: dict[str, Floats]
    losses: dict[str, Floats]
    lost: dict[str, Floats]
    stock: Floats
    opening: Floats
    closing: Floats
    times: Floats
    dry: Floats | None
    dry_at: Floats | None
    full: Floats | None
    offers: tuple[Offer, ...]
    thirds: Floats
    draws: bool

    def total(self, cause: str | None = None, sign: int = 0) -> Estimate:
        """What a cause did in a run, on average (all of them by default); with a sign what came in, or went out."""
        values = np.zeros(self.runs)
        for known in ([self.gains] if sign >= 0 else []) + ([self.losses] if sign <= 0 else []):
            for name, points in known.items():
                values = values + (points if cause in (None, name) else 0.0)
        return mean_of(values.tolist(), self.sure)

    def sources(self) -> list[tuple[str, Estimate]]:
        """Return what brings something, and how much of it, from the most."""
        told = ((cause, mean_of(points.tolist(), self.sure)) for cause, points in self.gains.items())
        return sorted(told, key=lambda item: -item[1].value)

    def sinks(self) -> list[tuple[str, Estimate]]:
        """Return what takes something, and how much of it, from the most."""
        told = ((cause, mean_of(points.tolist(), self.sure)) for cause, points in self.losses.items())
        return sorted(told, key=lambda item: item[1].value)

    def net(self, third: int) -> Estimate:
        """Return what the account gains a second in one third of a run's time (0, 1, 2), on average."""
        return ratio(self.thirds[:, third].tolist(), (self.times / 3.0).tolist(), self.sure)

    @property
    def runs_dry(self) -> Estimate | None:
        """In how many runs it comes to its lower limit (other than where it opens); none where it has none."""
        return None if self.dry_at is None else rate(int(np.isfinite(self.dry_at).sum()), self.runs, self.sure)

    @property
    def is_spent(self) -> bool:
        """Return whether anything ever takes of it: a purse from which nothing goes neither dries up nor runs away."""
        return any(bool(points.any()) for points in self.losses.values())

    @property
    def ends_dry(self) -> bool:
        """Whether it stands at its lower limit in most of the last third: for more than half of that, on average."""
        if self.dry is None or self.dry_at is None or not self.is_spent:
            return False
        late = np.isfinite(self.dry_at)
        return bool(late.sum() > self.runs / 2 and self.dry[late].mean() > self.times[late].mean() / 6)

    @property
    def runs_away(self) -> bool:
        """Whether more comes in than goes out to the end, at no lesser rate than before, and nothing holds it."""
        if self.full is not None or not self.times.sum() or not self.is_spent:
            return False
        middle, last = self.net(1), self.net(2)
        grows = last.low > 0.0 if self.draws else last.value > 0.0
        return grows and last.value >= STEADY * middle.value

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row for each interval and cause, and one for what there is; its columns are those of `COLUMNS`."""
        import pandas as pd

        rows = []
        for place, (begin, end) in enumerate(zip(self.edges[:-1], self.edges[1:], strict=True)):
            head = [begin, end, int(self.going[place])]
            rows += [[*head, cause, *points, *[math.nan] * 3] for cause, points in self.moves(place).items()]
            rows.append([*head, "", math.nan, math.nan, *self.bands(place)])
        return pd.DataFrame(rows, columns=list(COLUMNS))

    def moves(self, place: int) -> dict[str, tuple[float, float]]:
        """What each cause gave and took in an interval, on average of the runs that were going on as it began."""
        going = max(int(self.going[place]), 1)
        each = ((cause, points[:, place] / going) for cause, points in self.flows.items())
        return {cause: (float(gave), float(took)) for cause, (gave, took) in each}

    def bands(self, place: int) -> list[float]:
        """The quantiles of what there is at the end of an interval, of the runs that are still going on."""
        known = self.stock[:, place][np.isfinite(self.stock[:, place])]
        return [float(np.quantile(known, q)) if len(known) else math.nan for q in BANDS]

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("income_text.income_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Draw what comes in and goes out by cause over time, stacked; and what there is, with bands."""
        return showing.figure("income_plot.plot_income", self, ax=ax)

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "account": self.account,
            "unit": self.unit,
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "comes_in": plain(self.total(sign=1)),
            "goes_out": plain(self.total(sign=-1)),
            "net": plain(self.total()),
            "sources": {cause: plain(points) for cause, points in self.sources()},
            "sinks": {cause: plain(points) for cause, points in self.sinks()},
            "lost_to_limits": {cause: float(points.mean()) for cause, points in self.lost.items()},
            "runs_dry": plain(self.runs_dry),
            "ends_dry": self.ends_dry,
            "runs_away": self.runs_away,
            "intervals": [
                {
                    "begin": float(self.edges[place]),
                    "end": float(self.edges[place + 1]),
                    "going": int(self.going[place]),
                    "causes": {cause: sum(points) for cause, points in self.moves(place).items()},
                    "stock": dict(zip(map(str, BANDS), self.bands(place), strict=True)),
                }
                for place in range(len(self.going))
            ],
            "offers": [
                {
                    "action": offer.action,
                    "has": plain(offer.has) if offer.was_ever else None,
                    **{what: plain(offer.each(what)) for what in ("times", "could", "taken", "left")},
                }
                for offer in self.offers
            ],
        }


def find_income(
    game: PlayableGame,
    account: str,
    runs: int,
    setting: Setting,
    engine: EngineName = "auto",
    progress: Progress | None = None,
) -> Income:
    """Play a game many times, and tell what comes into an account and goes out of it; see `Game.income`."""
    turned = setting.of(game)
    gathering = _Gathering(turned, account)
    title, done, stopped = setting.title(turned), 0, False
    try:
        for part in journals(game, runs, setting, engine, progress, gathering.measures):
            gathering.add(part)
            done += len(part)
    except KeyboardInterrupt:
        if not done:
            raise
        stopped = True
    found = gathering.income(title, setting, done)
    if stopped:
        raise Partial(found, found.runs, runs)
    return found


class _Gathering:
    """Adds up the journals of one account, part after part."""

    def __init__(self, game: PlayableGame, account: str) -> None:
        program = game.lowered.program
        known = [account_name(program, key) for key in all_accounts(program)]
        if account not in known:
            raise NotFound(f"there is no account '{account}'{nearest(account, known)}")
        self.account = account
        key = find_account(program, account)
        self.slot = program.accounts[key.stat].column.offset + key.entity
        spec = program.accounts[key.stat].spec(key.entity)
        member = program.cast.member_of(key.entity)
        stat = program.accounts[key.stat].stat
        self.actions = [
            site.name
            for site in game.lowered.sites.actions.values()
            if member is not None and member.name in site.doers and stat in site.costs
        ]
        self.measures: dict[str, str] = {}
        if spec is not None and spec.low is not None:
            self.measures |= {"dry": f"time_while({account} <= {account}.min)"}
            self.measures |= {"dry at": f"first_time({account} <= {account}.min)"}
        if spec is not None and spec.high is not None:
            self.measures |= {"full": f"time_while({account} >= {account}.max)"}
        for number, action in enumerate(self.actions):
            self.measures |= {f"{word} {number}": f'offers("{action}", {word})' for word in OFFERS}
        self.lowered = game.lowered_with(self.measures)
        self.program = self.lowered.program
        self.readings = {m.name: m.value for m in self.lowered.measures if isinstance(m.value, Reading)}
        self.second = Words(self.program).seconds(1.0)
        self.unit = "turns" if self.program.clock.unit == "turn" else "s"
        self.width = 0.0
        self.flows: Floats = np.zeros((2, 0, len(self.program.causes)))
        self.parts: dict[str, list[Floats]] = {}

    def add(self, part: Journals) -> None:
        """Add the rows of some runs."""
        steps = part.steps
        if not self.width:
            self.width = _nice(float(steps.max()) * self.second / INTERVALS) / self.second
        runs = len(part)
        count = max(math.ceil(float(steps.max()) / self.width - 1e-9), 1)
        at = np.flatnonzero(part.account == self.slot)
        run = np.repeat(np.arange(runs), np.diff(part.starts))[at]
        before, after = part.column("before")[at], part.column("after")[at]
        since, step = part.column("since")[at], part.column("step")[at]
        cause = part.column("cause")[at].astype(np.int64)
        change, waste = after - before, part.column("waste")[at]
        causes = len(self.program.causes)
        thirds = np.zeros((runs, 3))
        moves = (cause >= 0) & (change != 0.0)
        more = np.zeros((2, max(count - self.flows.shape[1], 0), causes))
        self.flows = np.concatenate([self.flows, more], axis=1)
        for sign, which in enumerate((moves & (change > 0.0), moves & (change < 0.0))):
            moved = (change[which], since[which], step[which])
            _spread(self.flows[sign, :count], cause[which], *moved, np.full(int(which.sum()), self.width))
            totals = np.zeros((runs, causes))
            np.add.at(totals, (run[which], cause[which]), change[which])
            self._keep(("gains", "losses")[sign], totals)
        moved = (change[moves], since[moves], step[moves])
        _spread(thirds.T, run[moves], *moved, np.maximum(steps[run[moves]] / 3.0, 1e-9))
        lost = np.zeros((runs, causes))
        kept = cause >= 0
        np.add.at(lost, (run[kept], cause[kept]), waste[kept])
        self._keep("lost", lost)
        self._keep("thirds", thirds)
        self._keep("times", steps * self.second)
        self._keep("stock", self._stock(part, run, (since, step, before, after), count))
        closing = part.states[:, self.slot]
        self._keep("opening", closing - np.bincount(run[moves], change[moves], runs))
        self._keep("closing", closing)
        for name, reading in self.readings.items():
            if name in self.measures:
                self._keep(name, self._measured(part, reading))

    def _stock(self, part: Journals, run: Integers, rows: tuple[Floats, Floats, Floats, Floats], count: int) -> Floats:
        """Return what there is at the end of each interval, NaN once a run is over."""
        since, step, before, after = rows
        steps, ends = part.steps, (np.arange(count) + 1) * self.width
        stock = np.full((len(part), count), np.nan)
        for number in range(len(part)):
            first, last = np.searchsorted(run, [number, number + 1])
            going = ends <= steps[number] + 1e-9
            if first == last:
                stock[number, going] = part.states[number, self.slot]
                continue
            here = slice(first, last)
            place = np.searchsorted(step[here], ends, "right")
            known = np.where(place > 0, after[here][np.maximum(place - 1, 0)], before[here][0])
            # What flows over the end of the interval has come in part.
            coming = np.minimum(place, last - first - 1)
            start, until = since[here][coming], step[here][coming]
            flowing = (place < last - first) & (start < ends) & (until > ends)
            share = np.where(flowing, (ends - start) / np.where(until > start, until - start, 1.0), 0.0)
            part_way = before[here][coming] + share * (after[here][coming] - before[here][coming])
            stock[number, going] = np.where(flowing, part_way, known)[going]
        return stock

    def _measured(self, part: Journals, reading: Reading) -> Floats:
        columns = part.states[:, reading.slot : reading.slot + 3]
        if reading.sort == "held":
            total, held, since = columns.T
            return np.asarray((total + np.where(held != 0.0, part.steps - since, 0.0)) * self.second)
        if reading.sort == "first":
            return np.where(columns[:, 0] < 0.0, np.nan, columns[:, 0] * self.second)
        return np.asarray(columns[:, 0])

    def _keep(self, name: str, values: Floats) -> None:
        self.parts.setdefault(name, []).append(values)

    def income(self, title: str, setting: Setting, runs: int) -> Income:
        """Return what was found in some runs."""
        most = max(part.shape[1] for part in self.parts["stock"])
        stock = np.vstack(
            [np.pad(p, ((0, 0), (0, most - p.shape[1])), constant_values=np.nan) for p in self.parts.pop("stock")]
        )
        found = {name: np.concatenate(parts) for name, parts in self.parts.items()}
        edges = np.arange(most + 1) * self.width * self.second
        going = np.array([int((found["times"] > edge + 1e-9).sum()) for edge in edges[:-1]])
        labels = self.program.cause_labels
        flows: dict[str, Floats] = {}
        by_cause: dict[str, dict[str, Floats]] = {"gains": {}, "losses": {}, "lost": {}}
        for number, label in enumerate(labels):
            if self.flows[:, :, number].any():
                flows[label] = flows.get(label, np.zeros((2, most))) + self.flows[:, :, number]
            for name, into in by_cause.items():
                if found[name][:, number].any():
                    into[label] = into.get(label, np.zeros(runs)) + found[name][:, number]
        offers = tuple(
            Offer(action, {word: found[f"{word} {number}"] for word in OFFERS}, setting.sure)
            for number, action in enumerate(self.actions)
        )
        return Income(
            title,
            self.account,
            self.unit,
            runs,
            setting.seed,
            setting.sure,
            edges,
            going,
            flows,
            by_cause["gains"],
            by_cause["losses"],
            by_cause["lost"],
            stock,
            found["opening"],
            found["closing"],
            found["times"],
            found.get("dry"),
            found.get("dry at"),
            found.get("full"),
            offers,
            found["thirds"],
            draws_something(self.program),
        )


def _spread(into: Floats, column: Integers, amounts: Floats, since: Floats, until: Floats, widths: Floats) -> None:
    """Put amounts into the intervals (the rows) in which they came: at once, or spread evenly over their time."""
    last = len(into) - 1
    end = np.clip(np.ceil(until / widths - 1e-9).astype(np.int64) - 1, 0, last)
    begin = np.minimum((since / widths).astype(np.int64), end)
    at_once = (since >= until) | (begin == end)
    np.add.at(into, (end[at_once], column[at_once]), amounts[at_once])
    for row in np.flatnonzero(~at_once):
        for place in range(begin[row], end[row] + 1):
            low, high = max(since[row], place * widths[row]), (place + 1) * widths[row]
            high = until[row] if place == last else min(until[row], high)
            into[place, column[row]] += amounts[row] * max(high - low, 0.0) / (until[row] - since[row])


def _nice(width: float) -> float:
    """A width of intervals that reads well, and no fewer than the wanted."""
    if width <= 0.0:
        return 1.0
    size = 10.0 ** math.floor(math.log10(width))
    return next(size * step for step in (1.0, 2.0, 2.5, 5.0, 10.0) if size * step >= width * (1 - 1e-9))
