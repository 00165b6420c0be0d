"""A progress bar on terminals; nothing in pipes."""

from __future__ import annotations

import sys
from collections.abc import Callable, Iterator
from contextlib import contextmanager


@contextmanager
def progress_bar(label: str) -> Iterator[Callable[[int, int], None] | None]:
    """Give a function that shows how far long work has come."""
    if not sys.stderr.isatty():
        yield None
        return
    from rich.console import Console
    from rich.progress import BarColumn, MofNCompleteColumn, Progress, TextColumn, TimeRemainingColumn

    columns = (TextColumn("{task.description}"), BarColumn(), MofNCompleteColumn(), TimeRemainingColumn())
    with Progress(*columns, console=Console(stderr=True), transient=True) as bar:
        task = bar.add_task(label, total=None)
        yield lambda done, total: bar.update(task, completed=done, total=total)
