"""Ranges of a dial as people write them: `4..12`, `4..12 by 2`, `80,100,120`, `±20%`."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping

from mint_ledger.errors import BadRequest
from mint_ledger.game.parts import Span, parse_span
from mint_ledger.lowering.playable import PlayableGame

Bounds = tuple[float, float, float]
"""The least, the most and the step of a dial."""
NINE = 9
MOST_WHOLE = 40
MOST_VALUES = 10_000
_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_SPAN = re.compile(rf"({_NUMBER})\s*\.\.\s*({_NUMBER})(?:\s+by\s+({_NUMBER}))?")
_SHARE = re.compile(rf"(?:±|\+-|\+/-)\s*({_NUMBER})\s*%(?:\s+by\s+({_NUMBER})\s*%)?")


def read_range(text: str, today: float) -> list[float]:
    """The values that a range means, going up.

    `4..12` goes in ones where both ends and today's value are whole and near each other, else in nine even steps.

    Args:
        text: the range.
        today: what the dial is now.

    Raises:
        BadRequest: it is no range, runs backwards, or has too many values.
    """
    text = text.strip()
    span, share = _SPAN.fullmatch(text), _SHARE.fullmatch(text)
    if span is not None:
        low, high = float(span[1]), float(span[2])
        return _evenly(text, low, high, float(span[3]) if span[3] else None, today)
    if share is not None:
        part = float(share[1]) / 100
        if today == 0.0 or part <= 0.0:
            raise BadRequest(f"'{text}' is a share of today's value, which is {today:g}; write a range like 0..5")
        step = float(share[2]) / 100 if share[2] else part / 2
        shares = _steps(text, -part, part, step)
        return sorted(round(today * (1 + s), 12) for s in shares)
    try:
        values = sorted({float(part) for part in text.split(",")})
    except ValueError:
        raise BadRequest(f"'{text}' is no range of a dial; write 4..12, 4..12 by 2, 80,100,120 or ±20%") from None
    if not all(map(math.isfinite, values)):
        raise BadRequest(f"'{text}': a dial wants finite numbers")
    return values


def read_bounds(text: str, today: float) -> Bounds:
    """The bounds of a dial and its own step: the `by` of the range, else 1 for whole numbers, else a hundredth.

    Raises:
        BadRequest: it is no range, or runs backwards.
    """
    values = read_range(text, today)
    if len(values) < 2:
        raise BadRequest(f"'{text}' is one value; a dial to tune wants a range like 4..12")
    low, high = values[0], values[-1]
    span = _SPAN.fullmatch(text.strip())
    if span is not None and span[3]:
        return low, high, float(span[3])
    whole = low == int(low) and high == int(high) and today == int(today) and high - low >= 4
    return low, high, 1.0 if whole else (high - low) / 100


def bounds_of(game: PlayableGame, dials: Mapping[str, str | Bounds], variant: str | None = None) -> dict[str, Bounds]:
    """The bounds and steps of some dials.

    Raises:
        NotFound: there is no such dial or variant.
        BadRequest: there is none, or a range is none.
    """
    if not dials:
        raise BadRequest("tuning wants a dial, like crab.bite=4..12")
    today = game.turned(variant, None).dials
    return {
        name: read_bounds(bounds, today.value(name)) if isinstance(bounds, str) else bounds
        for name, bounds in dials.items()
    }


def read_want(want: str | float) -> Span:
    """What is wanted of an estimate: a range like `0.55..0.65`, or one value.

    Raises:
        BadRequest: it is neither.
    """
    try:
        return parse_span(float(want) if isinstance(want, str) and ".." not in want else want)
    except ValueError:
        raise BadRequest(f"what is wanted is a range like 0.55..0.65 or a number, not '{want}'") from None


def _evenly(text: str, low: float, high: float, step: float | None, today: float) -> list[float]:
    if high < low:
        raise BadRequest(f"the range {text} runs backwards; write the smaller number first")
    if step is None:
        whole = low == int(low) and high == int(high) and today == int(today)
        step = 1.0 if whole and high - low <= MOST_WHOLE else (high - low) / (NINE - 1)
    return _steps(text, low, high, step)


def _steps(text: str, low: float, high: float, step: float) -> list[float]:
    if step <= 0.0 and high > low:
        raise BadRequest(f"'{text}': the step has to be more than 0")
    count = int((high - low) / step + 1e-9) + 1 if high > low else 1
    if count > MOST_VALUES:
        raise BadRequest(f"'{text}' has {count:,} values; {MOST_VALUES:,} are the most")
    return [round(low + step * index, 12) for index in range(count)]
