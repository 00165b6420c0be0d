"""Settings of a run that are not in the dials: who plays by which habit, and in which level it begins."""

from __future__ import annotations

from mint_ledger.engines.accounts import Start
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.lowering import Lowered

MAX_SEED = 2**64 - 1


def habit_starts(lowered: Lowered, habit: str | None) -> list[Start]:
    """Who plays by which habit: the copies that name one, and everyone else who can play by `habit`.

    Raises:
        NotFound: there is no such habit.
    """
    habits = lowered.habit_players
    if habit is not None and habit not in habits:
        raise NotFound(f"there is no habit '{habit}'{nearest(habit, habits)}")
    column = lowered.program.columns.habit
    if column is None:
        return []
    chosen: dict[int, int] = {}
    if habit is not None:
        number = list(habits).index(habit) + 1
        chosen |= dict.fromkeys(habits[habit], number)
    chosen |= dict(lowered.habits)
    return [Start(column, entity, float(number)) for entity, number in chosen.items()]


def level_start(lowered: Lowered, level: str) -> Start:
    """Let a run begin in a level.

    Raises:
        NotFound: there is no such level.
    """
    if level not in lowered.levels:
        raise NotFound(f"there is no level '{level}'{nearest(level, lowered.levels)}")
    number = float(lowered.levels.index(level))
    return Start(lowered.program.columns.first_level, 0, number)


def check_seed(seed: int) -> None:
    """Refuse what is no seed."""
    if isinstance(seed, bool) or not isinstance(seed, int) or not 0 <= seed <= MAX_SEED:
        raise BadRequest(f"a seed is a whole number from 0 to 2^64 − 1, not {seed!r}")
