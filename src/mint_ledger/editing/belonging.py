"""To which game a file belongs that is open in an editor: its own, or one that includes it."""

from __future__ import annotations

import re
from collections.abc import Callable, Iterable
from pathlib import Path

from mint_ledger.errors import GameError
from mint_ledger.game.including import INCLUDE
from mint_ledger.game.sections import SECTIONS
from mint_ledger.game.source import parse_source

_INCLUDES = re.compile(r"^['\"]?include['\"]?\s*:", re.MULTILINE)
_TOP_KEY = re.compile(r"^\{?\s*['\"]?([a-z_]+)['\"]?\s*:", re.MULTILINE)
_SECTIONS = {section.name for section in SECTIONS} - {"about", "title"}
ENDINGS = (".yaml", ".yml", ".json")
# Folders with more files than these are not searched to the end.
MOST_LOOKED_AT = 200


def game_file_of(path: Path, text_of: Callable[[Path], str | None]) -> Path:
    """The game file to which a file belongs: the one that includes it, in its folder or those above, or itself."""
    for folder in (path.parent, path.parent.parent):
        for other in _games(folder):
            if other != path and path in included_by(other, text_of(other) or ""):
                return other
    return path


def included_by(path: Path, text: str) -> list[Path]:
    """The files that a game file includes, by its text; none where that cannot be read."""
    if not _INCLUDES.search(text):
        return []
    try:
        named = parse_source(text, str(path)).data.get(INCLUDE)
    except GameError:
        return []
    names = [named] if isinstance(named, str) else named if isinstance(named, list) else []
    return [(path.parent / name) for name in names if isinstance(name, str)]


def _games(folder: Path) -> Iterable[Path]:
    try:
        files = sorted(file for file in folder.iterdir() if file.suffix in ENDINGS)
    except OSError:
        return []
    return files[:MOST_LOOKED_AT]


def looks_like_game(text: str) -> bool:
    """Return whether a text is meant as a game, also while much of it is still wrong."""
    keys = set(_TOP_KEY.findall(text))
    return "mint_ledger" in keys or len(keys & _SECTIONS) > 1
