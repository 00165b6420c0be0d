"""The command `report`: one page to send round."""

from __future__ import annotations

import shlex
from pathlib import Path
from typing import Annotated

import typer

from mint_ledger.cli.arguments import (
    EngineOption,
    GameArgument,
    SeedOption,
    SetOption,
    SureOption,
    VariantOption,
    joined,
    load_game,
    read_dials,
    read_named,
)
from mint_ledger.cli.completing import complete_settings
from mint_ledger.cli.output import hint
from mint_ledger.errors import BadRequest


def report(
    game: GameArgument,
    output: Annotated[Path, typer.Option("-o", "--output", help="The page to write (.html).")],
    runs: Annotated[int, typer.Option(help="How many runs of each habit and variant.")] = 2_000,
    seed: SeedOption = 1,
    sure: SureOption = 0.95,
    dial: Annotated[
        list[str] | None,
        typer.Option(
            "--dial",
            metavar="DIAL=RANGE",
            autocompletion=complete_settings,
            help="Sweep a dial and give it a slider (repeatable).",
        ),
    ] = None,
    store: Annotated[
        Path | None, typer.Option(help="Show the sweeps of this store too, and keep new ones in it (SQLite).")
    ] = None,
    variant: VariantOption = None,
    settings: SetOption = None,
    engine: EngineOption = "auto",
) -> None:
    """Write one HTML page to share: targets, outcomes, hits, findings, two runs."""
    from mint_ledger.cli.files import form_of, write_output
    from mint_ledger.cli.progress import counted_progress
    from mint_ledger.report.gathering import gather
    from mint_ledger.views.report_html import report_html

    if form_of(output, ".html") not in (".html", ".htm"):
        raise BadRequest(f"{output}: a report is written as .html")
    if not output.resolve().parent.is_dir():
        raise BadRequest(f"{output} cannot be written: there is no folder {output.parent}")
    loaded = load_game(game).turned(joined(variant), read_dials(settings))
    command = ["mint-ledger", "report", str(game), "-o", str(output), "--runs", str(runs), "--seed", str(seed)]
    command += ["--sure", f"{sure:g}"] if sure != 0.95 else []
    for option, texts in (("--variant", variant), ("--set", settings)):
        for text in texts or ():
            command += [option, text]
    for text in dial or ():
        command += ["--dial", text]
    if store is not None:
        command += ["--store", str(store)]
    with counted_progress(f"{loaded.title}: parts") as progress:
        page = gather(
            loaded,
            runs=runs,
            seed=seed,
            sure=sure,
            dials=dict(read_named(text) for text in dial or ()),
            store=store,
            command=shlex.join(command),
            progress=progress,
        )
    write_output(output, report_html(page))
    hint(f"{output} is written: {len(page.parts)} ways of playing, {runs:,} runs each")
