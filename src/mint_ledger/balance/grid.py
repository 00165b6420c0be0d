"""Who is best, and where: each habit, variant or value of a dial with each of another, all under the same luck."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from itertools import permutations, product
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.dial_range import values_of
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.target import ESTIMATE
from mint_ledger.journal.wording import shown
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, is_share, measured, quantile_gap, quantile_of, turned_rate
from mint_ledger.studies.pairs import mean_gap, paired_values
from mint_ledger.studies.study import Study
from mint_ledger.studies.studying import measure_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_CELLS = 400
# A circle of who beats whom is looked for among so many.
MOST_IN_CIRCLE = 5
AS_IT_IS = "as it is"
COLUMNS = {
    "(axes)": "what was chosen: a habit, a variant, the value of a dial",
    "value": "the estimate",
    "low": "the lower end of its interval (95 % by default)",
    "high": "the upper end of it",
    "best": "whether nothing else in its column is certainly better",
}


@dataclass(frozen=True, slots=True)
class Axis:
    """What is gone through: `habit`, `variant` or a dial, and its choices by the names that people use."""

    name: str
    choices: tuple[str, ...]


@dataclass(frozen=True, repr=False)
class Grid(Result):
    """An estimate for each choice of one axis, or of two; what differs for certain, run by run.

    Attributes:
        axes: the rows, and the columns if there are two.
        cells: the estimate of each, by the places of its choices; without a second axis there is one column.
        better: pairs of cells in a column of which the first is certainly higher than the second, all pairs of the
            grid together at the sureness.
        turned: of a grid with the same choices on both sides: pairs (a, b) for which the cell of a against b is
            certainly higher than that of b against a.
    """

    title: str
    measure: str
    runs: int
    seed: int
    sure: float
    axes: tuple[Axis, ...]
    cells: Mapping[tuple[int, int], Estimate]
    better: frozenset[tuple[tuple[int, int], tuple[int, int]]]
    turned: frozenset[tuple[int, int]]

    @property
    def rows(self) -> tuple[str, ...]:
        """The choices of the first axis."""
        return self.axes[0].choices

    @property
    def columns(self) -> tuple[str, ...]:
        """The choices of the second axis; one without a name where there is none."""
        return self.axes[1].choices if len(self.axes) > 1 else ("",)

    def best(self, column: int) -> list[int]:
        """The rows of a column that nothing else in it is certainly better than, the highest first."""
        beaten = {low[0] for _, low in self.better if low[1] == column}
        rows = [row for row in range(len(self.rows)) if row not in beaten]
        return sorted(rows, key=lambda row: -self.cells[row, column].value)

    @cached_property
    def sentences(self) -> tuple[str, ...]:
        """Return what it comes to, in words."""
        told = [*self._of_columns()]
        circle = self.circle
        if circle:
            told.append(" beats ".join([*circle, circle[0]]) + ": no choice is best against all")
        return tuple(told)

    def _of_columns(self) -> Iterator[str]:
        best = [self.best(column) for column in range(len(self.columns))]
        alone = [rows[0] if len(rows) == 1 else None for rows in best]
        what = self.axes[0].name
        where = f"with every {self.axes[1].name}" if len(self.axes) > 1 else "of all"
        if len(self.rows) < 2:
            return
        if all(len(rows) == len(self.rows) for rows in best):
            yield f"no difference between the choices of {what} was seen"
        elif alone[0] is not None and all(row == alone[0] for row in alone):
            yield f"{self.rows[alone[0]]} is the best {what} {where}: it dominates"
        elif not set.intersection(*(set(rows) for rows in best)):
            named = [
                f"{' or '.join(self.rows[row] for row in rows)} with {self.columns[column]}"
                for column, rows in enumerate(best)
            ]
            yield f"no one {what} is the best everywhere: {', '.join(named)}"

    @cached_property
    def circle(self) -> tuple[str, ...]:
        """Choices of which each beats the next, and the last the first; empty where there are none."""
        names = range(len(self.rows)) if self.turned else range(0)
        for size in range(3, min(len(names), MOST_IN_CIRCLE) + 1):
            for some in permutations(names, size):
                pairs = zip(some, (*some[1:], some[0]), strict=True)
                if some[0] == min(some) and all(pair in self.turned for pair in pairs):
                    return tuple(self.rows[place] for place in some)
        return ()

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a cell; columns: one for each axis, value, low, high, best."""
        import pandas as pd

        rows = []
        for (row, column), estimate in self.cells.items():
            chosen = [self.rows[row], *([self.columns[column]] if len(self.axes) > 1 else [])]
            rows.append([*chosen, estimate.value, estimate.low, estimate.high, row in self.best(column)])
        names = [axis.name for axis in self.axes]
        return pd.DataFrame(rows, columns=[*names, "value", "low", "high", "best"])

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("grid_text.grid_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """The grid in shades, with its numbers, the best of each column marked."""
        return showing.figure("grid_plot.plot_grid", self, ax=ax)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "measure": self.measure,
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "axes": [{"name": axis.name, "choices": list(axis.choices)} for axis in self.axes],
            "cells": self.table().to_dict("records"),
            "sentences": list(self.sentences),
        }


def make_grid(
    game: PlayableGame,
    each: Mapping[str, str | Sequence[str] | None],
    measure: str,
    runs: int,
    setting: Setting,
    progress: Progress | None = None,
) -> Grid:
    """Play a game with each choice of one axis, or of two, under the same luck; see `Game.grid`."""
    if not 1 <= len(each) <= 2:
        raise BadRequest(f"a grid has one side or two, like habit and variant, not {len(each)}")
    match = ESTIMATE.fullmatch(measure)
    if match is None:
        raise BadRequest(f"'{measure}' is no estimate; write rate(win), mean(time), median(time), quantile(time, 0.9)")
    sides = [_side(game, name, text) for name, text in each.items()]
    second = sides[1] if len(sides) > 1 else [("", lambda s: s)]
    if len(sides[0]) * len(second) > MOST_CELLS:
        raise BadRequest(f"a grid of {len(sides[0])} times {len(second)} is too large; the most is {MOST_CELLS} cells")
    axes = tuple(Axis(n, tuple(label for label, _ in side)) for n, side in zip(each, sides, strict=True))
    needed = measured(game, measure)
    studies: dict[tuple[int, int], Study] = {}
    total = len(sides[0]) * len(second)
    for (row, (_, one)), (column, (_, other)) in product(enumerate(sides[0]), enumerate(second)):
        if progress is not None:
            progress(len(studies), total)
        studies[row, column] = measure_game(game, runs, other(one(setting)), needed)
    if progress is not None:
        progress(total, total)
    pairs = [(a, b) for a, b in permutations(studies, 2) if a[1] == b[1] and a[0] < b[0]]
    same = len(axes) > 1 and axes[0].choices == axes[1].choices
    mirrored = [((a, b), (b, a)) for a in range(len(sides[0])) for b in range(a) if same]
    # All pairs hold together (Bonferroni), so that what is called certain is so however many are looked at.
    sure = 1.0 - (1.0 - setting.sure) / max(len(pairs) + len(mirrored), 1)
    better, turned = set(), set()
    for a, b in pairs:
        gap = estimate_gap(studies[b], studies[a], measure, sure)
        if gap is not None and gap.low > 0.0:
            better.add((a, b))
        elif gap is not None and gap.high < 0.0:
            better.add((b, a))
    for a, b in mirrored:
        gap = estimate_gap(studies[b], studies[a], measure, sure)
        if gap is not None and gap.low > 0.0:
            turned.add(a)
        elif gap is not None and gap.high < 0.0:
            turned.add(b)
    cells = {place: study.estimate(measure) for place, study in studies.items()}
    title = game.title if "habit" in each else setting.title(game)
    more = (runs, setting.seed, setting.sure, axes, cells)
    return Grid(title, measure, *more, frozenset(better), frozenset(turned))


Choice = tuple[str, Callable[[Setting], Setting]]


def _side(game: PlayableGame, name: str, text: str | Sequence[str] | None) -> list[Choice]:
    """The choices of one side, each with what it makes of a setting."""

    def habit(known: str) -> Callable[[Setting], Setting]:
        return lambda setting: replace(setting, habit=known)

    def variant(known: str | None) -> Callable[[Setting], Setting]:
        return lambda setting: replace(setting, variant=known)

    def dial(value: float | str) -> Callable[[Setting], Setting]:
        return lambda setting: setting.with_dials({name: value})

    if name in ("habit", "variant"):
        there = [*game.habits] if name == "habit" else [AS_IT_IS, *game.variants]
        chosen = _names(text) or there
        if name == "habit" and not there:
            raise BadRequest("the game has no habits to go through")
        for one in chosen:
            if one not in there:
                raise NotFound(f"there is no {name} '{one}'{nearest(one, there)}")
        make = habit if name == "habit" else lambda known: variant(None if known == AS_IT_IS else known)
        return [(one, make(one)) for one in chosen]
    if text is None:
        known = f"{name or 'crab.bite'}=4..8"
        raise BadRequest(f"a side is habit, variant, or a dial that wants its values, like {known}; not '{name}'")
    values = values_of(game, name, text if isinstance(text, str) else ",".join(map(str, text)))
    return [(shown(value), dial(value)) for value in values]


def _names(text: str | Sequence[str] | None) -> list[str]:
    if text is None:
        return []
    return [name.strip() for name in text.split(",")] if isinstance(text, str) else list(text)


def estimate_gap(one: Study, other: Study, measure: str, sure: float) -> Estimate | None:
    """Return how much higher an estimate is in the other study, run by run; None where no run has it in both."""
    match = ESTIMATE.fullmatch(measure)
    assert match is not None
    if is_share(measure):
        sides = [study.has(match[2].strip("\"'")) for study in (one, other)]
        gained, lost = int((sides[1] & ~sides[0]).sum()), int((sides[0] & ~sides[1]).sum())
        return turned_rate(gained, lost, one.runs, sure)
    name, q = (match[2], None) if match[1] == "mean" else quantile_of(measure)
    if q is not None:
        first, second = paired_values(one, other, name)
        if not len(first):
            return None
        return quantile_gap(first.tolist(), second.tolist(), q, sure)
    return mean_gap(one, other, name, sure)
