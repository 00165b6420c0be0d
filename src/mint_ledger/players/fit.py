"""Which numbers of a habit fit recorded plays: each with an interval, and what could not be told.

A bank of simulated runs over the dials is played once, each setting with luck of its own; what is seen of the plays is
then held against it (`surrogate`). Two checks stand behind the answer: whether intervals made so hold the truth where
it is known, and whether the fitted habit plays like the recorded ones (`likeness`).
"""

from __future__ import annotations

import io
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from math import comb
from pathlib import Path
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from mint_ledger import showing
from mint_ledger.balance.dial_range import bounds_of, number_today
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.files import write_bytes
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite
from mint_ledger.players.likeness import Likeness, compare_plays, simulated
from mint_ledger.players.recorded import RESULTS, Floats, Plays, Told, game_mark
from mint_ledger.players.surrogate import Seen, Surrogate, even_points, functions_of_rows, functions_of_told, seen_of
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, plain
from mint_ledger.studies.studying import Asked, study_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

FEWEST, FEW = 15, 30
MOST_DIALS = 5
RUNS_A_POINT = 100
POINTS = 128
# The check with known truths: so many, each of so many plays at most.
TRIALS, MOST_TRIED = 40, 400
SURE = 0.9
# Apart from the luck of everything that is told: of the bank, and of the truths that are tried.
BANK, TRUTHS = 900_000, 950_000
# A dial is told where what is left of its range (by standard deviations) is less than this; partly, less than that.
IS_TOLD, IS_PARTLY = 0.35, 0.75
TIED = 0.7
MISFIT = 0.01
# Over so many fitted settings is a change played, each so often.
SETTINGS, RUNS_A_SETTING = 40, 250
HowTold = Literal["told", "partly", "not told"]


@dataclass(frozen=True)
class FittedDial:
    """A dial of the habit.

    Attributes:
        low, high: where it was looked for.
        today: what the file says.
        value: what it is in a setting of all dials together that is as likely as any, and its 90 % interval.
        left: how much of what was not known of it before is left (1: all).
    """

    name: str
    low: float
    high: float
    today: float
    value: Estimate
    left: float

    @property
    def how_told(self) -> HowTold:
        """Whether the plays tell it."""
        return "told" if self.left < IS_TOLD else "partly" if self.left < IS_PARTLY else "not told"


