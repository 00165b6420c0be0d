"""Why two games differ: the difference of an estimate shared out over what was changed between them.

Each change is given Shapley's share: what it adds to the estimate, on average over all orders in which the changes
could have been made. All games between the two are played with the same luck, so that in each run the shares add up to
the difference.

Sources: Shapley, "A value for n-person games", Contributions to the Theory of Games II (1953); Grabisch and Roubens,
"An axiomatic approach to the concept of interaction among players in cooperative games", Int. J. Game Theory 28 (1999),
for pairs; Castro, Gómez, Tejada, "Polynomial calculation of the Shapley value based on sampling", Computers &
Operations Research 36 (2009), for orders that are drawn.
"""

from __future__ import annotations

import json
import math
import random
import re
from collections.abc import Collection, Iterable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import combinations
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.errors import BadRequest, GameError
from mint_ledger.game.dials import turn_data
from mint_ledger.game.differing import FileChange, file_changes
from mint_ledger.game.source import Source
from mint_ledger.game.target import ESTIMATE
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.block import BLOCK
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, is_share, mean, mean_of, measured, plain, rate
from mint_ledger.studies.intervals import OPEN, Average, Ends
from mint_ledger.studies.limits import draws_something
from mint_ledger.studies.studying import Asked, study_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

COLUMNS = {
    "change": "what was changed, in words",
    "share": "what it adds to the estimate, on average over all orders of the changes; of a rate, a part of 1",
    "low": "the lower end of its interval (95 % by default)",
    "high": "the upper end of it",
    "alone": "what it does as the only change; empty where orders were drawn",
    "last": "what it does when all else is changed already; empty where orders were drawn",
}
# So many changes are shared out exactly; more of them by orders that are drawn.
EXACT = 6
MOST_CHANGES = 200
MOST_ORDERS = 64
# Pairs that shift the estimate by less than this share of the greatest single share are not remarked.
STRONG = 0.2
Made = frozenset[int]
Floats = np.ndarray[Any, np.dtype[np.float64]]


@dataclass(frozen=True, slots=True)
class SharedChange:
    """A change (or several that make no game without each other), and its share of the difference.

    Attributes:
        changes: what was changed.
        share: its part of the difference, with its interval.
        alone: what it does when nothing else of it is changed; none where orders were drawn.
        last: what it does when all else is changed already; none where orders were drawn.
    """

    changes: tuple[FileChange, ...]
    share: Estimate
    alone: Estimate | None
    last: Estimate | None

    @property
    def name(self) -> str:
        """In words."""
        return _called(self.changes)

    @property
    def is_nothing(self) -> bool:
        """Return whether it moves no run at all."""
        return isinstance(self.share.basis, Average) and self.share.basis.alike and self.share.value == 0.0

    @property
    def is_certain(self) -> bool:
        """Return whether its share is more than noise."""
        return self.share.low > 0.0 or self.share.high < 0.0


@dataclass(frozen=True, slots=True)
class Pair:
    """Two changes that together do more, or less, than each for itself: by so much, on average over the others."""

    one: str
    other: str
    more: Estimate


