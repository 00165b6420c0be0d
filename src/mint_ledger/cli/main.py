"""The command `mint-ledger`."""

from __future__ import annotations

import contextlib
import gc
import os
import shutil
import sys
import threading
import warnings
from collections.abc import Callable, Mapping
from pathlib import Path
from typing import TYPE_CHECKING, Annotated

import typer
from typer.models import CommandInfo

from mint_ledger.cli import waiting
from mint_ledger.cli.arguments import (
    EngineOption,
    GameArgument,
    HabitOption,
    JsonOption,
    ScriptOption,
    SeedOption,
    SetOption,
    VariantOption,
    joined,
    load_game,
    read_changes,
    read_dials,
    tell_meant,
)
from mint_ledger.cli.audit import audit
from mint_ledger.cli.balance import matchup, sensitivity, sweep, targets, tune
from mint_ledger.cli.by_hand import by_hand
from mint_ledger.cli.check import check
from mint_ledger.cli.compare import compare
from mint_ledger.cli.completing import UNDER_WAY, complete_accounts, complete_patterns, written
from mint_ledger.cli.editor import editor
from mint_ledger.cli.exits import INTERNAL_FAULT, INTERRUPTED, UNUSABLE
from mint_ledger.cli.frame import (
    JUDGE,
    PLAY,
    SHARE,
    TUNE,
    WRITE,
    Group,
    LevelOption,
    QuietOption,
    add_command,
    only_names,
    share_options,
)
from mint_ledger.cli.odds import odds
from mint_ledger.cli.output import flush, hint, say, say_json
from mint_ledger.cli.own_fault import error_line, fault_line
from mint_ledger.cli.players import players
from mint_ledger.cli.report import report
from mint_ledger.cli.study import history, study
from mint_ledger.cli.tables import export, schema_text, tables
from mint_ledger.cli.watch import watch
from mint_ledger.engines.threads import COMPILING
from mint_ledger.errors import BadRequest, BooksError, BrokenProgram, MintError, NobodyPlays
from mint_ledger.views.page import Page, apart
from mint_ledger.views.width import set_width

if TYPE_CHECKING:
    import pandas as pd

    from mint_ledger.game.dial_value import Value
    from mint_ledger.journal.statement import Statement
    from mint_ledger.playing.run import Run

SCHEMA = "mint-ledger.schema.json"
# Where no command is carried out, their options need not be built.
WITHOUT_COMMAND = ("", "-h", "--help", "--version")

app = typer.Typer(
    add_completion=True,
    no_args_is_help=True,
    rich_markup_mode=None,
    pretty_exceptions_enable=False,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 80},
    cls=Group,
    help="A game's stats and rules in one file: play it, see where every point went.",
)


def _version(wanted: bool) -> None:
    if wanted:
        from mint_ledger.versions import versions

        say("\n".join(f"{name} {version}" for name, version in versions().items()))
        raise typer.Exit


@app.callback()
def _options(
    _: Annotated[
        bool,
        typer.Option(
            "--version",
            callback=_version,
            is_eager=True,
            help="Show the versions of Mint Ledger and its packages.",
        ),
    ] = False,
    quiet: QuietOption = False,
    log_level: LevelOption = None,
) -> None:
    pass


def demo(
    folder: Annotated[Path, typer.Argument(help="Where the tour writes its files.")] = Path("saltmere-tour"),
    runs: Annotated[int, typer.Option(help="How many nights the study plays.")] = 2_000,
) -> None:
    """Take the tour of a minute, on the game Saltmere Light."""
    from mint_ledger.cli.tour import tour

    tour(folder, runs)


