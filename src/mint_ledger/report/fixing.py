"""What would fix the target that is missed most: the number that moves it, and the value that meets it."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mint_ledger.balance.dial_range import read_bounds, setting_of
from mint_ledger.balance.sensitivity import Moved, make_sensitivity
from mint_ledger.balance.targets import Judged, judge_targets
from mint_ledger.balance.tune import tune_dial
from mint_ledger.errors import MintError
from mint_ledger.game.script import Wanted
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.budget import Budget
from mint_ledger.studies.estimate import Estimate

# So many runs rank the dials, and judge each value that is tried.
RANKED, TRIED = 200, 1_000
MOST_DIALS = 8
# And so many in all for each dial, the same on every machine.
MOST_TRIED = 30_000
MOST_FOUND = 3
# What players do, and how long it all lasts, is no number to fix a game with.
NOT_OF_THE_GAME = ("habits", "clock")


@dataclass(frozen=True, slots=True)
class Fix:
    """A change that meets a target.

    Attributes:
        judged: the target, as it is missed.
        dial: what is to be turned, from `today` to `value`.
        confirmed: the estimate there, with a separate seed.
        passed: the dials that were tried before without meeting it.
        missed_then: how many targets are missed there; of several dials the one with the fewest is taken.
    """

    judged: Judged
    dial: str
    today: float
    value: float
    confirmed: Estimate
    passed: tuple[str, ...]
    missed_then: int


def most_missed(judged: Sequence[Judged]) -> Judged | None:
    """The missed target that is furthest from what is wanted, for the width of its interval; none if none is missed."""
    missed = [result for result in judged if result.verdict == "missed"]
    return max(missed, key=_off, default=None)


def _off(result: Judged) -> float:
    want, estimate = result.target.want, result.estimate
    off = max(want.low - estimate.value, estimate.value - want.high, 0.0)
    return off / max(estimate.half_width, 1e-12)


def find_fix(game: PlayableGame, result: Judged, seed: int, sure: float) -> Fix | None:
    """A number that, turned alone, meets a missed target; none where none of those that move it most does."""
    target = result.target
    setting = Setting(seed, result.habit, target.variant, sure=sure)
    up = result.estimate.value < target.want.low
    try:
        ranked = make_sensitivity(game, _dials(game), _ranking(target.measure), 0.1, RANKED, setting)
    except MintError:
        return None
    found: list[Fix] = []
    passed: list[str] = []
    # A dial that others follow moves with them: one of those that do the same is tried.
    certain = {(moved.today, moved.effect.value): moved for moved in reversed(ranked.moved) if moved.is_certain}
    for moved in list(certain.values())[::-1][:MOST_DIALS]:
        bounds = _bounds(moved, up=up)
        if bounds is None:
            continue
        try:
            wanted = Wanted(target.measure, target.want, target.measure)
            tuned = tune_dial(game, moved.dial, bounds, wanted, Budget(TRIED, most_runs=MOST_TRIED), setting)
        except MintError:
            continue
        if tuned.verdict != "missed" and tuned.confirmed is not None and tuned.looks and tuned.best != moved.today:
            after = judge_targets(game, TRIED, seed, dials={moved.dial: setting_of(moved.dial, tuned.best)}, sure=sure)
            missed = sum(other.verdict == "missed" for other in after)
            found.append(Fix(result, moved.dial, moved.today, tuned.best, tuned.confirmed, tuple(passed), missed))
            if not missed or len(found) == MOST_FOUND:
                break
        else:
            passed.append(moved.dial)
    return min(found, key=lambda fix: fix.missed_then, default=None)


def _dials(game: PlayableGame) -> list[str]:
    known = game.dials
    places = zip(known.names, known.written, strict=True)
    return [n for i, (n, path) in enumerate(places) if path[0] not in NOT_OF_THE_GAME and i not in known.words]


def _ranking(measure: str) -> str:
    """Return what ranks the dials: a mean where a quantile is wanted, as runs have to be paired."""
    what, _, inside = measure.partition("(")
    if what in ("rate", "mean"):
        return measure
    name = inside.removesuffix(")")
    return f"mean({name.rpartition(',')[0].strip() if what == 'quantile' else name})"


def _bounds(moved: Moved, *, up: bool) -> tuple[float, float, float] | None:
    """From half of what it is to twice as much, on the side that moves the estimate where it is wanted."""
    today, more = moved.today, (moved.effect.value > 0.0) == up
    if today == 0.0:
        return None
    low, high = (today, 2.0 * today) if more == (today > 0.0) else (0.5 * today, today)
    low, high = min(low, high), max(low, high)
    try:
        return read_bounds(f"{low:g}..{high:g}", today)
    except MintError:
        return None
