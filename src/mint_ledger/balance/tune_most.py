"""The best of all settings of some dials, instead of a wanted range: what it gives, what is as good, what it costs.

All settings are played under the same luck, and differences are of the same runs. What is told of the best is from luck
of its own, as the highest of many estimates is too high.
"""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from itertools import product
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.dial_range import setting_of, today_of, values_of
from mint_ledger.balance.grid import estimate_gap
from mint_ledger.balance.tune import FRESH
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import MAX_SEED, Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, measured, plain
from mint_ledger.studies.study import Study
from mint_ledger.studies.studying import measure_game

if TYPE_CHECKING:
    import pandas as pd

MOST_SETTINGS = 400

Values = tuple[float | str, ...]


@dataclass(frozen=True, repr=False)
class TunedMost(Result):
    """The best setting that was found, of all that were looked at.

    Attributes:
        most: whether the highest was looked for; else the lowest.
        dials: the dials, with what they are today.
        seen: each setting with its estimate, all under the same luck.
        best: the best setting, and `estimate` what it gives with a separate seed.
        today: what today's setting gives with that luck, and `gain` the difference, run by run.
        as_good: the settings that are not certainly worse than the best, itself among them, the nearest to today first.
    """

    title: str
    measure: str
    most: bool
    runs: int
    seed: int
    sure: float
    dials: tuple[tuple[str, float | str], ...]
    seen: tuple[tuple[Values, Estimate], ...]
    best: Values
    estimate: Estimate
    today: Estimate
    gain: Estimate | None
    as_good: tuple[Values, ...]

    @property
    def changed(self) -> dict[str, float | str]:
        """The dials that the best setting changes, with their values: its price."""
        return {name: value for (name, today), value in zip(self.dials, self.best, strict=True) if value != today}

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a setting that was looked at: a column for each dial, then value, low, high."""
        import pandas as pd

        rows = [[*setting, one.value, one.low, one.high] for setting, one in self.seen]
        return pd.DataFrame(rows, columns=[*(name for name, _ in self.dials), "value", "low", "high"])

    def summary(self) -> str:
        """The answer, for people."""
        return showing.text("tune_most_text.most_text", self)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        names = [name for name, _ in self.dials]
        return {
            "title": self.title,
            "measure": self.measure,
            "wanted": "most" if self.most else "least",
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "today": dict(self.dials) | {"estimate": plain(self.today)},
            "best": dict(zip(names, self.best, strict=True)) | {"estimate": plain(self.estimate)},
            "gain": plain(self.gain) if self.gain is not None else None,
            "changed": self.changed,
            "as_good": [dict(zip(names, values, strict=True)) for values in self.as_good],
            "seen": [dict(zip(names, v, strict=True)) | {"estimate": plain(e)} for v, e in self.seen],
        }


def tune_most(
    game: PlayableGame,
    dials: Mapping[str, str],
    measure: str,
    setting: Setting,
    runs: int,
    *,
    most: bool,
    progress: Progress | None = None,
) -> TunedMost:
    """Look for the setting with the highest (or lowest) estimate; see `Game.tune_most`."""
    turned = setting.of(game)
    choices = {name: values_of(turned, name, text) for name, text in dials.items()}
    settings: list[Values] = list(product(*choices.values()))
    if not 2 <= len(settings) <= MOST_SETTINGS:
        raise BadRequest(f"{len(settings):,} settings to choose from; it wants 2 to {MOST_SETTINGS}")
    needed = measured(turned, measure)
    today: Values = tuple(today_of(turned, name) for name in dials)

    def play(values: Values, seed: int, count: int) -> Study:
        changed = {name: setting_of(name, value) for name, value in zip(dials, values, strict=True)}
        with_luck = Setting(seed, setting.habit, setting.variant, {**setting.dials, **changed}, setting.sure)
        return measure_game(game, count, with_luck, needed)

    studies: list[Study] = []
    for number, values in enumerate(settings):
        if progress is not None:
            progress(number, len(settings) + 2)
        studies.append(play(values, setting.seed, runs))
    seen = [study.estimate(measure) for study in studies]
    sign = 1.0 if most else -1.0
    place = max(range(len(settings)), key=lambda at: (sign * seen[at].value, -_distance(settings[at], today)))
    # All pairs hold together (Bonferroni), not only those with the best: which one that is was chosen by what was seen.
    sure = 1.0 - (1.0 - setting.sure) / (len(settings) * (len(settings) - 1) / 2)
    as_good = []
    for at, study in enumerate(studies):
        gap = estimate_gap(study, studies[place], measure, sure)
        worse = gap is not None and (gap.low > 0.0 if most else gap.high < 0.0)
        if at == place or not worse:
            as_good.append(settings[at])
    own = (setting.seed + FRESH) % (MAX_SEED + 1)
    best, before = (play(values, own, 2 * runs) for values in (settings[place], today))
    if progress is not None:
        progress(len(settings) + 2, len(settings) + 2)
    return TunedMost(
        setting.title(turned),
        measure,
        most,
        runs,
        setting.seed,
        setting.sure,
        tuple(zip(dials, today, strict=True)),
        tuple(zip(settings, seen, strict=True)),
        settings[place],
        best.estimate(measure),
        before.estimate(measure),
        estimate_gap(before, best, measure, setting.sure),
        tuple(sorted(as_good, key=lambda values: _distance(values, today))),
    )


def _distance(values: Values, today: Values) -> float:
    """Return how far a setting is from today's: shares by which numbers differ, and one for each other word."""
    total = 0.0
    for value, now in zip(values, today, strict=True):
        if isinstance(value, str) or isinstance(now, str):
            total += float(value != now)
        else:
            total += abs(value - now) / max(abs(now), 1e-9)
    return total
