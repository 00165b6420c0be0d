"""The course of a game: for each level, visit or wave, how long it takes, what is taken and given, who ends there."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.engines.names import EngineName
from mint_ledger.errors import BadRequest, NotFound, Partial, nearest
from mint_ledger.journal.books import account_name, all_accounts, find_account
from mint_ledger.journal.wording import Words, number
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.highlights import chosen_accounts
from mint_ledger.playing.setting import Setting
from mint_ledger.playing.why import formula_stats
from mint_ledger.program.program import Program
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.changes import AccountChanges, FormulaChanges
from mint_ledger.studies.estimate import Estimate, mean_of, plain, quantile, rate
from mint_ledger.studies.journals import Floats, Integers, Journals, journals

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

COLUMNS = {
    "stretch": "the level, the visit, or what the account counts",
    "reached": "how many runs came to it",
    "time": "how long a run was in it on average (seconds or turns)",
    "low": "the lower end of its interval (95 % by default)",
    "high": "the upper end of it",
    "won": "how many runs ended in it with a win, and `lost`, `drawn`, `unfinished` likewise",
    "lost": "see `won`",
    "drawn": "see `won`",
    "unfinished": "see `won`",
    "account": "the account; empty in the first row of a stretch",
    "cause": "what changed it",
    "points": "by how much, on average of the runs that came to the stretch",
    "points_low": "the lower end of its interval",
    "points_high": "the upper end of it",
}
BANDS = (0.05, 0.25, 0.5, 0.75, 0.95)
# Waves beyond so many are told as one.
MOST_PARTS = 200
RESULTS = ("win", "lose", "draw", "unfinished")


@dataclass(frozen=True, eq=False)
class Stretch:
    """One level, visit or wave, of all runs that came to it.

    Attributes:
        name: what it is called.
        runs: the numbers of the runs that came to it, shape (runs,).
        times: how long each was in it, in seconds or turns, shape (runs,).
        changes: (account, cause) → what it did in each of those runs, shape (runs,).
        left: account → what it stood at as each left it, shape (runs,).
        ended: the results of the runs that ended in it.
        all_runs: how many runs were played.
    """

    name: str
    runs: Integers
    times: Floats
    changes: dict[tuple[str, str], Floats]
    left: dict[str, Floats]
    ended: tuple[str, ...]
    all_runs: int
    sure: float

    @property
    def reached(self) -> Estimate:
        """In how many runs it was come to."""
        return rate(len(self.runs), self.all_runs, self.sure)

    def ends(self, result: str) -> Estimate:
        """Return how many of the runs that came to it ended in it with a result."""
        return rate(self.ended.count(result), len(self.runs), self.sure)

    @property
    def time(self) -> Estimate:
        """Return how long it took, on average."""
        return mean_of(self.times.tolist(), self.sure)

    def quantile(self, what: str, q: float) -> Estimate:
        """A quantile of `time`, or of what an account was left at."""
        values = self.times if what == "time" else self.left[what]
        return quantile(values.tolist(), q, self.sure)

    def change(self, account: str, cause: str | None = None, sign: int = 0) -> Estimate:
        """What a cause (all of them by default) did to an account, on average; with a sign what it gave, or took."""
        total = np.zeros(len(self.runs))
        for (name, by), points in self.changes.items():
            if name == account and cause in (None, by):
                total = total + (points if sign == 0 else np.where(np.sign(points) == sign, points, 0.0))
        return mean_of(total.tolist(), self.sure)

    def causes(self, account: str) -> list[tuple[str, Estimate]]:
        """Return what each cause did to an account, on average, from what took most to what gave most."""
        told = [(by, mean_of(points.tolist(), self.sure)) for (n, by), points in self.changes.items() if n == account]
        return sorted(told, key=lambda item: item[1].value)


@dataclass(frozen=True, eq=False, repr=False)
class Course(Result):
    """The course of a game, by level, visit or wave.

    Attributes:
        per: level, visit, or the account that counts.
        stretches: each of them, in the order in which runs come to them.
    """

    title: str
    unit: str
    per: str
    runs: int
    seed: int
    sure: float
    accounts: tuple[str, ...]
    stretches: tuple[Stretch, ...]

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row for each stretch, account and cause; its columns are those of `COLUMNS`."""
        import pandas as pd

        rows = []
        for part in self.stretches:
            ended = [part.ended.count(result) for result in RESULTS]
            head = [part.name, len(part.runs), part.time.value, part.time.low, part.time.high, *ended]
            rows.append([*head, "", "", np.nan, np.nan, np.nan])
            for account in self.accounts:
                for cause, points in part.causes(account):
                    rows.append([*head, account, cause, points.value, points.low, points.high])
        return pd.DataFrame(rows, columns=list(COLUMNS))

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("course_text.course_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Time, who ends there, and what is taken and given, over the course, with bands."""
        return showing.figure("course_plot.plot_course", self, ax=ax)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "per": self.per,
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "stretches": [
                {
                    "name": part.name,
                    "reached": plain(part.reached),
                    "time": plain(part.time),
                    "bands": {f"{q:g}": part.quantile("time", q).value for q in BANDS},
                    "ends": {result: plain(part.ends(result)) for result in RESULTS if result in part.ended},
                    "accounts": {
                        account: {
                            "left": {f"{q:g}": part.quantile(account, q).value for q in BANDS},
                            "causes": {cause: plain(points) for cause, points in part.causes(account)},
                        }
                        for account in self.accounts
                    },
                }
                for part in self.stretches
            ],
        }


