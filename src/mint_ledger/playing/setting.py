"""What a run is played with apart from its game: seed, habit, variant and dials; and the level that it begins in."""

from __future__ import annotations

import operator
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from types import MappingProxyType

from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.dial_value import Value
from mint_ledger.game.several import apart
from mint_ledger.lowering.habit import NO_HABIT
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame, SomeGame
from mint_ledger.program.state import Start

MAX_SEED = 2**64 - 1


@dataclass(frozen=True, slots=True)
class Setting:
    """How a game is played: the seed of its luck, how simulated players play, and which numbers are turned; and how
    sure what is told of it has to be.

    Attributes:
        seed: 0 to 2⁶⁴-1.
        habit: how simulated players play; None and `none`: only those play whose copies name a habit (`habit_for` says
            who plays where nothing is said).
        variant: one of the file's named sets of dials.
        dials: dials set for this alone, after the variant's.
        sure: the chance with which each interval holds the true value.
    """

    seed: int = 1
    habit: str | None = None
    variant: str | None = None
    dials: Mapping[str, Value] = field(default_factory=lambda: MappingProxyType({}))
    sure: float = 0.95

    def __post_init__(self) -> None:
        # NumPy's whole numbers are whole numbers too.
        if hasattr(self.seed, "__index__") and not isinstance(self.seed, bool):
            object.__setattr__(self, "seed", operator.index(self.seed))

    def of(self, game: SomeGame) -> SomeGame:
        """The game with the variant's dials and these set.

        Raises:
            NotFound: there is no such variant or dial.
            GameError: a value makes the game impossible.
        """
        return game.turned(self.variant, self.dials)

    def with_dials(self, dials: Mapping[str, Value]) -> Setting:
        """The same with further dials set."""
        return replace(self, dials={**self.dials, **dials})

    def title(self, game: PlayableGame) -> str:
        """The heading of a game that is played so."""
        return titled(
            scripted_title(game.title, game.lowered), game.lowered, self.habit, self.variant or game.chosen_variant
        )


def scripted_title(title: str, lowered: Lowered) -> str:
    """A title, and that a script is played along, if one is."""
    return f"{title} · with a script" if lowered.script else title


def titled(title: str, lowered: Lowered, habit: str | None, variant: str = "", *, by_hand: bool = False) -> str:
    """The heading of a game, with who plays it and in which variant; `by_hand` if a script or a person plays."""
    habits = lowered.habit_players
    silent = (habit == NO_HABIT and NO_HABIT not in habits) or (habit is None and bool(habits))
    who = ("" if by_hand or lowered.habits else "nobody plays") if silent else habit
    return title + "".join(f" · {part}" for part in (who, variant) if part)


def habit_starts(lowered: Lowered, habit: str | None) -> list[Start]:
    """Return who plays by which habit: the copies that name one, and everyone else who can play by `habit`, or by the
    first of several (`scout + grim`).

    Raises:
        NotFound: there is no such habit.
        BadRequest: one of several has no players, as those before it have them all.
    """
    habits = lowered.habit_players
    names = [] if habit == NO_HABIT and NO_HABIT not in habits else apart(habit, habits, "habit")
    column = lowered.program.columns.habit
    if column is None:
        return []
    chosen: dict[int, int] = {}
    for name in names:
        number = list(habits).index(name) + 1
        free = [entity for entity in habits[name] if entity not in chosen]
        if habits[name] and not free:
            entity = habits[name][0]
            other, who = list(habits)[chosen[entity] - 1], lowered.program.cast.entity_name(entity)
            raise BadRequest(f"{who} cannot play by '{other}' and '{name}' at once")
        chosen |= dict.fromkeys(free, number)
    chosen |= dict(lowered.habits)
    return [Start(column, entity, float(number)) for entity, number in chosen.items()]


def habit_for(game: PlayableGame, habit: str | None) -> str | None:
    """Return who plays where it is not said: each kind by the first habit of the file that is its own, unless its
    copies name theirs; None where there is none.
    """
    if habit is not None:
        return habit
    cast = game.lowered.program.cast
    players = {name: {cast.member_of(e) for e in entities} for name, entities in game.lowered.habit_players.items()}
    played = {cast.member_of(entity) for entity, _ in game.lowered.habits}
    chosen = []
    for name, members in players.items():
        if members - played:
            chosen.append(name)
            played |= members
    return " + ".join(chosen) or None


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