def new(
    path: Annotated[Path, typer.Argument(metavar="GAME", help="The file to write.")],
    patterns: Annotated[
        list[str] | None,
        typer.Option(
            "--with",
            metavar="PATTERNS",
            help="Put patterns into it, like boss,pickups,lives.",
            autocompletion=complete_patterns,
        ),
    ] = None,
) -> None:
    """Write a small game to start from, and next to it the schema with which editors complete its keys."""
    from mint_ledger.files import write_text
    from mint_ledger.patterns import game_with

    names = [name.strip() for some in patterns or () for name in some.split(",") if name.strip()]
    if path.exists():
        raise BadRequest(f"{path} is there already; it is left as it is")
    text = game_with(names)
    write_text(path.parent / SCHEMA, schema_text())
    write_text(path, f"# yaml-language-server: $schema={SCHEMA}\n{text}")
    hint(
        f"{path} is written. Now try:\n  mint-ledger check {path}\n  mint-ledger run {path}\n  mint-ledger study {path}"
    )


def schema(
    output: Annotated[Path | None, typer.Option("-o", "--output", help="Write it into this file.")] = None,
) -> None:
    """Print the JSON Schema of the game file, for editors."""
    from mint_ledger.cli.files import write_output

    if output is None:
        say(schema_text().rstrip())
        return
    write_output(output, schema_text())
    hint(f"{output} is written; the first line of a game file points an editor to it:")
    hint(f"# yaml-language-server: $schema={output.name}")


# A story of fewer lines is told whole.
LONG_STORY = 60


def run(
    game: GameArgument,
    seed: SeedOption = 1,
    number: Annotated[int, typer.Option("--run", help="Which run of the seed; a study's run K is this one.")] = 0,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    start: Annotated[float, typer.Option("--from", help="Show nothing before this time.")] = 0.0,
    end: Annotated[float | None, typer.Option("--to", help="Show nothing after this time.")] = None,
    only: Annotated[
        list[str] | None,
        typer.Option(help="Show only this entity, account, stat or cause (may be repeated)."),
    ] = None,
    full: Annotated[
        bool, typer.Option("--full", help="Show everything that happened, not only the highlights.")
    ] = False,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write the journal (.csv, .jsonl, .parquet).")
    ] = None,
    plot: Annotated[
        Path | None, typer.Option(help="Draw the run into this file (.png, .svg or .pdf), or a column of a table.")
    ] = None,
    timeline: Annotated[
        Path | None, typer.Option(help="Draw levels, hits, actions and statuses over time into this file.")
    ] = None,
    readout: Annotated[
        list[str] | None, typer.Option(metavar="TIMES", help="Show only the readout at these times, like 10,20.5,60.")
    ] = None,
    account: Annotated[
        list[str] | None,
        typer.Option(
            help="An account, or a column of a table, to draw (may be repeated).", autocompletion=complete_accounts
        ),
    ] = None,
    as_json: JsonOption = False,
) -> None:
    """Play the game once and show what decided it, or with --full all that happened."""
    habit = joined(played_by)
    variant = joined(variants)
    from mint_ledger.cli.files import FIGURES, write_figure, write_journal
    from mint_ledger.game.dials import table_column
    from mint_ledger.views.story import story_text

    _check_span(start, end)
    played = _played(game, seed, number, habit, variant, script, settings, engine, quiet=as_json)
    if output:
        write_journal(output, played)
    if plot and plot.suffix[1:] not in FIGURES and table_column(played.program.dials, str(plot)):
        # The name of a column in the place of a file: it is drawn into one of its name.
        account, plot = [*(account or ()), str(plot)], Path(f"{plot}.png")
    if plot:
        write_figure(plot, played.plot(account))
    if timeline:
        write_figure(timeline, played.plot_timeline())
    if as_json:
        from mint_ledger.journal.table import records

        rows = [
            r
            for r in records(played.program, played.rows)
            if start <= r["time"] <= (played.time if end is None else end)
        ]
        head = {
            "title": played.title,
            "result": played.result,
            "ending": played.ending,
            "winner": played.winner,
        }
        say_json({**head, "time": played.time, "journal": rows})
    if readout and not as_json:
        say(apart(played.title, *(Page(_told_time(played, t), played.readout(t)) for t in _times(readout))))
    elif not (output or plot or timeline or as_json):
        story = story_text(played, start, end, only or ())
        narrowed = full or only or start or end is not None
        if narrowed or story.count("\n") < LONG_STORY:
            say(story)
        else:
            say(played.summary())
            hint(f"\n{len(played.rows):,} rows are in the journal; --full shows them all")
    if not as_json:
        for path in filter(None, (output, plot, timeline)):
            hint(f"{path} is written ({played.result} at {played.time:g})")


