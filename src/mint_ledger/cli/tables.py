"""The commands `tables export`, `tables import` and `export`: numbers out to other programs, and back."""

from __future__ import annotations

from pathlib import Path
from typing import Annotated

import typer

from mint_ledger.cli.arguments import GameArgument, JsonOption, load_game
from mint_ledger.cli.files import STREAM, form_of, show_changes, write_game, write_output
from mint_ledger.cli.frame import WRITE, Group, add_command
from mint_ledger.cli.output import hint, say, say_json, say_json_text
from mint_ledger.errors import BadRequest
from mint_ledger.plain import json_text

tables = typer.Typer(
    no_args_is_help=True,
    rich_markup_mode=None,
    cls=Group,
    context_settings={"help_option_names": ["-h", "--help"], "max_content_width": 80},
    help="The game's numbers as a spreadsheet, and back.",
)


def tables_export(
    game: GameArgument,
    output: Annotated[Path, typer.Option("-o", "--output", help="A book (.xlsx), or a folder for .csv files.")],
) -> None:
    """Write all numbers: a row for each kind, attack or action, a column for each number."""
    from mint_ledger.tables.book import write_book
    from mint_ledger.tables.sheets import make_sheets

    if output == STREAM:
        raise BadRequest("a book is a file or a folder; `export -o -` gives all numbers on stdout")
    loaded = load_game(game)
    sheets = make_sheets(loaded)
    write_book(output, sheets)
    told = ", ".join(f"{sheet.name} ({len(sheet.lines)})" for sheet in sheets)
    hint(f"{output} is written: {told}\nThe way back: mint-ledger tables import {game} {output}")


def tables_import(
    game: GameArgument,
    book: Annotated[Path, typer.Argument(metavar="TABLES", help="The book, the folder, or one .csv of it.")],
    write: Annotated[bool, typer.Option("--write", help="Write the numbers into the game file.")] = False,
    as_json: JsonOption = False,
) -> None:
    """Show what the tables change in the game file; with --write, change it."""
    from dataclasses import asdict

    from mint_ledger.journal.wording import shown
    from mint_ledger.tables.book import read_book
    from mint_ledger.tables.changes import changed_source, find_changes

    loaded = load_game(game)
    changes = find_changes(loaded, read_book(book))
    after = changed_source(loaded, changes)
    if as_json:
        say_json({"changes": [asdict(change) for change in changes]})
    elif not changes:
        say(f"{game} has all these numbers already")
    else:
        for change in changes:
            into = f" ({change.variant})" if change.variant else ""
            say(f"  {change.place}: {change.dial}{into} {shown(change.before)} → {shown(change.after)}")
        say("\n" + show_changes(loaded.source, after))
    if write and changes:
        written = write_game(loaded.source, after)
        if not as_json:
            say(f"\n{' and '.join(written)} {'is' if len(written) == 1 else 'are'} written")
    elif changes and not as_json:
        say("\nNothing is written; --write does that.")


add_command(tables, tables_export, WRITE, name="export")
add_command(tables, tables_import, WRITE, name="import")


def schema_text() -> str:
    """The JSON Schema of the game file, as it is printed and written."""
    from mint_ledger.game.schema import game_schema

    return json_text(game_schema(), indent=1) + "\n"


def export(
    game: Annotated[Path | None, typer.Argument(metavar="GAME", help="The game file; - reads it from stdin.")] = None,
    output: Annotated[Path | None, typer.Option("-o", "--output", help="Write it here (.json or .csv).")] = None,
    variant: Annotated[
        list[str] | None, typer.Option(help="With the dials of this variant (repeatable); 'today' is the file itself.")
    ] = None,
    every: Annotated[bool, typer.Option("--all", help="The file itself and all its variants.")] = False,
    as_schema: Annotated[
        bool, typer.Option("--schema", help="The JSON Schema of the game file instead, for editors; without GAME.")
    ] = False,
) -> None:
    """Export the numbers for a game engine: every dial by name, with the game file's hash."""
    if as_schema:
        _give(schema_text(), output, "")
        return
    if game is None:
        raise BadRequest("export needs a game file, or --schema")
    from mint_ledger.tables.numbers import TODAY, numbers_csv, numbers_of

    loaded = load_game(game)
    names = [TODAY, *loaded.variants] if every else (variant or [])
    form = ".json" if output is None else form_of(output, ".json")
    if form not in (".json", ".csv"):
        raise BadRequest(f"{output}: numbers are written as .json or .csv")
    if form == ".csv":
        text = numbers_csv(loaded, names)
    else:
        text = json_text(numbers_of(loaded, names), indent=1) + "\n"
    _give(text, output, f": {len(loaded.dials.names)} numbers of {', '.join(names) or TODAY}")


def _give(text: str, output: Path | None, what: str) -> None:
    """Print a text for machines, or write it into a file and say what it holds."""
    if output is None:
        say_json_text(text.rstrip("\n"))
    else:
        write_output(output, text)
        hint(f"{output} is written{what}")
