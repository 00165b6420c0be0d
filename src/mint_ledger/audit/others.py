"""Players other than the habits of the file: several together, nobody, one who acts at random, one who acts at once.

They show what can be reached at all; how the game is meant to be played is said by its habits alone.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass
from itertools import product

from mint_ledger.audit.acts import gave_with_none
from mint_ledger.engines.native.engine import CannotGoOn, NativePlayer, native_code
from mint_ledger.game.habit import Habit
from mint_ledger.game.several import together
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.habit import NO_HABIT
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.setting import habit_starts
from mint_ledger.program.handle import Path
from mint_ledger.program.row import WHATS

RUNS = 20
MOST_TOGETHER = 12


@dataclass(frozen=True, slots=True)
class Others:
    """What such players came to.

    Attributes:
        players: what they are called, in words.
        endings: for each ending that one of them reached, which.
        rules: the paths of the rules that were carried out.
        seen: what happened: (hit, attack), (act, action), (status, name) …
        runs: how many runs they played.
        gave_with_none: acts that took from an empty account and had an effect; see `acts.gave_with_none`.
    """

    players: tuple[str, ...] = ()
    endings: tuple[tuple[str, str], ...] = ()
    rules: frozenset[Path] = frozenset()
    seen: frozenset[tuple[str, str]] = frozenset()
    runs: int = 0
    gave_with_none: frozenset[tuple[str, str, str]] = frozenset()


def play_others(game: PlayableGame, counting: Callable[[PlayableGame], Lowered], runs: int, seed: int) -> Others:
    """Play a game as it is by players who are not its habits; `counting` lowers it so that it counts its rules."""
    ways: list[tuple[str, PlayableGame, str | None]] = [
        (f"'{habit}'", game, habit) for habit in _together(game)[:MOST_TOGETHER]
    ]
    if game.habits:
        ways.append(("one who does nothing", game, NO_HABIT))
    for what, choose in (("one who acts at random", "random"), ("one who acts at once", "first")):
        free, habit = _with_players(game, what, choose)
        if habit is not None:
            ways.append((what, free, habit))
    endings: dict[str, str] = {}
    rules: set[Path] = set()
    seen: set[tuple[str, str]] = set()
    gave: set[tuple[str, str, str]] = set()
    count = 0
    for who, played, habit in ways:
        lowered = counting(played)
        program = lowered.program
        counted = {c.handle.owner: c.base for c in program.layout.columns if c.handle.use == "rule count"}
        starts = habit_starts(lowered, habit)
        words = Words(program)
        player = NativePlayer(native_code(program), program.dials.numbers, seed=seed, starts=starts)
        for run in range(min(runs, RUNS)):
            try:
                rows = player.journal(run)
            except CannotGoOn:
                continue
            count += 1
            state = player.state
            ended = int(state[program.columns.ending.base])
            if 0 <= ended < len(program.endings):
                endings.setdefault(program.endings[ended].name, who)
            rules |= {path for path, base in counted.items() if state[base]}
            happened = {(int(row.what), int(row.cause)) for row in rows if row.cause >= 0}
            gave |= gave_with_none(words, rows)
            seen |= {(WHATS[what], program.causes[cause].name) for what, cause in happened}
    return Others(
        tuple(who for who, _, _ in ways),
        tuple(endings.items()),
        frozenset(rules),
        frozenset(seen),
        count,
        frozenset(gave),
    )


def _together(game: PlayableGame) -> list[str]:
    """The habits of different players, one of each: `scout + grim`."""
    groups: dict[tuple[int, ...], list[str]] = {}
    for name, entities in game.lowered.habit_players.items():
        groups.setdefault(entities, []).append(name)
    taken: set[int] = set()
    apart: list[list[str]] = []
    for entities, names in groups.items():
        if entities and not taken & set(entities):
            taken |= set(entities)
            apart.append(names)
    return [str(together(names)) for names in product(*apart)] if len(apart) > 1 else []


def _with_players(game: PlayableGame, what: str, choose: str) -> tuple[PlayableGame, str | None]:
    """The game with a habit for each kind that has actions, and all of them together."""
    by_kind: dict[str, list[str]] = {}
    for name, action in game.actions.items():
        for kind in action.by:
            by_kind.setdefault(kind, []).append(name)
    habits = {
        f"{what}: {kind}": Habit.model_validate(
            {"by": kind, "reaction": game.clock.step, "choose": choose, "acts": [{"do": name} for name in names]}
        )
        for kind, names in by_kind.items()
    }
    free = game.model_copy(update={"habits": {**game.habits, **habits}})
    players = free.lowered.habit_players if habits else {}
    # Kinds that are like one another share their players; the first of those that overlap plays.
    taken: set[int] = set()
    chosen: list[str] = []
    for name in habits:
        if players[name] and not taken & set(players[name]):
            taken |= set(players[name])
            chosen.append(name)
    return free, together(chosen)