def _played(
    game: Path,
    seed: int,
    number: int,
    habit: str | None,
    variant: str | None,
    script: Path | None,
    settings: list[str] | None,
    engine: str,
    more: Mapping[str, Value] | None = None,
    *,
    quiet: bool = False,
) -> Run:
    """The run that the options of `run` and `statement` ask for; `more` are dials in addition to those of `--set`."""
    dials = {**read_dials(settings), **(more or {})}
    loaded = load_game(game, script)
    tell_meant(loaded, dials, quiet=quiet)
    return loaded.run(
        seed,
        run=number,
        habit=habit,
        variant=variant,
        dials=dials,
        engine=engine,  # type: ignore[arg-type]
    )


def _told_time(played: Run, time: float) -> str:
    return f"turn {time:g}" if played.program.clock.unit == "turn" else f"{time:.2f} s"


def _times(texts: list[str]) -> list[float]:
    try:
        return [float(part) for text in texts for part in text.split(",") if part.strip()]
    except ValueError:
        raise BadRequest(f"--readout wants times like 10,20.5,60, not '{', '.join(texts)}'") from None


def _check_span(start: float, end: float | None) -> None:
    if end is not None and end < start:
        raise BadRequest(f"--from {start:g} is later than --to {end:g}")


def statement(
    game: GameArgument,
    account: Annotated[
        str | None, typer.Argument(help="The account, like keeper.health.", autocompletion=complete_accounts)
    ] = None,
    seed: SeedOption = 1,
    number: Annotated[int, typer.Option("--run", help="Which run of the seed.")] = 0,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    start: Annotated[float, typer.Option("--from", help="Start at this time.")] = 0.0,
    end: Annotated[float | None, typer.Option("--to", help="End at this time.")] = None,
    by_level: Annotated[bool, typer.Option("--by-level", help="One statement for each level.")] = False,
    every: Annotated[bool, typer.Option("--all", help="The statements of all accounts that anything changed.")] = False,
    compare: Annotated[
        list[str] | None,
        typer.Option(
            "--with",
            "--compare",
            metavar="KEY=VALUE",
            help="Show another run next to it: another seed, run, habit, variant or dial (repeatable).",
        ),
    ] = None,
    output: Annotated[
        Path | None, typer.Option("-o", "--output", help="Write one line a cause (.csv, .jsonl, .parquet).")
    ] = None,
    plot: Annotated[Path | None, typer.Option(help="Draw the statement into this file (.png, .svg or .pdf).")] = None,
    as_json: JsonOption = False,
) -> None:
    """Show one account's run: opening, what came in and went out by cause, closing."""
    habit = joined(played_by)
    variant = joined(variants)
    from mint_ledger.views.statement_text import comparison_text, statement_text

    _check_span(start, end)
    if every == (account is not None):
        raise BadRequest("statement wants an account like keeper.health, or --all")
    played = _played(game, seed, number, habit, variant, script, settings, engine, quiet=as_json)
    unit = "turns" if played.program.clock.unit == "turn" else "s"
    names = played.changed_accounts() if account is None else [account]
    if compare:
        changed, dials = read_changes(compare, "--with", ("seed", "run", "habit", "variant"))
        for key in {"seed", "run"} & set(changed):
            if not changed[key].isdigit():
                raise BadRequest(f"--with {key}={changed[key]}: '{changed[key]}' is no whole number")
        other = _played(
            game,
            int(changed.get("seed", seed)),
            int(changed.get("run", number)),
            changed.get("habit", habit),
            changed.get("variant", variant),
            script,
            settings,
            engine,
            dials,
        )
        both = [played.statement(name, start, end).beside(other.statement(name, start, end)) for name in names]
        say_json({"comparisons": [each.as_json() for each in both]}) if as_json else say(
            apart(*(comparison_text(each, unit=unit) for each in both))
        )
        if output:
            _write_lines(output, [(each.one, each.table()) for each in both], quiet=as_json)
        return
    statements = [
        each
        for name in names
        for each in (played.statements_by_level(name) if by_level else [played.statement(name, start, end)])
    ]
    if every:
        statements = [each for each in statements if each.lines]  # of a part of the run, what moved in it
    if plot:
        from mint_ledger.cli.files import write_figure

        if len(statements) > 1:
            raise BadRequest("--plot draws one account")
        write_figure(plot, statements[0].plot())
        hint(f"{plot} is written")
    elif as_json:
        say_json(
            {"statements": [each.as_json() for each in statements]} if by_level or every else statements[0].as_json()
        )
    else:
        say(apart(*(statement_text(each, unit=unit) for each in statements)))
    if output:
        _write_lines(output, [(each, each.table()) for each in statements], quiet=as_json)