@dataclass(frozen=True, eq=False)
class Fit:
    """The numbers of a habit that fit recorded plays.

    Attributes:
        dials: each with what was found of it.
        draws: settings as likely as the plays make them, shape (draws, dials).
        tied: pairs of dials that are not told apart, with their correlation: more of one and more (+) or less (-) of
            the other plays the same.
        held: in how many of the `tried` trials the 90 % interval held the known truth, of the worst dial.
        widened: by what factor intervals were widened for that.
        misfit: how likely plays as far from all settings are, if one of them were true.
        likeness: the plays beside the fitted habit.
        measures: what was recorded, as measures of the game.
        bank_runs: how many runs the bank took.
        warnings: what makes the fit less than it seems.
    """

    title: str
    source: str
    habit: str
    plays: int
    seed: int
    dials: tuple[FittedDial, ...]
    draws: Floats
    tied: tuple[tuple[str, str, float], ...]
    held: int
    tried: int
    widened: float
    misfit: float
    likeness: Likeness
    measures: Mapping[str, str]
    bank_runs: int
    warnings: tuple[str, ...] = ()

    @property
    def fits(self) -> bool:
        """Whether nothing says that the fitted habit plays otherwise than was recorded."""
        return self.misfit >= MISFIT and not self.likeness.differs

    @property
    def setting(self) -> dict[str, float]:
        """A setting of all dials together that is as likely as any, by name."""
        return {dial.name: dial.value.value for dial in self.dials}

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("fit_text.fit_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """What is known of each dial after the plays, and how the fitted habit plays beside them."""
        return showing.figure("plays_plot.fit_figure", self, ax=ax)

    def table(self) -> pd.DataFrame:
        """One row a dial: dial, today, value, low, high, left, told."""
        import pandas as pd

        rows = [(d.name, d.today, d.value.value, d.value.low, d.value.high, d.left, d.how_told) for d in self.dials]
        return pd.DataFrame(rows, columns=["dial", "today", "value", "low", "high", "left", "told"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "source": self.source,
            "habit": self.habit,
            "plays": self.plays,
            "seed": self.seed,
            "dials": [
                {
                    "dial": d.name,
                    "range": [d.low, d.high],
                    "today": d.today,
                    **(plain(d.value) or {}),
                    "left": d.left,
                    "told": d.how_told,
                }
                for d in self.dials
            ],
            "tied": [{"one": one, "other": other, "correlation": c} for one, other, c in self.tied],
            "held": self.held,
            "tried": self.tried,
            "widened": self.widened,
            "misfit": self.misfit,
            "fits": self.fits,
            "likeness": self.likeness.as_json(),
            "bank_runs": self.bank_runs,
            "warnings": list(self.warnings),
        }


@dataclass(frozen=True, eq=False)
class Changed:
    """What a change of the game would do for the players of a fit.

    Attributes:
        changes: the dials that are changed.
        measures: measure → before, after, and the difference under the same luck, with 90 % intervals over all settings
            that fit.
    """

    title: str
    changes: Mapping[str, Any]
    measures: Mapping[str, tuple[Estimate, Estimate, Estimate]]
    settings: int
    runs: int
    fits: bool

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("fit_text.changed_text", self)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "changes": dict(self.changes),
            "fits": self.fits,
            "settings": self.settings,
            "runs": self.runs,
            "measures": {
                name: {"before": plain(before), "after": plain(after), "difference": plain(gap)}
                for name, (before, after, gap) in self.measures.items()
            },
        }


def find_change(
    game: PlayableGame,
    fit: Fit,
    changes: Mapping[str, Any],
    setting: Setting,
    *,
    anyway: bool = False,
    progress: Progress | None = None,
) -> Changed:
    """What changed dials would do for those who play as was fitted; see `Game.change_for`."""
    if not fit.fits and not anyway:
        raise BadRequest(
            "the fitted habit does not play like the recorded plays, so what a change would do for them is not known; "
            "--anyway tells it for the fitted habit all the same"
        )
    both = [dial.name for dial in fit.dials if dial.name in changes]
    if both:
        raise BadRequest(f"'{both[0]}' is fitted and cannot be changed as well")
    turned = setting.of(game)
    own = replace(setting, variant=None, dials={})
    turned.with_dials(changes)
    luck = np.random.default_rng([setting.seed, 53])
    picked = fit.draws[luck.choice(len(fit.draws), SETTINGS, replace=False)]
    names = [dial.name for dial in fit.dials]
    measures = ["win", *(side.measure for side in fit.likeness.sides if side.measure not in (*RESULTS, "level"))]
    texts = {name: text for name, text in fit.measures.items() if name in measures}
    values: dict[str, list[tuple[float, float]]] = {name: [] for name in measures}
    for index, at in enumerate(picked):
        dials = dict(zip(names, map(float, at), strict=True))
        played = []
        for more in ({}, changes):
            one = replace(own, seed=setting.seed + 3 * index, dials={**dials, **more})
            played.append(study_game(turned, RUNS_A_SETTING, one, Asked(texts, ())))
        for name in measures:
            before, after = (float(np.nanmean(simulated(study, name))) for study in played)
            values[name].append((before, after))
        if progress is not None:
            progress(index + 1, SETTINGS)
    told = {name: _before_and_after(np.array(pairs)) for name, pairs in values.items()}
    return Changed(own.title(turned), changes, told, SETTINGS, SETTINGS * RUNS_A_SETTING, fit.fits)


def _before_and_after(pairs: Floats) -> tuple[Estimate, Estimate, Estimate]:
    """Means over all settings that fit; what is not known of the setting and of the luck are both in the intervals."""
    from scipy.special import stdtrit

    columns = (pairs[:, 0], pairs[:, 1], pairs[:, 1] - pairs[:, 0])
    wide = float(stdtrit(len(pairs) - 1, (1 + SURE) / 2))
    told = []
    for column in columns:
        value, half = float(column.mean()), wide * float(column.std(ddof=1))
        told.append(Estimate(value, value - half, value + half, len(column), "over settings that fit", SURE))
    return told[0], told[1], told[2]


@dataclass(frozen=True)
class _Bank:
    """Simulated runs over a box of dials: settings, shape (points, dials), and measure → values, (points, runs)."""

    theta: Floats
    values: Mapping[str, Floats]


def find_fit(
    game: PlayableGame,
    plays: Plays | Told,
    ranges: Mapping[str, Any],
    setting: Setting,
    *,
    bank: str | Path | None = None,
    progress: Progress | None = None,
) -> Fit:
    """Find which dials fit recorded plays; see `Game.fit_plays`."""
    turned = setting.of(game)
    own = replace(setting, variant=None, dials={})
    box = _box(turned, ranges)
    warnings = _refused(turned, plays)
    low, high = (np.array([ends[end] for ends in box.values()], dtype=float) for end in (0, 1))
    names = list(box)
    measures = _measures(plays)
    points = 1 << (max(POINTS, 3 * comb(len(box) + 4, 4)) - 1).bit_length()
    total = points + TRIALS
    theta = low + (high - low) * even_points(points, len(box))
    trial_plays = int(min(len(plays), MOST_TRIED))

    def play(at: Floats, runs: int, seed: int) -> dict[str, Floats]:
        dials = dict(zip(names, map(float, at), strict=True))
        study = study_game(turned, runs, replace(own, seed=seed, dials=dials), Asked(plays.measures, ()))
        return {measure: simulated(study, measure) for measure in measures}

    key = f"{game_mark(turned)} {setting.habit} {setting.seed} {box} {sorted(plays.measures.items())} {points}"
    kept = _kept(bank, key)
    if kept is None:
        rows = []
        for index, at in enumerate(theta):
            rows.append(play(at, RUNS_A_POINT, setting.seed + BANK + 7 * index))
            if progress is not None:
                progress(index + 1, total)
        kept = _Bank(theta, {measure: np.stack([row[measure] for row in rows]) for measure in measures})
        _keep(bank, key, kept)
    values = {m: v for m, v in kept.values.items() if not np.isnan(v).any()}
    pooled = {measure: runs.ravel() for measure, runs in values.items()}
    if isinstance(plays, Plays):
        functions = functions_of_rows({m: v for m, v in pooled.items() if m in plays.values})
        if not functions:
            raise BadRequest("nothing that was recorded depends on these dials: simulated runs are all alike in it")
        seen = seen_of(functions, plays)
    else:
        functions, means = functions_of_told(plays, pooled)
        seen = Seen(means, float(plays.plays))
    model = Surrogate(low, high, kept.theta, values, functions)
    held, widened = _check(model, play, (low, high), trial_plays, setting.seed, (points, total), progress)
    reduced = model.reduced(seen.means)
    draws = model.draw(reduced, seen.plays, setting.seed)
    squared, volume = model.misfit(reduced, draws, seen.plays)
    # The medians of dials that are not told apart need not go together: of the likeliest the nearest to them.
    worse = squared + volume
    near = draws[worse <= worse.min() + 1.0]
    off = (near - np.median(draws, axis=0)) / (high - low)
    likeliest = near[int(np.argmin((off**2).sum(axis=1)))]
    draws = np.clip(likeliest + (draws - likeliest) * widened, low, high)
    misfit = _upper(float(squared.min()), max(model.count - len(box), 1)) if model.count > len(box) else 1.0
    dials = tuple(
        _fitted(turned, name, box[name], draws[:, index], likeliest[index]) for index, name in enumerate(names)
    )
    fitted = {dial.name: dial.value.value for dial in dials}
    return Fit(
        own.title(turned),
        plays.name,
        setting.habit or "",
        len(plays),
        setting.seed,
        dials,
        draws,
        _tied(names, draws, dials),
        int(held.min()),
        TRIALS,
        float(widened.max()) * model.too_sure**0.5,
        misfit,
        compare_plays(turned, plays, replace(own, dials=fitted)),
        dict(plays.measures),
        points * RUNS_A_POINT + TRIALS * trial_plays,
        warnings,
    )


def _box(game: PlayableGame, ranges: Mapping[str, Any]) -> dict[str, tuple[float, float]]:
    if not 1 <= len(ranges) <= MOST_DIALS:
        raise BadRequest(f"1 to {MOST_DIALS} dials are fitted at once, not {len(ranges)}")
    known = game.dials.names
    for name in ranges:
        if name not in known:
            more = " (a number inside a formula becomes a dial by 'numbers:')"
            raise NotFound(f"there is no dial '{name}'{nearest(name, known)}{more}")
    return {name: (low, high) for name, (low, high, _) in bounds_of(game, ranges).items()}


def _measures(plays: Plays | Told) -> list[str]:
    """What is looked at of each play."""
    if isinstance(plays, Plays):
        return list(plays.values)
    return list(dict.fromkeys([*plays.shares, *(name for name, _ in plays.quantiles), *plays.means]))


def _refused(game: PlayableGame, plays: Plays | Told) -> tuple[str, ...]:
    """What the plays are too little for.

    Raises:
        BadRequest: nothing can be fitted to them.
    """
    count = len(plays) if isinstance(plays, Told) else int((~plays.broke_off).sum())
    if count < FEWEST:
        raise BadRequest(f"{count} plays are too few to fit a habit to; {FEWEST} are the least, {FEW} better")
    warnings = [f"{count} plays are few: little is told by them"] if count < FEW else []
    if isinstance(plays, Plays):
        for measure, values in plays.values.items():
            known = values[~np.isnan(values)]
            if measure not in RESULTS and len(known) and (known == known[0]).all() and measure in plays.measures:
                raise BadRequest(
                    f"{plays.name}: '{measure}' is {known[0]:g} in all plays, which tells nothing; leave the column out"
                )
        if set(plays.values) <= {*RESULTS, "time"}:
            warnings.append("only results and times were recorded: many habits win as often and take as long")
    return tuple(warnings)


def _check(
    model: Surrogate,
    play: Any,
    box: tuple[Floats, Floats],
    plays: int,
    seed: int,
    done: tuple[int, int],
    progress: Progress | None,
) -> tuple[Any, Floats]:
    """How often a 90 % interval holds a truth that is known, by dial; and by what it would have to be wider."""
    low, high = box
    luck = np.random.default_rng([seed, 47])
    trials: list[tuple[Floats, Floats]] = []
    for trial in range(TRIALS):
        truth = low + (high - low) * luck.random(len(low))
        values = play(truth, plays, seed + TRUTHS + 7 * trial)
        means = np.array([float(function.of(values[function.measure]).mean()) for function in model.functions])
        trials.append((truth, model.reduced(means)))
        if progress is not None:
            progress(done[0] + trial + 1, done[1])
    # Polynomials miss in the same way at settings that are near each other; so a likelihood may be too sharp.
    worse = [model.worse(seen, plays, truth, model.draw(seen, plays, seed)) for truth, seen in trials]
    model.too_sure = max(1.0, float(np.mean(worse)) / len(low))
    inside, far = [], []
    for truth, seen in trials:
        draws = model.draw(seen, plays, seed)
        ends = np.quantile(draws, ((1 - SURE) / 2, (1 + SURE) / 2), axis=0)
        middle = np.median(draws, axis=0)
        inside.append((ends[0] <= truth) & (truth <= ends[1]))
        half = np.where(truth >= middle, ends[1] - middle, middle - ends[0])
        far.append(np.abs(truth - middle) / np.maximum(half, 1e-12))
    held = np.array(inside).sum(axis=0)
    # One short by chance is no reason; where fewer than 33 of 40 hold (one in twenty, were they right), they are wider.
    short = held < 33
    return held, np.where(short, np.quantile(np.array(far), SURE, axis=0), 1.0)


def _fitted(game: PlayableGame, name: str, ends: tuple[float, float], draws: Floats, best: float) -> FittedDial:
    low, high = np.quantile(draws, ((1 - SURE) / 2, (1 + SURE) / 2))
    best = float(best)
    value = Estimate(best, min(float(low), best), max(float(high), best), len(draws), "fitted", SURE)
    left = float(draws.std()) / ((ends[1] - ends[0]) / 12**0.5)
    return FittedDial(name, *ends, number_today(game, name), value, min(1.0, left))


def _tied(names: Sequence[str], draws: Floats, dials: Sequence[FittedDial]) -> tuple[tuple[str, str, float], ...]:
    """The pairs of dials that are not told apart."""
    if len(names) < 2:
        return ()
    together: Floats = np.atleast_2d(np.corrcoef(draws.T))
    return tuple(
        (names[one], names[other], float(together[one, other]))
        for one, other in combinations(range(len(names)), 2)
        if abs(together[one, other]) >= TIED and "told" not in (dials[one].how_told, dials[other].how_told)
    )


def _upper(squared: float, freedom: int) -> float:
    from scipy.special import chdtrc

    return float(chdtrc(freedom, squared))


def _kept(path: str | Path | None, key: str) -> _Bank | None:
    """The bank of a file, if it is this one."""
    if path is None or not Path(path).exists():
        return None
    try:
        with np.load(Path(path), allow_pickle=False) as content:
            if str(content["key"]) != key:
                return None
            names = [str(name) for name in content["names"]]
            return _Bank(content["theta"], {name: content[f"values {index}"] for index, name in enumerate(names)})
    except (OSError, ValueError, KeyError, EOFError):
        raise BadRequest(f"{path} is no bank of runs, or it is damaged; name another file") from None


def _keep(path: str | Path | None, key: str, bank: _Bank) -> None:
    if path is None:
        return
    out = io.BytesIO()
    arrays: dict[str, Any] = {f"values {index}": values for index, values in enumerate(bank.values.values())}
    arrays |= {"key": np.array(key), "names": np.array(list(bank.values)), "theta": bank.theta}
    np.savez_compressed(out, **arrays)
    write_bytes(Path(path), out.getvalue())