def find_course(
    game: PlayableGame,
    runs: int,
    setting: Setting,
    per: str,
    accounts: Sequence[str] | None = None,
    engine: EngineName = "auto",
    progress: Progress | None = None,
) -> Course:
    """Play a game many times, and tell what happens in each of its stretches; see `Game.course`."""
    turned = setting.of(game)
    lowered = turned.lowered
    names = tuple(accounts) if accounts is not None else chosen_accounts(lowered)
    cut = _Cut(lowered, per, names)
    found: dict[Any, _Gathered] = {}
    title, done = setting.title(turned), 0
    try:
        for part in journals(game, runs, setting, engine, progress):
            cut.gather(part, found)
            done += len(part)
    except KeyboardInterrupt:
        # A part that was broken off may stand in some stretches and not in others.
        if not done or not all(known.ends_before(done) for known in found.values()):
            raise
        raise Partial(cut.answer(title, setting, done, found), done, runs) from None
    return cut.answer(title, setting, runs, found)


class _Gathered:
    """What is known of one stretch so far, part after part."""

    def __init__(self) -> None:
        self.runs: list[Integers] = []
        self.times: list[Floats] = []
        self.changes: list[Floats] = []
        self.left: list[Floats] = []
        self.ended: list[str] = []

    def ends_before(self, run: int) -> bool:
        """Return whether nothing of that run or later ones is in it."""
        return all(int(part.max()) < run for part in self.runs)


