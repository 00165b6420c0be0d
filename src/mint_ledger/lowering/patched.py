"""The text of a game's file with some of its dials set, all else as it was."""

from __future__ import annotations

from collections.abc import Mapping

from mint_ledger.errors import BadRequest
from mint_ledger.game.dial_value import Value
from mint_ledger.game.dials import plain_value
from mint_ledger.game.patching import patched_source, variant_source, with_empty_variant
from mint_ledger.game.scaling import concrete
from mint_ledger.game.source import Source
from mint_ledger.lowering.playable import PlayableGame, game_of


def with_numbers(game: PlayableGame, values: Mapping[str, Value], variant: str | None = None) -> Source:
    """A game's file (and those of its tables) with some dials set, in the file itself or in a variant, made if need be.

    Raises:
        NotFound: there is no such dial.
        BadRequest: a number cannot be put in without touching anything else.
        GameError: the numbers make the game impossible.
    """
    if variant is not None and variant not in game.variants and values:
        for dial in values:
            game.dials.find(dial)
        game = game_of(with_empty_variant(game.source, variant), PlayableGame)
    own = concrete(game.dials, game.lowered.program.cast, game.stats, values)
    for dial, value in own.items():
        game = game_of(with_number(game, dial, value, variant), PlayableGame)
    return game.source


def with_number(game: PlayableGame, dial: str, value: Value, variant: str | None = None) -> Source:
    """A game's file with one dial set, in the file itself or in one of its variants.

    Raises:
        NotFound: there is no such dial.
        BadRequest: the number cannot be put in without touching anything else.
    """
    source, dials = game.source, game.dials
    plain, place = value if isinstance(value, (bool, str)) else plain_value(value), dials.place(dial)
    if variant is not None:
        if variant not in game.variants:
            raise BadRequest(f"there is no variant '{variant}' to write into")
        turned = variant_source(source, variant, dial, plain)
    else:
        turned = patched_source(source, game.lowered.program.cast, {place: plain})
    if turned is None:
        raise BadRequest(
            f"{dial} = {plain} cannot be written into {source.file} without rewriting more than a number "
            "(it is taken over from another kind, or not in the file); write it there by hand, or use --as VARIANT"
        )
    return turned
