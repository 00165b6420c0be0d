"""Reads what is written on the command line: dials to set, files to write."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Annotated

import typer

from mint_ledger.errors import BadRequest

GameArgument = Annotated[Path, typer.Argument(metavar="GAME", help="The game file.")]
SeedOption = Annotated[int, typer.Option(help="The seed of the luck: the same seed plays the same.")]
SetOption = Annotated[
    list[str] | None, typer.Option("--set", metavar="DIAL=VALUE", help="Set a dial, like crab.bite=9.")
]
HabitOption = Annotated[str | None, typer.Option(help="How simulated players play: one of the file's habits.")]
VariantOption = Annotated[str | None, typer.Option(help="One of the file's named sets of dials.")]
ScriptOption = Annotated[Path | None, typer.Option(help="A file of happenings to play along.")]
EngineOption = Annotated[str, typer.Option(help="auto, native or reference; the numbers are the same.")]
JsonOption = Annotated[bool, typer.Option("--json", help="Print JSON.")]


def read_dials(settings: list[str] | None) -> dict[str, float | bool]:
    """Read `dial=value` settings.

    Raises:
        BadRequest: one of them is not of that form.
    """
    dials: dict[str, float | bool] = {}
    for setting in settings or []:
        name, equals, text = setting.partition("=")
        if not equals or not name.strip():
            raise BadRequest(f"--set wants DIAL=VALUE, like crab.bite=9, not '{setting}'")
        dials[name.strip()] = _value(text.strip(), setting)
    return dials


def _value(text: str, setting: str) -> float | bool:
    if text in ("true", "yes"):
        return True
    if text in ("false", "no"):
        return False
    try:
        value = float(text)
    except ValueError:
        raise BadRequest(f"--set {setting}: '{text}' is no number") from None
    if not math.isfinite(value):
        raise BadRequest(f"--set {setting}: wants a finite number")
    return int(value) if value == int(value) and abs(value) < 1e15 else value
