"""The command `mint-ledger`."""

from __future__ import annotations

import contextlib
import os
import sys
import threading
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer

from mint_ledger.cli.arguments import (
    EngineOption,
    GameArgument,
    HabitOption,
    JsonOption,
    ScriptOption,
    SeedOption,
    SetOption,
    VariantOption,
    read_dials,
)
from mint_ledger.cli.output import say, say_json
from mint_ledger.cli.study import history, study
from mint_ledger.engines.threads import COMPILING
from mint_ledger.errors import BadRequest, MintError

if TYPE_CHECKING:
    from mint_ledger.playing.run import Run

FELL_SHORT, UNUSABLE, INTERRUPTED = 1, 2, 130

app = typer.Typer(
    add_completion=False,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 80},
    help="Define a game's stats and rules in one file, play it, and see where every point went.",
)


def _version(wanted: bool) -> None:
    if wanted:
        from mint_ledger import __version__

        say(f"mint-ledger {__version__}")
        raise typer.Exit


@app.callback()
def _options(
    _: Annotated[bool, typer.Option("--version", callback=_version, is_eager=True, help="Show the version.")] = False,
) -> None:
    pass


@app.command()
def demo(
    folder: Annotated[Path, typer.Argument(help="Where the tour writes its files.")] = Path("saltmere-tour"),
    runs: Annotated[int, typer.Option(help="How many nights the study plays.")] = 2_000,
) -> None:
    """Take the tour of a minute, on the game Saltmere Light."""
    from mint_ledger.cli.tour import tour

    tour(folder, runs)


@app.command()
def new(path: Annotated[Path, typer.Argument(metavar="GAME", help="The file to write.")]) -> None:
    """Write a small game to start from."""
    from mint_ledger.demo import starter_text
    from mint_ledger.files import write_text

    if path.exists():
        raise BadRequest(f"{path} is there already; it is left as it is")
    write_text(path, starter_text())
    say(f"{path} is written. Now try:\n  mint-ledger check {path}\n  mint-ledger run {path}")


