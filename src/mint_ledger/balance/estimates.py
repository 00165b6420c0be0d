"""Estimates by their texts, such as `rate(win)`, and what a study has to measure for them."""

from __future__ import annotations

from mint_ledger.errors import BadRequest
from mint_ledger.game.target import ESTIMATE
from mint_ledger.lowering.playable import PlayableGame


def measured(game: PlayableGame, text: str) -> list[str]:
    """The measures that a study of the game has to take besides its own for an estimate.

    Raises:
        BadRequest: the text is no estimate.
    """
    match = ESTIMATE.fullmatch(text)
    if match is None:
        raise BadRequest(f"'{text}' is no estimate; write rate(win), mean(time), median(time), quantile(time, 0.9)")
    what, inside = match[1], match[2]
    if what == "rate":
        return []
    measure = inside.rpartition(",")[0].strip() if what == "quantile" else inside
    return [] if measure in ("time", *game.measures) else [measure]


def is_share(text: str) -> bool:
    """Whether an estimate is a share of runs, told in per cent."""
    return text.strip().startswith("rate")
