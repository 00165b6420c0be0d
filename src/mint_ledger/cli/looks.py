"""Tells what a look at many runs found: a text, JSON, a figure, a table; what there is of it on Ctrl-C."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path
from typing import TYPE_CHECKING, Any, Protocol

import typer

from mint_ledger.cli.exits import INTERRUPTED
from mint_ledger.cli.output import hint, say, say_json
from mint_ledger.errors import Partial

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

    from mint_ledger.balance.comparison import Comparison
    from mint_ledger.balance.sensitivity import Sensitivity
    from mint_ledger.balance.sweep import Sweep
    from mint_ledger.studies.budget import Progress


class LookResult(Protocol):
    """What a look found."""

    def table(self) -> pd.DataFrame:
        """It as a table."""

    def summary(self) -> str:
        """It for people."""

    def plot(self) -> Figure:
        """It as a figure."""

    def as_json(self) -> dict[str, Any]:
        """It as plain values."""


def tell_look(
    title: str,
    find: Callable[[Progress | None], LookResult],
    plot: Path | None,
    output: Path | None,
    *,
    as_json: bool,
) -> None:
    """Find it, tell it, and write what is wanted of it."""
    from mint_ledger.cli.progress import counted_progress

    with counted_progress(f"{title}: runs") as progress:
        try:
            answer = find(progress)
        except Partial as stop:
            # What was found so far is shown, and no file is written.
            say_json(stop.answer.as_json()) if as_json else say(stop.answer.summary())
            say(str(stop), error=True)
            raise typer.Exit(INTERRUPTED) from None
    show_look(answer, plot, output, as_json=as_json)


class Drawn(Protocol):
    """What can be written as a table, and drawn."""

    def table(self) -> pd.DataFrame:
        """It as a table."""

    def plot(self) -> Figure:
        """It as a figure."""


def write_both(answer: Drawn, output: Path | None, plot: Path | None, *, as_json: bool) -> None:
    """Write the table and the figure that are wanted of what was found."""
    from mint_ledger.cli.files import write_figure, write_table

    if output:
        write_table(output, answer.table())
    if plot:
        write_figure(plot, answer.plot())
    for path in filter(None, (output, plot) if not as_json else ()):
        hint(f"\n{path} is written")


def show_look(answer: LookResult, plot: Path | None, output: Path | None, *, as_json: bool) -> None:
    """Tell what was found, and write what is wanted of it."""
    say_json(answer.as_json()) if as_json else say(answer.summary())
    write_both(answer, output, plot, as_json=as_json)


def show_what_is_done(
    answer: Sweep | Sensitivity | Comparison, stopped: KeyboardInterrupt | None, *, as_json: bool
) -> None:
    """Where Ctrl-C stopped it: show what there is, say how far it came, and end."""
    if stopped is not None:
        say_json(answer.as_json()) if as_json else say(answer.summary())
        say(str(stopped), error=True)
        raise typer.Exit(INTERRUPTED)
