"""Compares two studies under the same luck: paired differences, runs that turned, where their journals part."""

from __future__ import annotations

from collections import Counter
from collections.abc import Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.errors import BadRequest, Partial
from mint_ledger.game.target import ESTIMATE
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.run import play_run
from mint_ledger.playing.setting import Setting
from mint_ledger.program.program import Program
from mint_ledger.program.row import Row
from mint_ledger.showing import Result
from mint_ledger.studies.estimate import (
    CONFIDENCE,
    Estimate,
    measured,
    plain,
    quantile_gap,
    quantile_of,
    turned_rate,
)
from mint_ledger.studies.intervals import Average, QuantileGap, Turned
from mint_ledger.studies.pairs import mean_gap, paired_values
from mint_ledger.studies.seats import RESULTS
from mint_ledger.studies.shape import Shapes, shapes_of
from mint_ledger.studies.studying import Asked, Means, study_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.playing.run import Run
    from mint_ledger.studies.study import Study


@dataclass(frozen=True, slots=True)
class Difference:
    """One estimate in both studies, and the mean of the differences run by run, with its interval."""

    name: str
    one: Estimate
    other: Estimate
    difference: Estimate
    is_share: bool
    # How many runs of each have it, and how many have it in both: the difference is of those.
    counts: tuple[int, int, int]

    @property
    def is_nothing(self) -> bool:
        """Return whether no pair of runs differs."""
        basis = self.difference.basis
        if isinstance(basis, Turned):
            return basis.gained == basis.lost == 0
        if isinstance(basis, QuantileGap):
            return basis.one == basis.other
        return isinstance(basis, Average) and basis.alike and basis.mean == 0.0

    @property
    def is_certain(self) -> bool:
        """Return whether the difference is more than noise: its interval does not hold 0."""
        return self.difference.low > 0.0 or self.difference.high < 0.0


@dataclass(frozen=True, slots=True)
class Parting:
    """The moment from which one run goes another way in the second game.

    Attributes:
        run: its number.
        results: how it ended in both.
        amounts_from: when the first amount differed, in seconds or turns; at `time` at the latest.
        time: when the first thing happened in only one of them, in seconds or turns.
        one: what happened from then on in the first game, a line each.
        other: the same of the second.
    """

    run: int
    results: tuple[str, str]
    amounts_from: float
    time: float
    one: tuple[str, ...]
    other: tuple[str, ...]


@dataclass(frozen=True, repr=False)
class Comparison(Result):
    """Two studies of the same runs side by side."""

    titles: tuple[str, str]
    seed: int
    runs: int
    sure: float
    differences: tuple[Difference, ...]
    turned: tuple[tuple[str, str, int], ...]
    changed_dials: tuple[tuple[str, float | None, float | None], ...]
    parting: Parting | None

    @finite
    def as_json(self) -> dict[str, Any]:
        """The comparison as plain values."""
        return {
            "titles": list(self.titles),
            "seed": self.seed,
            "runs": self.runs,
            "sure": self.sure,
            "differences": [
                {
                    "name": d.name,
                    "one": plain(d.one),
                    "other": plain(d.other),
                    "difference": plain(d.difference),
                    "certain": d.is_certain,
                }
                for d in self.differences
            ],
            "turned": [{"from": a, "to": b, "runs": n} for a, b, n in self.turned],
            "dials": [{"name": name, "one": a, "other": b} for name, a, b in self.changed_dials],
            "parting": None
            if self.parting is None
            else {
                "run": self.parting.run,
                "results": list(self.parting.results),
                "amounts_from": self.parting.amounts_from,
                "time": self.parting.time,
                "one": list(self.parting.one),
                "other": list(self.parting.other),
            },
        }

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row an estimate: its value in both, their difference and its interval."""
        import pandas as pd

        rows = [
            {"name": d.name, "one": d.one.value, "other": d.other.value, "difference": d.difference.value}
            | {"low": d.difference.low, "high": d.difference.high, "certain": d.is_certain}
            for d in self.differences
        ]
        return pd.DataFrame(rows)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Each estimate of both with its interval; see `views.comparison_plot`."""
        return showing.figure("comparison_plot.plot_comparison", self, ax=ax)

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self) -> str:
        """The comparison as text."""
        return showing.text("comparison_text.comparison_text", self)

    def __str__(self) -> str:
        return self.summary()


