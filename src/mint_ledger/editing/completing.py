"""What may be typed at a place: keys with what they do, words, and the names that mean something there."""

from __future__ import annotations

import re
from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from mint_ledger.editing.analysis import Analysis
from mint_ledger.editing.cursor import Spot, spot_at
from mint_ledger.editing.names import Name, names_behind, names_in_formula, names_of_sort
from mint_ledger.editing.standing import MEASURE, VALUES, Standing, standing_at
from mint_ledger.game.key_words import key_words

_LAST = re.compile(r"([^\W\d][\w.\[\]]*)?$")
_FIRST = re.compile(r"^\s*[\w.\[\]-]*$")


@dataclass(frozen=True, slots=True)
class Completion:
    """One thing that may be typed.

    Attributes:
        text: what is put in the place of what is begun.
        sort: key, word, or the sort of a name.
        detail: what it is, in a few words; `about` is more of it.
        begun: how many letters before the place it replaces.
    """

    text: str
    sort: str
    detail: str
    about: str
    begun: int


def offers(analysis: Analysis, text: str, line: int, column: int) -> list[Completion]:
    """Return what may be typed at a place of a text, by its line and column from 0."""
    spot = spot_at(text, line, column)
    if spot is None:
        return []
    standing = standing_at(spot.path)
    found: list[Completion] = []
    if spot.at != "value":
        found += _keys(standing, spot)
        found += _names(analysis, standing.name_keys, spot.begun)
    if spot.at != "key":
        found += _values(analysis, standing, spot)
    return list({(offer.text, offer.begun): offer for offer in reversed(found)}.values())[::-1]


def _keys(standing: Standing, spot: Spot) -> Iterator[Completion]:
    """The keys that the mapping around does not have yet, of parts that may have those that it has."""
    being_typed = re.split(r"[\s:]", spot.begun)[-1] if spot.begun else ""
    has = {key for key in spot.keys if key != spot.begun.strip()}
    parts: dict[str, set[str]] = {}
    for part, key in standing.keys:
        parts.setdefault(part, set()).add(key)
    fitting = [part for part, keys in parts.items() if has <= keys] or list(parts)
    for part, key in standing.keys:
        words = key_words().get((part, key))
        if part in fitting and key not in has and words is not None:
            unit = f" ({words.unit})" if words.unit else ""
            yield Completion(key, "key", f"{words.does}{unit}", f"Like `{words.shown}`.", len(being_typed))


def _names(analysis: Analysis, sorts: Iterable[str], begun: str) -> Iterator[Completion]:
    typed = _LAST.search(begun)
    size = len(typed[0]) if typed is not None else 0
    for sort in sorts:
        for name in names_of_sort(analysis, sort):
            yield _offer(name, size)


def _values(analysis: Analysis, standing: Standing, spot: Spot) -> Iterator[Completion]:
    if _FIRST.match(spot.begun):
        for word in standing.words:
            yield Completion(word, "word", "", "", len(spot.begun.lstrip()))
        yield from _names(analysis, standing.names, spot.begun)
    inside = spot.begun
    if VALUES in standing.formats or spot.path[-1:] == ("tell",):
        # Names stand within braces alone.
        opened = inside.rfind("{")
        if opened <= inside.rfind("}"):
            return
        inside = inside[opened + 1 :]
    elif not (standing.is_formula or MEASURE in standing.formats):
        return
    yield from _in_formula(analysis, spot, inside)


def _in_formula(analysis: Analysis, spot: Spot, begun: str) -> Iterator[Completion]:
    typed = _LAST.search(begun)
    dotted = typed[0] if typed is not None else ""
    base, dot, last = dotted.rpartition(".")
    names = names_behind(analysis, spot.path, base) if dot else names_in_formula(analysis, spot.path)
    for name in names:
        yield _offer(name, len(last))


def _offer(name: Name, begun: int) -> Completion:
    return Completion(name.text, name.sort, name.about, "", begun)
