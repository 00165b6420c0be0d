"""The numbers that a game engine loads: every dial by its name, of the file or of its variants, in a stable order."""

from __future__ import annotations

import csv
import hashlib
import io
from collections.abc import Sequence
from typing import Any

from mint_ledger.errors import NotFound, nearest
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import cell_text, neutral

FORMAT = 1
TODAY = "today"


def numbers_of(game: PlayableGame, variants: Sequence[str] = ()) -> dict[str, Any]:
    """Title, the hash of the game file (SHA-256 of its text), and for each variant every number by its dial.

    Without variants the numbers of the file itself, as `today`.

    Raises:
        NotFound: there is no such variant.
    """
    for name in variants:
        if name != TODAY and name not in game.variants:
            raise NotFound(f"there is no variant '{name}'{nearest(name, game.variants)}")
    return {
        "format": FORMAT,
        "title": game.title,
        "game_sha256": hashlib.sha256(game.to_yaml().encode("utf-8")).hexdigest(),
        "variants": {name: _numbers(game, name) for name in variants or (TODAY,)},
    }


def numbers_csv(game: PlayableGame, variants: Sequence[str] = ()) -> str:
    """The same as CSV: a row for each dial, a column for each variant; the hash stands in the first line."""
    numbers = numbers_of(game, variants)
    out = io.StringIO()
    out.write(f"# {neutral(numbers['title'].replace(chr(10), ' '))}, sha256 {numbers['game_sha256']}\n")
    names = list(numbers["variants"])
    rows = csv.writer(out, lineterminator="\n")
    rows.writerow(["dial", *map(cell_text, names)])
    rows.writerows([cell_text(dial), *(numbers["variants"][name][dial] for name in names)] for dial in game.dials.names)
    return out.getvalue()


def _numbers(game: PlayableGame, name: str) -> dict[str, float | str]:
    turned = game if name == TODAY else game.with_variant(name)
    return {dial: turned.dials.shown(dial) for dial in turned.dials.names}
