"""Finds which numbers of a habit fit recorded plays.

A bank of simulated runs over the dials is played, each setting with a separate seed; what is seen of the plays is then
held against it (`surrogate`). Where much of the range is ruled out by that, the next bank is played over what is left.
Two checks stand behind the answer: whether intervals made so hold the truth where it is known, and whether habits that
fit play like the recorded ones (`likeness`).
"""

from __future__ import annotations

import hashlib
import math
import zlib
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from itertools import combinations
from pathlib import Path
from typing import Any

import numpy as np

from mint_ledger.balance.dial_range import bounds_of, number_today
from mint_ledger.engines.baked import baked_in
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.players.fit import SURE, Fit, FittedDial
from mint_ledger.players.likeness import Likeness, Simulated, held_against, simulated
from mint_ledger.players.recorded import RESULTS, Floats, Plays, Told, game_mark
from mint_ledger.players.surrogate import (
    PlayMeans,
    Surrogate,
    even_points,
    functions_of_rows,
    functions_of_told,
    seen_of,
)
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate
from mint_ledger.studies.store import Store
from mint_ledger.studies.studying import Asked, study_game
from mint_ledger.versions import __version__

FEWEST, FEW = 15, 30
MOST_DIALS = 5
RUNS_A_POINT = 100
POINTS = 128
# A bank is played again over what is left of the ranges, so often at most, where less than this is left of one of them.
STAGES, NARROWER, LEAST = 4, 0.7, 0.005
# The check with known truths: so many, each of so many plays at most.
TRIALS, MOST_TRIED = 40, 400
# Fewer that hold come by chance in one of twenty such checks, were they right.
FEWEST_HELD = 33
# Apart from the luck of everything that is told: of the bank, of the truths that are tried, of the habits that fit.
BANK, TRUTHS, TOLD = 900_000, 950_000, 980_000
SETTINGS = 40
TIED = 0.7


def find_fit(
    game: PlayableGame,
    plays: Plays | Told,
    ranges: Mapping[str, Any],
    setting: Setting,
    *,
    store: str | Path | None = None,
    progress: Progress | None = None,
) -> Fit:
    """Find which dials fit recorded plays; see `Game.fit_plays`."""
    turned = setting.of(game)
    box = _box(turned, ranges)
    warnings = _refused(plays)
    return _Fitting(turned, plays, box, setting, store, progress).find(warnings)


@dataclass(frozen=True)
class _Bank:
    """Simulated runs over a box of dials: settings, shape (points, dials), and measure → values, (points, runs)."""

    theta: Floats
    values: Mapping[str, Floats]


