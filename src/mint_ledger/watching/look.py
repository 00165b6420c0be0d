"""One look at a game as it stands: playtests, a study of each way of playing, targets, findings in the file."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING

from mint_ledger.audit.audit import make_audit
from mint_ledger.audit.finding import Finding
from mint_ledger.balance.playtest_study import play_tests
from mint_ledger.balance.targets import Judged, habits_of, judge_study
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.playtests import PlaytestResult
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.estimate import CONFIDENCE, checked_sure, measured
from mint_ledger.studies.studying import measure_game

if TYPE_CHECKING:
    from mint_ledger.studies.study import Study

RUNS = 1_000
Way = tuple[str | None, str | None]
"""A habit and a variant."""


@dataclass(frozen=True)
class GameSummary:
    """What a game comes to."""

    game: PlayableGame
    studies: dict[Way, Study]
    judged: tuple[Judged, ...]
    playtests: tuple[PlaytestResult, ...]
    findings: tuple[Finding, ...]


def look_at(game: PlayableGame, runs: int = RUNS, seed: int = 1, sure: float = CONFIDENCE) -> GameSummary:
    """Play the playtests, and study each habit, and each variant that a target names, under the same luck each time.

    Its intervals and verdicts hold with the chance `sure`.

    Raises:
        BadRequest: the number of runs makes no sense.
        RunStopped: a run of the game could not go on.
    """
    checked_sure(sure)
    habits: list[str | None] = [*game.habits] or [None]
    wanted: dict[Way, list[int]] = {(habit, None): [] for habit in habits}
    for index, target in enumerate(game.all_targets):
        for habit in habits_of(game, target):
            wanted.setdefault((habit, target.variant), []).append(index)
    studies: dict[Way, Study] = {}
    judged: dict[tuple[int, str | None], Judged] = {}
    for (habit, variant), which in wanted.items():
        targets = [game.all_targets[index] for index in which]
        measures = list(dict.fromkeys(m for target in targets for m in measured(game, target.measure)))
        study = measure_game(game, runs, Setting(seed, habit, variant, sure=sure), measures)
        studies[habit, variant] = study
        for index, one in zip(which, judge_study(study, targets, habit), strict=True):
            judged[index, habit] = one
    ordered = [judged[key] for key in sorted(judged, key=lambda key: key[0])]
    return GameSummary(game, studies, tuple(ordered), tuple(play_tests(game)), make_audit(game, runs=0).open)
