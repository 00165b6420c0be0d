"""A sweep: one study for each setting of some dials, all with the same luck."""

from __future__ import annotations

import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from pathlib import Path
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.dial_range import checked_values, setting_of, today_of, values_of
from mint_ledger.balance.targets import Judged, judge_study
from mint_ledger.errors import BadRequest, Partial
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Budget, Progress
from mint_ledger.studies.estimate import CONFIDENCE, Estimate, measured
from mint_ledger.studies.studying import Asked, Means, study_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


MOST_POINTS = 100_000
COLUMNS = {
    "(dials)": "the value of each dial at this point",
    "(estimates)": "each estimate, by its text",
    "(estimates) low": "the lower end of its interval (95 % by default)",
    "(estimates) high": "the upper end of it",
    "meets_all": "whether all targets of this habit and variant are met here",
}
# Longer than this is asked about first.
PATIENCE = 600.0


@dataclass(frozen=True, slots=True)
class Point:
    """One setting of the dials, and what came of it: the estimates by their texts, and the targets."""

    dials: Mapping[str, float | str]
    estimates: Mapping[str, Estimate]
    judged: tuple[Judged, ...]

    @property
    def meets_all(self) -> bool:
        """Return whether all targets are met here; a game without targets has none to meet."""
        return bool(self.judged) and all(result.verdict == "met" for result in self.judged)


@dataclass(frozen=True, repr=False)
class Sweep(Result):
    """All points of a sweep, in the order of the dials' values."""

    title: str
    seed: int
    runs: int
    dials: tuple[str, ...]
    measures: tuple[str, ...]
    today: Mapping[str, float | str]
    points: tuple[Point, ...]
    sure: float = CONFIDENCE

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a point: the dials, then each estimate with its interval, then `meets_all`."""
        import pandas as pd

        rows = []
        for point in self.points:
            row: dict[str, Any] = dict(point.dials)
            for text, estimate in point.estimates.items():
                row |= {text: estimate.value, f"{text} low": estimate.low, f"{text} high": estimate.high}
            rows.append({**row, "meets_all": point.meets_all})
        return pd.DataFrame(rows)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The sweep as plain values."""
        return {
            "title": self.title,
            "seed": self.seed,
            "runs": self.runs,
            "sure": self.sure,
            "points": [
                {
                    "dials": dict(point.dials),
                    "estimates": {
                        text: {"value": e.value, "low": e.low, "high": e.high} for text, e in point.estimates.items()
                    },
                    "targets": [result.as_json() for result in point.judged],
                }
                for point in self.points
            ],
        }

    def _repr_html_(self) -> str:
        return showing.text("notebook.sweep_html", self)

    def summary(self) -> str:
        """The points as a table of text."""
        return showing.text("sweep_text.sweep_text", self)

    def plot(self, measure: str | None = None, ax: Axes | None = None) -> Figure:
        """One dial as a line with its interval, two as a heat map; see `views.sweep_plot`."""
        return showing.figure("sweep_plot.plot_sweep", self, measure, ax=ax)

    def __str__(self) -> str:
        return self.summary()


def grid(ranges: Mapping[str, Sequence[float | str]]) -> list[dict[str, float | str]]:
    """All settings of some dials with the values of each."""
    return [dict(zip(ranges, values, strict=True)) for values in product(*ranges.values())]


def spread(bounds: Mapping[str, tuple[float, float]], points: int, how: str, seed: int) -> list[dict[str, float | str]]:
    """Points spread over the ranges of many dials: `latin` hypercube or `sobol` sequence, from SciPy.

    Raises:
        BadRequest: there is no such way to spread them, or no point.
    """
    from scipy.stats import qmc

    makers = {"latin": qmc.LatinHypercube, "sobol": qmc.Sobol}
    if how not in makers or points < 1:
        raise BadRequest(f"points are spread 'latin' or 'sobol', 1 or more of them, not {points} '{how}'")
    import warnings

    with warnings.catch_warnings():
        warnings.simplefilter("ignore")  # of Sobol points, which want a power of two to be balanced
        sample = makers[how](len(bounds), rng=seed).random(points)
    scaled = qmc.scale(sample, [b[0] for b in bounds.values()], [b[1] for b in bounds.values()])
    return [dict(zip(bounds, map(float, row), strict=True)) for row in scaled]


