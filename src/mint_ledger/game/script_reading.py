"""Reads scripts that stand in a file of their own or come from Python."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from pathlib import Path
from typing import Any

from pydantic import ValidationError

from mint_ledger.errors import Fault, GameError, nearest
from mint_ledger.game.loading import fault_message
from mint_ledger.game.script import Happening
from mint_ledger.game.source import Source, read_list

ScriptItems = Sequence[Happening | Mapping[str, Any]]


def happenings(source: Source, items: list[Any]) -> list[Happening]:
    """Make happenings of plain values; `source` has their places.

    Raises:
        GameError: with all that is wrong.
    """
    valid: list[Happening] = []
    faults: list[Fault] = []
    known = [field.alias or name for name, field in Happening.model_fields.items()]
    for index, item in enumerate(items):
        if isinstance(item, Happening):
            valid.append(item)
            continue
        try:
            happening = Happening.model_validate(item, extra="allow")
        except ValidationError as error:
            for detail in error.errors():
                path = (
                    index,
                    *(part for part in detail["loc"] if part in (item if isinstance(item, dict) else {})),
                )
                faults.append(Fault(source.place(path), f"script[{index + 1}]", fault_message(detail, path)))
            continue
        for key in happening.model_extra or {}:
            message = f"unknown key '{key}'{nearest(key, known)}"
            faults.append(Fault(source.place((index, key)), f"script[{index + 1}]", message))
        valid.append(happening)
    if faults:
        raise GameError(faults)
    return valid


def read_script(items: ScriptItems) -> list[Happening]:
    """Make happenings of plain mappings.

    Raises:
        GameError: one of them is no happening.
    """
    plain = [item if isinstance(item, Happening) else dict(item) for item in items]
    return happenings(Source("script", plain), plain)


def script_text(script: Sequence[Happening]) -> tuple[str, ...]:
    """Happenings as JSON, one text each, of which `read_script` makes the same again."""
    return tuple(item.model_dump_json(by_alias=True, exclude_unset=True) for item in script)


def load_script(path: str | Path) -> list[Happening]:
    """Read a script file: a YAML list of happenings, or a mapping with the key `script`.

    Raises:
        GameError: it cannot be used.
    """
    source = read_list(path, "script")
    return happenings(source, source.data)
