"""Writes what commands make, in the form that a file's ending asks for."""

from __future__ import annotations

import sys
from pathlib import Path
from typing import TYPE_CHECKING

from mint_ledger.errors import BadRequest
from mint_ledger.files import write_bytes, write_text
from mint_ledger.game.guard import refuse_game

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

    from mint_ledger.game.source import Source
    from mint_ledger.playing.run import Run


FIGURES = ("png", "svg", "pdf")


# How stdin and stdout are named on the command line, and how a game from stdin is called in what is told of it.
STREAM, STDIN = Path("-"), "<stdin>"


def write_output(path: Path, content: str | bytes) -> None:
    """Write what was made of a game, to stdout where the path is `-`, but never over a game file.

    Raises:
        BadRequest: a game file stands there, or it cannot be written.
    """
    data = content.encode("utf-8") if isinstance(content, str) else content
    if path == STREAM:
        if sys.stdout is None or sys.stdout.closed:
            raise BadRequest("the data were to go to stdout, and stdout is closed")
        sys.stdout.buffer.write(data)
        sys.stdout.buffer.flush()
        return
    refuse_game(path)
    write_bytes(path, data)


def form_of(path: Path, usual: str) -> str:
    """The form that a path's ending asks for; the usual one on stdout, and into a device or pipe."""
    return usual if path == STREAM or (not path.suffix and path.exists() and not path.is_file()) else path.suffix


def write_journal(path: Path, run: Run) -> None:
    """Write a journal as CSV, JSON Lines or Parquet."""
    forms = {".csv": run.journal_csv, ".jsonl": run.journal_jsonl}
    form = form_of(path, ".csv")
    if form in forms:
        write_output(path, forms[form]())
    else:
        write_table(path, run.journal)


def write_table(path: Path, table: pd.DataFrame, *, index: bool = False) -> None:
    """Write a table as CSV, JSON Lines or Parquet.

    Raises:
        BadRequest: the file's ending is none of these, or Parquet's package is not installed.
    """
    from mint_ledger.tables.data import FORMS, table_bytes

    form = form_of(path, ".csv")
    if form not in FORMS:
        raise BadRequest(f"{path}: data is written as {', '.join(FORMS[:-1])} or {FORMS[-1]}")
    write_output(path, table_bytes(form, table, index=index))


def write_figure(path: Path, figure: Figure) -> None:
    """Write a figure as PNG, SVG or PDF."""
    from mint_ledger.views.picture import saved

    form = form_of(path, ".png")[1:]
    if form not in FIGURES:
        raise BadRequest(f"{path}: a figure is written as .png, .svg or .pdf")
    write_output(path, saved(figure, form))


def write_game(before: Source, after: Source) -> list[str]:
    """Write a game's file, and those of its tables, where they differ; the paths of those that are written.

    Raises:
        BadRequest: one of them cannot be written.
    """
    from mint_ledger.game.table_files import changed_files

    if before.file == STDIN:
        raise BadRequest("a game that was read from stdin has no file to be written into")
    changed = changed_files(before, after)
    for path, (_, text) in changed.items():
        write_text(Path(path), text)
    return list(changed)


def show_changes(before: Source, after: Source) -> str:
    """Return what changes in a game's file and those of its tables, line by line."""
    from mint_ledger.game.table_files import changed_files

    changed = changed_files(before, after)
    return "\n".join(show_change(Path(path), *texts) for path, texts in changed.items())


def show_change(path: Path, before: str, after: str) -> str:
    """Return what changes in a file, line by line."""
    import difflib

    lines = difflib.unified_diff(before.splitlines(), after.splitlines(), str(path), str(path), lineterm="", n=1)
    return "\n".join(lines)
