"""Where and why runs end: by level, visit and time, and by what did it last.

The cause of an end is that of the last change, before the ending held, of any account that the ending's condition
reads. Where a rule made that change because something became true (a life is spent as health is gone), what made
that true is told as well: the rule is the way, and the cause stands behind it.
"""

from __future__ import annotations

import math
from collections import Counter
from collections.abc import Callable, Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.engines.names import EngineName
from mint_ledger.errors import BadRequest, Partial
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.playing.what_ends import TriggeredRule, WhatEnds
from mint_ledger.program.row import WHAT_CODES
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, clustered_share, plain, rate, ratio
from mint_ledger.studies.journals import Integers, Journals, journals

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

COLUMNS = {
    "what": "the ending, or what was lost on the way to one",
    "result": "win, lose, draw or unfinished; empty for what was lost on the way",
    "run": "the number of the run; `mint-ledger run --run` plays it again",
    "time": "when it came (seconds or turns)",
    "level": "the level that was played; empty in games without levels",
    "visit": "how often that level had been come to by then",
    "cause": "what did it last",
    "through": "the rules by which it came to that, the last one first",
    "x": "where the player stood as the run ended, in games with space",
    "y": "the same, along the other axis",
}
SECONDS = 10.0
CLOCK = "the clock"
# How many rules in a row are looked behind.
DEPTH = 4
QUANTILES = (0.1, 0.5, 0.9)


@dataclass(frozen=True, slots=True)
class EndCause:
    """What did something last: the cause, and the rules by which it came to that, the last one first."""

    cause: str
    through: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class EndMoment:
    """One time that something was lost or a run ended.

    Attributes:
        run: the number of the run.
        time: when, in seconds or turns.
        level: the level that was played, and `visit` how often it had been come to; "" and 0 where there are none.
        by: what did it.
        place: where whoever it happened to stood, in games with space.
        changes: (account, cause) → what it did in the last seconds before.
    """

    run: int
    time: float
    level: str
    visit: int
    by: EndCause
    place: tuple[float, float] | None
    changes: dict[tuple[str, str], float] = field(default_factory=dict, repr=False)


def _by(moment: EndMoment) -> EndCause:
    return moment.by


def _where(moment: EndMoment) -> tuple[str, int]:
    return moment.level, moment.visit


@dataclass(frozen=True)
class End:
    """All that is known of one way to end, or of one thing that is lost on the way to an end.

    Attributes:
        name: the ending, or the rule that takes what an ending counts.
        result: win, lose, draw or unfinished; "" for what is lost on the way.
        moments: each time that it came.
    """

    name: str
    result: str
    moments: tuple[EndMoment, ...]
    runs: int
    seconds: float
    sure: float

    @cached_property
    def _of_runs(self) -> dict[int, list[EndMoment]]:
        """The moments of each run that has some."""
        runs: dict[int, list[EndMoment]] = {}
        for moment in self.moments:
            runs.setdefault(moment.run, []).append(moment)
        return runs

    @property
    def share(self) -> Estimate:
        """In how many runs it came."""
        return rate(len(self._of_runs), self.runs, self.sure)

    def time(self, q: float) -> float:
        """A quantile of when it came."""
        return float(np.quantile([moment.time for moment in self.moments], q))

    @cached_property
    def causes(self) -> list[tuple[EndCause, Estimate]]:
        """Return what did it last, the most frequent first, each with its share of all times."""
        counts = Counter(moment.by for moment in self.moments)
        return [(cause, self._share_of(_by, cause)) for cause, _ in counts.most_common()]

    @cached_property
    def places(self) -> list[tuple[str, int, Estimate]]:
        """Level and visit, in their order, each with its share of all times; empty in games without levels."""
        counts = Counter(_where(moment) for moment in self.moments if moment.level)
        ordered = sorted(counts, key=lambda place: (place[1], -counts[place]))
        return [(*place, self._share_of(_where, place)) for place in ordered]

    def _share_of(self, mark: Callable[[EndMoment], object], wanted: object) -> Estimate:
        """The share of the times that are of a sort; several times in one run are not independent."""
        some = [sum(mark(moment) == wanted for moment in moments) for moments in self._of_runs.values()]
        times = [len(moments) for moments in self._of_runs.values()]
        if max(times) == 1:
            return rate(sum(some), len(times), self.sure)
        return clustered_share(some, times, self.sure)

    @cached_property
    def last_seconds(self) -> list[tuple[str, str, Estimate]]:
        """What causes did to each account in the last seconds, on average each time: (account, cause, points)."""
        keys = dict.fromkeys(key for moment in self.moments for key in moment.changes)
        times = [len(moments) for moments in self._of_runs.values()]
        told = []
        for key in keys:
            points = [sum(m.changes.get(key, 0.0) for m in moments) for moments in self._of_runs.values()]
            told.append((*key, ratio(points, times, self.sure)))
        return sorted(told, key=lambda item: (item[0], item[2].value))


