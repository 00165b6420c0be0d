"""Which dials matter: each moved a little by itself with paired luck, or many at once by Sobol's indices."""

from __future__ import annotations

import math
import warnings
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.dial_range import no_word, number_today, setting_of
from mint_ledger.errors import BadRequest, GameError, Partial, RunStopped
from mint_ledger.game.target import ESTIMATE
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import CONFIDENCE, Estimate, measured, turned_rate
from mint_ledger.studies.intervals import Average, Raised, Turned
from mint_ledger.studies.pairs import mean_gap
from mint_ledger.studies.studying import measure_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.studies.study import Study

# What says how the game is watched, not how it plays.
RESAMPLES = 999
# A normal variable is within one standard error of its mean so often.
WITHIN_ONE = math.erf(1.0 / math.sqrt(2.0))
QUIET = ("clock.",)
FALSE_ALARMS = 0.1


@dataclass(frozen=True, slots=True)
class Moved:
    """A dial that was moved down and up: what one per cent more of it does to the estimate, with its interval."""

    dial: str
    today: float
    values: tuple[float, float]
    effect: Estimate
    # How often noise alone would show as much, and whether that is too seldom among all the dials that were moved.
    noise: float = 1.0
    is_certain: bool = False


@dataclass(frozen=True, repr=False)
class Sensitivity(Result):
    """What each dial does to an estimate, those that move it most first."""

    title: str
    measure: str
    today: Estimate
    share: float
    runs: int
    seed: int
    moved: tuple[Moved, ...]
    skipped: tuple[tuple[str, str], ...]
    sure: float = CONFIDENCE

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a dial: today's value, both moved values, the effect of +1 % and its interval."""
        import pandas as pd

        return pd.DataFrame(
            [
                {
                    "dial": dial.dial,
                    "today": dial.today,
                    "down": dial.values[0],
                    "up": dial.values[1],
                    "effect": dial.effect.value,
                    "low": dial.effect.low,
                    "high": dial.effect.high,
                }
                for dial in self.moved
            ]
        )

    @finite
    def as_json(self) -> dict[str, Any]:
        """The result as plain values."""
        return {
            "title": self.title,
            "measure": self.measure,
            "today": self.today.value,
            "share": self.share,
            "runs": self.runs,
            "seed": self.seed,
            "dials": self.table().to_dict("records"),
            "skipped": [{"dial": dial, "because": why} for dial, why in self.skipped],
        }

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self) -> str:
        """The ranking as text."""
        return showing.text("sensitivity_text.sensitivity_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """The ranking as bars with intervals; see `views.sensitivity_plot`."""
        return showing.figure("sensitivity_plot.plot_sensitivity", self, ax=ax)

    def __str__(self) -> str:
        return self.summary()


def make_sensitivity(
    game: PlayableGame,
    dials: Sequence[str],
    measure: str,
    share: float,
    runs: int,
    setting: Setting,
    progress: Progress | None = None,
) -> Sensitivity:
    """Move each dial down and up by a share of its value and see what that does to an estimate, run by run.

    Args:
        game: the game.
        dials: which dials; by default all but those of the clock.
        measure: `rate(…)` or `mean(…)`; what has a value in each run, so that runs can be paired.
        share: by how much each dial is moved, as a share of its value.
        runs: how many runs of each setting.
        setting: how the game is played, its variant included.
        progress: is told how many dials are done, and how many there are.

    Raises:
        NotFound: there is no such dial, habit, measure.
        BadRequest: the estimate has no value in each run, or the share is none.
        Partial: it was stopped with Ctrl-C after some dials.
    """
    if not 0.0 < share < 1.0:
        raise BadRequest(f"dials are moved by a share between 0 and 1, not {share:g}")
    known = game.turned(setting.variant, None).dials
    names = list(dials) or [
        name for index, name in enumerate(known.names) if not name.startswith(QUIET) and index not in known.words
    ]
    for name in names:
        no_word(game, name, "a share of a word is nothing")
    needed = measured(game, measure)

    def study(changes: Mapping[str, float]) -> Study:
        return measure_game(game, runs, setting.with_dials(changes), needed)

    usual = study({})
    today = usual.estimate(measure)
    values_of(usual, measure)
    moved: list[Moved] = []
    skipped: list[tuple[str, str]] = []

    def ranking() -> Sensitivity:
        ranked = sorted(moved, key=lambda dial: -abs(dial.effect.value))
        seldom = _seldom([dial.noise for dial in ranked])
        told = tuple(replace(dial, is_certain=dial.noise <= seldom) for dial in ranked)
        title = setting.title(game)
        return Sensitivity(title, measure, today, share, runs, setting.seed, told, tuple(skipped), setting.sure)

    for count, name in enumerate(names, 1):
        value = known.value(name)
        ends = (value * (1.0 - share), value * (1.0 + share))
        try:
            if value == 0.0:
                raise BadRequest("it is 0, and a share of that is nothing")
            studies = [study({name: _plain(end)}) for end in ends]
            sides = [values_of(one, measure) for one in studies]
            gap = (sides[1] - sides[0]).dropna()
            if measure.startswith("rate"):
                difference = turned_rate(int((gap > 0).sum()), int((gap < 0).sum()), len(gap), setting.sure)
            else:
                found = mean_gap(studies[0], studies[1], measure[measure.index("(") + 1 : -1].strip(), setting.sure)
                if found is None:
                    raise BadRequest("no run has it at both ends")
                difference = found
            moved.append(Moved(name, value, ends, difference.scaled(1 / (200.0 * share)), _noise(difference)))
        except (GameError, BadRequest, RunStopped) as error:
            skipped.append((name, str(error).splitlines()[0].rpartition(": ")[2]))
        except KeyboardInterrupt:
            if not moved:
                raise
            done = ranking()
            raise Partial(done, len(done.moved) + len(done.skipped), len(names), "dials") from None
        if progress is not None:
            progress(count, len(names))
    return ranking()


def _noise(difference: Estimate) -> float:
    """How often a difference as large comes up where there is none, on both sides: by turned runs, or Student's t."""
    basis = difference.basis
    if isinstance(basis, Turned):
        turned = basis.gained + basis.lost
        if not turned:
            return 1.0
        # Each run that turns does so one way or the other with the same chance (McNemar, Psychometrika 12, 1947).
        score = max(abs(basis.gained - basis.lost) - 1, 0) / math.sqrt(turned)
    elif isinstance(basis, Average) and basis.deviation > 0.0:
        score = abs(basis.mean) / (basis.deviation / math.sqrt(basis.runs))
    elif isinstance(basis, Raised):
        if basis.body is None:
            return 1.0  # not judged
        low, high = basis.interval(WITHIN_ONE)
        score = abs(basis.mean) / max((high - low) / 2.0, 1e-300)
    else:
        return 1.0 if difference.value == 0.0 else 0.0
    return math.erfc(score / math.sqrt(2.0))


def _seldom(noises: Sequence[float], share: float = FALSE_ALARMS) -> float:
    """Up to which chance a finding counts, so that of all findings `share` are noise on average.

    Source: Benjamini and Hochberg, "Controlling the false discovery rate", J. R. Stat. Soc. B 57 (1995).
    """
    ordered = sorted(noises)
    fine = [noise for rank, noise in enumerate(ordered, 1) if noise <= share * rank / len(ordered)]
    return fine[-1] if fine else -1.0


def values_of(study: Study, measure: str) -> pd.Series[float]:
    """The value of an estimate in each run: 1 or 0 for a rate.

    Raises:
        BadRequest: the estimate is no mean of the runs.
    """
    import pandas as pd

    match = ESTIMATE.fullmatch(measure)
    what, inside = (match[1], match[2].strip("\"'")) if match else ("", "")
    if what == "rate":
        return pd.Series(study.has(inside).astype(float))
    if what == "mean":
        return study.values(inside)
    raise BadRequest(f"runs are paired by rate(…) or mean(…), not by {measure}")


@dataclass(frozen=True, slots=True)
class Index:
    """Sobol's indices of one dial: its own share of the variance, and with all that it does together with others."""

    dial: str
    first: Estimate
    total: Estimate


def index_table(indices: Sequence[Index]) -> pd.DataFrame:
    """A DataFrame with one row a dial: both of its indices, with their intervals."""
    import pandas as pd

    rows = [
        {"dial": one.dial}
        | {"first": one.first.value, "first_low": one.first.low, "first_high": one.first.high}
        | {"total": one.total.value, "total_low": one.total.low, "total_high": one.total.high}
        for one in indices
    ]
    return pd.DataFrame(rows)


def sobol(
    game: PlayableGame,
    ranges: Mapping[str, tuple[float, float]],
    *,
    measure: str = "rate(win)",
    points: int = 32,
    runs: int = 200,
    setting: Setting = Setting(),
    progress: Progress | None = None,
) -> list[Index]:
    """Sobol's indices of some dials over ranges, by `scipy.stats.sobol_indices` with bootstrap intervals.

    Args:
        game: the game.
        ranges: for each dial the least and the most.
        measure: an estimate.
        points: how many points of the sample, a power of two; points · (dials + 2) studies are played.
        runs: how many runs of each study.
        setting: how the game is played; its seed is that of the sample, too.
        progress: is told how many studies are done, and how many there are.

    Raises:
        NotFound: there is no such dial, habit, measure.
        BadRequest: there are fewer than two dials, or the number of points is no power of two.

    Source: Saltelli et al., "Variance based sensitivity analysis of model output", Comput. Phys. Commun. 181 (2010).
    """
    import numpy as np
    from scipy.stats import bootstrap, sobol_indices, uniform

    if len(ranges) < 2 or points < 2 or points & (points - 1):
        raise BadRequest(f"Sobol's indices want two dials or more and a power of two of points, not {points}")
    needed = measured(game, measure)
    names = list(ranges)
    for name in names:
        number_today(game, name)
    done = 0

    def estimates(sample: Any) -> Any:
        nonlocal done
        values = []
        for column in np.atleast_2d(np.asarray(sample)).reshape(len(names), -1).T:
            dials = {name: setting_of(name, _plain(float(value))) for name, value in zip(names, column, strict=True)}
            study = measure_game(game, runs, setting.with_dials(dials), needed)
            values.append(study.estimate(measure).value)
            done += 1
            if progress is not None:
                progress(done, points * (len(names) + 2))
        return np.array([values])

    dists: Any = [uniform(low, high - low) for low, high in ranges.values()]
    with warnings.catch_warnings():
        # Where all that is drawn again is alike, there is no interval; that is said below.
        warnings.simplefilter("ignore")
        luck = np.random.default_rng(setting.seed)
        known: list[Any] = []

        def shares(f_A: Any, f_B: Any, f_AB: Any) -> Any:  # noqa: N803 - the names that SciPy asks for
            if not known:
                known.append((f_A, f_B, f_AB))
            whole = np.var([f_A, f_B], axis=(0, -1))
            first = np.mean(f_B * (f_AB - f_A), axis=-1) / whole
            total = 0.5 * np.mean((f_A - f_AB) ** 2, axis=-1) / whole
            return first.T, total.T

        sampled = sobol_indices(func=estimates, n=points, dists=dists, method=shares, rng=luck)
        values = known[0]
        # SciPy's own bootstrap of these indices takes no seed: each answer would have another interval.
        drawn: Any = bootstrap(
            [np.arange(points)],
            lambda again: shares(*(part[..., again] for part in values)),
            method="BCa",
            n_resamples=RESAMPLES,
            rng=luck,
        ).confidence_interval
    indices = []
    for place, name in enumerate(names):
        both = []
        for which, value in enumerate((sampled.first_order, sampled.total_order)):
            parts = (value, drawn.low[which], drawn.high[which])
            flat = [float(np.ravel(part)[place]) for part in parts]
            # A share of which nothing is known lies between none and all.
            low, high = (0.0 if math.isnan(flat[1]) else flat[1]), (1.0 if math.isnan(flat[2]) else flat[2])
            both.append(Estimate(flat[0], low, high, points, "bootstrap"))
        indices.append(Index(name, both[0], both[1]))
    return sorted(indices, key=lambda index: -index.total.value)


def _plain(value: float) -> float:
    rounded = round(value, 12)
    return int(rounded) if rounded == int(rounded) and abs(rounded) < 1e15 else rounded


__all__ = ["Index", "Moved", "Sensitivity", "make_sensitivity", "sobol", "values_of"]
