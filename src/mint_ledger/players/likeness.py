"""Return whether recorded plays are like simulated ones: each measure of them side by side.

For each measure the chance that a recorded value is the higher of two (ties count half), with Korn and Graubard's
interval for clustered shares; a test of place (whether that chance is one half) and one of shape (Cramér and von Mises'
distance, against samples of as many simulated plays); Holm's correction over all tests. "alike" is said only where the
interval lies within a bound; "differs" only where a test says so after the correction.

Sources: Korn and Graubard, "Confidence intervals for proportions with small expected number of positive counts
estimated from survey data", Survey Methodology 24 (1998); Brunner and Munzel, "The nonparametric Behrens-Fisher
problem", Biometrical Journal 42 (2000); Anderson, "On the distribution of the two-sample Cramér-von Mises criterion",
Ann. Math. Stat. 33 (1962); Holm, "A simple sequentially rejective multiple test procedure", Scand. J. Stat. 6 (1979);
Gehan, "A generalized Wilcoxon test for comparing arbitrarily singly-censored samples", Biometrika 52 (1965).
"""

from __future__ import annotations

import math
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from statistics import NormalDist
from typing import TYPE_CHECKING, Any, Literal

import numpy as np

from mint_ledger import showing
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.players.recorded import RESULTS, Floats, Plays, Told
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.estimate import Estimate, plain
from mint_ledger.studies.study import Study
from mint_ledger.studies.studying import Asked, study_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

# The chance that a recorded value is the higher one has to lie within these, to be called alike; and so far may the
# shares of what lies below a value be apart.
ALIKE = (0.44, 0.56)
APART = 0.12
DRAWN = 1_999
# The variance of a place among those of the same distribution.
UNIFORM = 1.0 / 12.0
SIMULATED = 4_000
QUANTILES = (0.25, 0.5, 0.75)
Verdict = Literal["alike", "differs", "too few to tell"]


@dataclass(frozen=True, eq=False)
class Side:
    """A measure of recorded and of simulated plays.

    Attributes:
        recorded: its values, shape (plays,), and their `weights`; empty where only what was told of them is known.
        simulated: shape (runs,).
        higher: the chance that a recorded value is higher than a simulated one (ties count half).
        place: how likely a place as different as this is by chance, and `shape` the same of the shape (none: not looked
            at), both corrected for how many tests there are.
        told: what both come to: share or mean or quantiles, as (name, recorded, simulated).
    """

    measure: str
    recorded: Floats
    weights: Floats
    simulated: Floats
    higher: Estimate | None
    place: float
    shape: float | None
    told: tuple[tuple[str, float, float], ...]
    verdict: Verdict