class _Fitting:
    def __init__(
        self,
        game: PlayableGame,
        plays: Plays | Told,
        box: Mapping[str, tuple[float, float]],
        setting: Setting,
        store: str | Path | None,
        progress: Progress | None,
    ) -> None:
        self.game, self.plays, self.store, self.progress = game, plays, store, progress
        self.setting = replace(setting, variant=None, dials={})
        self.names = list(box)
        self.low, self.high = (np.array([ends[end] for ends in box.values()], dtype=float) for end in (0, 1))
        self.measures = _measures(plays)
        least = 3 * math.comb(len(box) + 4, 4)
        self.points = 1 << (max(POINTS, least) - 1).bit_length()
        self.tried = int(min(len(plays), MOST_TRIED))
        self.done, self.total, self.runs = 0, self.points + TRIALS, 0

    def find(self, warnings: tuple[str, ...]) -> Fit:
        """Play banks over less and less of the ranges, check, and tell."""
        low, high = self.low, self.high
        for stage in range(STAGES):
            model, seen = self._model(low, high, stage)
            reduced = model.reduced(seen.means)
            draws = model.draw(reduced, seen.plays, self.setting.seed)
            # Half as wide again as what is likely, as this bank may have missed it by a little.
            first, last = np.quantile(draws, (0.001, 0.999), axis=0)
            edge = np.maximum((last - first) / 4.0, LEAST * (self.high - self.low))
            inside = np.maximum(first - edge, low), np.minimum(last + edge, high)
            if stage == STAGES - 1 or ((inside[1] - inside[0]) / (high - low)).min() >= NARROWER:
                break
            low, high = inside
            self.total += self.points
        held, widened = self._check(model, low, high)
        draws = model.draw(reduced, seen.plays, self.setting.seed)
        squared, volume = model.misfit(reduced, draws, seen.plays)
        # The medians of dials that are not told apart need not go together: of the likeliest the nearest to them.
        worse = squared + volume
        near = draws[worse <= worse.min() + 1.0]
        off = (near - np.median(draws, axis=0)) / (high - low)
        likeliest = near[int(np.argmin((off**2).sum(axis=1)))]
        draws = np.clip(likeliest + (draws - likeliest) * widened, self.low, self.high)
        free = model.count - len(self.names)
        dials = tuple(
            _fitted(self.game, name, ends, *both)
            for name, ends, *both in zip(
                self.names, zip(self.low, self.high, strict=True), draws.T, likeliest, strict=True
            )
        )
        return Fit(
            self.setting.title(self.game),
            self.plays.name,
            self.setting.habit or "",
            len(self.plays),
            self.setting.seed,
            dials,
            draws,
            _tied(self.names, draws, dials),
            int(held.min()),
            TRIALS,
            float(widened.max()) * model.too_sure**0.5,
            _upper(float(squared.min()), free) if free > 0 else 1.0,
            self._likeness(draws),
            dict(self.plays.measures),
            self.runs,
            warnings,
        )

    def _play(self, at: Floats, runs: int, seed: int) -> Simulated:
        dials = dict(zip(self.names, map(float, at), strict=True))
        one = replace(self.setting, seed=seed, dials=dials)
        study = study_game(self.game, runs, one, Asked(self.plays.measures, ()))
        self.runs += runs
        self.done += 1
        if self.progress is not None:
            self.progress(min(self.done, self.total), self.total)
        return Simulated({measure: simulated(study, measure) for measure in self.measures}, study.unit)

    def _model(self, low: Floats, high: Floats, stage: int) -> tuple[Surrogate, PlayMeans]:
        """Return what plays come to over a box, and what was seen of the recorded ones in the same terms."""
        played = self._banked(low, high, stage)
        values = {m: v for m, v in played.values.items() if not np.isnan(v).any()}
        pooled = {measure: runs.ravel() for measure, runs in values.items()}
        if isinstance(self.plays, Plays):
            functions = functions_of_rows(pooled)
            if not functions:
                raise BadRequest("nothing that was recorded depends on these dials: simulated runs are all alike in it")
            seen = seen_of(functions, self.plays)
        else:
            functions, means = functions_of_told(self.plays, pooled)
            seen = PlayMeans(means, float(self.plays.plays))
        return Surrogate(low, high, played.theta, values, functions), seen

    def _banked(self, low: Floats, high: Floats, stage: int) -> _Bank:
        """The bank over a box: from the store, if it is there, else played."""
        seed, measures = self.setting.seed, sorted(self.plays.measures.items())
        ends = [(float(a).hex(), float(b).hex()) for a, b in zip(low, high, strict=True)]
        rests_on = (self.setting.habit, seed, self.names, ends, measures, self.measures, self.points)
        key = hashlib.sha256(f"{__version__} {baked_in()} {game_mark(self.game)} {rests_on}".encode()).hexdigest()
        # Only what all plays of this game share is kept: later boxes depend on what was seen.
        path = self.store if stage == 0 else None
        theta = low + (high - low) * even_points(self.points, len(low))
        kept = None
        if path is not None:
            with Store(path) as store:
                kept = self._unpacked(store.bank(key))
        if kept is not None:
            self.done += self.points
            self.runs += self.points * RUNS_A_POINT
            return _Bank(theta, kept)
        first = seed + BANK + 10_000 * stage
        rows = [self._play(at, RUNS_A_POINT, first + 7 * index).values for index, at in enumerate(theta)]
        made = _Bank(theta, {measure: np.stack([row[measure] for row in rows]) for measure in self.measures})
        if path is not None:
            content = b"".join(made.values[measure].astype("<f8").tobytes() for measure in self.measures)
            with Store(path) as store:
                store.keep_bank(key, self.game.title, zlib.compress(content, 1))
        return made

    def _unpacked(self, content: bytes | None) -> dict[str, Floats] | None:
        """The values of a bank from their bytes; none where they are not those of this one: it is played again."""
        if content is None:
            return None
        shape = len(self.measures), self.points, RUNS_A_POINT
        size = 8 * math.prod(shape)
        try:
            plain = zlib.decompressobj().decompress(content, size + 1)
        except zlib.error:
            return None
        if len(plain) != size:
            return None
        values = np.frombuffer(plain, "<f8").astype(float).reshape(shape)
        return dict(zip(self.measures, values, strict=True))

    def _check(self, model: Surrogate, low: Floats, high: Floats) -> tuple[Any, Floats]:
        """How often a 90 % interval holds a truth that is known, by dial; and by what it would have to be wider."""
        seed, plays = self.setting.seed, float(self.tried)
        luck = np.random.default_rng([seed, 47])
        trials: list[tuple[Floats, Floats]] = []
        for trial in range(TRIALS):
            truth = low + (high - low) * luck.random(len(low))
            values = self._play(truth, self.tried, seed + TRUTHS + 7 * trial).values
            means = np.array([float(function.of(values[function.measure]).mean()) for function in model.functions])
            trials.append((truth, model.reduced(means)))
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
        wider = np.quantile(np.array(far), SURE, axis=0)
        return held, np.where(held < FEWEST_HELD, np.maximum(wider, 1.0), 1.0)

    def _likeness(self, draws: Floats) -> Likeness:
        """The plays beside habits that fit: one of many settings each, as none of them is the only one."""
        luck = np.random.default_rng([self.setting.seed, 59])
        picked = draws[luck.choice(len(draws), SETTINGS, replace=False)]
        first = self.setting.seed + TOLD
        parts = [self._play(at, RUNS_A_POINT, first + 7 * index) for index, at in enumerate(picked)]
        values = {m: np.concatenate([part.values[m] for part in parts]) for m in self.measures}
        return held_against(self.plays, Simulated(values, parts[0].unit), self.setting, self.setting.title(self.game))


def _box(game: PlayableGame, ranges: Mapping[str, Any]) -> dict[str, tuple[float, float]]:
    if not 1 <= len(ranges) <= MOST_DIALS:
        raise BadRequest(f"1 to {MOST_DIALS} dials are fitted at once, not {len(ranges)}")
    for name in ranges:
        game.dials.find(name)
    return {name: (low, high) for name, (low, high, _) in bounds_of(game, ranges).items()}


def _measures(plays: Plays | Told) -> list[str]:
    """Return what is looked at of each play."""
    if isinstance(plays, Plays):
        return list(plays.values)
    return list(plays.named)


def _refused(plays: Plays | Told) -> tuple[str, ...]:
    """Return what the plays are too little for.

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
