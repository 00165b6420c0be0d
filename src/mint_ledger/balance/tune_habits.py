"""Difficulty: a variant for each habit, so that each way of playing comes to a target of its own."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.tune_many import Range, Told, TunedMany, tune_dials
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.parts import Span
from mint_ledger.game.target import Target
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Budget

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, repr=False)
class TunedHabits(Result):
    """For each habit what tuning found; `variants` are the dials that suit it."""

    title: str
    habits: Mapping[str, TunedMany]

    @property
    def variants(self) -> dict[str, dict[str, float]]:
        """The dials of each habit's variant, where its targets can be met."""
        return {habit: dict(answer.best) for habit, answer in self.habits.items() if answer.reached}

    @property
    def reached(self) -> bool:
        """Return whether every habit has its variant."""
        return all(answer.reached for answer in self.habits.values())

    @property
    def interrupted(self) -> bool:
        """Return whether it was stopped before it was done."""
        return any(answer.interrupted for answer in self.habits.values())

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a habit and dial of its variant: habit, dial, value."""
        import pandas as pd

        rows = [[habit, name, value] for habit, dials in self.variants.items() for name, value in dials.items()]
        return pd.DataFrame(rows, columns=["habit", "dial", "value"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The answers as plain values."""
        return {
            "title": self.title,
            "variants": self.variants,
            "habits": {habit: answer.as_json() for habit, answer in self.habits.items()},
        }

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self) -> str:
        """The variants as text."""
        return showing.text("tune_text.tune_habits_text", self)

    def __str__(self) -> str:
        return self.summary()


def tune_habits(
    game: PlayableGame,
    bounds: Mapping[str, Range],
    wants: Mapping[str, Span],
    measure: str,
    budget: Budget,
    seed: int = 1,
    told: Told | None = None,
) -> TunedHabits:
    """Find for each habit the dials with which it meets its own targets.

    Args:
        game: the game.
        bounds: for each dial the least and the most that it may be, and its own step.
        wants: what is wanted of `measure` for each habit; by default the targets of the file that are of no variant.
        measure: an estimate, like `rate(win)`.
        budget: how many runs judge an answer; its time and its runs in all are shared by all habits.
        seed: the seed of all studies but those that confirm.
        told: is told each setting that was tried, and how far off it is.

    Raises:
        NotFound: there is no such habit, dial or measure.
        BadRequest: no habit has a target.
    """
    answers: dict[str, TunedMany] = {}
    chosen = _targets(game, wants, measure)
    for habit, targets in chosen.items():
        answers[habit] = tune_dials(game, bounds, targets, budget.shared(len(chosen)), Setting(seed, habit), told)
        if answers[habit].by_hand:
            break
    return TunedHabits(game.title, answers)


def _targets(game: PlayableGame, wants: Mapping[str, Span], measure: str) -> dict[str, list[Target]]:
    for habit in wants:
        if habit not in game.habits:
            raise NotFound(f"there is no habit '{habit}'{nearest(habit, game.habits)}")
    if wants:
        return {
            habit: [
                Target.model_validate({"name": f"{habit} players", "measure": measure, "habit": habit, "want": want})
            ]
            for habit, want in wants.items()
        }
    chosen: dict[str, list[Target]] = {}
    for habit in game.habits:
        own = [target for target in game.all_targets if target.variant is None and target.habit == habit]
        shared = [target for target in game.all_targets if target.variant is None and target.habit is None]
        if own:
            chosen[habit] = [*own, *shared]
    if not chosen:
        raise BadRequest(
            "no habit has a target of its own; say what is wanted of each: --want careful=0.7..0.8, or write targets"
        )
    return chosen
