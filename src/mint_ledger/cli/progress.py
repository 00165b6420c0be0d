"""A progress bar on terminals; nothing in pipes."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager

from mint_ledger.cli import waiting
from mint_ledger.cli.output import is_quiet
from mint_ledger.plain import neutral


@contextmanager
def counted_progress(label: str) -> Iterator[Callable[[int, int], None] | None]:
    """Give a function that shows how many of all are done."""
    if is_quiet() or not sys.stderr.isatty():
        yield None
        return
    waiting.end()
    from rich.console import Console
    from rich.markup import escape
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(escape(neutral(label)), total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)


@contextmanager
def telling_progress(label: str) -> Iterator[tuple[Callable[[int, int], None] | None, Callable[[str], None] | None]]:
    """Give a function that shows how many of all are done, and one that says a line above that."""
    if is_quiet() or not sys.stderr.isatty():
        yield None, None
        return
    waiting.end()
    from rich.console import Console
    from rich.markup import escape
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeElapsedColumn

    console = Console(stderr=True, highlight=False)
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeElapsedColumn())
    with Progress(*columns, console=console, transient=True) as bar:
        task = bar.add_task(escape(neutral(label)), total=None)
        yield (
            lambda done, total: bar.update(task, completed=done, total=total),
            lambda line: console.print(escape(neutral(line)), style="dim"),
        )


@contextmanager
def study_progress(label: str) -> Iterator[Callable[[int, int], None] | None]:
    """Give a function that shows how far a study has come, and what is known so far."""
    if is_quiet() or not sys.stderr.isatty():
        yield None
        return
    waiting.end()
    from rich.console import Console
    from rich.markup import escape
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    from mint_ledger.studies.budget import Done
    from mint_ledger.studies.estimate import rate

    known = TextColumn("{task.fields[known]}")
    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn(), known)
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(escape(neutral(label)), total=None, known="")

        def show(done: int, total: int) -> None:
            text = ""
            if isinstance(done, Done):
                share = rate(done.wins, done)
                text = f"wins {100 * share.value:.1f} % ± {100 * share.half_width:.1f}"
            bar.update(task, completed=done, total=total, known=text)

        yield show