def _write_lines(output: Path, tables: list[tuple[Statement, pd.DataFrame]], *, quiet: bool) -> None:
    """Write the lines of statements below one another, each with its account and its times."""
    import pandas as pd

    from mint_ledger.cli.files import write_table

    for statement, table in tables:
        table.insert(0, "account", statement.account)
        table.insert(1, "from", statement.start)
        table.insert(2, "until", statement.end)
    write_table(output, pd.concat([table for _, table in tables], ignore_index=True))
    if not quiet:
        hint(f"\n{output} is written")


def why(
    game: GameArgument,
    account: Annotated[str, typer.Argument(help="The account, like keeper.health.", autocompletion=complete_accounts)],
    at: Annotated[float | None, typer.Option(help="Ask at this time; by default at the end.")] = None,
    count: Annotated[int, typer.Option(help="How many changes to show.", min=1, max=1000)] = 3,
    seed: SeedOption = 1,
    number: Annotated[int, typer.Option("--run", help="Which run of the seed.")] = 0,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    script: ScriptOption = None,
    engine: EngineOption = "auto",
    as_json: JsonOption = False,
) -> None:
    """Explain the value of an account: its last changes and the rules behind them."""
    habit = joined(played_by)
    variant = joined(variants)
    from dataclasses import asdict

    from mint_ledger.views.why_text import why_text

    answer = _played(game, seed, number, habit, variant, script, settings, engine).why(account, at, count)
    say_json(asdict(answer)) if as_json else say(why_text(answer))