@dataclass(frozen=True, repr=False)
class Ends(Result):
    """Where and why the runs of a study end, and what is lost on the way."""

    title: str
    unit: str
    runs: int
    seed: int
    sure: float
    seconds: float
    ends: tuple[End, ...]
    on_the_way: tuple[End, ...]

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row each time that something ended or was lost; its columns are those of `COLUMNS`."""
        import pandas as pd

        rows = []
        for end in (*self.ends, *self.on_the_way):
            for moment in end.moments:
                x, y = moment.place or (float("nan"), float("nan"))
                by = [moment.by.cause, " ← ".join(moment.by.through)]
                rows.append([end.name, end.result, moment.run, moment.time, moment.level, moment.visit, *by, x, y])
        return pd.DataFrame(rows, columns=list(COLUMNS))

    def end(self, name: str) -> End:
        """One of them by its name.

        Raises:
            KeyError: nothing of that name came.
        """
        return next(end for end in (*self.ends, *self.on_the_way) if end.name == name)

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("ends_text.ends_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Draw what did it, of each ending; in games with space also where."""
        return showing.figure("ends_plot.plot_ends", self, ax=ax)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""

        def told(end: End) -> dict[str, Any]:
            return {
                "name": end.name,
                "result": end.result,
                "times": len(end.moments),
                "share": plain(end.share),
                "time": {f"{q:g}": end.time(q) for q in QUANTILES},
                "levels": [{"level": n, "visit": v, "share": plain(e)} for n, v, e in end.places],
                "causes": [{"cause": c.cause, "through": list(c.through), "share": plain(e)} for c, e in end.causes],
                "last_seconds": [{"account": a, "cause": c, "points": plain(e)} for a, c, e in end.last_seconds],
                "places": [list(moment.place) for moment in end.moments if moment.place is not None],
            }

        return {
            "title": self.title,
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "seconds": self.seconds,
            "ends": [told(end) for end in self.ends],
            "on_the_way": [told(end) for end in self.on_the_way],
        }


def find_ends(
    game: PlayableGame,
    runs: int,
    setting: Setting,
    seconds: float = SECONDS,
    engine: EngineName = "auto",
    progress: Progress | None = None,
) -> Ends:
    """Play a game many times, and find where and why its runs end; see `Game.ends`."""
    if not 0.0 < seconds < math.inf:
        raise BadRequest(f"what causes did is told of the last seconds, more than 0, not of {seconds:g}")
    turned = setting.of(game)
    look = _Look(turned.lowered, seconds)
    ended: dict[str, list[EndMoment]] = {}
    lost: dict[str, list[EndMoment]] = {}
    title, done = setting.title(turned), 0
    try:
        for part in journals(game, runs, setting, engine, progress):
            seen = _Seen(look, part)
            for index in range(len(part)):
                name, moment = seen.end(index)
                ended.setdefault(name, []).append(moment)
                for rule, moment in seen.losses(index):
                    lost.setdefault(rule, []).append(moment)
            done += len(part)
    except KeyboardInterrupt:
        if not done:
            raise
        kept = [{n: [m for m in some if m.run < done] for n, some in known.items()} for known in (ended, lost)]
        raise Partial(look.answer(title, setting, done, *kept), done, runs) from None
    return look.answer(title, setting, runs, ended, lost)