def compare_studies(
    one: Study, other: Study, parting: Parting | None = None, quantiles: Sequence[str] = ()
) -> Comparison:
    """Compare two studies of the same seed and runs; `quantiles` are estimates like `median(time)` to compare as well.

    Raises:
        BadRequest: their seeds or numbers of runs differ, so that their runs are no pairs.
    """
    other = other.at(one.sure)
    if (one.seed, one.runs) != (other.seed, other.runs):
        raise BadRequest("studies are compared run by run, so both want the same seed and the same number of runs")
    results = [_of_result(one, other, result) for result in RESULTS]
    differences = [d for d in results if d.name in ("wins", "losses") or d.one.value or d.other.value]
    for name in one.names:
        if name in other.names:
            difference = _of_measure(one, other, name)
            if difference is not None:
                differences.append(difference)
    differences += [found for text in quantiles if (found := _of_quantile(one, other, text)) is not None]
    pairs = Counter(zip(one.outcomes.results.tolist(), other.outcomes.results.tolist(), strict=True))
    turned = tuple((RESULTS[a], RESULTS[b], n) for (a, b), n in pairs.most_common() if a != b)
    dials = tuple(_changed_dials(one, other))
    titles = (one.title, other.title)
    return Comparison(titles, one.seed, one.runs, one.sure, tuple(differences), turned, dials, parting)


def _of_result(one: Study, other: Study, result: str) -> Difference:
    sides = [study.has(result) for study in (one, other)]
    gained, lost = int((sides[1] & ~sides[0]).sum()), int((sides[0] & ~sides[1]).sum())
    name = {"win": "wins", "lose": "losses", "draw": "draws"}.get(result, result)
    return Difference(
        name, one.rate(result), other.rate(result), turned_rate(gained, lost, one.runs, one.sure), True, (one.runs,) * 3
    )


def _of_measure(one: Study, other: Study, name: str) -> Difference | None:
    """A measure in the runs in which both studies have it."""
    gap = mean_gap(one, other, name, one.sure)
    if gap is None:
        return None
    counts = len(one.numbers(name)[1]), len(other.numbers(name)[1]), gap.runs
    return Difference(name, one.mean(name), other.mean(name), gap, False, counts)


def _of_quantile(one: Study, other: Study, text: str) -> Difference | None:
    """A quantile of a measure, from the runs in which both studies have it."""
    measure, q = quantile_of(text)
    first, second = paired_values(one, other, measure)
    if not len(first):
        return None
    gap = quantile_gap(first.tolist(), second.tolist(), q, one.sure)
    counts = len(one.numbers(measure)[1]), len(other.numbers(measure)[1]), len(first)
    return Difference(text, one.quantile(measure, q), other.quantile(measure, q), gap, False, counts)


def _changed_dials(one: Study, other: Study) -> list[tuple[str, float | None, float | None]]:
    """The dials in which two games differ, with both values; none where a game has no such dial."""
    first, second = one.lowered.program.dials, other.lowered.program.dials
    sides = [dict(zip(dials.names, dials.numbers, strict=True)) for dials in (first, second)]
    names = dict.fromkeys([*first.names, *second.names])
    return [(n, sides[0].get(n), sides[1].get(n)) for n in names if sides[0].get(n) != sides[1].get(n)]


def first_turned(one: Study, other: Study) -> int | None:
    """The number of the first run that was won in one study and not in the other; none if there is none."""
    turned = one.has("win") != other.has("win")
    return int(turned.argmax()) if turned.any() else None


def part(one: Run, other: Run) -> Parting:
    """Find where two runs part: the first thing that happens in only one of them, whatever the amounts before it.

    A changed dial makes amounts differ at once, which only repeats the change; the reason for another end is the
    first hit, defeat or act that the other run has not.
    """
    words = [Words(run.program) for run in (one, other)]
    both = list(zip(words, ([row for row in run.rows if not _opens(run, row)] for run in (one, other)), strict=True))
    texts = [[(told.seconds(row.step), told.text(row)) for row in rows] for told, rows in both]
    # When a flow ends depends on amounts, so its rows are told and not held against each other.
    happened = [
        [(place, _happening(told, row)) for place, row in enumerate(rows) if not _flows(told.program, row)]
        for told, rows in both
    ]
    amounts = _first_unlike(texts)
    index = _first_unlike([[what for _, what in side] for side in happened])
    places = [side[index][0] if index < len(side) else len(rows) for side, rows in zip(happened, texts, strict=True)]
    heads = [rows[place : place + 4] for place, rows in zip(places, texts, strict=True)]
    time = min((rows[0][0] for rows in heads if rows), default=one.time)
    since = min((*(rows[amounts][0] for rows in texts if amounts < len(rows)), time))
    shown = [tuple(f"{when:.2f}  {text}" for when, text in rows) for rows in heads]
    return Parting(one.number, (one.result, other.result), since, time, shown[0], shown[1])


