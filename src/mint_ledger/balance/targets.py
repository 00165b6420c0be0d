"""Judges a game by its targets: met, missed, or undecided at so many runs."""

from __future__ import annotations

import math
from collections.abc import Iterable, Mapping, Sequence
from dataclasses import dataclass, replace
from typing import TYPE_CHECKING, Any, Literal

from mint_ledger import showing
from mint_ledger.errors import NotFound, Partial, nearest
from mint_ledger.game.dial_value import Value
from mint_ledger.game.parts import Span
from mint_ledger.game.target import Target
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting, scripted_title
from mint_ledger.showing import Result
from mint_ledger.studies.estimate import CONFIDENCE, Estimate, measured
from mint_ledger.studies.studying import Asked, Means, study_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.studies.budget import Progress
    from mint_ledger.studies.study import Study

Verdict = Literal["met", "missed", "undecided"]


@dataclass(frozen=True, slots=True)
class Judged:
    """A target for one habit: what was estimated, and what can be said of it for certain."""

    target: Target
    habit: str | None
    estimate: Estimate
    verdict: Verdict

    @finite
    def as_json(self) -> dict[str, Any]:
        """The judgment as plain values."""
        return {
            "name": self.target.name,
            "measure": self.target.measure,
            "habit": self.habit,
            "variant": self.target.variant,
            "want": str(self.target.want),
            "value": self.estimate.value,
            "low": self.estimate.low,
            "high": self.estimate.high,
            "runs": self.estimate.runs,
            "verdict": self.verdict,
        }


