"""Tunes several dials to several targets: a search for settings that meet them all with small changes from today.

Every setting is judged under the same luck, so that the misfit is a plain function of the dials: the sum of the
weighted squares of how far each target is missed, in half widths of what is wanted, and a little for each change. It is
searched by SciPy's differential evolution over the values that the dials can take (Storn and Price, Journal of Global
Optimization 11, 1997), then near each of the best different answers with more runs by Powell's method (Powell, Computer
Journal 7, 1964). Each answer is judged again with a separate seed.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator, Mapping, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field, replace
from itertools import combinations, product
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.dial_range import number_today, setting_of
from mint_ledger.balance.targets import Judged, judge_these
from mint_ledger.balance.tune_along import Along, look_along
from mint_ledger.errors import BadRequest, GameError
from mint_ledger.game.dials import plain_value
from mint_ledger.game.parts import Span
from mint_ledger.game.target import Target
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Budget, OutOfBudget
from mint_ledger.studies.estimate import Estimate, is_share

if TYPE_CHECKING:
    import pandas as pd

Range = tuple[float, float, float]
Point = tuple[int, ...]
Told = Callable[[Mapping[str, float], float], None]

FEW, MORE = 400, 2_000
MOST_ANSWERS = 3
# What a change over the whole range of a dial counts, against a target that is missed by half its width.
PREFERENCE = 0.02
# Answers differ if one of their dials does by this share of its range.
APART = 0.15
# Half widths beyond which a target is only very far off; so one hopeless target does not hide the others.
FARTHEST = 20.0
GENERATIONS, PARENTS = 8, 8
FEW_SETTINGS = 100
IMPOSSIBLE = 1e9
FRESH = 1_000_003


@dataclass(frozen=True)
class Answer:
    """One setting of the dials, and how it does: judged with a separate seed, unless the search was interrupted."""

    dials: Mapping[str, float]
    today: Mapping[str, float]
    judged: tuple[Judged, ...]
    is_confirmed: bool

    @property
    def changed(self) -> dict[str, float]:
        """The dials that differ from today."""
        return {name: value for name, value in self.dials.items() if value != self.today[name]}

    @property
    def meets_all(self) -> bool:
        """Return whether all targets are met for certain."""
        return all(result.verdict == "met" for result in self.judged)

    @property
    def misses(self) -> tuple[Judged, ...]:
        """The targets that are missed for certain."""
        return tuple(result for result in self.judged if result.verdict == "missed")


@dataclass(frozen=True, repr=False)
class TunedMany(Result):
    """What tuning several dials found.

    Attributes:
        answers: settings that miss no target, those that meet all first, then by how little they change; none where
            there is no such setting.
        nearest: where there is no answer, the setting that comes nearest.
        alone: targets that cannot be met even by themselves.
        conflicts: sets of targets that cannot be met together, though each can alone (or all but one of them).
        stopped_by: the dials that stand at a bound in the nearest setting.
        settings: how many were tried, in `runs` runs.
        interrupted: whether it was stopped before it was done; `by_hand` if with Ctrl-C, and not for its time or runs.
    """

    title: str
    bounds: Mapping[str, Range]
    today: Mapping[str, float]
    targets: tuple[Target, ...]
    answers: tuple[Answer, ...]
    nearest: Answer | None
    alone: tuple[str, ...]
    conflicts: tuple[tuple[str, ...], ...]
    stopped_by: tuple[str, ...]
    settings: int
    runs: int
    interrupted: bool = False
    by_hand: bool = field(default=False, repr=False)

    @property
    def reached(self) -> bool:
        """Return whether there is an answer."""
        return bool(self.answers)

    @property
    def best(self) -> Mapping[str, float]:
        """The dials of the first answer; where there is none, of the nearest setting."""
        chosen = self.answers[0] if self.answers else self.nearest
        return chosen.dials if chosen is not None else self.today

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row an answer and dial: answer, dial, today, value, meets_all; without an answer the nearest, as 0."""
        import pandas as pd

        shown = [*enumerate(self.answers, 1)] or [(0, one) for one in (self.nearest,) if one is not None]
        rows = [
            [number, name, one.today[name], value, one.meets_all]
            for number, one in shown
            for name, value in one.dials.items()
        ]
        return pd.DataFrame(rows, columns=["answer", "dial", "today", "value", "meets_all"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The answers as plain values."""

        def plain(answer: Answer) -> dict[str, Any]:
            return {
                "dials": dict(answer.dials),
                "changed": answer.changed,
                "targets": [result.as_json() for result in answer.judged],
                "confirmed": answer.is_confirmed,
            }

        return {
            "title": self.title,
            "bounds": {name: list(bounds) for name, bounds in self.bounds.items()},
            "today": dict(self.today),
            "reached": self.reached,
            "answers": [plain(answer) for answer in self.answers],
            "nearest": plain(self.nearest) if self.nearest is not None else None,
            "cannot_be_met": list(self.alone),
            "contradict": [list(names) for names in self.conflicts],
            "stopped_by": list(self.stopped_by),
            "settings": self.settings,
            "runs": self.runs,
            "interrupted": self.interrupted,
        }

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self) -> str:
        """The answers as text."""
        return showing.text("tune_text.tune_many_text", self)

    def __str__(self) -> str:
        return self.summary()


def tune_dials(
    game: PlayableGame,
    bounds: Mapping[str, Range],
    targets: Sequence[Target],
    budget: Budget,
    setting: Setting,
    told: Told | None = None,
) -> TunedMany:
    """Find settings of several dials that meet several targets.

    Args:
        game: the game.
        bounds: for each dial the least and the most that it may be, and its own step.
        targets: what is wanted.
        budget: how many runs of each habit and variant judge an answer; how long, and how many runs in all.
        setting: the seed of all studies but those that confirm, and the habit of targets that name none; each of the
            game's by default.
        told: is told each setting that was tried, and how far off it is.

    Raises:
        NotFound: there is no such dial, habit or measure.
        BadRequest: the bounds make no sense, or there are no targets.
        GameError: every setting that was tried makes the game impossible.
    """
    if not targets:
        raise BadRequest("there are no targets to tune to; write some into the file, or say what is wanted")
    for name, (low, high, step) in bounds.items():
        if not low < high or not 0.0 < step <= high - low:
            raise BadRequest(f"{name} wants bounds that go up and a step between them, not {low:g}..{high:g}")
    search = _Search(game, bounds, targets, budget, setting, told)
    interrupted = by_hand = False
    alone: tuple[str, ...] = ()
    conflicts: tuple[tuple[str, ...], ...] = ()
    answers: list[Answer] = []
    try:
        along = search.along()
        if along is not None:
            near: list[Point] = [(place,) for place in along.picked(search.start()[0])[:MOST_ANSWERS]]
        else:
            near = _near(search)
        answers = search.confirmed(near)
        if not any(not answer.misses for answer in answers):
            alone, conflicts = search.contradictions(along)
    except (KeyboardInterrupt, OutOfBudget) as stop:
        interrupted, by_hand = True, isinstance(stop, KeyboardInterrupt)
    good = sorted((a for a in answers if not a.misses), key=lambda a: (not a.meets_all, search.change(a.dials)))
    nearest = None
    if not good:
        best = search.best()
        nearest = answers[0] if answers else search.unconfirmed(best)
    at = nearest.dials if nearest is not None else {}
    return TunedMany(
        title=game.title,
        bounds=dict(bounds),
        today=search.today,
        targets=tuple(targets),
        answers=tuple(good[:MOST_ANSWERS]),
        nearest=nearest,
        alone=alone,
        conflicts=conflicts,
        stopped_by=tuple(n for n, v in at.items() if v in (search.value(n, 0), search.value(n, search.last(n)))),
        settings=max(len(search.found), len(search.looked)),
        runs=search.spending.played,
        interrupted=interrupted,
        by_hand=by_hand,
    )


def _near(search: _Search) -> list[Point]:
    """The best different settings of several dials, each the best around it.

    Raises:
        GameError: every setting that was tried makes the game impossible.
    """
    search.evolve(search.all, GENERATIONS)
    if not search.found:
        raise next(iter(search.impossible.values()))
    near: list[Point] = []
    for point in search.different():
        near.append(search.refined(point, near))
        if near[0] == search.start() and not search.change(search.dials(near[0])):
            break  # today's numbers will do
    return near


class _Search:
    """The settings that were tried, under one luck, and what each target came to."""

    def __init__(
        self,
        game: PlayableGame,
        bounds: Mapping[str, Range],
        targets: Sequence[Target],
        budget: Budget,
        setting: Setting,
        told: Told | None,
    ) -> None:
        self.game, self.bounds, self.targets, self.setting = game, bounds, tuple(targets), setting
        self.runs, self.spending, self.told = budget.runs, budget.begin(), told
        self.names = list(bounds)
        self.today = {name: plain_value(number_today(game, name)) for name in bounds}
        self.all = range(len(self.targets))
        self.found: dict[Point, list[Judged]] = {}
        self.sure: dict[Point, list[Judged]] = {}
        self.impossible: dict[Point, GameError] = {}
        self.looked: set[float] = set()

    def last(self, name: str) -> int:
        """The number of a dial's last value; its values are numbered from 0."""
        low, high, step = self.bounds[name]
        return int((high - low) / step + 1e-9)

    def value(self, name: str, index: int) -> float:
        """A value of a dial by its number."""
        low, _, step = self.bounds[name]
        return plain_value(round(low + step * index, 12))

    def dials(self, point: Point) -> dict[str, float]:
        """The dials of a setting."""
        return {name: self.value(name, index) for name, index in zip(self.names, point, strict=True)}

    def start(self) -> Point:
        """The setting nearest to today's."""
        point = []
        for name in self.names:
            low, _, step = self.bounds[name]
            point.append(min(max(round((self.today[name] - low) / step), 0), self.last(name)))
        return tuple(point)

    def change(self, dials: Mapping[str, float]) -> float:
        """Return how much a setting changes, each dial by its share of its range."""
        return sum(abs(v - self.today[n]) / (self.bounds[n][1] - self.bounds[n][0]) for n, v in dials.items())

    def judge(self, point: Point, runs: int) -> list[Judged]:
        """Return what a setting gives, with so many runs at least."""
        known = self.sure if runs > FEW else self.found
        if point not in known:
            self.spending.check()
            known[point] = judged = self._judged(point, runs, self.setting.seed)
            self.found.setdefault(point, judged)
            if self.told is not None:
                self.told(self.dials(point), math.sqrt(self.misfit(judged, self.all)))
        return known[point]

    def _judged(self, point: Point, runs: int, seed: int) -> list[Judged]:
        setting = replace(
            self.setting.with_dials({name: setting_of(name, value) for name, value in self.dials(point).items()}),
            seed=seed,
        )
        judged, played = judge_these(self.game, self.targets, runs, setting, keeps_variants=True)
        self.spending.add(played)
        return judged

    def misfit(self, judged: Iterable[Judged], which: Iterable[int]) -> float:
        """Return how far some targets are missed: 0 where all are met with room for the noise of a last look."""
        wanted = {id(self.targets[index]) for index in which}
        total = 0.0
        for result in judged:
            if id(result.target) in wanted:
                total += result.target.weight * _off(result, self.runs) ** 2
        return total

    def loss(self, point: Point, which: Iterable[int], runs: int) -> float:
        """The misfit, and a little for what is changed; a setting that makes no game is worse than any other."""
        if point in self.impossible:
            return IMPOSSIBLE
        try:
            judged = self.judge(point, runs)
        except GameError as error:
            self.impossible[point] = error
            return IMPOSSIBLE
        return self.misfit(judged, which) + PREFERENCE * self.change(self.dials(point))

    def evolve(self, which: Iterable[int], generations: int) -> None:
        """Look for settings that meet some targets, over the whole range of all dials: at all of them if few."""
        from scipy.optimize import Bounds, differential_evolution

        chosen = tuple(which)
        ends = [self.last(name) for name in self.names]
        if math.prod(end + 1 for end in ends) <= FEW_SETTINGS:
            for point in product(*(range(end + 1) for end in ends)):
                self.loss(point, chosen, FEW)
            return

        def loss(x: Any) -> float:
            return self.loss(tuple(round(float(i)) for i in x), chosen, FEW)

        with _no_warnings():
            differential_evolution(
                loss,
                Bounds([0.0] * len(ends), [float(end) for end in ends]),
                integrality=[True] * len(self.names),
                x0=[float(i) for i in self.start()],
                init="sobol",
                maxiter=generations,
                popsize=PARENTS if len(ends) > 1 else 4 * PARENTS,
                polish=False,
                rng=self.setting.seed % 2**32,
            )

    def along(self) -> Along | None:
        """Return what each target comes to along a dial that is the only one; none with several, or where some of its
        settings make no game.
        """
        if len(self.names) > 1:
            return None
        name = self.names[0]

        def told(value: float, estimate: Estimate) -> None:
            self.looked.add(value)

        try:
            return look_along(
                self.game, name, self.bounds[name], self.targets, self.runs, self.setting, self.spending, told
            )
        except GameError:
            return None

    def best(self, which: Iterable[int] | None = None) -> Point:
        """The setting of those tried that comes nearest."""
        chosen = tuple(which if which is not None else self.all)
        if not self.found:
            return self.start()
        return min(
            self.found,
            key=lambda p: self.misfit(self.found[p], chosen) + PREFERENCE * self.change(self.dials(p)),
        )

    def different(self) -> list[Point]:
        """The best settings that differ from one another, those nearly as good as the best."""
        losses = {p: self.misfit(j, self.all) + PREFERENCE * self.change(self.dials(p)) for p, j in self.found.items()}
        ranked = sorted(losses, key=losses.__getitem__)
        picked: list[Point] = []
        for point in ranked:
            if picked and losses[point] > losses[picked[0]] + 1.0:
                break
            if self._is_apart(point, picked):
                picked.append(point)
            if len(picked) == MOST_ANSWERS:
                break
        return picked

    def _is_apart(self, one: Point, others: Sequence[Point]) -> bool:
        return all(
            any(abs(a - b) >= APART * self.last(name) for name, a, b in zip(self.names, one, other, strict=True))
            for other in others
        )

    def refined(self, point: Point, others: Sequence[Point]) -> Point:
        """The best setting near one, with more runs; dials that need not change are left as they are, unless that
        made it one of the others.
        """
        from scipy.optimize import minimize

        runs = min(MORE, self.runs)
        tried: dict[Point, float] = {}

        def loss(x: Any) -> float:
            at = tuple(round(float(i)) for i in x)
            tried[at] = self.loss(at, self.all, runs)
            return tried[at]

        reach = [max(1, round(APART * self.last(name))) for name in self.names]
        limits = [(max(0, i - r), min(self.last(n), i + r)) for n, i, r in zip(self.names, point, reach, strict=True)]
        loss(point)
        if self.misfit(self.judge(point, runs), self.all) > 0.0:
            minimize(
                loss,
                [float(i) for i in point],
                method="Powell",
                bounds=limits,
                options={"xtol": 0.5, "ftol": 1e-4, "maxfev": 12 * len(self.names), "maxiter": 2},
            )
        best = min((at for at in tried if self._is_apart(at, others)), key=tried.__getitem__, default=point)
        for index, today in enumerate(self.start()):
            kept = (*best[:index], today, *best[index + 1 :])
            if self.value(self.names[index], today) == self.today[self.names[index]] and kept != best:
                if self._is_apart(kept, others) and loss(kept) <= tried[best]:
                    best = kept
        return best

    def confirmed(self, points: Sequence[Point]) -> list[Answer]:
        """Judge settings with a separate seed."""
        answers = []
        for point in dict.fromkeys(points):
            judged = self._judged(point, self.runs, self.setting.seed + FRESH)
            answers.append(Answer(self.dials(point), self.today, tuple(judged), is_confirmed=True))
        return answers

    def unconfirmed(self, point: Point) -> Answer | None:
        """A setting as the search saw it, with few runs and not with a separate seed."""
        if point not in self.found:
            return None
        return Answer(self.dials(point), self.today, tuple(self.sure.get(point, self.found[point])), False)

    def contradictions(self, along: Along | None = None) -> tuple[tuple[str, ...], tuple[tuple[str, ...], ...]]:
        """Targets that cannot be met alone, and the smallest sets of the others that cannot be met together."""
        names = [target.name for target in self.targets]
        if along is not None:
            hopeless, sets = along.contradictions()
            # Where it comes nearest is asked of few settings all over the range.
            for place in {round(k * self.last(self.names[0]) / 16) for k in range(17)}:
                self.loss((place,), self.all, FEW)
            return tuple(names[i] for i in hopeless), tuple(tuple(names[i] for i in chosen) for chosen in sets)
        alone = tuple(index for index in self.all if not self._is_met((index,)))
        rest = [index for index in self.all if index not in alone]
        conflicts: list[tuple[int, ...]] = []
        for size in range(2, len(rest) + 1):
            for chosen in combinations(rest, size):
                if not any(set(known) <= set(chosen) for known in conflicts) and not self._is_met(chosen):
                    conflicts.append(chosen)
        told = tuple(tuple(names[index] for index in chosen) for chosen in conflicts)
        return tuple(names[index] for index in alone), told

    def _is_met(self, which: tuple[int, ...]) -> bool:
        wanted = {id(self.targets[index]) for index in which}

        def seen() -> bool:
            return any(
                all(_lies_in(result) for result in judged if id(result.target) in wanted)
                for judged in (*self.found.values(), *self.sure.values())
            )

        if not seen():
            self.evolve(which, GENERATIONS // 2)
        return seen()


def _off(result: Judged, runs: int) -> float:
    """How far a target is missed, in half widths of what is wanted; within it by the noise of `runs` runs is met."""
    want, value = result.target.want, result.estimate.value
    if not math.isfinite(value):
        return FARTHEST
    width = want.high - want.low
    unit = width / 2 if 0.0 < width < math.inf else 0.02 if is_share(result.target.measure) else _tenth(want)
    noise = _half_width(result.estimate) * math.sqrt(result.estimate.runs / max(runs, 1))
    room = min(noise, 0.4 * width)
    return min(max(want.low + room - value, value - want.high + room, 0.0) / unit, FARTHEST)


def _lies_in(result: Judged) -> bool:
    return result.target.want.low <= result.estimate.value <= result.target.want.high


def _tenth(want: Span) -> float:
    edge = want.low if math.isfinite(want.low) else want.high
    return max(0.1 * abs(edge), 1e-9)


def _half_width(estimate: Estimate) -> float:
    return estimate.half_width if math.isfinite(estimate.half_width) else 0.0


@contextmanager
def _no_warnings() -> Iterator[None]:
    import warnings

    with warnings.catch_warnings():
        # Sobol points want a power of two to be balanced; the first parents need not be.
        warnings.simplefilter("ignore", UserWarning)
        yield
