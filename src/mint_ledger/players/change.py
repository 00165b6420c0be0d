"""What a change of the game would do for players who play as was fitted: over all settings that fit, under one luck."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.players.fit import SURE, Fit
from mint_ledger.players.likeness import simulated
from mint_ledger.players.recorded import RESULTS, Floats
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, plain
from mint_ledger.studies.studying import Asked, study_game

if TYPE_CHECKING:
    import pandas as pd

# Over so many settings that fit is a change played, each so often.
SETTINGS, RUNS_A_SETTING = 40, 250


@dataclass(frozen=True, eq=False, repr=False)
class Changed(Result):
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

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a measure: measure, before, after, difference, low, high."""
        import pandas as pd

        rows = [
            [name, before.value, after.value, gap.value, gap.low, gap.high]
            for name, (before, after, gap) in self.measures.items()
        ]
        return pd.DataFrame(rows, columns=["measure", "before", "after", "difference", "low", "high"])

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
    """Return what changed dials would do for those who play as was fitted; see `Game.change_for`."""
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