def make_sweep(
    game: PlayableGame,
    points: Sequence[Mapping[str, float | str]],
    *,
    measures: Sequence[str],
    budget: Budget,
    setting: Setting,
    store: str | Path | None = None,
    progress: Progress | None = None,
) -> Sweep:
    """Study each setting of the dials; run k has the same luck at all of them.

    Args:
        game: the game.
        points: the settings, all of the same dials.
        measures: estimates, like `rate(win)`, `median(time)`.
        budget: how many runs at each point; a sweep that would take longer than its seconds is refused.
        setting: how the game is played, its variant included.
        store: an SQLite file that keeps the studies; a sweep that was stopped goes on from it.
        progress: is told how many points are done, and how many there are.

    Raises:
        BadRequest: there are no points, too many, or they would take longer than the budget.
        NotFound: there is no such dial, habit, measure.
        Partial: it was stopped with Ctrl-C after some points.
    """
    if not 1 <= len(points) <= MOST_POINTS:
        raise BadRequest(f"a sweep has 1 to {MOST_POINTS:,} points, not {len(points):,}")
    habit, variant = setting.habit, setting.variant
    turned = game.with_variant(variant) if variant else game
    today = {name: today_of(turned, name) for name in points[0]}
    targets = [t for t in game.all_targets if t.habit in (None, habit) and t.variant == variant]
    texts = [*measures, *(target.measure for target in targets)]
    needed = list(dict.fromkeys(m for text in texts for m in measured(game, text)))
    played: list[Point] = []
    began = time.monotonic()

    def sweep() -> Sweep:
        return Sweep(
            setting.title(game),
            setting.seed,
            budget.runs,
            tuple(points[0]),
            tuple(measures),
            today,
            tuple(played),
            setting.sure,
        )

    try:
        for point in points:
            dials = {name: setting_of(name, value) for name, value in point.items()}
            study = study_game(game, budget.runs, setting.with_dials(dials), Asked(needed, ()), Means(store=store))
            estimates = {text: study.estimate(text) for text in measures}
            played.append(Point(dict(point), estimates, tuple(judge_study(study, targets, habit))))
            if progress is not None:
                progress(len(played), len(points))
            # The first point compiles; the second says what a point costs.
            if len(played) == 1:
                began = time.monotonic()
            elif len(played) == 2:
                _refuse_long((time.monotonic() - began) * len(points), len(points), budget)
    except KeyboardInterrupt:
        if not played:
            raise
        done = sweep()
        raise Partial(done, len(done.points), len(points), "points") from None
    return sweep()


def _spans(ranges: Mapping[str, Sequence[float | str]]) -> dict[str, tuple[float, float]]:
    spans: dict[str, tuple[float, float]] = {}
    for name, values in ranges.items():
        if isinstance(values[0], str) or isinstance(values[-1], str):
            raise BadRequest(f"'{name}' is a word, and points are spread over numbers; sweep all its words instead")
        spans[name] = values[0], values[-1]
    return spans


def _refuse_long(seconds: float, points: int, budget: Budget) -> None:
    if seconds > budget.seconds:
        shown = f"{seconds / 60:.0f} minutes" if seconds < 7_200 else f"{seconds / 3600:.1f} hours"
        raise BadRequest(f"{points:,} points would take about {shown}; take fewer points or runs, or say --yes")


def sweep_ranges(
    game: PlayableGame,
    dials: Mapping[str, str | Sequence[float | str]],
    measures: Sequence[str],
    budget: Budget,
    setting: Setting,
    *,
    points: tuple[int, str] | None = None,
    store: str | Path | None = None,
    progress: Progress | None = None,
) -> Sweep:
    """Sweep over the ranges of some dials: a grid, or so many points spread over them; see `make_sweep`."""
    if not dials:
        raise BadRequest("a sweep wants a dial, like crab.bite=4..12")
    turned = game.turned(setting.variant, None)
    ranges = {
        name: values_of(turned, name, values) if isinstance(values, str) else checked_values(name, values)
        for name, values in dials.items()
    }
    for name in ranges:
        today_of(turned, name)
    if points is None:
        settings = grid(ranges)
    else:
        settings = spread(_spans(ranges), *points, setting.seed)
    return make_sweep(game, settings, measures=measures, budget=budget, setting=setting, store=store, progress=progress)