class JudgedTargets(list[Judged], Result):  # type: ignore[misc]  # it is gone through target by target, not row by row
    """Targets that were judged, as a list; also as a table and as a figure."""

    def __init__(self, title: str, judged: Iterable[Judged] = ()) -> None:
        super().__init__(judged)
        self.title = title

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a target: what was estimated, with its interval, what is wanted, the verdict."""
        import pandas as pd

        return pd.DataFrame([one.as_json() for one in self])

    def plot(self, ax: Axes | None = None) -> Figure:
        """All estimates with their intervals beside what is wanted; see `views.targets_plot`."""
        return showing.figure("targets_plot.plot_targets", self, ax=ax)

    def summary(self) -> str:
        """All verdicts as text."""
        return showing.text("balance_text.targets_text", self)

    def as_json(self) -> dict[str, Any]:
        """All of them as plain values."""
        return {"targets": [one.as_json() for one in self]}

    def __repr__(self) -> str:
        met = sum(one.verdict == "met" for one in self)
        return f"<JudgedTargets of {self.title}: {met} of {len(self)} met>"


def verdict(estimate: Estimate, want: Span) -> Verdict:
    """Met if the whole interval lies in what is wanted, missed if none of it does, else undecided.

    The interval is the one that is valid at any number of runs with more runs.
    """
    low, high = estimate.ever() if estimate.basis is not None else (estimate.low, estimate.high)
    if want.low <= low and high <= want.high:
        return "met"
    return "missed" if high < want.low or low > want.high else "undecided"


def runs_to_decide(estimate: Estimate, want: Span) -> tuple[int, int] | None:
    """About how many more runs will decide an undecided target: from, to; none where that cannot be foreseen.

    The interval has to become as narrow as the way to the next end of what is wanted, which may be one standard error
    longer or shorter than it looks.
    """
    if estimate.basis is None or want.low == want.high:
        return None
    low, high = estimate.ever()
    half = (high - low) / 2
    ends = [end for end in (want.low, want.high) if math.isfinite(end)]
    if not ends or not math.isfinite(half) or half <= 0.0:
        return None
    way = min(abs(estimate.value - end) for end in ends)
    error = estimate.half_width / 1.96
    needed = [estimate.runs * (half / max(step, half / 40)) ** 2 for step in (way + error, max(way - error, way / 3))]
    more = [max(needed_ - estimate.runs, estimate.runs / 4) for needed_ in needed]
    return _rounded(more[0]), _rounded(more[1])


def _rounded(runs: float) -> int:
    """To one digit, or two below 30 of the leading ones: 900, 1,200, 4,000."""
    size = 10 ** max(math.floor(math.log10(runs)) - (1 if str(runs)[0] in "12" else 0), 1)
    return int(max(size, round(runs / size) * size))


def judge_targets(
    game: PlayableGame,
    runs: int = 2_000,
    seed: int = 1,
    *,
    only: Sequence[str] = (),
    habit: str | None = None,
    dials: Mapping[str, Value] | None = None,
    sure: float = CONFIDENCE,
    progress: Progress | None = None,
) -> JudgedTargets:
    """Play studies for all targets of a game and judge them; those of one habit and variant share a study.

    Args:
        game: the game.
        runs: how many runs of each habit and variant.
        seed: their seed.
        only: names of targets; all by default.
        habit: who plays for those targets that name no habit; targets that name another are left out.
        dials: dials set for this.
        sure: the chance with which each verdict and interval holds.
        progress: is told of each study how far it is.

    Raises:
        NotFound: there is no target of such a name, or no such measure, result or ending.
        Partial: it was stopped with Ctrl-C after some targets.
    """
    names = [target.name for target in game.all_targets]
    for name in only:
        if name not in names:
            raise NotFound(f"there is no target '{name}'{nearest(name, names)}")
    wanted = [target for target in game.all_targets if not only or target.name in only]
    if habit is not None:
        wanted = [target for target in wanted if target.habit in (None, habit)]
    setting = Setting(seed, habit, dials=dials or {}, sure=sure)
    return judge_these(game, wanted, runs, setting, progress=progress)[0]


def judge_these(
    game: PlayableGame,
    wanted: Sequence[Target],
    runs: int,
    setting: Setting,
    *,
    keeps_variants: bool = False,
    progress: Progress | None = None,
) -> tuple[JudgedTargets, int]:
    """Judge some targets, and say how many runs that took; see `judge_targets`.

    The setting's habit stands for those targets that name none, and its variant is not looked at. With
    `keeps_variants` a dial that a target's variant sets is left to it.
    """
    groups: dict[tuple[str | None, str | None], list[Target]] = {}
    pairs = [(target, who) for target in wanted for who in habits_of(game, target, setting.habit)]
    for target, who in pairs:
        groups.setdefault((who, target.variant), []).append(target)
    by_target: dict[tuple[int, str | None], Judged] = {}

    def judged() -> JudgedTargets:
        known = [by_target[id(target), who] for target, who in pairs if (id(target), who) in by_target]
        return JudgedTargets(scripted_title(game.title, game.lowered), named_together(known))

    for (who, variant), targets in groups.items():
        measures = list(dict.fromkeys(m for target in targets for m in measured(game, target.measure)))
        own = game.variant_dials(variant) if keeps_variants else {}
        turned = {name: value for name, value in setting.dials.items() if name not in own}
        part = Setting(setting.seed, who, variant, turned, setting.sure)
        try:
            study = study_game(game, runs, part, Asked(measures, ()), Means(progress=progress))
        except KeyboardInterrupt:
            if not by_target:
                raise
            raise Partial(judged(), len(judged()), len(pairs), "targets") from None
        by_target |= {(id(one.target), who): one for one in judge_study(study, targets, who)}
    return judged(), runs * len(groups)


def named_together(judged: Sequence[Judged]) -> list[Judged]:
    """The same with those alone named missed that are so among all of them, by Holm's step-down rule.

    Each by itself is named wrongly once in twenty at most; so any of them is, together.

    Source: Holm, "A simple sequentially rejective multiple test procedure", Scand. J. Stat. 6 (1979).
    """
    missed: set[int] = set()
    while True:
        left = len(judged) - len(missed)
        more = {
            index
            for index, result in enumerate(judged)
            if result.verdict == "missed" and index not in missed and _is_out(result, left)
        }
        if not more:
            break
        missed |= more
    return [
        replace(result, verdict="undecided") if result.verdict == "missed" and index not in missed else result
        for index, result in enumerate(judged)
    ]


def _is_out(result: Judged, left: int) -> bool:
    """Return whether it is missed for certain as one of so many."""
    estimate, want = result.estimate, result.target.want
    if estimate.basis is None:
        return True
    low, high = estimate.ever(1.0 - (1.0 - estimate.confidence) / left)
    return high < want.low or low > want.high


def judge_study(study: Study, targets: Sequence[Target], habit: str | None) -> list[Judged]:
    """Judge targets by a study that has their measures."""
    judged = []
    for target in targets:
        estimate = study.estimate(target.measure)
        judged.append(Judged(target, habit, estimate, verdict(estimate, target.want)))
    return judged


def habits_of(game: PlayableGame, target: Target, habit: str | None = None) -> list[str | None]:
    """The habits that a target is wanted of; one that names none is wanted of `habit`, or of every habit."""
    if target.habit is not None or habit is not None:
        return [target.habit or habit]
    return [*game.habits] or [None]
