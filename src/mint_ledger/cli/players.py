"""The command `players`: how well it can be played, from chance to the best habit; and whether real players do so."""

from __future__ import annotations

import math
from pathlib import Path
from typing import Annotated

import typer

from mint_ledger.cli.arguments import (
    EngineOption,
    GameArgument,
    JsonOption,
    ScriptOption,
    SeedOption,
    SetOption,
    SureOption,
    VariantOption,
    joined,
    load_game,
    read_dials,
    tell_meant,
)
from mint_ledger.cli.completing import complete_habits
from mint_ledger.cli.exits import INTERRUPTED
from mint_ledger.cli.output import hint, say, say_json
from mint_ledger.cli.recorded import PlaysRequest, show_plays


def players(
    game: GameArgument,
    plays: Annotated[
        Path | None,
        typer.Argument(metavar="[PLAYS]", help="Recorded plays (.csv, .parquet) or a summary of them (.yaml)."),
    ] = None,
    like: Annotated[
        str | None,
        typer.Option(
            "--like",
            "--habit",
            metavar="HABIT",
            autocompletion=complete_habits,
            help="The habit whose reaction time, error rate and finds all players use; with PLAYS: the one to compare.",
        ),
    ] = None,
    columns: Annotated[
        list[str] | None,
        typer.Option(metavar="COLUMN=MEASURE", help="What a column of PLAYS holds: hp=closing(keeper.health)."),
    ] = None,
    fit: Annotated[
        list[str] | None,
        typer.Option(metavar="DIAL=RANGE", help="Fit this number of the habit to PLAYS (repeatable, up to 5)."),
    ] = None,
    mix: Annotated[
        list[str] | None,
        typer.Option(metavar="HABIT", help="Estimate the share of PLAYS that this habit plays (give two or more)."),
    ] = None,
    changes: Annotated[
        list[str] | None,
        typer.Option("--with", metavar="DIAL=VALUE", help="What this change would do for the fitted players."),
    ] = None,
    anyway: Annotated[
        bool, typer.Option("--anyway", help="Accept plays of another version, and a habit that does not fit.")
    ] = False,
    store: Annotated[
        Path | None, typer.Option(help="Store the runs that a fit simulates in this file (SQLite), for the next time.")
    ] = None,
    plot: Annotated[
        Path | None, typer.Option(help="Draw recorded and simulated plays, or the curves of --skill, into this file.")
    ] = None,
    runs: Annotated[
        int | None, typer.Option(help="How many runs confirm each number: 10,000; with PLAYS 4,000.")
    ] = None,
    most_runs: Annotated[
        int | None, typer.Option(help="How many runs the search may take: 160,000, more where runs are short.")
    ] = None,
    seconds: Annotated[
        float, typer.Option(help="End the search after this many seconds, then confirm what it found.")
    ] = math.inf,
    seed: SeedOption = 1,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    skill: Annotated[
        bool,
        typer.Option("--skill", help="What skill is worth: wins from quick and accurate to slow and clumsy players."),
    ] = False,
    write: Annotated[
        str | None,
        typer.Option(
            "--as",
            "--write",
            metavar="NAME",
            help="Write what was found into the file, as this habit; with --fit: its numbers.",
        ),
    ] = None,
    sure: SureOption = 0.95,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write the wins of all players (.csv, .jsonl, .parquet).")
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Show how well the game can be played, and whether real players (PLAYS) play like that."""
    if plays is not None:
        asked = PlaysRequest(
            plays,
            like,
            tuple(columns or ()),
            tuple(fit or ()),
            tuple(mix or ()),
            tuple(changes or ()),
            anyway,
            store,
            plot,
            script,
        )
        show_plays(game, asked, runs or 4_000, seed, joined(variants), settings, write, sure, output, as_json=as_json)
        return
    from mint_ledger.cli.files import write_figure, write_table
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.files import write_text
    from mint_ledger.players.writing import with_habit

    loaded = load_game(game, script)
    tell_meant(loaded, read_dials(settings), quiet=as_json)
    with counted_progress(f"{loaded.title}: searching, runs") as progress:
        found = loaded.play_range(
            like,
            runs or 10_000,
            seed,
            most_runs=most_runs,
            seconds=seconds,
            skill=skill,
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
    if plot is not None and found.skill is not None:
        write_figure(plot, found.skill.plot())
    say_json(found.as_json()) if as_json else say(found.summary())
    if write is not None and not found.interrupted and not as_json:
        hint(f"\n{write} is written into {game}")
    for written in (output, plot if found.skill else None):
        if written is not None and not as_json:
            hint(f"\n{written} is written")
    if found.interrupted:
        raise typer.Exit(INTERRUPTED)
