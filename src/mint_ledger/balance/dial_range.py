"""Ranges of a dial as people write them: `4..12`, `4..12 by 2`, `80,100,120`, `±20%`."""

from __future__ import annotations

import math
import re
from collections.abc import Mapping, Sequence, Sized
from typing import TYPE_CHECKING

from mint_ledger.accepted import plain_ranges
from mint_ledger.errors import BadRequest, MintError, nearest
from mint_ledger.game.dial_value import Value, is_pattern, times
from mint_ledger.game.dials import plain_value
from mint_ledger.game.parts import Span, parse_span
from mint_ledger.game.scaling import matching
from mint_ledger.game.target import not_a_share
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.program.expressions import Dial, DialOf
from mint_ledger.program.verify import spec_formulas
from mint_ledger.program.walking import Node, nodes

if TYPE_CHECKING:
    from mint_ledger.accepted import Number, Numbers

Bounds = tuple[float, float, float]
"""The least, the most and the step of a dial."""
NINE = 9
MOST_WHOLE = 40
MOST_VALUES = 10_000
_NUMBER = r"[-+]?(?:\d+\.?\d*|\.\d+)(?:[eE][-+]?\d+)?"
_SPAN = re.compile(rf"({_NUMBER})\s*\.\.\s*({_NUMBER})(?:\s+by\s+({_NUMBER}))?")
_SHARE = re.compile(rf"(?:±|\+-|\+/-)\s*({_NUMBER})\s*%(?:\s+by\s+({_NUMBER})\s*%)?")


_PER_CENT = re.compile(r"(\d+(?:\.\d+)?)\s*%")


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


def today_of(game: PlayableGame, name: str) -> float | str:
    """Return what a dial is now; a pattern is 1 times what its numbers are.

    Raises:
        NotFound: there is no such dial, or a pattern means none.
    """
    if is_pattern(name):
        matching(game.dials, game.lowered.program.cast, name)
        return 1.0
    return game.dials.shown(name)


def number_today(game: PlayableGame, name: str) -> float:
    """Return what a dial is now, where only a number makes sense.

    Raises:
        NotFound: there is no such dial.
        BadRequest: it is a word.
    """
    no_word(game, name, "a number is wanted here")
    return float(today_of(game, name))


def checked_values(name: str, values: Sequence[float | str]) -> list[float | str]:
    """Values of a dial that were given one by one.

    Raises:
        BadRequest: one of them is not finite.
    """
    for value in values:
        if not isinstance(value, str) and not math.isfinite(value):
            raise BadRequest(f"'{name}' wants finite numbers, not {value}")
    return [*values]


def values_of(game: PlayableGame, name: str, text: str) -> list[float | str]:
    """The values that a text means for a dial: a range, words, or multiples like `x0.5..1.5`.

    Raises:
        NotFound: there is no such dial.
        BadRequest: the text means nothing for it.
    """
    today = today_of(game, name)
    if isinstance(today, str):
        return _words(game, name, text)
    multiple = text.strip()[:1] in ("x", "×")
    if is_pattern(name):
        if not multiple:
            raise BadRequest(f"'{name}' means several numbers; multiply them, like '{name}=x0.5..1.5'")
        return [*read_range(text.strip()[1:], 1.0)]
    if multiple:
        return [round(today * factor, 12) for factor in read_range(text.strip()[1:], 1.0)]
    return [*read_range(text, today)]


def _words(game: PlayableGame, name: str, text: str) -> list[float | str]:
    words = game.dials.words[game.dials.find(name)]
    chosen = [part.strip() for part in text.split(",")]
    for word in chosen:
        if word not in words:
            raise BadRequest(f"'{name}' is one of {', '.join(words)}, not '{word}'{nearest(word, words)}")
    return [*dict.fromkeys(chosen)]


def setting_of(name: str, value: float | str) -> Value:
    """Return what a dial is set to at a value of its range; a pattern is multiplied by it."""
    if isinstance(value, str):
        return value
    return times(value) if is_pattern(name) else plain_value(value)


def no_word(game: PlayableGame, name: str, why: str) -> None:
    """Refuse a dial that is a word, or a formula, where only numbers make sense.

    Raises:
        NotFound: there is no such dial.
        BadRequest: it is one.
    """
    if not is_pattern(name) and game.dials.find(name) in game.dials.words:
        words = ", ".join(game.dials.words[game.dials.find(name)])
        raise BadRequest(f"'{name}' is a word, and {why}; sweep it ({name}={words}), or set it for each game by itself")


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


