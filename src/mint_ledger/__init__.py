"""Mint Ledger: a game's stats and rules in one file, played, explained and tuned.

    import mint_ledger as mint

    game = mint.load("saltmere.yaml")
    run = game.run(seed=7)
    print(run.story())

What is imported here is public; all else may change.
"""

from __future__ import annotations

from typing import TYPE_CHECKING, Any

from mint_ledger.versions import __version__

if TYPE_CHECKING:
    from mint_ledger.client import Game, load, load_revision, load_script, loads
    from mint_ledger.demo import demo_path
    from mint_ledger.errors import (
        BadRequest,
        BooksError,
        Fault,
        GameError,
        MintError,
        NotFound,
        Place,
        RunStopped,
    )
    from mint_ledger.journal.statement import Statement
    from mint_ledger.playing.playtests import PlaytestResult
    from mint_ledger.playing.run import Run
    from mint_ledger.studies.estimate import Estimate
    from mint_ledger.studies.study import Study

# Imported on first use: `mint-ledger --help` should not wait for pydantic and pandas.
_PLACES = {
    "Game": "client",
    "load": "client",
    "loads": "client",
    "load_revision": "client",
    "load_script": "client",
    "demo_path": "demo",
    "BadRequest": "errors",
    "BooksError": "errors",
    "Fault": "errors",
    "GameError": "errors",
    "MintError": "errors",
    "NotFound": "errors",
    "Place": "errors",
    "RunStopped": "errors",
    "Statement": "journal.statement",
    "PlaytestResult": "playing.playtests",
    "Run": "playing.run",
    "Estimate": "studies.estimate",
    "Study": "studies.study",
}

__all__ = [
    "BadRequest",
    "BooksError",
    "Estimate",
    "Fault",
    "Game",
    "GameError",
    "MintError",
    "NotFound",
    "Place",
    "PlaytestResult",
    "Run",
    "RunStopped",
    "Statement",
    "Study",
    "__version__",
    "demo_path",
    "load",
    "load_revision",
    "load_script",
    "loads",
]


def __getattr__(name: str) -> Any:
    if name in _PLACES:
        from importlib import import_module

        return getattr(import_module(f"mint_ledger.{_PLACES[name]}"), name)
    raise AttributeError(f"module 'mint_ledger' has no attribute '{name}'")


def __dir__() -> list[str]:
    return __all__
