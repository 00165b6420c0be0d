"""What a study is to play, as a small description that another process or machine can carry out."""

from __future__ import annotations

import json
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field
from functools import lru_cache

from mint_ledger.engines.names import EngineName
from mint_ledger.errors import BadRequest, NotFound
from mint_ledger.game.dial_value import Value
from mint_ledger.journal.books import find_account
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame, game_in
from mint_ledger.playing.setting import habit_starts
from mint_ledger.program.program import ScriptItem
from mint_ledger.program.state import Start
from mint_ledger.studies.taking import Taking, make_taking

MOST_TIMES = 1_000


@dataclass(frozen=True)
class StudyRequest:
    """Everything that a study's numbers depend on, apart from how many runs it has.

    Attributes:
        text: the game file, before its dials were turned.
        dials: dials that are set, with their values (a variant's among them).
        measures: more measures than the file's, by name.
        accounts: accounts whose changes are added up by cause.
        sampled: accounts whose values are read at `times`.
        variant: the variant that set some of the dials, for the heading.
        script: what happens from outside in every run, each as JSON.
    """

    text: str
    name: str
    seed: int
    dials: tuple[tuple[str, Value], ...] = ()
    habit: str | None = None
    measures: tuple[tuple[str, str], ...] = ()
    accounts: tuple[str, ...] = ()
    sampled: tuple[str, ...] = ()
    times: tuple[float, ...] = ()
    engine: EngineName = "auto"
    variant: str = ""
    script: tuple[str, ...] = ()


@dataclass(frozen=True)
class Prepared:
    """A request made ready to be played in this process."""

    lowered: Lowered
    seed: int
    starts: tuple[Start, ...]
    taking: Taking
    accounts: tuple[int, ...]
    sampled: tuple[int, ...] = ()
    grid: tuple[int, ...] = ()
    notes: dict[str, str] = field(default_factory=dict)
    script: tuple[ScriptItem, ...] = ()
    only_script: bool = False


def prepare_game(game: PlayableGame, request: StudyRequest) -> Prepared:
    """Make a request ready; `game` is the request's game with its dials set.

    Raises:
        NotFound: there is no such habit or account.
        GameError: a measure is none.
        BadRequest: times or accounts make no sense.
    """
    lowered = game.lowered_with(dict(request.measures))
    program = lowered.program
    accounts = tuple(_slot(lowered, name) for name in request.accounts)
    sampled = tuple(_slot(lowered, name) for name in request.sampled)
    taking = make_taking(lowered, accounts)
    if len(request.times) > MOST_TIMES:
        raise BadRequest(f"values are read at {MOST_TIMES:,} times at most, not at {len(request.times):,}")
    steps = [round(time * taking.steps_per_second) for time in request.times]
    if any(step < 0 for step in steps) or sorted(set(steps)) != steps:
        raise BadRequest("the times at which values are read go up from 0, a step apart at least")
    starts = tuple(habit_starts(lowered, request.habit))
    assert program is not None
    return Prepared(lowered, request.seed, starts, taking, accounts, sampled, tuple(steps), script=lowered.script)


@lru_cache(maxsize=8)
def prepare(request: StudyRequest) -> Prepared:
    """Make a request ready from its text, as another process does."""
    return prepare_game(game_of_request(request), request)


def game_of_request(request: StudyRequest) -> PlayableGame:
    """The game that a request is for, with its dials set."""
    game = game_in(request.text, request.name, PlayableGame)
    game = game.scripted([json.loads(item) for item in request.script])
    return game.with_dials(dict(request.dials)) if request.dials else game


def _slot(lowered: Lowered, name: str) -> int:
    key = find_account(lowered.program, name)
    return lowered.program.accounts[key.stat].column.offset + key.entity


def check_measures(measures: dict[str, str]) -> None:
    """Refuse names that a study's table has already."""
    for name in measures:
        if name in ("run", "result", "ending", "winner", "time", "level"):
            raise BadRequest(f"'{name}' is a column of every study; choose another name for the measure")
        if not name:
            raise NotFound("a measure wants a name")


def named_measures(measures: Mapping[str, str] | Sequence[str]) -> dict[str, str]:
    """Measures by name; a measure without one is named by its text."""
    return dict(measures) if isinstance(measures, Mapping) else {text: text for text in measures}