def finest_step(game: PlayableGame, name: str, bounds: str | Numbers, step: float) -> float:
    """The finest step of a dial that a search may take: the one that the range says, 1 where the number has to be
    whole, else as fine as need be (0).

    Raises:
        NotFound: there is no such dial.
    """
    if not isinstance(bounds, str):
        return step if len(bounds) == 3 else 0.0
    span = _SPAN.fullmatch(bounds.strip().lstrip("x×"))
    if span is not None and span[3]:
        return step
    return step if not is_pattern(name) and has_to_be_whole(game, name) else 0.0


def has_to_be_whole(game: PlayableGame, name: str) -> bool:
    """Return whether only whole numbers make sense for a dial: counts of copies, and the numbers of a whole stat."""
    index = game.dials.find(name)
    path = game.dials.paths[index]
    if index not in game.lowered.arguments and ("copies" in path or "present" in path):
        return True
    stats = game.stats if path[0] == "stats" else {}
    if path[0] == "kinds" and len(path) > 3 and path[2] in ("stats", "copies"):
        stats = game.lowered.program.cast.members[str(path[1])].kind.stats
    name_of = path[1] if path[0] == "stats" else path[3] if path[2:3] == ("stats",) else path[-1]
    stat = stats.get(str(name_of))
    return stat is not None and stat.whole


def is_read_nowhere(game: PlayableGame, name: str) -> bool:
    """Return whether nothing in the program reads a dial, so that every setting of it gives the same."""
    if is_pattern(name):
        return False
    dials = game.dials
    index = dials.find(name)
    if index not in game.lowered.arguments:
        # What shapes the program may be read by lowering: then another number makes another program.
        try:
            other = game.with_dials({name: dials.numbers[index] + 1.0})
        except MintError:
            return False
        if other.lowered.program.content_hash != game.lowered.program.content_hash:
            return False
    same = {at for at, leader in enumerate(dials.follows) if leader == index} | {index}
    program = game.lowered.program
    read: list[Node] = [
        part for account in program.accounts for _, _, spec in account.specs for part in spec_formulas(spec)
    ]
    read += [part for made in program.procedures.values() for part in (*made.body, made.result) if part is not None]
    return not any(
        (isinstance(node, Dial) and node.index in same) or (isinstance(node, DialOf) and bool(same & set(node.table)))
        for node in nodes((*read, program.clock_limit))
    )


def bounds_of(game: PlayableGame, dials: Mapping[str, str | Numbers], variant: str | None = None) -> dict[str, Bounds]:
    """The bounds and steps of some dials.

    Raises:
        NotFound: there is no such dial or variant.
        BadRequest: there is none, or a range is none.
    """
    if not dials:
        raise BadRequest("tuning wants a dial, like crab.bite=4..12")
    turned = game.turned(variant, None)
    found: dict[str, Bounds] = {}
    for name, bounds in plain_ranges(dials).items():
        no_word(turned, name, "tuning moves numbers")
        today = today_of(turned, name)
        if not isinstance(bounds, str) and len(bounds) == 2:
            bounds = f"{float(bounds[0])!r}..{float(bounds[1])!r}"
        text = bounds.strip() if isinstance(bounds, str) else ""
        if not isinstance(bounds, str) or isinstance(today, str):
            found[name] = bounds  # type: ignore[assignment]
        elif is_pattern(name):
            if text[:1] not in ("x", "×"):
                raise BadRequest(f"'{name}' means several numbers; multiply them, like '{name}=x0.5..1.5'")
            found[name] = read_bounds(text[1:], 1.0)
        elif text[:1] in ("x", "×"):
            low, high, step = read_bounds(text[1:], 1.0)
            found[name] = (low * today, high * today, step * today)
        else:
            found[name] = read_bounds(text, today)
    return found


def read_want(want: str | Number | Numbers, measure: str) -> Span:
    """Read the range that an estimate should have: `0.55..0.65` or `(0.55, 0.65)`, or one value.

    Raises:
        BadRequest: it is neither, or no range of a share where the estimate is one.
    """
    span = _read_want(want)
    if problem := not_a_share(measure, span):
        raise BadRequest(problem)
    return span


def _read_want(want: str | Number | Numbers) -> Span:
    if isinstance(want, Sized) and not isinstance(want, str):
        if len(want) != 2:
            raise BadRequest(f"what is wanted lies between two numbers, like (0.55, 0.65), not {want}")
        want = "..".join(repr(float(end)) for end in want)
    if isinstance(want, str):
        want = _PER_CENT.sub(lambda found: f"{float(found[1]) / 100.0!r}", want)
    try:
        plain = want.item() if hasattr(want, "item") else want
        return parse_span(float(plain) if isinstance(plain, str) and ".." not in plain else plain)
    except ValueError:
        raise BadRequest(f"a target is a range like 0.55..0.65 or a number, not '{want}'") from None


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
