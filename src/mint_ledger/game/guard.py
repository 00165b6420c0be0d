"""Keeps game files from being overwritten by what is made of them."""

from __future__ import annotations

import json
import re
from pathlib import Path

from mint_ledger.errors import BadRequest
from mint_ledger.game.source import MAX_BYTES

_TOP_KEY = re.compile(r"^['\"]?([A-Za-z_]+)['\"]?\s*:", re.MULTILINE)


def refuse_game(path: Path) -> None:
    """Refuse to write over a game file.

    Raises:
        BadRequest: a game file stands there.
    """
    if is_game(path):
        raise BadRequest(f"{path} is a game file, and is left as it is; choose another name")


def is_game(path: Path) -> bool:
    """Return whether a file holds a game: a mapping of nothing but a game's keys, whatever stands in them."""
    try:
        if not path.is_file() or path.stat().st_size > MAX_BYTES:
            return False
        text = path.read_text("utf-8-sig")
    except (OSError, ValueError):
        return False
    keys = _json_keys(text) if text.lstrip().startswith("{") else set(_TOP_KEY.findall(text))
    if not keys:
        return False
    from mint_ledger.game.document import GameFile  # late, so that a short command starts without pydantic

    return keys <= set(GameFile.model_fields)


def _json_keys(text: str) -> set[str]:
    try:
        content = json.loads(text)
    except ValueError:
        return set()
    return set(content) if isinstance(content, dict) else set()