@app.command()
def check(
    game: GameArgument,
    order: Annotated[bool, typer.Option("--order", help="Show what happens in which order.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Is the file valid, and do its playtests pass?"""
    from mint_ledger.client import load
    from mint_ledger.views.check_text import check_text, order_text

    loaded = load(game)
    if order:
        say(order_text(loaded, loaded.lowered.program))
        return
    results = loaded.play_tests()
    if as_json:
        say_json(
            {
                "file": str(game),
                "title": loaded.title,
                "playtests": [
                    {
                        "name": result.name,
                        "passed": result.passed,
                        "stopped": result.stopped,
                        "expectations": [
                            {"at": f.at, "expected": f.expected, "held": f.held, "found": f.values}
                            for f in result.found
                        ],
                    }
                    for result in results
                ],
            }
        )
    else:
        say(check_text(loaded, loaded.lowered.program, results))
    if not all(result.passed for result in results):
        raise typer.Exit(FELL_SHORT)


@app.command()
def run(
    game: GameArgument,
    seed: SeedOption = 1,
    number: Annotated[int, typer.Option("--run", help="Which run of the seed; a study's run K is this one.")] = 0,
    habit: HabitOption = None,
    variant: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    start: Annotated[float, typer.Option("--from", help="Tell nothing before this time.")] = 0.0,
    end: Annotated[float | None, typer.Option("--to", help="Tell nothing after this time.")] = None,
    only: Annotated[
        list[str] | None,
        typer.Option(help="Tell only of this entity, account, stat or cause (may be repeated)."),
    ] = None,
    output: Annotated[Path | None, typer.Option("-o", "--output", help="Write the journal (.csv or .jsonl).")] = None,
    plot: Annotated[Path | None, typer.Option(help="Draw the run into this file (.png, .svg or .pdf).")] = None,
    account: Annotated[list[str] | None, typer.Option(help="An account to draw (may be repeated).")] = None,
    as_json: JsonOption = False,
) -> None:
    """Play the game once and tell what happened."""
    from mint_ledger.cli.files import write_figure, write_journal
    from mint_ledger.views.story import story_text

    _check_span(start, end)
    played = _played(game, seed, number, habit, variant, script, settings, engine)
    if output:
        write_journal(output, played)
    if plot:
        write_figure(plot, played.plot(account))
    if as_json:
        from mint_ledger.journal.table import records

        rows = [r for r in records(played.program, played.rows) if start <= r["time"] <= (end or played.time)]
        head = {
            "title": played.title,
            "result": played.result,
            "ending": played.ending,
            "winner": played.winner,
        }
        say_json({**head, "time": played.time, "journal": rows})
    elif not (output or plot):
        say(story_text(played, start, end, only or ()))
    else:
        for path in filter(None, (output, plot)):
            say(f"{path} is written ({played.result} at {played.time:g})")


def _played(
    game: Path,
    seed: int,
    number: int,
    habit: str | None,
    variant: str | None,
    script: Path | None,
    settings: list[str] | None,
    engine: str,
) -> Run:
    """The run that the options of `run` and `statement` ask for."""
    from mint_ledger.client import load, load_script

    happenings = load_script(script) if script else ()
    dials = read_dials(settings)
    return load(game).run(
        seed,
        run=number,
        habit=habit,
        variant=variant,
        script=happenings,
        dials=dials,
        engine=engine,  # type: ignore[arg-type]
    )


def _check_span(start: float, end: float | None) -> None:
    if end is not None and end < start:
        raise BadRequest(f"--from {start:g} is later than --to {end:g}")


@app.command()
def statement(
    game: GameArgument,
    account: Annotated[str, typer.Argument(help="The account, like keeper.health.")],
    seed: SeedOption = 1,
    number: Annotated[int, typer.Option("--run", help="Which run of the seed.")] = 0,
    habit: HabitOption = None,
    variant: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    start: Annotated[float, typer.Option("--from", help="Begin at this time.")] = 0.0,
    end: Annotated[float | None, typer.Option("--to", help="Close at this time.")] = None,
    by_level: Annotated[bool, typer.Option("--by-level", help="One statement for each level.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Show one account's run: opening, what came in and went out by cause, closing."""
    from mint_ledger.views.statement_text import statement_text

    _check_span(start, end)
    played = _played(game, seed, number, habit, variant, script, settings, engine)
    made = played.statements_by_level(account) if by_level else [played.statement(account, start, end)]
    if as_json:
        say_json([one.as_json() for one in made] if by_level else made[0].as_json())
    else:
        unit = "turns" if played.program.clock.unit == "turn" else "s"
        say("\n\n".join(statement_text(one, unit=unit) for one in made))


app.command()(study)
app.command()(history)


def main() -> None:
    """Run the command; what is wrong with the input ends with one line a fault and exit code 2."""
    code: str | int | None = 0
    try:
        app()
    except SystemExit as leaving:
        code = leaving.code
        if code == INTERRUPTED:
            say("interrupted", error=True)
    except MintError as error:
        say(str(error), error=True)
        code = UNUSABLE
    except KeyboardInterrupt:
        say("interrupted", error=True)
        code = INTERRUPTED
    except BrokenPipeError:
        # Whoever read our output has seen enough; the interpreter must not try to flush it.
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())
    _leave(code)


def _leave(code: str | int | None) -> None:
    """Leave at once, even if code is being compiled that nobody waits for any more."""
    if any(thread.name == COMPILING for thread in threading.enumerate()):
        with contextlib.suppress(OSError, ValueError):
            sys.stdout.flush()
            sys.stderr.flush()
        os._exit(code if isinstance(code, int) else 1 if code else 0)
    sys.exit(code)


if __name__ == "__main__":
    main()
