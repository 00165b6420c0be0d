"""Checks the named sets of dials of a game: those of its variants and playtests have to make a possible game."""

from __future__ import annotations

from collections.abc import Mapping
from itertools import pairwise

from pydantic import ValidationError

from mint_ledger.errors import NotFound, nearest
from mint_ledger.game.cast import CastError, Member, make_cast
from mint_ledger.game.dials import turn_data
from mint_ledger.game.document import GameFile
from mint_ledger.game.loading import fault_message
from mint_ledger.game.stat import Stat
from mint_ledger.game.turning import turned_parts
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.stats import misfits
from mint_ledger.program.handle import Path


def check_variants(lowering: Lowering) -> None:
    """Note the faults of all variants and playtests."""
    game = lowering.game
    for name, dials in game.variants.items():
        _check(lowering, ("variants", name), {}, dials)
    for name, playtest in game.playtests.items():
        for key, known in (("level", game.levels), ("habit", game.habits), ("variant", game.variants)):
            wanted = getattr(playtest, key)
            if wanted is not None and wanted not in known:
                lowering.fault(("playtests", name, key), f"unknown {key} '{wanted}'{nearest(wanted, known)}")
        before = game.variants.get(playtest.variant or "", {})
        _check(lowering, ("playtests", name, "dials"), before, playtest.dials)


def _check(lowering: Lowering, path: Path, before: Mapping[str, float], dials: Mapping[str, float]) -> None:
    """Fault the dials that do not exist, and what they make impossible; `before` was set ahead of them."""
    changes: dict[Path, float] = {}
    known = lowering.dials
    for name, value in (*before.items(), *dials.items()):
        try:
            changes[known.place(name)] = value
        except NotFound as error:
            if name in dials:
                lowering.fault((*path, name), str(error))
    if changes and dials:
        for moved, message in _impossible(lowering, changes):
            name = next((n for n in dials if known.place(n) == moved), next(iter(dials)))
            lowering.fault((*path, name), f"makes an impossible game: {message}")


def _impossible(lowering: Lowering, changes: Mapping[Path, float]) -> list[tuple[Path, str]]:
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


def _falling(lowering: Lowering, changes: Mapping[Path, float]) -> list[tuple[Path, str]]:
    """The cells that would fall in a column that `key_at` searches."""
    dials = lowering.dials
    values = {index: changes.get(dials.written[index], dials.values[index]) for row in lowering.rising for index in row}
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
