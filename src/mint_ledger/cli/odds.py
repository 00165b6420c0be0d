"""The command `odds`: what comes of the game's lots."""

from __future__ import annotations

from typing import Annotated

import typer

from mint_ledger.cli.arguments import (
    GameArgument,
    JsonOption,
    SetOption,
    VariantOption,
    joined,
    load_game,
    read_dials,
    read_named,
    tell_meant,
)
from mint_ledger.cli.output import say, say_json


def odds(
    game: GameArgument,
    at: Annotated[
        list[str] | None,
        typer.Option(
            "--holding", "--at", metavar="ACCOUNT=VALUE", help="Where weights read it: 'hero.luck=5' (repeatable)."
        ),
    ] = None,
    lot: Annotated[list[str] | None, typer.Option(metavar="LOT", help="Only this lot (repeatable).")] = None,
    drawings: Annotated[int | None, typer.Option(help="With --json: the chance at each of this many drawings.")] = None,
    variants: VariantOption = None,
    settings: SetOption = None,
    as_json: JsonOption = False,
) -> None:
    """Show the exact chance of each branch of each lot, and how many drawings it takes."""
    variant = joined(variants)
    from mint_ledger.exact.odds import Odds

    loaded = load_game(game)
    tell_meant(loaded, read_dials(settings), quiet=as_json)
    told = loaded.odds(
        at=dict(read_named(text, "--holding") for text in at or ()),
        variant=variant,
        dials=read_dials(settings),
        drawings=drawings,
    )
    if lot:
        told = Odds(told.title, tuple(told.lot(name) for name in lot))
    if not as_json:
        say(told.summary())
        return
    say_json(told.as_json())
