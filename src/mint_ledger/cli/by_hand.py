"""The command `try`: a game played by hand, one command a line, at a prompt or from a pipe."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from typing import TYPE_CHECKING, Annotated

import typer

from mint_ledger.cli.arguments import (
    GameArgument,
    HabitOption,
    SeedOption,
    SetOption,
    VariantOption,
    joined,
    read_dials,
)
from mint_ledger.cli.completing import complete_levels
from mint_ledger.cli.exits import UNUSABLE
from mint_ledger.cli.output import say
from mint_ledger.errors import BadRequest, MintError

if TYPE_CHECKING:
    from mint_ledger.cli.hand_table import Table


def by_hand(
    game: GameArgument,
    seed: SeedOption = 1,
    played_by: HabitOption = None,
    variants: VariantOption = None,
    level: Annotated[str | None, typer.Option(help="Start in this level.", autocompletion=complete_levels)] = None,
    only_script: Annotated[
        bool, typer.Option("--only-script", help="No timers, no habits: only your commands happen.")
    ] = False,
    settings: SetOption = None,
) -> None:
    """Play by hand: step, act, hit, set, undo, and ask why; one command a line."""
    habit = joined(played_by)
    variant = joined(variants)
    if str(game) == "-":
        raise BadRequest("try takes its commands from stdin, so the game has to be a file")
    from mint_ledger.cli.hand_table import Table
    from mint_ledger.client import load

    loaded = load(game)
    session = loaded.play(
        seed, habit=habit, variant=variant, level=level, only_script=only_script, dials=read_dials(settings)
    )
    table = Table(session, game)
    say(session.title, table.seen())
    if sys.stdin is None or sys.stdin.closed:
        raise BadRequest("try takes its commands from a terminal or a pipe, and its input is closed")
    if sys.stdin.isatty() and sys.stdout is not None and sys.stdout.isatty():
        from mint_ledger.cli.prompt import ask_lines

        lines = ask_lines(lambda: table.session)
        is_prompt = True
    else:
        lines, is_prompt = _piped_lines(), False
    _converse(table, lines, is_prompt=is_prompt)


def _piped_lines() -> Iterator[str]:
    for line in sys.stdin:
        text = line.rstrip("\r\n").partition("#")[0].rstrip()
        say(f"\n> {text}")
        yield text


def _converse(table: Table, lines: Iterator[str], *, is_prompt: bool) -> None:
    wrong = 0
    for number, line in enumerate(lines, 1):
        try:
            answer = table.answer(line)
        except MintError as error:
            if is_prompt:
                say(f"  {error}")
            else:
                # The rest of a pipe goes on; that a line was wrong is told by the exit code as well.
                wrong += 1
                say(f"line {number}: {error}", error=True)
            continue
        except KeyboardInterrupt:
            if not is_prompt:
                raise
            say("  interrupted; all is as it was before")
            continue
        if answer is None:
            break
        say(answer)
    if wrong:
        raise typer.Exit(UNUSABLE)
