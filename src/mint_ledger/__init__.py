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
    from mint_ledger.audit.audit import Audit
    from mint_ledger.audit.finding import Caught, Check, Finding
    from mint_ledger.balance.attacks import Attacks
    from mint_ledger.balance.comparison import Comparison
    from mint_ledger.balance.grid import Grid
    from mint_ledger.balance.matchup import Matchups
    from mint_ledger.balance.matchup_curve import MatchupCurves
    from mint_ledger.balance.sensitivity import Sensitivity
    from mint_ledger.balance.shares import Shares
    from mint_ledger.balance.sweep import Sweep
    from mint_ledger.balance.targets import Judged, JudgedTargets
    from mint_ledger.balance.tune import Tuned
    from mint_ledger.balance.tune_habits import TunedHabits
    from mint_ledger.balance.tune_many import TunedMany
    from mint_ledger.balance.tune_most import TunedMost
    from mint_ledger.balance.tune_words import TunedWords
    from mint_ledger.client import Game, load, load_revision, load_script, loads
    from mint_ledger.demo import demo_path
    from mint_ledger.errors import (
        BadRequest,
        BooksError,
        Fault,
        GameError,
        MintError,
        NobodyPlays,
        NoSuchKey,
        NotFound,
        Partial,
        Place,
        RunStopped,
    )
    from mint_ledger.exact.answers import Exact
    from mint_ledger.exact.odds import Odds
    from mint_ledger.game.dials import Dials
    from mint_ledger.journal.statement import Statement
    from mint_ledger.players.fit import Fit
    from mint_ledger.players.likeness import Likeness
    from mint_ledger.players.range import PlayRange
    from mint_ledger.playing.playtests import PlaytestResult
    from mint_ledger.playing.run import Run
    from mint_ledger.playing.session import Session
    from mint_ledger.studies.course import Course
    from mint_ledger.studies.ends import Ends
    from mint_ledger.studies.estimate import Estimate
    from mint_ledger.studies.income import Income
    from mint_ledger.studies.own_measure import OwnMeasure
    from mint_ledger.studies.shape import Shape
    from mint_ledger.studies.store import Store
    from mint_ledger.studies.study import Study
    from mint_ledger.views.style import figure_style

# Imported on first use: `mint-ledger --help` should not wait for pydantic and pandas.
_PLACES = {
    "Audit": "audit.audit",
    "Finding": "audit.finding",
    "Attacks": "balance.attacks",
    "Comparison": "balance.comparison",
    "Grid": "balance.grid",
    "Matchups": "balance.matchup",
    "MatchupCurves": "balance.matchup_curve",
    "Sensitivity": "balance.sensitivity",
    "Shares": "balance.shares",
    "Sweep": "balance.sweep",
    "Judged": "balance.targets",
    "JudgedTargets": "balance.targets",
    "Tuned": "balance.tune",
    "TunedHabits": "balance.tune_habits",
    "TunedMany": "balance.tune_many",
    "TunedMost": "balance.tune_most",
    "TunedWords": "balance.tune_words",
    "Game": "client",
    "load": "client",
    "load_revision": "client",
    "load_script": "client",
    "loads": "client",
    "demo_path": "demo",
    "BadRequest": "errors",
    "BooksError": "errors",
    "Partial": "errors",
    "Fault": "errors",
    "GameError": "errors",
    "MintError": "errors",
    "NoSuchKey": "errors",
    "NobodyPlays": "errors",
    "NotFound": "errors",
    "Place": "errors",
    "RunStopped": "errors",
    "Exact": "exact.answers",
    "Odds": "exact.odds",
    "Dials": "game.dials",
    "Statement": "journal.statement",
    "Fit": "players.fit",
    "Likeness": "players.likeness",
    "PlayRange": "players.range",
    "PlaytestResult": "playing.playtests",
    "Run": "playing.run",
    "Session": "playing.session",
    "Course": "studies.course",
    "Ends": "studies.ends",
    "Estimate": "studies.estimate",
    "Income": "studies.income",
    "Shape": "studies.shape",
    "OwnMeasure": "studies.own_measure",
    "Check": "audit.finding",
    "Caught": "audit.finding",
    "Study": "studies.study",
    "figure_style": "views.style",
    "Store": "studies.store",
}

__all__ = [
    "Attacks",
    "Audit",
    "BadRequest",
    "BooksError",
    "Caught",
    "Check",
    "Comparison",
    "Course",
    "Dials",
    "Ends",
    "Estimate",
    "Exact",
    "Fault",
    "Finding",
    "Fit",
    "Game",
    "GameError",
    "Grid",
    "Income",
    "Judged",
    "JudgedTargets",
    "Likeness",
    "MatchupCurves",
    "Matchups",
    "MintError",
    "NoSuchKey",
    "NobodyPlays",
    "NotFound",
    "Odds",
    "OwnMeasure",
    "Partial",
    "Place",
    "PlayRange",
    "PlaytestResult",
    "Run",
    "RunStopped",
    "Sensitivity",
    "Session",
    "Shape",
    "Shares",
    "Statement",
    "Store",
    "Study",
    "Sweep",
    "Tuned",
    "TunedHabits",
    "TunedMany",
    "TunedMost",
    "TunedWords",
    "__version__",
    "demo_path",
    "figure_style",
    "load",
    "load_revision",
    "load_script",
    "loads",
]

# Names of before; what they were is taken still.
_OLD_NAMES = {"StudyInterrupted": "Partial"}


if not TYPE_CHECKING:  # to type checkers what is not named above is an error

    def __getattr__(name: str) -> Any:
        name = _OLD_NAMES.get(name, name)
        if name in _PLACES:
            from importlib import import_module

            return getattr(import_module(f"mint_ledger.{_PLACES[name]}"), name)
        raise AttributeError(f"module 'mint_ledger' has no attribute '{name}'")


def __dir__() -> list[str]:
    return __all__
