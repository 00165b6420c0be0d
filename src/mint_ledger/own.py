"""What other packages add by entry points: measures and checks of their own. They run outside the engines, and are told
apart by the package that they are of.

A package is code that its user has installed; no game file can bring any.
"""

from __future__ import annotations

from dataclasses import dataclass
from functools import cache
from importlib.metadata import entry_points
from typing import Any

MEASURES, CHECKS = "mint_ledger.measures", "mint_ledger.checks"


@dataclass(frozen=True, slots=True)
class Own:
    """Something that a package adds.

    Attributes:
        name: what it is asked for by.
        package: the package that it is of.
        thing: what it is; none where it could not be loaded.
        fault: why it could not be loaded.
    """

    name: str
    package: str
    thing: Any
    fault: str = ""


@cache
def own_parts(group: str) -> tuple[Own, ...]:
    """All that packages add to a group, by name."""
    found = []
    for entry in sorted(entry_points(group=group), key=lambda entry: entry.name):
        package = entry.dist.name if entry.dist is not None else "?"
        try:
            found.append(Own(entry.name, package, entry.load()))
        except Exception as error:  # whatever happens as somebody else's code is imported
            found.append(Own(entry.name, package, None, told(error)))
    return tuple(found)


def told(error: BaseException) -> str:
    """Return what went wrong in somebody else's code, in one line."""
    return f"{type(error).__name__}: {' '.join(str(error).split())[:200]}"