class _Cut:
    """Cuts runs into stretches: at each level that opens, or as a count moves on."""

    def __init__(self, lowered: Lowered, per: str, names: Sequence[str]) -> None:
        self.program: Program = lowered.program
        self.per, self.words, self.names = per, Words(lowered.program), tuple(names)
        self.levels = lowered.levels
        self.slots = np.array([_slot(self.program, name) for name in names], dtype=np.int64)
        self._changes: AccountChanges | FormulaChanges | None = None
        self._first: dict[Any, int] = {}
        if per in ("level", "visit"):
            if not self.levels:
                raise BadRequest(f"'{self.program.title}' has no levels; name an account that counts its waves")
            return
        known = [account_name(self.program, key) for key in all_accounts(self.program)]
        formulas = {name: (entity, formula) for name, entity, formula in formula_stats(lowered)}
        if per in formulas:
            self._changes = FormulaChanges(self.program, *formulas[per], per)
        elif per in known:
            self._changes = AccountChanges(_slot(self.program, per))
        else:
            raise NotFound(
                f"there is no '{per}' to divide runs by{nearest(per, ['level', 'visit', *known, *formulas])}"
            )

    def answer(self, title: str, setting: Setting, runs: int, found: dict[Any, _Gathered]) -> Course:
        """Return what was found in some runs."""
        causes = self.program.cause_labels
        stretches = []
        for key in sorted(found, key=self.order):
            known = found[key]
            changes, left = np.concatenate(known.changes), np.concatenate(known.left)
            named: dict[tuple[str, str], Floats] = {}
            for place, account in enumerate(self.names):
                for cause in np.flatnonzero(np.abs(changes[:, place]).sum(axis=0)):
                    before = named.get((account, causes[cause]), 0.0)
                    named[account, causes[cause]] = before + changes[:, place, cause]
            stands = {account: left[:, place] for place, account in enumerate(self.names)}
            numbers, times = np.concatenate(known.runs), np.concatenate(known.times)
            ended = tuple(known.ended)
            stretches.append(Stretch(self.name(key), numbers, times, named, stands, ended, runs, setting.sure))
        unit = "turns" if self.program.clock.unit == "turn" else "s"
        return Course(title, unit, self.per, runs, setting.seed, setting.sure, self.names, tuple(stretches))

    def order(self, key: Any) -> Any:
        """Levels and visits in the order in which runs come to them; counts by number."""
        return key if self._changes is not None else self._first[key]

    def name(self, key: Any) -> str:
        """Return what a stretch is called."""
        if self._changes is not None:
            return f"{self.per} {number(key)}" if key < MOST_PARTS else f"{self.per} {MOST_PARTS} and on"
        if self.per == "level":
            return str(key)
        level, visit = key
        return f"{level}, visit {visit}"

    def gather(self, part: Journals, found: dict[Any, _Gathered]) -> None:
        """Add the runs of a part to what is known of each stretch."""
        account = part.account
        keys, begins, run_of = self._stretches(part, account)
        units, unit_of = self._units(keys, run_of)
        step, since = part.column("step"), part.column("since")
        first = np.append(True, run_of[1:] != run_of[:-1])
        last = np.append(first[1:], True)
        starts = np.where(first, 0.0, np.append(step, 0.0)[np.minimum(begins, len(step))])
        ends = np.where(last, part.steps[run_of], np.append(starts[1:], 0.0))
        change, cause = part.column("after") - part.column("before"), part.column("cause").astype(np.int64)
        changes = np.zeros((len(units), len(self.slots), len(self.program.causes)))
        left = np.full((len(units), len(self.slots)), np.nan)
        for place, slot in enumerate(self.slots):
            at = np.flatnonzero((account == slot) & (change != 0.0))
            at = at[cause[at] >= 0]
            where = np.searchsorted(begins, at, "right") - 1
            within = since[at] >= starts[where]
            np.add.at(changes[:, place], (unit_of[where[within]], cause[at[within]]), change[at[within]])
            # What flowed from one stretch into the next is shared out by time.
            for row, stretch in zip(at[~within], where[~within], strict=True):
                until, each = step[row], change[row] / (step[row] - since[row])
                while until > since[row]:
                    begin = max(starts[stretch], since[row])
                    changes[unit_of[stretch], place, cause[row]] += each * (until - begin)
                    until, stretch = begin, stretch - 1
            left[:, place] = self._left(part, int(slot), at, begins, ends, run_of, unit_of)
        times = np.zeros(len(units))
        np.add.at(times, unit_of, ends - starts)
        seconds = self.words.seconds(1.0)
        in_which = unit_of[np.flatnonzero(last)]
        endings = [*(str(ending.result) for ending in self.program.endings), "unfinished"]
        results = [endings[int(state)] for state in part.states[:, self.program.columns.ending.base]]
        by_key: dict[Any, list[int]] = {}
        for place, (_, key) in enumerate(units):
            by_key.setdefault(key, []).append(place)
        ended: dict[Any, list[str]] = {}
        for run, place in enumerate(in_which):
            ended.setdefault(units[place][1], []).append(results[run])
        for key, places in by_key.items():
            self._first.setdefault(key, len(self._first))
            known = found.setdefault(key, _Gathered())
            known.runs.append(np.array([part.first + units[place][0] for place in places]))
            known.times.append(times[places] * seconds)
            known.changes.append(changes[places])
            known.left.append(left[places])
            known.ended += ended.get(key, [])

    def _stretches(self, part: Journals, account: Integers) -> tuple[list[Any], Integers, Integers]:
        """The stretches of all runs in their order: what each is, in which row it begins, of which run it is."""
        keys: list[Any] = []
        begins: list[int] = []
        runs: list[int] = []
        cause, step = part.column("cause"), part.column("step")
        counts = self._changes.of(part, account) if self._changes is not None else None
        marks = counts.rows if counts is not None else np.flatnonzero(part.what("level"))
        for run in range(len(part)):
            first, last = int(part.starts[run]), int(part.starts[run + 1])
            here = marks[np.searchsorted(marks, first) : np.searchsorted(marks, last)]
            visits: dict[str, int] = {}
            key: Any = None
            if counts is not None:
                key = self._count(counts.opened[run])
                keys.append(key)
                begins.append(first)
                runs.append(run)
            for place, row in enumerate(here, start=int(np.searchsorted(marks, first))):
                if counts is not None:
                    new: Any = self._count(counts.after[place])
                else:
                    level = self.program.causes[int(cause[row])].name
                    visits[level] = visits.get(level, 0) + 1
                    new = level if self.per == "level" else (level, visits[level])
                if new == key and counts is not None:
                    continue
                if counts is not None and step[row] == 0.0:
                    keys[-1] = key = new
                    continue
                key = new
                keys.append(new)
                begins.append(first if not runs or runs[-1] != run else int(row))
                runs.append(run)
            if not runs or runs[-1] != run:
                raise BadRequest(f"run {part.first + run} came to no level, so there is nothing to tell by")
        return keys, np.array(begins), np.array(runs)

    def _count(self, value: float) -> float:
        return min(float(np.floor(value)), float(MOST_PARTS))

    def _units(self, keys: list[Any], run_of: Integers) -> tuple[list[tuple[int, Any]], Integers]:
        """Each run in each stretch that it came to; what it came to again is one."""
        known: dict[tuple[int, Any], int] = {}
        which = [known.setdefault((int(run), key), len(known)) for run, key in zip(run_of, keys, strict=True)]
        return list(known), np.array(which)

    def _left(
        self,
        part: Journals,
        slot: int,
        at: Integers,
        begins: Integers,
        ends: Floats,
        run_of: Integers,
        unit_of: Integers,
    ) -> Floats:
        """Return what an account stood at as each run left each stretch; `at` are the rows that change it."""
        before, after = part.column("before"), part.column("after")
        since, step = part.column("since"), part.column("step")
        rows = np.append(begins[1:], len(part.rows))
        values = np.full(int(unit_of.max()) + 1, np.nan)
        for place, (run, end) in enumerate(zip(run_of, rows, strict=True)):
            following = int(np.searchsorted(at, end))
            known = at[following - 1] if following and at[following - 1] >= part.starts[run] else -1
            later = at[following] if following < len(at) and at[following] < part.starts[run + 1] else -1
            if later >= 0 and since[later] < ends[place]:
                # It flows on beyond the end.
                share = (ends[place] - since[later]) / (step[later] - since[later])
                value = before[later] + share * (after[later] - before[later])
            elif known >= 0:
                value = after[known]
            else:
                value = before[later] if later >= 0 else part.states[run, slot]
            values[unit_of[place]] = value
        return values


def _slot(program: Program, name: str) -> int:
    key = find_account(program, name)
    return program.accounts[key.stat].column.offset + key.entity