class _Look(WhatEnds):
    """What of a program says why its runs end, and how long before an end is looked back."""

    def __init__(self, lowered: Lowered, seconds: float) -> None:
        super().__init__(lowered)
        self.words, self.seconds = Words(self.program), seconds
        self.back = seconds / self.words.seconds(1.0)

    def answer(
        self,
        title: str,
        setting: Setting,
        runs: int,
        ended: dict[str, list[EndMoment]],
        lost: dict[str, list[EndMoment]],
    ) -> Ends:
        """Return what was found in some runs."""
        results = {ending.name: str(ending.result) for ending in self.program.endings} | {"": "unfinished"}
        unit = "turns" if self.program.clock.unit == "turn" else "s"
        more = (runs, self.seconds, setting.sure)
        ends = [End(n or "unfinished", results[n], tuple(ended[n]), *more) for n in results if ended.get(n)]
        on_the_way = [End(name, "", tuple(moments), *more) for name, moments in lost.items() if moments]
        return Ends(title, unit, runs, setting.seed, setting.sure, self.seconds, tuple(ends), tuple(on_the_way))


class _Seen:
    """The journals of some runs under a look."""

    def __init__(self, look: _Look, part: Journals) -> None:
        self.look, self.part = look, part
        self.account, self.cause = part.account, part.column("cause").astype(np.int64)
        self.what, self.since = part.column("what"), part.column("since")
        self.step, self.entity = part.column("step"), part.column("entity").astype(np.int64)
        self.change = part.column("after") - part.column("before")
        self.moved = (self.account >= 0) & (self.change != 0.0) & (self.cause >= 0)
        self._of: dict[frozenset[int], Integers] = {}
        program = look.program
        levels = np.flatnonzero(part.what("level"))
        self.levels = [(int(row), program.causes[int(self.cause[row])].name) for row in levels]
        self.endings = np.flatnonzero(part.what("ending"))
        counted = self._rows_of(look.counted)
        taken = counted[(self.change[counted] < 0.0) & np.isin(self.cause[counted], list(look.ways))]
        self.taken = [int(row) for row in taken]

    def end(self, index: int) -> tuple[str, EndMoment]:
        """Return how a run of this part ended, and why."""
        first, last = int(self.part.starts[index]), int(self.part.starts[index + 1])
        program = self.look.program
        number = int(self.part.states[index, program.columns.ending.base])
        name = program.endings[number].name if number < len(program.endings) else ""
        rows = self.endings[(self.endings >= first) & (self.endings < last)]
        row = int(rows[-1]) if len(rows) else last
        step = float(self.part.steps[index])
        reads = self.look.reads.get(name, frozenset())
        if reads:
            by, slots, at = self._why(reads, first, row)
        else:
            # What ends with the clock alone has no row that says so.
            by, slots, at = self._of_no_account(name, first, row) if len(rows) else EndCause(CLOCK), reads, row
        return name, self._moment(index, first, at, step, by, slots, is_over=True)

    def losses(self, index: int) -> Iterator[tuple[str, EndMoment]]:
        """Return what a run lost of what an ending counts, through rules that something sets off."""
        first, last = int(self.part.starts[index]), int(self.part.starts[index + 1])
        for row in self.taken:
            if first <= row < last:
                way = self.look.ways[int(self.cause[row])]
                reads = self._asked(way, int(self.entity[row]))
                by, slots, at = self._why(reads, first, row)
                yield way.title, self._moment(index, first, at, float(self.step[row]), by, slots)

    def _moment(
        self,
        index: int,
        first: int,
        row: int,
        step: float,
        by: EndCause,
        slots: frozenset[int],
        *,
        is_over: bool = False,
    ) -> EndMoment:
        """Return what came at a step, of which a row was the last cause."""
        level, visit = self._level(first, row)
        look = self.look
        changes: dict[tuple[str, str], float] = {}
        known = self._rows_of(slots)
        begin = int(np.searchsorted(known, first))
        for number in known[begin : int(np.searchsorted(known, row, "right"))][::-1]:
            # What came just so long ago is no longer among it, so that ten seconds have ten of what comes each second.
            if self.step[number] <= step - look.back:
                break
            cause = look.program.cause_labels[int(self.cause[number])]
            key = (look.account(int(self.account[number])), cause)
            # Of what has flowed only the part that falls into the last seconds counts.
            flowed, begin_at = self.step[number] - self.since[number], step - look.back
            share = (self.step[number] - begin_at) / flowed if self.since[number] < begin_at and flowed else 1.0
            changes[key] = changes.get(key, 0.0) + share * float(self.change[number])
        time, place = look.words.seconds(step), self._place(index, slots) if is_over else None
        return EndMoment(self.part.first + index, time, level, visit, by, place, changes)

    def _of_no_account(self, name: str, first: int, row: int) -> EndCause:
        """Return what did an ending last whose condition reads no account.

        Where it counts who is there, who took or brought the last; where there is no condition, what happened last in
        the step; else the clock.
        """
        program = self.look.program
        asked = name in self.look.reads
        if asked and name not in self.look.counts:
            return EndCause(CLOCK)
        sorts = [WHAT_CODES[what] for what in ("gone", "spawn")]
        for at in range(row - 1, first - 1, -1):
            if not asked and self.step[at] != self.step[row]:
                break
            if self.cause[at] >= 0 and (not asked or self.what[at] in sorts):
                return EndCause(program.cause_labels[int(self.cause[at])])
        return EndCause(CLOCK)

    def _why(self, reads: frozenset[int], first: int, row: int) -> tuple[EndCause, frozenset[int], int]:
        """Return what changed some accounts last before a row, the accounts of which it did, and in which row."""
        through: list[str] = []
        for _ in range(DEPTH):
            known = self._rows_of(reads)
            at = int(np.searchsorted(known, row)) - 1
            if at < 0 or known[at] < first:
                break
            row = int(known[at])
            number = int(self.cause[row])
            way = self.look.ways.get(number)
            behind = self._asked(way, int(self.entity[row])) if way is not None else frozenset[int]()
            if way is None or not behind or behind == reads:
                return EndCause(self.look.program.cause_labels[number], tuple(through)), reads, row
            through.append(way.title)
            reads = behind
        return EndCause(through.pop() if through else CLOCK, tuple(through)), reads, row

    def _asked(self, way: TriggeredRule, entity: int) -> frozenset[int]:
        """The accounts that set a rule off: of whoever it is asked of, where that is known, and of the game."""
        if entity not in way.selves:
            return way.reads
        own = frozenset(s for s in way.reads if self.look.entity(s) in (entity, 0))
        return own or way.reads

    def _rows_of(self, slots: frozenset[int]) -> Integers:
        """The rows that change some accounts."""
        if slots not in self._of:
            self._of[slots] = np.flatnonzero(self.moved & np.isin(self.account, list(slots)))
        return self._of[slots]

    def _level(self, first: int, row: int) -> tuple[str, int]:
        names = [name for at, name in self.levels if first <= at < row]
        return (names[-1], names.count(names[-1])) if names else ("", 0)

    def _place(self, index: int, slots: frozenset[int]) -> tuple[float, float] | None:
        """Return where the first player stood as the run ended; without players, whose account it was."""
        columns = [self.look.slots.get(name) for name in ("x", "y")]
        owners = self.look.players or sorted({self.look.entity(slot) for slot in slots} - {0})
        if None in columns or not owners:
            return None
        x, y = (float(self.part.states[index, int(column or 0) + owners[0]]) for column in columns)
        return x, y
