"""The command `audit`: the usual mistakes of a game."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Annotated

import typer

from mint_ledger.cli.arguments import (
    EngineOption,
    JsonOption,
    SeedOption,
    SetOption,
    VariantOption,
    joined,
    load_game,
    read_dials,
)
from mint_ledger.cli.exits import FELL_SHORT
from mint_ledger.cli.output import hint, next_step, say, say_json
from mint_ledger.errors import BadRequest
from mint_ledger.plain import json_text


def audit(
    game: Annotated[Path | None, typer.Argument(metavar="GAME", help="The game file.")] = None,
    runs: Annotated[int, typer.Option(help="How many runs of each habit and variant; 0: check the file alone.")] = 50,
    seed: SeedOption = 1,
    variants: VariantOption = None,
    settings: SetOption = None,
    engine: EngineOption = "auto",
    only: Annotated[
        list[str] | None, typer.Option(metavar="NAME", help="Only this check, by name or code (repeatable).")
    ] = None,
    strict: Annotated[bool, typer.Option("--strict", help="Exit with 1 for findings of grade maybe too.")] = False,
    every: Annotated[bool, typer.Option("--all", help="List the notes too.")] = False,
    about: Annotated[str | None, typer.Option(metavar="NAME", help="Explain a finding, and play nothing.")] = None,
    quick: Annotated[
        bool, typer.Option("--quick", help="Play 10 runs of each, and no changed versions of the game.")
    ] = False,
    players: Annotated[
        bool,
        typer.Option("--players", help="Search for the best habit too: shows useless actions, and one that is enough."),
    ] = False,
    seconds: Annotated[
        float,
        typer.Option(help="Start no new check after this many seconds; list what was not tested.", show_default=False),
    ] = math.inf,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write one line a finding (.csv, .jsonl, .parquet).")
    ] = None,
    sarif: Annotated[Path | None, typer.Option(help="Write the findings as SARIF 2.1.0 into this file.")] = None,
    as_json: JsonOption = False,
) -> None:
    """Play the game in many ways and list the usual mistakes: wrong (exit code 1) and maybe wrong."""
    from mint_ledger.cli.files import write_output, write_table
    from mint_ledger.cli.progress import telling_progress
    from mint_ledger.views.audit_text import found_text

    if about is not None:
        from mint_ledger.audit.audit import check_of
        from mint_ledger.views.audit_text import check_page

        say(check_page(check_of(about)))
        return
    if game is None:
        raise BadRequest("audit wants a game file, or --about and the name of a finding")
    loaded = load_game(game).turned(joined(variants), read_dials(settings))
    with telling_progress(f"{loaded.title}: runs") as (progress, tell):
        found = None if tell is None else lambda finding: tell(found_text(finding))
        answer = loaded.audit(
            runs=runs,
            seed=seed,
            only=only or (),
            quick=quick,
            players=players,
            seconds=seconds,
            progress=progress,
            found=found,
        )
    if sarif:
        write_output(sarif, json_text(answer.as_sarif(), indent=2) + "\n")
    if output:
        write_table(output, answer.table())
    say_json(answer.as_json()) if as_json else say(answer.summary(notes=every))
    for path in filter(None, (sarif, output) if not as_json else ()):
        hint(f"\n{path} is written")
    first = next(iter(answer.open), None)
    if first is not None and not as_json:
        next_step("what a finding means", game, f"audit --about {first.check.name}")
    if answer.wrong or (strict and answer.open):
        raise typer.Exit(FELL_SHORT)
