"""Where numbers come from: what was asked, of which file, with which versions; every JSON output tells it."""

from __future__ import annotations

import hashlib
from collections.abc import Callable, Mapping
from typing import TYPE_CHECKING, Any

if TYPE_CHECKING:
    from mint_ledger.client import Game

ReadDials = Callable[[list[str] | None], Mapping[str, Any]]
SCHEMA = 2
"""The number of the schemas of JSON outputs; it rises where one changes so that old readers would mind."""
# How options are called in functions, and how in what is told.
_TOLD = {
    "seed": "seed",
    "number": "run",
    "runs": "runs",
    "played_by": "habit",
    "like": "habit",
    "variants": "variant",
    "engine": "engine",
    "sure": "sure",
}


class _Asked:
    """What this command was asked, and the games that it read."""

    command = ""
    given: Mapping[str, Any] = {}
    games: list[Game] = []  # noqa: RUF012
    read_dials: ReadDials = staticmethod(lambda _: {})


def asked(command: str, given: Mapping[str, Any], read_dials: ReadDials) -> None:
    """A command begins, with these arguments; `read_dials` reads those that set dials."""
    _Asked.command, _Asked.given, _Asked.games = command, given, []
    _Asked.read_dials = staticmethod(read_dials)


def has_read(game: Game) -> Game:
    """A game was read."""
    _Asked.games.append(game)
    return game


def games_read() -> list[Game]:
    """The games that this command has read."""
    return _Asked.games


def origin() -> dict[str, Any]:
    """Return what was asked, of which files (SHA-256 of their text), and the versions of what the numbers depend on."""
    from mint_ledger.versions import versions

    told: dict[str, Any] = {"schema": SCHEMA, "command": _Asked.command}
    told["games"] = [
        {"file": game.file, "title": game.title, "sha256": hashlib.sha256(game.to_yaml().encode("utf-8")).hexdigest()}
        for game in _Asked.games
    ]
    for option, name in _TOLD.items():
        # To `history` a number is that of a study in its store.
        if option in _Asked.given and (option, _Asked.command) != ("number", "history"):
            value = _Asked.given[option]
            told[name] = " + ".join(value) if isinstance(value, list) else value
    if "script" in _Asked.given:
        told["script"] = None if _Asked.given["script"] is None else str(_Asked.given["script"])
    if "settings" in _Asked.given:
        told["dials"] = _Asked.read_dials(_Asked.given["settings"])
    return {**told, "versions": versions()}