add_command(app, new, WRITE, "Write a small game to start from, with a schema for editors.")
add_command(app, check, WRITE)
add_command(app, watch, WRITE, "Keep an eye on the file: after each save, what it moved.")
app.add_typer(tables, name="tables", rich_help_panel=WRITE)
add_command(app, schema, WRITE)
add_command(app, editor, WRITE, "Speak with an editor: faults, names and what they mean, renaming.")
add_command(app, demo, PLAY)
add_command(app, run, PLAY, "Play the game once and show what decided it.")
add_command(app, statement, PLAY, "Show one account's run: what came in, went out, and is left.")
add_command(app, why, PLAY, "Say why an account is worth what it is.")
add_command(app, by_hand, PLAY, "Play by hand, step by step, with undo and why.", name="try")
add_command(app, audit, JUDGE, "Play the game in many ways and name the usual mistakes.")
add_command(app, study, JUDGE, "Play the game many times: wins, times, ends, with intervals.")
add_command(app, targets, JUDGE, "Judge the game by its targets: met, missed or undecided.")
add_command(app, compare, JUDGE, "Compare two games, variants, habits or sets of dials.")
add_command(app, players, JUDGE, "How well can it be played, and do real players play so?")
add_command(app, matchup, JUDGE, "Say how many hits and seconds everyone takes to defeat whom.")
add_command(app, odds, JUDGE, "The exact chance of each branch of each lot.")
add_command(app, history, JUDGE, "List, show, compare and verify the studies of a store.")
add_command(app, sweep, TUNE, "Study the game at many settings of some dials.")
add_command(app, tune, TUNE, "Find the values of dials that meet a target.")
add_command(app, sensitivity, TUNE, "Rank the dials by what one per cent more of each does.")
add_command(app, report, SHARE, "Write one HTML page for those you talk to.")
add_command(app, export, SHARE, "Give the numbers that a game engine loads.")


def main() -> None:
    """Run the command; what is wrong with the input ends with one line a fault and exit code 2."""
    # A short command makes a hundred thousand objects that stay, and looking through them for circles takes long.
    gc.set_threshold(100_000, 20, 20)
    # The models use no plugins, and looking for some among all that is installed takes long as well.
    os.environ.setdefault("PYDANTIC_DISABLE_PLUGINS", "__all__")
    warnings.simplefilter("ignore", NobodyPlays)  # commands say it in a line of their own
    name = _asked_for()
    _build_only(name)
    if name in WITHOUT_COMMAND:
        only_names(app)
    else:
        share_options(app)
    if sys.stdout is not None and not sys.stdout.closed and sys.stdout.isatty():
        set_width(shutil.get_terminal_size().columns)
    waiting.begin()
    _leave(_code_of(lambda: app(prog_name="mint-ledger")))


def _asked_for() -> str:
    """The command's name; while names are completed the shell tells in its own way what stands there already."""
    if UNDER_WAY not in os.environ:
        return sys.argv[1] if len(sys.argv) > 1 else ""
    words = written()
    # The name is whole where something stands behind it.
    return words[1] if len(words) > 2 else ""


def _build_only(name: str) -> None:
    """Leave the other commands out, where one is asked for by its name: each takes its time to build."""
    wanted = [known for known in app.registered_commands if _name_of(known) == name]
    if wanted:
        app.registered_commands, app.registered_groups = wanted, []


def _name_of(command: CommandInfo) -> str:
    return command.name or (command.callback.__name__.replace("_", "-") if command.callback is not None else "")


def _code_of(command: Callable[[], None]) -> str | int | None:
    """Carry out a command, and say in one line whatever keeps it from its end."""
    try:
        try:
            command()
            code: str | int | None = 0
        except SystemExit as leaving:
            code = leaving.code
            if code == INTERRUPTED:
                say("interrupted", error=True)
        flush()
    except (BrokenProgram, BooksError) as error:
        say(fault_line(str(error)), error=True)
        code = INTERNAL_FAULT
    except MintError as error:
        say(str(error), error=True)
        code = UNUSABLE
    except KeyboardInterrupt:
        say("interrupted", error=True)
        code = INTERRUPTED
    except BrokenPipeError:
        # Whoever read our output has seen enough.
        _let_go_of_output()
        code = 0
    except OSError as error:
        _let_go_of_output()
        say(f"cannot go on: {error.strerror or error}{f' ({error.filename})' if error.filename else ''}", error=True)
        code = UNUSABLE
    except Exception as error:
        say(error_line(error), error=True)
        code = INTERNAL_FAULT
    return code


def _let_go_of_output() -> None:
    """The interpreter must not try to flush what nobody can take."""
    with contextlib.suppress(OSError, ValueError, AttributeError):
        os.dup2(os.open(os.devnull, os.O_WRONLY), sys.stdout.fileno())


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
