"""Checks the named sets of dials of a game: those of its variants and playtests have to make a possible game."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from itertools import pairwise

from pydantic import ValidationError

from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.cast import CastError, Member, make_cast
from mint_ledger.game.dial_value import Value
from mint_ledger.game.dials import turn_data
from mint_ledger.game.document import GameFile
from mint_ledger.game.loading import fault_message
from mint_ledger.game.scaling import concrete
from mint_ledger.game.several import apart
from mint_ledger.game.stat import Stat
from mint_ledger.game.turning import turned_parts
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.habit import NO_HABIT
from mint_ledger.lowering.stats import misfits
from mint_ledger.program.handle import Path


def check_variants(lowering: Lowering) -> None:
    """Note the faults of all variants and playtests."""
    game = lowering.game
    for name, dials in game.variants.items():
        _check(lowering, ("variants", name), {}, dials)
    for name, playtest in game.playtests.items():
        if playtest.level is not None and playtest.level not in game.levels:
            message = f"unknown level '{playtest.level}'{nearest(playtest.level, game.levels)}"
            lowering.fault(("playtests", name, "level"), message)
        check_together(lowering, ("playtests", name, "habit"), playtest.habit, [*game.habits, NO_HABIT], "habit")
        if check_together(lowering, ("playtests", name, "variant"), playtest.variant, [*game.variants], "variant"):
            before = game.variant_dials(playtest.variant)
            _check(lowering, ("playtests", name, "dials"), before, playtest.dials)


def check_together(lowering: Lowering, path: Path, text: str | None, known: Sequence[str], what: str) -> bool:
    """Fault names that are not known, of several that stand together; whether all are."""
    try:
        apart(text, known, what)
    except NotFound as error:
        lowering.fault(path, str(error).replace("there is no", "unknown", 1))
        return False
    return True


def _check(lowering: Lowering, path: Path, before: Mapping[str, Value], dials: Mapping[str, Value]) -> None:
    """Fault the dials that do not exist, and what they make impossible; `before` was set ahead of them."""
    changes: dict[Path, Value] = {}
    known = lowering.dials
    for name, value in (*before.items(), *dials.items()):
        try:
            found = concrete(known, lowering.cast, lowering.game.stats, {name: value})
            changes |= {known.place(each): own for each, own in found.items()}
        except (NotFound, BadRequest) as error:
            if name in dials:
                lowering.fault((*path, name), str(error))
    if changes and dials:
        for moved, message in _impossible(lowering, changes):
            name = next((n for n in dials if n in known.names and known.place(n) == moved), next(iter(dials)))
            lowering.fault((*path, name), f"makes an impossible game: {message}")


def _impossible(lowering: Lowering, changes: Mapping[Path, Value]) -> list[tuple[Path, str]]:
    game = lowering.game
    try:
        if any(path[0] in ("clock", "levels") or path[-1] == "copies" for path in changes):
            turned = GameFile.model_validate(turn_data(game.source.data, lowering.cast, changes))
        else:
            turned = GameFile.model_construct(**turned_parts(game, lowering.cast, changes))
        cast = make_cast(turned)
    except ValidationError as error:
        return [(next(iter(changes)), fault_message(detail, tuple(detail["loc"]))) for detail in error.errors()]
    except CastError as error:
        return [(error.path, str(error))]
    faults: list[tuple[Path, str]] = []
    for level, model in turned.levels.items():
        for kind, count in model.present.items():
            if kind in cast.members and count > cast.members[kind].room:
                faults.append((("levels", level, "present", kind), f"{count} of {kind}, but there is room for fewer"))
    faults += _falling(lowering, changes)
    if faults:
        return faults
    before = {(path, key) for path, key, _ in _misfits(lowering.game, lowering.cast.members)}
    return [
        ((*path, key), f"{path[-1] if path[0] == 'stats' else f'{path[1]}.{path[-1]}'} {message}")
        for path, key, message in _misfits(turned, cast.members)
        if (path, key) not in before
    ]


def _falling(lowering: Lowering, changes: Mapping[Path, Value]) -> list[tuple[Path, str]]:
    """The cells that would fall in a column that `key_at` searches."""
    dials = lowering.dials
    values: dict[int, float] = {}
    for index in {index for row in lowering.rising for index in row}:
        value = changes.get(dials.written[index], dials.numbers[index])
        values[index] = float(value) if not isinstance(value, str) else 0.0
    return [
        (dials.written[index], f"{dials.names[other]} falls below {dials.names[one]}, and key_at() searches them")
        for row in dict.fromkeys(lowering.rising)
        for one, other in pairwise(row)
        for index in (one, other)
        if values[one] > values[other] and dials.written[index] in changes
    ]


def _misfits(game: GameFile, members: Mapping[str, Member]) -> list[tuple[Path, str, str]]:
    owners: list[tuple[Path, dict[str, Stat]]] = [(("stats",), game.stats)]
    owners += [(("kinds", name, "stats"), member.kind.stats) for name, member in members.items()]
    return [
        ((*path, name), key, message)
        for path, stats in owners
        for name, stat in stats.items()
        for key, message in misfits(stat)
    ]
