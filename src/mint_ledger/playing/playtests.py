"""Plays playtests and says of each expectation what was found."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping
from dataclasses import dataclass

from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest, MintError, NotFound
from mint_ledger.formula import Formula
from mint_ledger.game.cast import Cast
from mint_ledger.game.script import Wanted
from mint_ledger.journal.wording import Words, number
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.script import LoweredPlaytest
from mint_ledger.playing.run import outcome
from mint_ledger.playing.setting import habit_starts, level_start
from mint_ledger.program.expressions import Expr, Local
from mint_ledger.program.state import Start

PlayedOften = Callable[[LoweredPlaytest, int, Wanted], "Found"]
"""Plays a playtest so many times, and says whether an estimate lies where it should."""


@dataclass(frozen=True, slots=True)
class Found:
    """One expectation: what was expected when, whether it held, and the values that it read.

    `over_at` is when the run had ended, if that was before the time.
    """

    at: str
    expected: str
    held: bool
    values: str
    over_at: str | None = None


@dataclass(frozen=True, slots=True)
class PlaytestResult:
    """What came of a playtest; `stopped` says why a run could not go on."""

    name: str
    found: tuple[Found, ...]
    stopped: str = ""

    @property
    def passed(self) -> bool:
        """Return whether all that was expected was found."""
        return not self.stopped and all(item.held for item in self.found)


def starts_of(lowered: Lowered, starts: Mapping[str, Formula]) -> tuple[list[Start], dict[str, float]]:
    """Split what a playtest starts with into accounts and dials.

    Raises:
        NotFound: a name is neither.
        GameError: a value is no number.
    """
    accounts: list[Start] = []
    dials: dict[str, float] = {}
    for name, formula in starts.items():
        value = _start_value(lowered, name, formula)
        named = _accounts_named(lowered.program.cast, lowered, name)
        if named:
            accounts.extend(Start(start.column, start.entity, value) for start in named)
        else:
            lowered.program.dials.find(name)
            dials[name] = value
    return accounts, dials


def _start_value(lowered: Lowered, name: str, formula: Formula) -> float:
    if formula.number is not None:
        return formula.number
    if formula.text in lowered.program.words:
        return float(lowered.program.words.index(formula.text))
    raise NotFound(f"{name} starts with a number, yes or no, or a word, not '{formula.text}'")


def _accounts_named(cast: Cast, lowered: Lowered, name: str) -> list[Start]:
    """The accounts that a name means: `keeper.health`, `crab[2].health`, `crab.health` for all crabs, `ships`."""
    owner, _, stat = name.rpartition(".")
    for account in lowered.program.accounts:
        if account.stat != stat:
            continue
        entities = [e for first, count, _ in account.specs for e in range(first, first + count)]
        if not owner:
            return [Start(account.column, 0, 0.0)] if 0 in entities else []
        return [
            Start(account.column, entity, 0.0)
            for entity in entities
            if entity and owner in (cast.entity_name(entity), cast.entity_name(entity).split("[")[0])
        ]
    return []


def play_playtest(
    lowered: Lowered, playtest: LoweredPlaytest, starts: list[Start], engine: ReferenceEngine, played_often: PlayedOften
) -> PlaytestResult:
    """Play one playtest of an already turned game (its dials are set) on an engine of its program."""
    model = playtest.model
    engine.set_up(seed=model.seed, only_script=model.only_script, starts=starts, script=playtest.script)
    results: dict[int, Found] = {}
    looks = sorted(
        ((math.inf if look[0] is None else look[0], index, look) for index, look in enumerate(playtest.looks) if look),
        key=lambda item: item[:2],
    )
    try:
        engine.open()
        _check_starts(lowered, engine, starts)
        for until, index, (at, procedure, text) in looks:
            engine.play(until=until)
            held = engine.ask(procedure) != 0.0
            over_at = _over_at(lowered, engine, at)
            values = _values(lowered, engine, index, playtest, text)
            if over_at is not None:
                values = ", ".join(filter(None, (f"the run was over at {over_at}", values)))
            results[index] = Found(_when(lowered, at), text, held, values, over_at)
        for index, expectation in enumerate(model.expect):
            if isinstance(expectation.that, Wanted) and expectation.in_ is not None:
                results[index] = played_often(playtest, expectation.in_, expectation.that)
    except MintError as stop:
        return PlaytestResult(playtest.name, tuple(results[i] for i in sorted(results)), str(stop))
    return PlaytestResult(playtest.name, tuple(results[i] for i in sorted(results)))


def _check_starts(lowered: Lowered, engine: ReferenceEngine, starts: list[Start]) -> None:
    """Refuse accounts that would start outside their limits.

    Raises:
        BadRequest: one would.
    """
    words = Words(lowered.program)
    accounts = {account.column.base: number for number, account in enumerate(lowered.program.accounts)}
    for start in starts:
        if start.column.base not in accounts:
            continue
        low, high = engine.limits(start.column, start.entity)
        if not low <= start.value <= high:
            name = words.account(start.entity, accounts[start.column.base])
            side, limit = ("above its max", high) if start.value > high else ("below its min", low)
            raise BadRequest(f"{name} would start at {start.value:g}, {side} of {limit:g}")


def _over_at(lowered: Lowered, engine: ReferenceEngine, at: float | None) -> str | None:
    """Return when the run had ended, if that was a step before the time at least."""
    if at is None or not engine.is_over or engine.time > at - engine.time_of(1.0) / 2:
        return None
    return f"turn {engine.time:g}" if lowered.program.clock.unit == "turn" else f"{engine.time:g} s"


def _when(lowered: Lowered, at: float | None) -> str:
    if at is None:
        return "at the end"
    return f"in turn {at:g}" if lowered.program.clock.unit == "turn" else f"at {at:g} s"


def _values(lowered: Lowered, engine: ReferenceEngine, index: int, playtest: LoweredPlaytest, text: str) -> str:
    """Return what the expectation read, by name."""
    place = next(
        (
            place
            for place in lowered.program.formulas
            if place.path == ("playtests", playtest.name, "expect", index, "that")
        ),
        None,
    )
    if place is None:
        return ""
    parts = [f"{name} is {_worded(lowered, engine, name, expr)}" for name, expr in place.reads]
    if "result" in text or "ending" in text:
        result, ending = outcome(lowered, engine)
        parts.append(f"the run is {result if engine.is_over else 'going on'}{': ' + ending if ending else ''}")
    return ", ".join(parts)


def _worded(lowered: Lowered, engine: ReferenceEngine, name: str, expression: Expr) -> str:
    if isinstance(expression, Local):
        return "?"
    value = engine.evaluate(expression)
    words = Words(lowered.program)
    if name.endswith(".band"):
        return words.word(value) or "in no band"
    stat = name.rpartition(".")[2]
    if stat in words.stats:
        account = words.stats.index(stat)
        owner = next((e for e in range(lowered.program.cast.size) if words.account(e, account) == name), 0)
        return words.value(owner, account, value, 4)
    return number(value, 4)


def playtest_results(
    lowered: Lowered, played_often: PlayedOften, turned: Mapping[str, Lowered | MintError] | None = None
) -> list[PlaytestResult]:
    """Play all playtests.

    `turned` has the games of those that start with other dials, by their names, or why there is none; `played_often`
    plays a playtest many times.
    """
    results = []
    # Making an engine takes longer than most playtests, so those of one program share it.
    engines: dict[int, ReferenceEngine] = {}
    for playtest in lowered.playtests:
        try:
            game = (turned or {}).get(playtest.name, lowered)
            if isinstance(game, MintError):
                raise game
            own = next(p for p in game.playtests if p.name == playtest.name)
            starts, _ = starts_of(game, playtest.model.start)
            starts += habit_starts(game, playtest.model.habit)
            if playtest.model.level is not None:
                starts.append(level_start(game, playtest.model.level))
        except MintError as error:
            results.append(PlaytestResult(playtest.name, (), str(error)))
            continue
        if id(game) not in engines:
            engines[id(game)] = ReferenceEngine(game.program, journal=False)
        results.append(play_playtest(game, own, starts, engines[id(game)], played_often))
    return results
