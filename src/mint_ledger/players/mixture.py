"""Which shares of recorded plays are played by which known habits.

The mean of each function of a play (`surrogate.functions_of_rows`) over a mixture is the mixture of its means, so the
shares are those, none below 0 and 1 in all, whose mixture comes nearest to what was recorded; near is measured by how
plays vary. Intervals are of plays drawn again, player by player.

Source: Efron, "Bootstrap methods: another look at the jackknife", Ann. Stat. 7 (1979), for the intervals.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.players.fit import SURE
from mint_ledger.players.likeness import Likeness, Simulated, held_against, simulated
from mint_ledger.players.recorded import Floats, Plays
from mint_ledger.players.surrogate import functions_of_rows
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, plain
from mint_ledger.studies.studying import Asked, study_game

if TYPE_CHECKING:
    import pandas as pd

RUNS, RESAMPLES, FEWEST = 4_000, 400, 15
# What varies less than this share of the most is a repetition of other functions.
REPEATS = 1e-3


@dataclass(frozen=True, eq=False, repr=False)
class Mixture(Result):
    """The shares of known habits among recorded plays.

    Attributes:
        shares: habit → its share, with a 90 % interval.
        likeness: the plays beside that mixture.
    """

    title: str
    source: str
    plays: int
    seed: int
    shares: Mapping[str, Estimate]
    likeness: Likeness

    @property
    def fits(self) -> bool:
        """Return whether nothing says that the plays are otherwise than such a mixture."""
        return not self.likeness.differs

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("fit_text.mixture_text", self)

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a habit: habit, share, low, high."""
        import pandas as pd

        rows = [(habit, e.value, e.low, e.high) for habit, e in self.shares.items()]
        return pd.DataFrame(rows, columns=["habit", "share", "low", "high"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "source": self.source,
            "plays": self.plays,
            "seed": self.seed,
            "shares": {habit: plain(share) for habit, share in self.shares.items()},
            "fits": self.fits,
            "likeness": self.likeness.as_json(),
        }


def find_mixture(
    game: PlayableGame, plays: Plays, habits: Sequence[str], setting: Setting, progress: Progress | None = None
) -> Mixture:
    """The shares of some habits among plays; see `Game.mix_plays`."""
    if len(set(habits)) < 2:
        raise BadRequest("a mixture wants two habits at least")
    whole = ~plays.broke_off
    if whole.sum() < FEWEST:
        raise BadRequest(f"{int(whole.sum())} plays are too few to tell who played them; {FEWEST} are the least")
    turned = setting.of(game)
    own = replace(setting, variant=None, dials={})
    sides: dict[str, Simulated] = {}
    for number, habit in enumerate(dict.fromkeys(habits)):
        one = replace(own, habit=habit, seed=setting.seed + 11 * number)
        study = study_game(turned, RUNS, one, Asked(plays.measures, ()))
        sides[habit] = Simulated({m: simulated(study, m) for m in plays.values}, study.unit)
        if progress is not None:
            progress(number + 1, len(habits))
    known = [m for m in plays.values if not any(np.isnan(side.values[m]).any() for side in sides.values())]
    pooled = {m: np.concatenate([side.values[m] for side in sides.values()]) for m in known}
    functions = functions_of_rows(pooled)
    if not functions:
        raise BadRequest("nothing that was recorded tells these habits from each other")
    rows = np.column_stack([f.of(plays.values[f.measure][whole]) for f in functions])
    complete = ~np.isnan(rows).any(axis=1)
    rows, weights, players = rows[complete], plays.weights[whole][complete], plays.players[whole][complete]
    means = [np.column_stack([f.of(side.values[f.measure]) for f in functions]) for side in sides.values()]
    white = _white(np.concatenate([part - part.mean(axis=0) for part in means]))
    each = np.column_stack([part.mean(axis=0) @ white for part in means])
    value = _shares(each, np.average(rows, axis=0, weights=weights) @ white)
    spread = _resampled(each, rows @ white, weights, players, setting.seed)
    low, high = np.quantile(spread, ((1 - SURE) / 2, (1 + SURE) / 2), axis=0)
    shares = {
        habit: Estimate(float(v), min(float(a), float(v)), max(float(b), float(v)), len(plays), "bootstrap", SURE)
        for habit, v, a, b in zip(sides, value, low, high, strict=True)
    }
    title = replace(own, habit=None).title(turned).removesuffix(" · nobody plays")
    likeness = held_against(plays, _mixed(sides, value), own, title)
    return Mixture(title, plays.name, len(plays), setting.seed, shares, likeness)


def _white(off: Floats) -> Floats:
    """Return what makes functions vary by 1 each and apart from one another, without those that repeat others."""
    sizes, axes = np.linalg.eigh(off.T @ off / len(off))
    kept = sizes > REPEATS * sizes.max()
    return np.asarray(axes[:, kept] / np.sqrt(sizes[kept]))


def _shares(each: Floats, seen: Floats) -> Floats:
    """The shares (0 and more, 1 in all) whose mixture of columns comes nearest to what was seen."""
    from scipy.optimize import nnls

    # That they are 1 in all weighs as much as all else together, and more.
    heavy = 1e3 * (1.0 + float(np.abs(each).max()))
    shares, _ = nnls(np.vstack([each, np.full(each.shape[1], heavy)]), np.append(seen, heavy))
    return np.asarray(shares / shares.sum())


def _resampled(each: Floats, rows: Floats, weights: Floats, players: Any, seed: int) -> Floats:
    """The shares of plays drawn again, player by player, shape (resamples, habits)."""
    luck = np.random.default_rng([seed, 61])
    groups = np.unique(players, return_inverse=True)[1]
    count = int(groups.max()) + 1
    drawn = []
    for _ in range(RESAMPLES):
        often = np.bincount(luck.integers(0, count, count), minlength=count)[groups] * weights
        if often.sum() > 0.0:
            drawn.append(_shares(each, np.average(rows, axis=0, weights=often)))
    return np.array(drawn)


def _mixed(sides: Mapping[str, Simulated], shares: Floats) -> Simulated:
    """Runs of each habit by its share."""
    first = next(iter(sides.values()))
    counts = np.maximum(np.round(shares * RUNS).astype(int), 0)
    values = {
        measure: np.concatenate([side.values[measure][:n] for side, n in zip(sides.values(), counts, strict=True)])
        for measure in first.values
    }
    return Simulated(values, first.unit)