@dataclass(frozen=True, repr=False)
class Shares(Result):
    """The difference of an estimate between two games, shared out over what was changed.

    Attributes:
        parts: each change, from the largest share down.
        pairs: the strong pairs; none are looked for where orders were drawn.
        orders: how many orders were drawn; 0 where all were gone through.
    """

    titles: tuple[str, str]
    measure: str
    runs: int
    seed: int
    sure: float
    one: Estimate
    other: Estimate
    difference: Estimate
    parts: tuple[SharedChange, ...]
    pairs: tuple[Pair, ...]
    orders: int

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a change; its columns are those of `COLUMNS`."""
        import pandas as pd

        rows = [
            [
                part.name,
                part.share.value,
                part.share.low,
                part.share.high,
                part.alone.value if part.alone is not None else math.nan,
                part.last.value if part.last is not None else math.nan,
            ]
            for part in self.parts
        ]
        return pd.DataFrame(rows, columns=list(COLUMNS))

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("shares_text.shares_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """The shares as steps from one game to the other; in a figure of its own, or into axes that are given."""
        return showing.figure("shares_plot.plot_shares", self, ax=ax)

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "titles": list(self.titles),
            "measure": self.measure,
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "one": plain(self.one),
            "other": plain(self.other),
            "difference": plain(self.difference),
            "orders": self.orders,
            "changes": [
                {
                    "name": part.name,
                    "share": plain(part.share),
                    "alone": plain(part.alone),
                    "last": plain(part.last),
                    "certain": part.is_certain,
                }
                for part in self.parts
            ],
            "pairs": [{"one": p.one, "other": p.other, "more": plain(p.more)} for p in self.pairs],
        }


def share_out(
    one: PlayableGame,
    other: PlayableGame,
    measure: str = "rate(win)",
    *,
    runs: int = 2_000,
    setting: Setting = Setting(),
    label: str = "",
    progress: Progress | None = None,
) -> Shares:
    """Share the difference of an estimate between two games out over what was changed.

    Up to 6 changes are shared out exactly: all games between the two are played. Of more, orders are drawn, each with
    its reverse, and each is played with runs of its own; then the intervals hold the drawing of orders too.

    Args:
        one: the first game.
        other: the second.
        measure: a rate or a mean, like `rate(win)`, `mean(time)`.
        runs: how many runs of each game.
        setting: seed, habit and variant of both.
        label: what the second is called, where its title is that of the first.
        progress: called with (games played, games in all).

    Raises:
        BadRequest: nothing differs, too much does, or the measure is no rate and no mean.
        NotFound: there is no such habit, variant or measure.
    """
    match = ESTIMATE.fullmatch(measure)
    if match is None or match[1] not in ("rate", "mean"):
        raise BadRequest(f"'{measure}' cannot be shared out; rates and means can, like rate(win) or mean(time)")
    first, second = setting.of(one), setting.of(other)
    between = _Between(first, second, measure)
    shared = _Sharing(between, measure, runs, setting, progress)
    titles = [setting.title(game) for game in (first, second)]
    return shared.answer((titles[0], titles[1] + (f" · {label}" if label else "")))


class _Between:
    """The games between two, by which changes are made; changes that make no game alone go together."""

    def __init__(self, first: PlayableGame, second: PlayableGame, measure: str) -> None:
        differing = file_changes(first.source.data, second.source.data)
        self.first = first
        self.differing = differing
        named = _named_in(measure, first.measures)
        self.measures = {"measures": named} if named else {}
        if not differing.changes:
            raise BadRequest("the two games differ in nothing that is played, so there is nothing to share out")
        changes = self.changes = tuple(self._worth(change, second) for change in differing.changes)
        self._dials = {number: dial for number, c in enumerate(changes) if (dial := self._dial(c)) is not None}
        self._games: dict[Made, PlayableGame] = {frozenset(): first}
        self.parts: list[Made] = [frozenset([number]) for number in range(len(changes))]
        self._joined()
        if len(self.parts) > MOST_CHANGES:
            raise BadRequest(f"{len(self.parts)} changes are too many to share out; the most is {MOST_CHANGES}")

    def game(self, parts: Collection[int]) -> PlayableGame:
        """The game with some of the parts.

        Raises:
            GameError: they make none.
        """
        return self._made(frozenset().union(*(self.parts[part] for part in parts)))

    def _made(self, made: Made) -> PlayableGame:
        if made not in self._games:
            dials = {self._dials[n]: self.changes[n].after for n in made if n in self._dials}
            base = frozenset(n for n in made if n not in self._dials)
            wanted = {**self.differing.data(made), **self.measures}
            known = self._games.get(base) if dials else None
            if known is None and dials:
                known = self._made(base)
            turned = known.with_dials(dials) if known is not None and self._turns(known, dials, wanted) else None
            # A text in JSON is written a hundred times as fast as one in YAML.
            self._games[made] = turned or self.first.remade(Source(self.first.file, wanted, json.dumps(wanted)))
        return self._games[made]

    def _turns(self, game: PlayableGame, dials: dict[str, Any], wanted: Any) -> bool:
        """Return whether turning dials makes just the wanted content; else it has to be read again."""
        names = game.dials.names
        if any(name not in names for name in dials):
            return False
        places = {game.dials.place(name): value for name, value in dials.items()}
        turned = turn_data(game.source.data, game.lowered.program.cast, places)
        return bool(_plain({key: turned.get(key) for key in wanted}) == _plain(wanted))

    def _dial(self, change: FileChange) -> str | None:
        dials = self.first.dials
        for path in (change.path, (*change.path, "start")):
            if change.sort == "number" and path in dials.written:
                return dials.names[dials.written.index(path)]
        return None

    def _worth(self, change: FileChange, second: PlayableGame) -> FileChange:
        """A number that one of the files takes over from another kind, with what it is in both."""
        sides = [dict(zip(game.dials.names, game.dials.numbers, strict=True)) for game in (self.first, second)]
        if change.sort in ("added", "dropped") and all(change.name in side for side in sides):
            return replace(change, sort="number", before=sides[0][change.name], after=sides[1][change.name])
        return change

    def _joined(self) -> None:
        """Join what makes no game alone, or without which the others make none, with what it needs."""
        while True:
            all_parts = frozenset(range(len(self.parts)))
            for part in all_parts:
                for made in (frozenset([part]), all_parts - {part}):
                    if not self.works(made):
                        self.join(made)
                        break
                else:
                    continue
                break
            else:
                return

    @cached_property
    def is_certain(self) -> bool:
        """Whether no game between the two draws anything, so that one run is like all; asked once all are made."""
        return not any(draws_something(game.lowered.program) for game in self._games.values())

    def works(self, parts: Collection[int]) -> bool:
        """Return whether some parts make a game."""
        try:
            self.game(parts)
        except GameError:
            return False
        return True

    def join(self, parts: Collection[int]) -> None:
        """Make one part of those that make no game, and of what they need too (or of what contradicts it)."""
        inside = set(parts)
        outside = [part for part in range(len(self.parts)) if part not in inside]
        needed = list(outside)
        for part in outside:
            fewer = [other for other in needed if other != part]
            if self.works([*inside, *fewer]):
                needed = fewer
        # Of those inside only the ones without which it would be a game.
        cause = set(inside)
        for part in sorted(inside):
            fewer_inside = cause - {part}
            if fewer_inside and not self.works(fewer_inside):
                cause = fewer_inside
        together = sorted({*cause, *needed})
        joined = frozenset().union(*(self.parts[part] for part in together))
        rest = [known for place, known in enumerate(self.parts) if place not in together]
        place = min(together)
        self.parts = [*rest[:place], joined, *rest[place:]]


class _Sharing:
    """Plays the games that it takes, and shares the difference out."""

    def __init__(self, between: _Between, measure: str, runs: int, setting: Setting, progress: Progress | None) -> None:
        match = ESTIMATE.fullmatch(measure)
        assert match is not None
        self.between, self.measure, self.runs, self.setting = between, measure, runs, setting
        self.what = match[2].strip("\"'")
        self.asked = measured(between.first, measure)
        self.progress = progress
        self.played = 0
        self.total = 0

    def _mean(self, values: Floats, clusters: Floats | None = None, sure: float | None = None) -> Estimate:
        """The mean of differences, which of shares of runs are no greater than 1."""
        bounds = (-1.0, 1.0) if is_share(self.measure) else OPEN
        # Without chance all runs are alike; orders that are drawn still differ.
        if self.between.is_certain and clusters is None:
            bounds = (float(values[0]), float(values[0]))
        return _mean(values, clusters, self.setting.sure if sure is None else sure, bounds)

    def _end(self, values: Floats) -> Estimate:
        """Return what one of the two games comes to."""
        if is_share(self.measure):
            return rate(int(values.sum()), len(values), self.setting.sure)
        return mean_of(values.tolist(), self.setting.sure)

    @property
    def count(self) -> int:
        """Return how many parts there are."""
        return len(self.between.parts)

    def answer(self, titles: tuple[str, str]) -> Shares:
        drawn = self.count > EXACT
        orders = self._orders() if drawn else []
        while drawn and (missing := self._without_game(orders)) is not None:
            self.between.join(missing)
            orders = self._orders() if self.count > EXACT else []
            drawn = self.count > EXACT
        while not drawn and (missing := self._without_game(None)) is not None:
            self.between.join(missing)
        shares, ends, clusters = self._drawn(orders) if drawn else self._exact()
        sure = self.setting.sure
        alone = self._single(frozenset()) if not drawn else [None] * self.count
        last = self._single(frozenset(range(self.count))) if not drawn else [None] * self.count
        parts = [
            SharedChange(
                tuple(self.between.changes[n] for n in sorted(part)),
                self._mean(shares[:, place], clusters),
                alone[place],
                last[place],
            )
            for place, part in enumerate(self.between.parts)
        ]
        parts.sort(key=lambda part: -abs(part.share.value))
        return Shares(
            titles,
            self.measure,
            len(shares),
            self.setting.seed,
            sure,
            self._end(ends[0]),
            self._end(ends[1]),
            self._mean(ends[1] - ends[0]),
            tuple(parts),
            () if drawn else tuple(self._pairs(parts)),
            len(orders),
        )

    def _without_game(self, orders: Sequence[Sequence[int]] | None) -> Made | None:
        """The first and smallest of the wanted sets of parts that make no game."""
        wanted: Iterator[Made]
        if orders is None:
            everything = range(self.count)
            wanted = (frozenset(some) for size in everything for some in combinations(everything, size))
        else:
            sets = {frozenset(order[:size]) for order in orders for size in range(len(order))}
            wanted = iter(sorted(sets, key=lambda made: (len(made), sorted(made))))
        return next((made for made in wanted if not self.between.works(made)), None)

    def _values(self, parts: Collection[int], runs: int, first: int = 0) -> Floats:
        """The measure in each run of the game with some of the parts."""
        if self.progress is not None:
            self.progress(self.played, self.total)
        game = self.between.game(parts)
        setting = Setting(self.setting.seed, self.setting.habit, sure=self.setting.sure)
        study = study_game(game, runs, setting, Asked(self.asked, ()), first=first)
        self.played += 1
        if is_share(self.measure):
            return np.asarray(study.has(self.what), dtype=float)
        values = study.values(self.what)
        if len(values) < study.runs:
            raise BadRequest(
                f"not every run has a {self.what}, so its mean cannot be shared out run by run; a rate, or a measure "
                "that every run has, can"
            )
        return np.asarray(values, dtype=float)

    # All sets of parts

    def _exact(self) -> tuple[Floats, tuple[Floats, Floats], None]:
        everything = range(self.count)
        sets = [frozenset(some) for size in range(self.count + 1) for some in combinations(everything, size)]
        self.total = len(sets)
        self.worth = {made: self._values(made, self.runs) for made in sets}
        shares = np.zeros((self.runs, self.count))
        for made, values in self.worth.items():
            size = len(made)
            weight = math.factorial(size) * math.factorial(self.count - size - 1) if size < self.count else 0
            for part in everything:
                if part not in made:
                    shares[:, part] += weight / math.factorial(self.count) * (self.worth[made | {part}] - values)
        return shares, (self.worth[frozenset()], self.worth[frozenset(everything)]), None

    def _single(self, made: Made) -> list[Estimate | None]:
        """Return what each part does as the only one, or as the last."""
        values, sign = self.worth[made], -1.0 if made else 1.0
        return [self._mean(sign * (self.worth[made ^ {part}] - values)) for part in range(self.count)]

    def _pairs(self, parts: Sequence[SharedChange]) -> Iterator[Pair]:
        """The pairs that do more or less together, certainly so for all pairs at once (Bonferroni)."""
        chosen = list(combinations(range(self.count), 2))
        sure = 1.0 - (1.0 - self.setting.sure) / max(len(chosen), 1)
        most = max(abs(part.share.value) for part in parts)
        called = [_called(self.between.changes[n] for n in sorted(part)) for part in self.between.parts]
        found = []
        for one, other in chosen:
            rest = [part for part in range(self.count) if part not in (one, other)]
            more = np.zeros(self.runs)
            for size in range(len(rest) + 1):
                weight = math.factorial(size) * math.factorial(len(rest) - size) / math.factorial(len(rest) + 1)
                for some in combinations(rest, size):
                    made = frozenset(some)
                    both, neither = self.worth[made | {one, other}], self.worth[made]
                    more += weight * (both - self.worth[made | {one}] - self.worth[made | {other}] + neither)
            estimate = self._mean(more, None, sure)
            if (estimate.low > 0.0 or estimate.high < 0.0) and abs(estimate.value) >= STRONG * most:
                found.append(Pair(called[one], called[other], estimate))
        yield from sorted(found, key=lambda pair: -abs(pair.more.value))

    # Orders that are drawn

    def _orders(self) -> list[tuple[int, ...]]:
        """An even number of orders, each followed by its reverse; the seed says which.

        They are drawn in strata: of as many as there are changes each change stands once in each place (the rotations
        of an order that is drawn), so that a change which counts only as the eighth is the eighth as often as it should
        be.
        """
        most = max(1, min(MOST_ORDERS, self.runs // BLOCK) // 2)
        draw = random.Random(f"{self.setting.seed} {self.count}")
        orders: list[tuple[int, ...]] = []
        turns: list[int] = []
        order = list(range(self.count))
        for _ in range(most):
            if not turns:
                draw.shuffle(order)
                turns = draw.sample(range(self.count), self.count)
            begin = turns.pop()
            turned = (*order[begin:], *order[:begin])
            orders += [turned, turned[::-1]]
        return orders

    def _drawn(self, orders: Sequence[tuple[int, ...]]) -> tuple[Floats, tuple[Floats, Floats], Floats]:
        """Each order is played with runs of its own; orders and their reverse are what is independent."""
        each = max(BLOCK, self.runs // len(orders) // BLOCK * BLOCK)
        self.total = len(orders) * (self.count + 1)
        shares = np.zeros((each * len(orders), self.count))
        ends = (np.zeros(len(shares)), np.zeros(len(shares)))
        for place, order in enumerate(orders):
            here = slice(place * each, (place + 1) * each)
            before = ends[0][here] = self._values((), each, here.start)
            for size, part in enumerate(order):
                after = self._values(order[: size + 1], each, here.start)
                shares[here, part] = after - before
                before = after
            ends[1][here] = before
        return shares, ends, np.repeat(np.arange(len(orders) // 2), 2 * each)


def _named_in(text: str, measures: Mapping[str, str]) -> dict[str, str]:
    """The measures of a file that a text names, and those that they name themselves."""
    named: dict[str, str] = {}
    for name in reversed(list(measures)):
        if re.search(rf"\b{re.escape(name)}\b", " ".join([text, *named.values()])):
            named[name] = measures[name]
    return dict(reversed(named.items()))


def _called(changes: Iterable[FileChange]) -> str:
    return " with ".join(change.words for change in changes)


def _mean(values: Floats, clusters: Floats | None, sure: float, bounds: Ends) -> Estimate:
    """The mean with its interval; of runs, or of clusters of runs that stand or fall together."""
    if clusters is None or not values.any():
        return mean_of(values.tolist(), sure, bounds)
    count = int(clusters.max()) + 1
    means = np.bincount(clusters, values, count) / np.bincount(clusters, minlength=count)
    off = means - means.mean()
    # Each is a mean of runs itself: there are too few of them to say that they are skewed.
    about = mean(float(means.sum()), float(off @ off), 0.0, count, sure)
    return replace(about, low=max(about.low, bounds[0]), high=min(about.high, bounds[1]), runs=len(values))


def _plain(data: Any) -> Any:
    """A content in which a stat that is one number is written out."""
    if isinstance(data, dict):
        return {
            key: {name: stat if isinstance(stat, dict) else {"start": stat} for name, stat in value.items()}
            if key == "stats" and isinstance(value, dict)
            else _plain(value)
            for key, value in data.items()
        }
    return [_plain(item) for item in data] if isinstance(data, list) else data
