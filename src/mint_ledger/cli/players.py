"""The command `players`: how well it can be played, from chance to the best habit that is found."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Annotated

import typer

from mint_ledger.cli.arguments import (
    GameArgument,
    JsonOption,
    SeedOption,
    SetOption,
    SureOption,
    VariantOption,
    joined,
    read_dials,
    tell_meant,
)
from mint_ledger.cli.exits import INTERRUPTED
from mint_ledger.cli.output import say, say_json


def players(
    game: GameArgument,
    like: Annotated[
        str | None, typer.Option(metavar="HABIT", help="Whose timing, slips and finds all players have.")
    ] = None,
    runs: Annotated[int, typer.Option(help="How many runs confirm each number that is told.")] = 10_000,
    most_runs: Annotated[int, typer.Option(help="How many runs the search may take.")] = 250_000,
    seconds: Annotated[float, typer.Option(help="Begin no further round of the search after so many.")] = math.inf,
    seed: SeedOption = 1,
    variants: VariantOption = None,
    settings: SetOption = None,
    write: Annotated[
        str | None, typer.Option(metavar="NAME", help="Write the best that was found into the file, as this habit.")
    ] = None,
    sure: SureOption = 0.95,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write the wins of all players (.csv, .jsonl, .parquet).")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """How well can it be played? Chance, each habit, the best that is found, and what each act is worth."""
    from mint_ledger.cli.files import write_table
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.client import load
    from mint_ledger.files import write_text
    from mint_ledger.players.writing import with_habit

    loaded = load(game)
    tell_meant(loaded, read_dials(settings), quiet=as_json)
    with counted_progress(f"{loaded.title}: searching, runs") as progress:
        found = loaded.play_range(
            like,
            runs,
            seed,
            most_runs=most_runs,
            seconds=seconds,
            variant=joined(variants),
            dials=read_dials(settings),
            sure=sure,
            progress=progress,
        )
    if write is not None and not found.interrupted:
        # Nothing is written where it would not be the same habit again.
        text = with_habit(loaded, write, found.habit()).text
        write_text(game, text)
    if output:
        write_table(output, found.table())
    say_json(found.as_json()) if as_json else say(found.summary())
    if write is not None and not found.interrupted and not as_json:
        say(f"\n{write} is written into {game}")
    if output and not as_json:
        say(f"\n{output} is written")
    if found.interrupted:
        raise typer.Exit(INTERRUPTED)