def _first_unlike(sides: Sequence[Sequence[object]]) -> int:
    """Return the place of the first row in which two journals differ, or the length of the shorter."""
    return next((i for i, (a, b) in enumerate(zip(*sides, strict=False)) if a != b), min(map(len, sides)))


def _flows(program: Program, row: Row) -> bool:
    """Return whether a row is what recovers or fades."""
    return row.cause >= 0 and program.causes[int(row.cause)].sort == "flow"


def _happening(words: Words, row: Row) -> tuple[object, ...]:
    """Return what happened, when, to whom and why, without its amounts."""
    who, by = words.entity(row.entity), words.entity(row.by)
    stat = words.stat(row.stat) if row.stat >= 0 else ""
    return words.seconds(row.step), row.what, who, stat, words.cause(row.cause), by


def _opens(run: Run, row: Row) -> bool:
    """Return whether a row only says what an entity or level opens with, as dials do that differ."""
    return row.what == 0.0 and row.cause >= 0 and run.program.causes[int(row.cause)].sort in ("spawn", "level")


def compare_shapes(
    one: PlayableGame,
    other: PlayableGame,
    measure: str,
    *,
    runs: int = 2_000,
    seed: int = 1,
    habits: tuple[str | None, str | None] = (None, None),
    label: str = "",
    sure: float = CONFIDENCE,
    progress: Any = None,
) -> Shapes:
    """Play two games under the same luck, and tell how a measure is spread over the runs of both.

    Raises:
        NotFound: there is no such habit or measure.
        BadRequest: the number of runs makes no sense, or no run of one has the measure.
        Partial: it was stopped with Ctrl-C.
    """
    shapes = []
    for game, habit in zip((one, other), habits, strict=True):
        asked = Asked([] if measure in ("time", *game.measures) else [measure], ())
        study = study_game(game, runs, Setting(seed, habit, sure=sure), asked, Means(progress=progress))
        shapes.append(study.shape(measure))
    titled = replace(shapes[1], title=shapes[1].title + (f" · {label}" if label else ""))
    return shapes_of(shapes[0], titled)


def compare_games(
    one: PlayableGame,
    other: PlayableGame,
    *,
    runs: int = 2_000,
    seed: int = 1,
    habits: tuple[str | None, str | None] = (None, None),
    measures: tuple[str, ...] = (),
    label: str = "",
    sure: float = CONFIDENCE,
    progress: Any = None,
) -> Comparison:
    """Play two games under the same luck and compare them; `label` tells the second from the first in headings.

    Raises:
        NotFound: there is no such habit or measure.
        BadRequest: the number of runs makes no sense.
        Partial: it was stopped with Ctrl-C: with a study while the first game was played, then with a comparison.
    """
    quantiles = [text for text in measures if ESTIMATE.fullmatch(text) is not None]
    asked = [text for text in measures if text not in quantiles]
    asked += [text for estimate in quantiles for text in measured(one, estimate)]
    settings = [Setting(seed, habit, sure=sure) for habit in habits]
    asking, means = Asked(asked, ()), Means(progress=progress)
    first = study_game(one, runs, settings[0], asking, means)
    stopped = False
    try:
        second = study_game(other, runs, settings[1], asking, means)
    except Partial as stop:
        stopped, second = True, stop.answer
        first = first.first(second.runs)
    turned = first_turned(first, second)
    parting = None
    if turned is not None:
        parting = part(*(play_run(g, s, turned) for g, s in zip((one, other), settings, strict=True)))
    comparison = compare_studies(first, second, parting, quantiles)
    titles = (comparison.titles[0], comparison.titles[1] + (f" · {label}" if label else ""))
    comparison = replace(comparison, titles=titles)
    if stopped:
        raise Partial(comparison, comparison.runs, runs)
    return comparison
