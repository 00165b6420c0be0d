"""Games with other numbers: models that hold none of them are shared, a text is made when it is asked for."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass, replace
from typing import Any, TypeVar

from mint_ledger.formula import Formula, parse_formula
from mint_ledger.game.cast import Cast, Member
from mint_ledger.game.dials import Path, turn_data
from mint_ledger.game.document import GameFile
from mint_ledger.game.kind import Kind
from mint_ledger.game.parts import Part
from mint_ledger.game.patching import patched_source, rewritten_source
from mint_ledger.game.source import Source
from mint_ledger.game.stat import Stat

SomePart = TypeVar("SomePart", bound=Part)


@dataclass(frozen=True)
class Turning:
    """What a turned game was made of: the content of the game before, the numbers that were set since, and the variant
    that set some of them.
    """

    origin: Source
    cast: Cast
    changes: dict[Path, float | bool | str]
    variant: str = ""

    def further(self, changes: Mapping[Path, float | bool | str]) -> Turning:
        """The same with more numbers set."""
        return replace(self, changes={**self.changes, **changes})

    def data(self) -> dict[str, Any]:
        """The plain content of the turned game."""
        return turn_data(self.origin.data, self.cast, self.changes)

    def source(self) -> Source:
        """The content with its text, in which comments stay as they were; without one where it cannot be patched."""
        for way in (patched_source, rewritten_source):
            source = way(self.origin, self.cast, self.changes)
            if source is not None:
                return source
        return replace(self.origin, data=self.data(), text="")


def turned_parts(game: GameFile, cast: Cast, changes: Mapping[Path, float | bool | str]) -> dict[str, Any]:
    """The sections of a game with some numbers set; models that hold none of them are shared."""
    sections = {name: getattr(game, name) for name in game.model_fields_set}
    for path, value in changes.items():
        section = str(path[0])
        if section == "kinds":
            kinds = dict(sections["kinds"])
            kinds[path[1]] = _turned_kind(kinds[path[1]], cast.members[str(path[1])], path[2:], value)
            sections["kinds"] = kinds
        else:
            sections[section] = _put(sections.get(section, getattr(game, section)), path[1:], value)
    return sections


def _turned_kind(own: Kind, member: Member, path: Path, value: float | bool | str) -> Kind:
    if path[0] != "stats":
        key = str(path[0])
        if key not in own.model_fields_set:
            own = _copied(own, key, getattr(member.kind, key))
        return _copied(own, key, _put(getattr(own, key), path[1:], value))
    name, key = str(path[1]), str(path[2])
    stat = own.stats.get(name) or Stat.model_construct(_fields_set=set())
    if key not in stat.model_fields_set:
        stat = _copied(stat, key, getattr(member.kind.stats[name], key))
    return _copied(own, "stats", {**own.stats, name: _copied(stat, key, _put(getattr(stat, key), path[3:], value))})


def _put(part: Any, path: Path, value: float | bool | str) -> Any:
    if not path:
        return _number_like(part, value)
    head = path[0]
    if isinstance(part, list):
        index, rest = (head, path[1:]) if isinstance(head, int) else (0, path)
        return [_put(item, rest, value) if place == index else item for place, item in enumerate(part)]
    if isinstance(part, dict):
        return {**part, head: _put(part.get(str(head)), path[1:], value)}
    name = next(name for name, field in type(part).model_fields.items() if (field.alias or name) == head)
    return _copied(part, name, _put(getattr(part, name), path[1:], value))


def _number_like(part: Any, value: float | bool | str) -> Any:
    if part is None or isinstance(part, Formula):
        return parse_formula(value)
    return int(value) if isinstance(part, int) else float(value)


def _copied(part: SomePart, name: str, value: Any) -> SomePart:
    """A model with one field replaced."""
    copy = part.model_copy(update={name: value})
    # What was worked out of the part before it was copied is not true of the copy.
    for key in set(copy.__dict__) - set(type(part).model_fields):
        del copy.__dict__[key]
    return copy
