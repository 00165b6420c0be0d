"""Judges a game by its targets: met, missed, or undecided at so many runs."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from mint_ledger.balance.estimates import measured
from mint_ledger.errors import NotFound, nearest
from mint_ledger.game.parts import Span
from mint_ledger.game.target import Target
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.estimate import Estimate
from mint_ledger.studies.studying import Asked, Means, study_game

if TYPE_CHECKING:
    from mint_ledger.studies.study import RunProgress, Study

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
        """The judgement as plain values."""
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


def verdict(estimate: Estimate, want: Span) -> Verdict:
    """Met if the whole interval lies in what is wanted, missed if none of it does, else undecided."""
    if want.low <= estimate.low and estimate.high <= want.high:
        return "met"
    return "missed" if estimate.high < want.low or estimate.low > want.high else "undecided"


def judge_targets(
    game: PlayableGame,
    runs: int = 2_000,
    seed: int = 1,
    *,
    only: Sequence[str] = (),
    dials: Mapping[str, float | bool] | None = None,
    progress: RunProgress | None = None,
) -> list[Judged]:
    """Play studies for all targets of a game and judge them; those of one habit and variant share a study.

    Args:
        game: the game.
        runs: how many runs of each habit and variant.
        seed: their seed.
        only: names of targets; all by default.
        dials: dials set for this.
        progress: is told of each study how far it is.

    Raises:
        NotFound: there is no target of such a name, or no such measure, result or ending.
    """
    names = [target.name for target in game.targets]
    for name in only:
        if name not in names:
            raise NotFound(f"there is no target '{name}'{nearest(name, names)}")
    wanted = [target for target in game.targets if not only or target.name in only]
    setting = Setting(seed, dials=dials or {})
    return judge_these(game, wanted, runs, setting, progress=progress)[0]


def judge_these(
    game: PlayableGame,
    wanted: Sequence[Target],
    runs: int,
    setting: Setting,
    *,
    keeps_variants: bool = False,
    progress: RunProgress | None = None,
) -> tuple[list[Judged], int]:
    """Judge some targets, and say how many runs that took; see `judge_targets`.

    The setting's habit stands for those targets that name none, and its variant is not looked at. With
    `keeps_variants` a dial that a target's variant sets is left to it.
    """
    groups: dict[tuple[str | None, str | None], list[Target]] = {}
    pairs = [(target, who) for target in wanted for who in habits_of(game, target, setting.habit)]
    for target, who in pairs:
        groups.setdefault((who, target.variant), []).append(target)
    by_target: dict[tuple[int, str | None], Judged] = {}
    for (who, variant), targets in groups.items():
        measures = list(dict.fromkeys(m for target in targets for m in measured(game, target.measure)))
        own = game.variants[variant] if variant and keeps_variants else {}
        turned = {name: value for name, value in setting.dials.items() if name not in own}
        part = Setting(setting.seed, who, variant, turned)
        study = study_game(game, runs, part, Asked(measures, ()), Means(progress=progress))
        by_target |= {(id(judged.target), who): judged for judged in judge_study(study, targets, who)}
    return [by_target[id(target), who] for target, who in pairs], runs * len(groups)


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
