"""The command `audit`: the usual mistakes of a game."""

from __future__ import annotations

import json
from pathlib import Path
from typing import Annotated

import typer

from mint_ledger.cli.arguments import GameArgument, JsonOption, SeedOption
from mint_ledger.cli.exits import FELL_SHORT
from mint_ledger.cli.output import say, say_json


def audit(
    game: GameArgument,
    runs: Annotated[int, typer.Option(help="How many runs of each habit and variant; 0: look at the file alone.")] = 50,
    seed: SeedOption = 1,
    only: Annotated[
        list[str] | None, typer.Option(metavar="NAME", help="Only this check, by name or code (repeatable).")
    ] = None,
    sarif: Annotated[Path | None, typer.Option(help="Write the findings as SARIF 2.1.0 into this file.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Play the game in many ways and name the usual mistakes."""
    from mint_ledger.cli.files import write_output
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.client import load

    loaded = load(game)
    with counted_progress(f"{loaded.title}: runs") as progress:
        answer = loaded.audit(runs=runs, seed=seed, only=only or (), progress=progress)
    if sarif:
        write_output(sarif, json.dumps(answer.as_sarif(), indent=2, ensure_ascii=False) + "\n")
    if as_json:
        say_json(answer.as_json())
    else:
        say(answer.summary())
        if sarif:
            say(f"\n{sarif} is written")
    if answer.open:
        raise typer.Exit(FELL_SHORT)
