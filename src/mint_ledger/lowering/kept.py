"""Keeps games that were read as the programs that they make, so that a file seen before is not read again.

An entry is named by all that it depends on: the file's name and text, the versions of this package, of Python and
pydantic, and the code that reads games. See `signed` for when an entry is believed.
"""

from __future__ import annotations

import hashlib
import logging
import sys
import time
import zlib
from functools import cache
from pathlib import Path
from typing import TypeVar

import pydantic

from mint_ledger.game.including import BesideError
from mint_ledger.game.source import Source, read_text
from mint_ledger.game.table_files import game_source, read_beside
from mint_ledger.lowering.flat import NotFlat, flatten, unflatten
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame, game_of, made_game
from mint_ledger.signed import GAME, load_entry, save_entry
from mint_ledger.versions import __version__

SomeGame = TypeVar("SomeGame", bound=PlayableGame)
# A text beyond this is not kept; it may come from anywhere, and the folder is to stay small.
_log = logging.getLogger(__name__)
MOST_TEXT = 20_000_000


def read_playable(path: str | Path, kind: type[SomeGame]) -> SomeGame:
    """The game of a file, and of the files of its tables.

    Raises:
        GameError: it cannot be used; all that is wrong, with line and column.
    """
    text = read_text(Path(path))
    name, folder = str(path), Path(path).parent
    key = _key(name, text)
    began = time.perf_counter()
    game = _kept(key, folder, kind)
    how = "taken as it was kept"
    if game is None:
        game = game_of(game_source(path, text), kind)
        _keep(key, game)
        how = "read, checked and lowered"
    _log.info("%s: %s in %.3f s", name, how, time.perf_counter() - began)
    return game


def _kept(key: str, folder: Path, kind: type[SomeGame]) -> SomeGame | None:
    """The game of an entry; none where there is none that can be believed, or a table's file has changed."""
    entry = load_entry(key, GAME)
    if entry is None:
        return None
    try:
        source, fields, parts, lowered, content_hash = unflatten(_unpacked(entry))
        if not (isinstance(source, Source) and isinstance(lowered, Lowered) and isinstance(content_hash, str)):
            return None
        if any(read_beside(folder, file) != text for file, text in source.files.items()):
            return None
    except (NotFlat, BesideError):
        return None
    lowered.program.__dict__["content_hash"] = content_hash
    return made_game(kind, fields, parts, source, lowered)


def _keep(key: str, game: PlayableGame) -> None:
    lowered = game.lowered
    parts = {name: getattr(game, name) for name in type(game).model_fields}
    try:
        text = flatten((game.source, game.model_fields_set, parts, lowered, lowered.program.content_hash))
    except (NotFlat, RecursionError):
        return
    if len(text) <= MOST_TEXT:
        save_entry(key, zlib.compress(text.encode("utf-8", "surrogatepass"), 1), GAME)


def _unpacked(entry: bytes) -> str:
    unpacking = zlib.decompressobj()
    try:
        content = unpacking.decompress(entry, 4 * MOST_TEXT)
        if not unpacking.eof:
            raise NotFlat("it is cut off, or too long")
        return content.decode("utf-8", "surrogatepass")
    except (zlib.error, UnicodeDecodeError) as error:
        raise NotFlat(str(error)) from error


def _key(name: str, text: str) -> str:
    """The name of an entry."""
    content = "\n".join((__version__, sys.version, pydantic.VERSION, _own_code(), name, text))
    return hashlib.sha256(content.encode("utf-8", "surrogatepass")).hexdigest()


@cache
def _own_code() -> str:
    """Return what of this package makes games and programs, which may change within a version while it is worked on."""
    package = Path(__file__).parent.parent
    files = [path for folder in ("formula", "game", "lowering", "program") for path in (package / folder).glob("*.py")]
    known = sorted((path.parent.name, path.name, path.stat()) for path in files)
    return repr([(folder, name, stat.st_size, stat.st_mtime_ns) for folder, name, stat in known])