@dataclass(frozen=True, eq=False, repr=False)
class Likeness(Result):
    """Recorded plays and simulated ones, measure by measure.

    Attributes:
        plays: how many were recorded, by so many `players`.
        sides: the measures, those that differ first.
        unit: what time is counted in.
        notes: what was done with plays that are not like the others.
    """

    title: str
    source: str
    plays: int
    players: int
    runs: int
    seed: int
    sure: float
    sides: tuple[Side, ...]
    unit: str = "s"
    notes: tuple[str, ...] = ()

    @property
    def differs(self) -> list[str]:
        """The measures that differ."""
        return [side.measure for side in self.sides if side.verdict == "differs"]

    def name(self, side: Side) -> str:
        """Return what people call a measure: time with its unit."""
        return f"time, {self.unit}" if side.measure == "time" else side.measure

    @property
    def is_alike(self) -> bool:
        """Return whether all that was recorded is alike."""
        return all(side.verdict == "alike" for side in self.sides)

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("plays_text.likeness_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Recorded and simulated distributions over each other, one panel a measure."""
        return showing.figure("plays_plot.likeness_figure", self, ax=ax)

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a number: measure, what, recorded, simulated, higher, low, high, place, shape, verdict."""
        import pandas as pd

        rows = [
            {
                "measure": side.measure,
                "what": what,
                "recorded": recorded,
                "simulated": simulated,
                "higher": side.higher.value if side.higher else math.nan,
                "low": side.higher.low if side.higher else math.nan,
                "high": side.higher.high if side.higher else math.nan,
                "place": side.place,
                "shape": math.nan if side.shape is None else side.shape,
                "verdict": side.verdict,
            }
            for side in self.sides
            for what, recorded, simulated in side.told
        ]
        return pd.DataFrame(rows)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "source": self.source,
            "plays": self.plays,
            "players": self.players,
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "alike": self.is_alike,
            "differs": self.differs,
            "measures": [
                {
                    "measure": side.measure,
                    "verdict": side.verdict,
                    "higher": plain(side.higher),
                    "place": side.place,
                    "shape": side.shape,
                    "told": [{"what": w, "recorded": r, "simulated": s} for w, r, s in side.told],
                }
                for side in self.sides
            ],
            "notes": list(self.notes),
        }


def compare_plays(game: PlayableGame, plays: Plays | Told, setting: Setting, runs: int = SIMULATED) -> Likeness:
    """Play as many runs, and compare each measure; see `Game.judge_plays`.

    Raises:
        BadRequest: there are no two plays, or too few runs.
    """
    if runs < 200:
        raise BadRequest(f"recorded plays are compared with 200 runs at least, not with {runs:,}")
    if len(plays) < 2:
        raise BadRequest(f"{plays.name} has one play alone; that tells nothing of how they are played")
    turned = setting.of(game)
    study = study_game(turned, runs, replace(setting, variant=None, dials={}), Asked(plays.measures, ()))
    names = plays.values if isinstance(plays, Plays) else plays.named
    values = {measure: simulated(study, measure) for measure in names}
    return held_against(plays, Simulated(values, study.unit), setting, setting.title(turned))


@dataclass(frozen=True, eq=False)
class Simulated:
    """What simulated runs came to: measure → values, shape (runs,); what time is counted in."""

    values: Mapping[str, Floats]
    unit: str


def held_against(plays: Plays | Told, runs: Simulated, setting: Setting, title: str) -> Likeness:
    """Compare each measure of recorded plays with that of simulated runs."""
    luck = np.random.default_rng([setting.seed, 41])
    notes: tuple[str, ...] = ()
    if isinstance(plays, Plays):
        sides = [
            _side(measure, plays, runs.values[measure], setting.sure, luck)
            for measure in _in_order(plays.values)
            if not _says_nothing(plays.values[measure], runs.values[measure])
        ]
        players, notes = plays.groups, plays.notes
    else:
        sides, players = _told_sides(plays, runs.values, setting.sure), plays.plays
    corrected = sorted(_corrected(sides), key=lambda side: ("differs", "too few to tell", "alike").index(side.verdict))
    count = len(next(iter(runs.values.values())))
    return Likeness(
        title, plays.name, len(plays), players, count, setting.seed, setting.sure, tuple(corrected), runs.unit, notes
    )


def simulated(study: Study, measure: str) -> Floats:
    """A measure of simulated runs as numbers; 1 or 0 for a result, the number of a level."""
    table = study.measures
    if measure in RESULTS:
        return np.asarray((table["result"] == measure).to_numpy(dtype=float))
    if measure == "level":
        levels = list(study.lowered.levels)
        return np.array([float(levels.index(name)) for name in table["level"].astype(str)])
    return np.asarray(table[measure].to_numpy(dtype=float))


def _in_order(values: Mapping[str, Floats]) -> list[str]:
    """Results first, then time and level, then the others."""
    return sorted(values, key=lambda name: (name not in RESULTS, name not in ("time", "level")))


def _says_nothing(recorded: Floats, runs: Floats) -> bool:
    """Return whether all plays of both sorts are the same in it."""
    both = np.concatenate([recorded[~np.isnan(recorded)], runs[~np.isnan(runs)]])
    return len(both) == 0 or bool((both == both[0]).all())


def _side(measure: str, plays: Plays, runs: Floats, sure: float, luck: np.random.Generator) -> Side:
    values = plays.values[measure]
    known = ~np.isnan(values)
    recorded, weights = values[known], plays.weights[known]
    runs = runs[~np.isnan(runs)]
    groups = np.unique(plays.players[known], return_inverse=True)[1]
    cut = plays.broke_off[known]
    places = _places(recorded, runs, cut)
    higher, place = _higher(places, weights, groups, recorded, runs, sure)
    is_share = measure in RESULTS
    whole = ~cut
    shape = None
    if not is_share and whole.sum() >= 2:
        effective = max(2, round(_effective(places, weights, groups, higher)))
        shape = _shape(recorded[whole], weights[whole], runs, min(effective, len(recorded)), luck)
    if is_share:
        told = [("share", float(np.average(recorded, weights=weights)), float(runs.mean()))]
    else:
        mine, its = (weighted_quantiles(v, w, QUANTILES) for v, w in ((recorded, weights), (runs, np.ones(len(runs)))))
        told = [(f"{100 * q:.0f} %", a, b) for q, a, b in zip(QUANTILES, mine, its, strict=True)]
    return Side(measure, recorded, weights, runs, higher, place, shape, tuple(told), "too few to tell")


def _places(recorded: Floats, runs: Floats, cut: np.ndarray[Any, np.dtype[np.bool_]]) -> Floats:
    """For each recorded value the share of simulated ones that lie below it, ties as half; of a play that broke off
    those that lie above are not known to, and count half as well (Gehan).
    """
    ordered = np.sort(runs)
    below, upto = (np.searchsorted(ordered, recorded, side=side) / len(runs) for side in ("left", "right"))
    return np.asarray(np.where(cut, below + (1.0 - below) / 2.0, (below + upto) / 2.0), dtype=float)


def _higher(
    places: Floats, weights: Floats, groups: Any, recorded: Floats, runs: Floats, sure: float
) -> tuple[Estimate, float]:
    """The chance that a recorded value is the higher, and how likely one as far from one half is by chance."""
    from scipy.special import stdtr, stdtrit

    value = float(np.average(places, weights=weights))
    error = _error(places, weights, groups, value, recorded, runs)
    count = len(np.unique(groups))
    if error == 0.0 or count < 2:
        # All are alike: so few could be by chance, as tosses of a coin may fall alike.
        effective, chance = float(count), min(1.0, 2.0 * 0.5**count) if value != 0.5 else 1.0
    else:
        usual = NormalDist().inv_cdf((1.0 + sure) / 2.0) / float(stdtrit(count - 1, (1.0 + sure) / 2.0))
        effective = min(value * (1.0 - value) / error**2 * usual**2, 1e9)
        chance = 2.0 * float(stdtr(count - 1, -abs(value - 0.5) / error))
    low, high = clopper_pearson(value * effective, effective, sure)
    return Estimate(value, low, high, len(places), "Korn and Graubard", sure), chance


def _error(places: Floats, weights: Floats, groups: Any, value: float, recorded: Floats, runs: Floats) -> float:
    """The standard error of a mean of places: between players, and of the simulated runs."""
    shares = weights / weights.sum()
    sums = np.bincount(groups, weights=shares * (places - value))
    count = len(sums)
    # Few plays that happen to be alike do not vary as little as it seems: two that vary as those of one distribution
    # are put to them.
    each = (float((sums**2).sum()) * count**2 + 2.0 * UNIFORM) / (count + 1)
    own = each / count
    order = np.argsort(recorded)
    steps = np.concatenate([[0.0], np.cumsum(shares[order])])
    below, upto = (steps[np.searchsorted(recorded[order], runs, side=side)] for side in ("left", "right"))
    return math.sqrt(own + float(np.var((below + upto) / 2.0)) / len(runs))


def _effective(places: Floats, weights: Floats, groups: Any, higher: Estimate) -> float:
    """As how many independent plays of one weight they count."""
    shares = weights / weights.sum()
    sums = np.bincount(groups, weights=shares * (places - higher.value))
    alone = float((shares**2 * (places - higher.value) ** 2).sum())
    together = float((sums**2).sum())
    kish = 1.0 / float((shares**2).sum())
    return kish * min(1.0, alone / together) if together > 0.0 else kish


def _shape(recorded: Floats, weights: Floats, runs: Floats, effective: int, luck: np.random.Generator) -> float:
    """Return how likely a distribution as far from the simulated one is, by chance: Cramér and von Mises' distance."""
    values, counts = np.unique(runs, return_counts=True)
    heights = np.cumsum(counts) / len(runs)
    steps = counts / len(runs)
    shares = weights / weights.sum()

    def distance(at: Floats, mass: Floats) -> float:
        order = np.argsort(at)
        reached = np.concatenate([[0.0], np.cumsum(mass[order])])
        own = reached[np.searchsorted(at[order], values, side="right")]
        # What lies outside of all simulated values shows at the nearest.
        return float((steps * (own - heights) ** 2).sum())

    seen = distance(recorded, shares)
    alike = np.full(effective, 1.0 / effective)
    drawn = [distance(luck.choice(runs, effective), alike) for _ in range(DRAWN)]
    return (1 + sum(one >= seen - 1e-12 for one in drawn)) / (DRAWN + 1)


def _told_sides(told: Told, simulated_: Mapping[str, Floats], sure: float) -> list[Side]:
    """Return what was told of all plays together beside what the runs come to."""
    none = np.zeros(0)
    sides = []
    for result, (count, whole) in told.shares.items():
        runs = simulated_[result]
        share, own = count / whole, float(runs.mean())
        pooled = (count + runs.sum()) / (whole + len(runs))
        error = math.sqrt(max(pooled * (1 - pooled), 1e-12) * (1 / whole + 1 / len(runs)))
        low, high = clopper_pearson(count, whole, sure)
        higher = Estimate(0.5 + (share - own) / 2, 0.5 + (low - own) / 2, 0.5 + (high - own) / 2, whole, "", sure)
        sides.append(
            Side(
                result,
                none,
                none,
                runs,
                higher,
                2 * _tail(abs(share - own) / error),
                None,
                (("share", share, own),),
                "alike",
            )
        )
    for (name, q), value in told.quantiles.items():
        runs = simulated_[name]
        below = float(((runs < value) + 0.5 * (runs == value)).mean())
        error = math.sqrt(q * (1 - q) * (1 / told.plays + 1 / len(runs)))
        step = 0.0 if not (runs == value).any() else float((runs == value).mean()) / 2
        z = max(abs(below - q) - step, 0.0) / error
        own = float(np.quantile(runs, q))
        sides.append(Side(name, none, none, runs, None, 2 * _tail(z), None, ((f"{100 * q:g} %", value, own),), "alike"))
    for name, (mean, half) in told.means.items():
        runs = simulated_[name]
        spread = float(runs.std(ddof=1))
        own = half / 1.96 if half is not None else spread / math.sqrt(told.plays)
        z = abs(mean - float(runs.mean())) / max(math.hypot(own, spread / math.sqrt(len(runs))), 1e-300)
        told_ = (("mean", mean, float(runs.mean())),)
        sides.append(Side(name, none, none, runs, None, 2 * _tail(z), None, told_, "alike"))
    return sides


def _corrected(sides: Sequence[Side]) -> list[Side]:
    """With Holm's correction over all tests, and what is said of each."""
    tests = [(side.place, index, "place") for index, side in enumerate(sides)]
    tests += [(side.shape, index, "shape") for index, side in enumerate(sides) if side.shape is not None]
    highest = 0.0
    corrected: dict[tuple[int, str], float] = {}
    for rank, (chance, index, which) in enumerate(sorted(tests)):
        highest = max(highest, min(1.0, chance * (len(tests) - rank)))
        corrected[index, which] = highest
    return [
        _judged(replace(side, place=corrected[index, "place"], shape=corrected.get((index, "shape"))))
        for index, side in enumerate(sides)
    ]


def _judged(side: Side) -> Side:
    higher, certain = side.higher, 1.0 - (side.higher.confidence if side.higher else 0.95)
    within = higher is not None and ALIKE[0] < higher.low and higher.high < ALIKE[1]
    far = APART if side.shape is None else _apart(side)
    if within and (side.shape is None or far < APART):
        return replace(side, verdict="alike")
    if side.place < certain or (side.shape is not None and side.shape < certain):
        return replace(side, verdict="differs")
    return replace(side, verdict="too few to tell")


def _apart(side: Side) -> float:
    """How far the shares of what lies below a value may be apart, by Dvoretzky, Kiefer, Wolfowitz and Massart."""
    values = np.unique(np.concatenate([side.recorded, side.simulated]))
    order = np.argsort(side.recorded)
    reached = np.concatenate([[0.0], np.cumsum(side.weights[order] / side.weights.sum())])
    own = reached[np.searchsorted(side.recorded[order], values, side="right")]
    its = np.searchsorted(np.sort(side.simulated), values, side="right") / len(side.simulated)
    kish = side.weights.sum() ** 2 / (side.weights**2).sum()
    return float(np.abs(own - its).max()) + math.sqrt(math.log(2 / 0.05) / (2 * kish))


def weighted_quantiles(values: Floats, weights: Floats, shares: Sequence[float]) -> list[float]:
    """The least value that at least so much of the weight has at most."""
    order = np.argsort(values)
    reached = np.cumsum(weights[order]) / weights.sum()
    places = [min(int(np.searchsorted(reached, q - 1e-12)), len(values) - 1) for q in shares]
    return [float(values[order][place]) for place in places]


def clopper_pearson(count: float, runs: float, sure: float) -> tuple[float, float]:
    """The exact interval of a share, of parts of runs too."""
    from scipy.special import betaincinv

    tail = (1.0 - sure) / 2.0
    low = 0.0 if count <= 0.0 else float(betaincinv(count, runs - count + 1.0, tail))
    high = 1.0 if count >= runs else float(betaincinv(count + 1.0, runs - count, 1.0 - tail))
    return low, high


def _tail(z: float) -> float:
    return 0.5 * math.erfc(z / math.sqrt(2.0))
