"""What plays come to as the dials of a habit are turned, from a bank of simulated runs; and which dials fit.

Functions of a play (each measure, and whether it lies below its quartiles) are made independent of each other and then
reduced to the directions that tell most of the dials, about two a dial. The mean of each is a polynomial of the dials,
of the fourth degree where the bank is large enough, and so is their covariance; how far the polynomials miss the bank
is added to it. The likelihood of a mean of many plays is normal; the dials are drawn from it by importance sampling.

Sources: Wood, "Statistical inference for noisy nonlinear ecological dynamic systems", Nature 466 (2010), for the normal
likelihood of summaries; Fearnhead and Prangle, "Constructing summary statistics for approximate Bayesian computation",
J. R. Stat. Soc. B 74 (2012), for summaries by regression.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from functools import cache
from itertools import combinations_with_replacement
from math import comb
from typing import Any

import numpy as np

from mint_ledger.players.recorded import RESULTS, Floats, Plays, Told

QUARTILES = (0.25, 0.5, 0.75)
# A direction in which functions vary less than this share of the widest is a repetition of others.
REPEATS = 1e-3
FOR_DIRECTIONS = 1 / 3
DRAWS, EVEN, ROUNDS = 2_000, 4_096, 8
# So many points have to be likely; what is less likely than the most by this much (its logarithm) is far.
ENOUGH, FAR = 400.0, 9.0


@dataclass(frozen=True, slots=True)
class Function:
    """A function of a play: a measure in units of its spread, or whether it is at most a value."""

    measure: str
    cut: float | None = None
    center: float = 0.0
    scale: float = 1.0

    def of(self, values: Floats) -> Floats:
        """The function of each play; NaN where the measure is missing."""
        if self.cut is None:
            return (values - self.center) / self.scale
        return np.where(np.isnan(values), np.nan, (values <= self.cut).astype(float))


def functions_of_rows(values: Mapping[str, Floats]) -> tuple[Function, ...]:
    """The functions of plays of which each is known, from what runs come to; constant ones are none."""
    functions: list[Function] = []
    for measure, runs in values.items():
        spread = float(runs.std())
        if not spread > 0.0:
            continue
        functions.append(Function(measure, None, float(runs.mean()), spread))
        if measure not in RESULTS:
            cuts = np.unique(np.quantile(runs, QUARTILES))
            functions += [Function(measure, float(cut)) for cut in cuts if runs.min() <= cut < runs.max()]
    return tuple(functions)


def functions_of_told(told: Told, values: Mapping[str, Floats]) -> tuple[tuple[Function, ...], Floats]:
    """The functions of which the mean was told, with those means."""
    functions: list[Function] = []
    means: list[float] = []
    for result, (count, whole) in told.shares.items():
        functions.append(Function(result))
        means.append(count / whole)
    for (measure, q), value in told.quantiles.items():
        functions.append(Function(measure, value))
        # Where many plays are at the value itself, as many are at most it as there may be.
        runs = values[measure]
        at = float((runs == value).mean())
        means.append(q if at == 0.0 else min(max(q, float((runs <= value).mean())), q + at))
    for measure, (mean, _) in told.means.items():
        spread = float(values[measure].std()) or 1.0
        functions.append(Function(measure, None, float(values[measure].mean()), spread))
        means.append((mean - functions[-1].center) / spread)
    return tuple(functions), np.array(means)


@dataclass(frozen=True, eq=False)
class PlayMeans:
    """What was seen of plays: the mean of each function, and of how many independent plays it is."""

    means: Floats
    plays: float


def seen_of(functions: tuple[Function, ...], plays: Plays) -> PlayMeans:
    """The means of rows; plays that broke off tell nothing here."""
    whole = ~plays.broke_off
    weights = plays.weights[whole]
    means, shares = [], []
    for function in functions:
        values = function.of(plays.values[function.measure][whole])
        known = ~np.isnan(values)
        means.append(float(np.average(values[known], weights=weights[known])))
        shares.append(float(weights[known].sum() / weights.sum()))
    kish = float(weights.sum() ** 2 / (weights**2).sum())
    return PlayMeans(np.array(means), kish * min(shares) * independence(functions, plays))


def independence(functions: tuple[Function, ...], plays: Plays) -> float:
    """As which share of their number plays count, as those of one player are alike; 1 where nobody played twice."""
    whole = ~plays.broke_off
    players, weights = plays.players[whole], plays.weights[whole]
    groups = np.unique(players, return_inverse=True)[1]
    if len(np.unique(players)) == len(players):
        return 1.0
    ratios = []
    for function in functions:
        values = function.of(plays.values[function.measure][whole])
        known = ~np.isnan(values)
        off = weights[known] * (values[known] - np.average(values[known], weights=weights[known]))
        together = float((np.bincount(groups[known], weights=off) ** 2).sum())
        if together > 0.0:
            ratios.append(float((off**2).sum()) / together)
    return min(1.0, float(np.median(ratios))) if ratios else 1.0


class Surrogate:
    """Polynomials for what plays come to, over a box of dials.

    Arguments:
        low, high: the box, shape (dials,).
        theta: the settings of the bank, shape (points, dials); `bank`: measure → its values, shape (points, runs).
    """

    def __init__(
        self, low: Floats, high: Floats, theta: Floats, bank: Mapping[str, Floats], functions: tuple[Function, ...]
    ) -> None:
        self.low, self.high, self.functions = low, high, functions
        f = np.stack([function.of(bank[function.measure]) for function in functions], axis=-1)
        points, self.runs = f.shape[:2]
        off = f - f.mean(axis=1)[:, None]
        within = np.einsum("pri,prj->ij", off, off) / (points * (self.runs - 1))
        spread, turned = np.linalg.eigh(within)
        kept = spread > REPEATS * spread.max()
        white = turned[:, kept] / np.sqrt(spread[kept])
        # Directions are found in some of the runs and polynomials in the others: where both were found in the same,
        # chance would seem to depend on the dials.
        first = round(self.runs * FOR_DIRECTIONS)
        self.turn = white @ self._telling(theta, f[:, :first].mean(axis=1) @ white)
        z = f[:, first:] @ self.turn
        self.runs -= first
        self.count = z.shape[-1]
        means = z.mean(axis=1)
        off = z - means[:, None]
        covariance = np.einsum("pri,prj->pij", off, off) / (self.runs - 1)
        self.degree = max(d for d in (1, 2, 3, 4) if d == 1 or points >= 2 * comb(len(low) + d, d))
        terms = self._terms(theta, self.degree)
        self.beta = np.linalg.lstsq(terms, means, rcond=None)[0]
        self.inverse = np.linalg.pinv(terms.T @ terms)
        gap = means - terms @ self.beta
        self.residual = gap.T @ gap / max(points - terms.shape[1], 1)
        sizes, axes = np.linalg.eigh(self.residual - covariance.mean(axis=0) / self.runs)
        self.missed = (axes * np.maximum(sizes, 0.0)) @ axes.T
        self._learn_covariance(theta, covariance)
        # By how much the likelihood is too sharp, as trials with known truths show.
        self.too_sure = 1.0

    def _telling(self, theta: Floats, means: Floats) -> Floats:
        """The directions of independent functions that tell of the dials and of their squares."""
        unit = self._unit(theta)
        wanted = np.column_stack([unit, unit**2])
        slopes = np.linalg.lstsq(np.column_stack([np.ones(len(means)), means]), wanted, rcond=None)[0][1:]
        directions, sizes, _ = np.linalg.svd(slopes, full_matrices=False)
        return directions[:, sizes > REPEATS * sizes.max()]

    def _learn_covariance(self, theta: Floats, covariance: Floats) -> None:
        ridge = 1e-4 * np.eye(self.count)
        roots = np.linalg.cholesky(covariance + ridge)
        self.covariance_degree = min(self.degree, 3)
        terms = self._terms(theta, self.covariance_degree)
        diagonal = np.arange(self.count)
        self.below = np.tril_indices(self.count, -1)
        self.diagonal = np.linalg.lstsq(terms, np.log(roots[:, diagonal, diagonal]), rcond=None)[0]
        self.beside = np.linalg.lstsq(terms, roots[:, self.below[0], self.below[1]], rcond=None)[0]

    def _unit(self, theta: Floats) -> Floats:
        return 2.0 * (np.atleast_2d(theta) - self.low) / (self.high - self.low) - 1.0

    def _terms(self, theta: Floats, degree: int) -> Floats:
        unit = self._unit(theta)
        dials = range(unit.shape[1])
        columns = [
            np.prod(unit[:, list(which)], axis=1) if which else np.ones(len(unit))
            for total in range(degree + 1)
            for which in combinations_with_replacement(dials, total)
        ]
        return np.column_stack(columns)

    def reduced(self, means: Floats) -> Floats:
        """The means of all functions as those of the few."""
        return np.asarray(means @ self.turn, dtype=float)

    def misfit(self, seen: Floats, theta: Floats, plays: float) -> tuple[Floats, Floats]:
        """How far (squared, in standard errors) reduced means are from those of some settings, shape (settings,), and
        the logarithm of the determinant of their covariance.
        """
        theta = np.atleast_2d(theta)
        terms = self._terms(theta, self.degree)
        roots = np.zeros((len(theta), self.count, self.count))
        own = self._terms(theta, self.covariance_degree)
        diagonal = np.arange(self.count)
        roots[:, diagonal, diagonal] = np.exp(np.clip(own @ self.diagonal, -12.0, 12.0))
        roots[:, self.below[0], self.below[1]] = own @ self.beside
        covariance = roots @ roots.transpose(0, 2, 1) / plays
        unsure = np.einsum("pi,ij,pj->p", terms, self.inverse, terms)
        covariance += self.missed + self.residual * unsure[:, None, None] + 1e-12 * np.eye(self.count)
        gap = seen - terms @ self.beta
        squared = np.einsum("pi,pi->p", gap, np.linalg.solve(covariance, gap[..., None])[..., 0])
        return squared, np.linalg.slogdet(covariance)[1]

    def worse(self, seen: Floats, plays: float, truth: Floats, draws: Floats) -> float:
        """By how much a truth is less likely than the likeliest setting that was drawn: twice the logarithm.

        Chi-squared with as many degrees of freedom as there are dials, were the likelihood right (Wilks).
        """
        squared, volume = self.misfit(seen, np.concatenate([truth[None], draws]), plays)
        both = squared + volume
        return float(both[0] - both.min())

    def draw(self, seen: Floats, plays: float, seed: int) -> Floats:
        """Settings as likely as what was seen makes them, shape (`DRAWS`, dials); before, all of the box are alike.

        Even points in a box are weighted by their likelihood; the box is narrowed and turned about what is likely until
        enough of its points are.
        """
        luck = np.random.default_rng([seed, 43])
        size = self.high - self.low
        even = (even_points(EVEN, len(size)) + luck.random(len(size))) % 1.0

        def likely(theta: Floats) -> Floats:
            inside = ((theta >= self.low) & (theta <= self.high)).all(axis=1)
            logarithm = np.full(len(theta), -np.inf)
            if inside.any():
                squared, volume = self.misfit(seen, theta[inside], plays)
                logarithm[inside] = -0.5 * (squared + volume) / self.too_sure
            return logarithm

        theta = self.low + size * even
        weights = likely(theta)
        for _ in range(ROUNDS):
            heat = 1.0
            while heat > 1e-4 and 1.0 / (_shares(heat * weights) ** 2).sum() < ENOUGH:
                heat /= 2.0
            if heat == 1.0:
                break
            shares = _shares(heat * weights)
            center = shares @ theta
            off = (theta - center) / size
            _, axes = np.linalg.eigh(off.T @ (shares[:, None] * off))
            along = (off @ axes)[heat * weights > (heat * weights).max() - FAR]
            low, high = along.min(axis=0), along.max(axis=0)
            edge = 0.05 * (high - low) + 1e-6
            theta = center + ((low - edge + (high - low + 2.0 * edge) * even) @ axes.T) * size
            weights = likely(theta)
        return theta[luck.choice(len(theta), DRAWS, p=_shares(weights))]


@cache
def even_points(count: int, dials: int) -> Floats:
    """Sobol's points, scrambled always in the same way."""
    from scipy.stats.qmc import Sobol

    return np.asarray(Sobol(dials, scramble=True, seed=20).random(count), dtype=float)


def _shares(logarithms: Floats) -> Any:
    highest = logarithms.max()
    if not np.isfinite(highest):
        return np.full(len(logarithms), 1.0 / len(logarithms))
    weights = np.exp(logarithms - highest)
    return weights / weights.sum()
