"""What Tab offers behind an option: the names that the game file of the command has."""

from __future__ import annotations

import hashlib
import json
import os
from collections.abc import Callable
from pathlib import Path

import typer

UNDER_WAY = "_MINT_LEDGER_COMPLETE"
ENGINES = ("auto", "native", "reference")


def written() -> list[str]:
    """The words that stand on the command line already, the last of them perhaps in part."""
    text = os.environ.get("COMP_WORDS") or os.environ.get("_TYPER_COMPLETE_ARGS", "")
    words = text.split()
    return [*words, ""] if text.endswith((" ", "\n")) else words


def _names(sort: str, end: str = "") -> Callable[[typer.Context, str], list[str]]:
    """Return what completes with the names of one sort in the game; with none, where none can be read."""

    def complete(ctx: typer.Context, incomplete: str) -> list[str]:
        # Behind an option that waits for its value the arguments are not told apart yet.
        path = ctx.params.get("game") or next((word for word in written()[2:] if _may_be_game(Path(word))), None)
        if path is None:
            return []
        return [f"{name}{end}" for name in _names_in(Path(str(path))).get(sort, ()) if name.startswith(incomplete)]

    return complete


def _names_in(path: Path) -> dict[str, list[str]]:
    """All names of a game by their sort; kept for the next time, so that Tab does not read the game again."""
    from mint_ledger.errors import MintError
    from mint_ledger.signed import NAMES, load_entry, save_entry
    from mint_ledger.versions import __version__

    try:
        key = hashlib.sha256(f"{__version__}\n".encode() + path.read_bytes()).hexdigest()
        entry = load_entry(key, NAMES)
        if entry is not None:
            return dict(json.loads(entry))
        from mint_ledger.client import load
        from mint_ledger.journal.books import account_name, all_accounts

        game = load(path)
    except (MintError, OSError, ValueError):
        return {}
    program = game.lowered.program
    names = {
        "accounts": [account_name(program, key) for key in all_accounts(program)],
        "dials": list(game.dials.names),
        "habits": [*game.habits, "none"],
        "levels": list(game.levels),
        "targets": [target.name for target in game.targets],
        "variants": list(game.variants),
    }
    save_entry(key, json.dumps(names).encode(), NAMES)
    return names


def _may_be_game(path: Path) -> bool:
    return path.suffix in (".yaml", ".yml", ".json")


def complete_games(incomplete: str) -> list[str]:
    """The files that may be games, and the folders."""
    start = Path(incomplete)
    folder = start if incomplete.endswith("/") or not incomplete else start.parent
    begin = "" if folder == start else start.name
    try:
        found = sorted(
            path for path in folder.iterdir() if path.name.startswith(begin) and (path.is_dir() or _may_be_game(path))
        )
    except OSError:
        return []
    return [f"{path}/" if path.is_dir() else str(path) for path in found if begin or not path.name.startswith(".")]


def complete_engines(incomplete: str) -> list[str]:
    """The engines."""
    return [name for name in ENGINES if name.startswith(incomplete)]


def complete_patterns(incomplete: str) -> list[str]:
    """The patterns behind those that stand there already: `boss,li` goes on with `boss,lives`."""
    from mint_ledger.patterns import ORDER

    before, comma, begin = incomplete.rpartition(",")
    return [f"{before}{comma}{name}" for name in ORDER if name.startswith(begin) and name not in before.split(",")]


complete_habits = _names("habits")
complete_variants = _names("variants")
complete_settings = _names("dials", end="=")
complete_accounts = _names("accounts")
complete_targets = _names("targets")
complete_levels = _names("levels")
