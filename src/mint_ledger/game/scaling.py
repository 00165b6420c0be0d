"""Dials by their own names, of patterns and multiples as people write them.

`*.bite` means every dial whose name ends so. Limits, `copies`, `where` and the clock are left out unless the pattern
names them; a number that is taken over from another kind is multiplied where it stands, and so once.
"""

from __future__ import annotations

import math
import re
from collections.abc import Mapping
from fnmatch import fnmatchcase

from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.cast import Cast
from mint_ledger.game.dial_value import Value, factor_of, is_pattern
from mint_ledger.game.dials import COORDINATES, Dials, plain_value
from mint_ledger.game.stat import Stat

_WHOLE = ("copies", "sure_by", "stack")


def matching(dials: Dials, cast: Cast, pattern: str) -> list[int]:
    """The dials that a pattern means, each number once; a name without `*` means itself.

    What is said of a kind is meant of all that are like it.

    Raises:
        NotFound: it means none.
    """
    if not is_pattern(pattern):
        return [dials.find(pattern)]
    written = pattern.replace("[", "[[]")
    asked = set(re.split(r"[.\[\]]", pattern))
    found = [
        index
        for index in range(len(dials.names))
        if any(fnmatchcase(name, written) for name in _names(dials, cast, index))
        and not dials.flags[index]
        and index not in dials.words
        and _left_out(dials, index) <= asked
    ]
    known = set(found)
    once = [index for index in found if dials.follows[index] == index or dials.follows[index] not in known]
    if not once:
        cells = any(name.endswith("]") and fnmatchcase(name.rpartition("[")[0], written) for name in dials.names)
        if cells and not pattern.endswith("]"):
            raise NotFound(f"no number has a name like '{pattern}', but cells of a table do: write '{pattern}[*]'")
        raise NotFound(
            f"no number has a name like '{pattern}'; limits, copies, where and the clock want to be named in it, "
            "like '*.max'"
        )
    return once


def _names(dials: Dials, cast: Cast, index: int) -> list[str]:
    """Return what a dial may be called: by its own kind, and by those that it is like."""
    path, name = dials.paths[index], dials.names[index]
    if path[0] != "kinds":
        return [name]
    own = str(path[1])
    rest = name.removeprefix(own)
    rest = rest[rest.index("]") + 1 :] if rest.startswith("[") else rest
    return [name, *(f"{kind}{rest}" for kind in cast.members[own].family)]


def _left_out(dials: Dials, index: int) -> set[str]:
    """The word that a pattern has to have in it for this dial to be meant; nothing for most."""
    path, name = dials.paths[index], dials.names[index]
    if path[0] == "clock":
        return {"clock"}
    if path[-1] in ("min", "max", "copies"):
        return {str(path[-1])}
    if path[-1] == "start" and path[0] == "kinds" and path[3] in COORDINATES and dials.written[index] != path:
        return {name.rpartition(".")[2]}
    return set()


def concrete(dials: Dials, cast: Cast, stats: Mapping[str, Stat], changes: Mapping[str, Value]) -> dict[str, Value]:
    """The dials by their own names with what each is set to; a dial that is named itself is not multiplied as well.

    Raises:
        NotFound: there is no such dial, or a pattern means none.
        BadRequest: a pattern is set to one value, or a dial to what it cannot be.
    """
    found: dict[str, Value] = {}
    for name, value in changes.items():
        factor = factor_of(value)
        if factor is None:
            if is_pattern(name):
                raise BadRequest(f"'{name}' means several numbers; multiply them, like '{name}=x0.8'")
            continue
        for index in matching(dials, cast, name):
            if dials.flags[index] or index in dials.words:
                raise BadRequest(f"'{name}' is no number, so it cannot be multiplied")
            scaled = dials.numbers[index] * factor
            found[dials.names[index]] = plain_value(_rounded(scaled, dials, index, cast, stats))
    for name, value in changes.items():
        if factor_of(value) is None:
            found[name] = _fitting(dials, name, value)
    return found


def _fitting(dials: Dials, name: str, value: Value) -> Value:
    if name in dials.formulas:
        if isinstance(value, str):
            raise BadRequest(f"'{name}' wants a number, not '{value}'")
        return value
    index = dials.find(name)
    words = dials.words.get(index)
    if words is not None:
        if isinstance(value, str) and value in words:
            return value
        raise BadRequest(f"'{name}' is one of {', '.join(words)}, not '{value}'{nearest(str(value), words)}")
    if isinstance(value, str):
        if dials.flags[index] and value in ("true", "false", "yes", "no"):
            return value in ("true", "yes")
        raise BadRequest(f"'{name}' wants {'yes or no' if dials.flags[index] else 'a number'}, not '{value}'")
    return value


def _rounded(value: float, dials: Dials, index: int, cast: Cast, stats: Mapping[str, Stat]) -> float:
    """A whole stat's start rounded as the stat rounds; other whole numbers to the nearest."""
    path = dials.paths[index]
    stat: Stat | None = None
    if path[0] == "stats":
        stat = stats[str(path[1])]
    elif path[0] == "kinds" and path[2] == "stats":
        stat = cast.members[str(path[1])].kind.stats[str(path[3])]
    elif path[0] == "kinds" and path[2] == "copies" and len(path) == 5:
        stat = cast.members[str(path[1])].kind.stats.get(str(path[4]))
    if path[-1] in _WHOLE:
        return math.floor(value + 0.5)
    if stat is None or not stat.whole or (path[-1] != "start" and path[2] != "copies"):
        return float(f"{value:.12g}")
    size = {"down": math.floor, "up": math.ceil, "nearest": lambda x: math.floor(x + 0.5)}[stat.round](abs(value))
    return math.copysign(size, value) if size else 0.0
