"""The cast of a game: its kinds with `like` written out, and the number of every entity.

Entity 0 is the game itself, which owns the shared stats. The entities of a kind follow one another; a kind
has as many as its `room`.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator
from dataclasses import dataclass

from mint_ledger.errors import nearest
from mint_ledger.formula import parse_formula
from mint_ledger.game.document import GameFile
from mint_ledger.game.kind import MAX_ENTITIES, Kind
from mint_ledger.game.stat import Stat

WORLD = 0
MAX_ACCOUNTS = 100_000


class CastError(ValueError):
    """A cast that cannot be made; `path` says which part of the game is meant."""

    def __init__(self, path: tuple[str | int, ...], message: str) -> None:
        self.path = path
        super().__init__(message)


@dataclass(frozen=True, slots=True, eq=False)
class Member:
    """A kind with all that it takes over from others, and the entities it owns; there is one a kind in a cast."""

    name: str
    kind: Kind
    first: int
    room: int
    family: tuple[str, ...]

    @property
    def entities(self) -> range:
        """The numbers of its entities."""
        return range(self.first, self.first + self.room)

    @property
    def is_single(self) -> bool:
        """Return whether it is called by its bare name."""
        return self.room == 1


@dataclass(frozen=True, slots=True)
class Cast:
    """All kinds of a game by name, in the order of the file."""

    members: dict[str, Member]

    @property
    def size(self) -> int:
        """Return how many entities there can be, the game itself included."""
        return 1 + sum(member.room for member in self.members.values())

    def family(self, name: str) -> list[Member]:
        """The kind of that name and all kinds like it."""
        return [member for member in self.members.values() if name in member.family]

    def families(self, names: Iterable[str]) -> list[Member]:
        """The members that any of the names mean, in the order of the file."""
        wanted = set(names)
        return [member for member in self.members.values() if wanted & set(member.family)]

    def member_of(self, entity: int) -> Member | None:
        """The kind of an entity; none for the game itself."""
        return next((m for m in self.members.values() if entity in m.entities), None)

    def entity_name(self, entity: int) -> str:
        """Return what people call an entity: `keeper`, `crab[2]`; the game itself has no name."""
        member = self.member_of(entity)
        if member is None:
            return ""
        return member.name if member.is_single else f"{member.name}[{entity - member.first + 1}]"

    def stats(self, member: str) -> dict[str, Stat]:
        """The stats of a kind."""
        return self.members[member].kind.stats

    def with_stat(self, name: str) -> Iterator[Member]:
        """The kinds that have a stat of that name."""
        return (member for member in self.members.values() if name in member.kind.stats)


def make_cast(game: GameFile) -> Cast:
    """Write out `like` and number the entities.

    Raises:
        CastError: a kind is like one that does not exist or like itself, or there are too many entities.
    """
    resolved: dict[str, tuple[Kind, tuple[str, ...]]] = {}
    for name in game.kinds:
        _resolve(game, name, resolved, ())
    members: dict[str, Member] = {}
    first = 1
    accounts = 0
    for name in game.kinds:
        kind, family = resolved[name]
        if game.space is not None and kind.where is not None:
            kind = _with_place(kind)
        room = kind.room if kind.room is not None else kind.copy_count
        if room < kind.copy_count:
            raise CastError(("kinds", name, "room"), f"room for {room}, but {kind.copy_count} copies at the start")
        members[name] = Member(name, kind, first, room, family)
        first += room
        accounts += room * len(kind.stats)
        if first - 1 > MAX_ENTITIES:
            raise CastError(
                ("kinds", name, "copies"),
                f"the game has {first - 1:,} entities; the most is {MAX_ENTITIES:,}",
            )
        if accounts > MAX_ACCOUNTS:
            raise CastError(("kinds", name), f"the game has {accounts:,} accounts; the most is {MAX_ACCOUNTS:,}")
    return Cast(members)


def turned_cast(game: GameFile, cast: Cast) -> Cast:
    """The cast of a game that differs from that of `cast` in numbers alone."""
    resolved: dict[str, tuple[Kind, tuple[str, ...]]] = {}
    members: dict[str, Member] = {}
    for name, member in cast.members.items():
        kind, family = _resolve(game, name, resolved, ())
        if game.space is not None and kind.where is not None:
            kind = _with_place(kind)
        members[name] = Member(name, kind, member.first, member.room, family)
    return Cast(members)


def _with_place(kind: Kind) -> Kind:
    """Its place as stats like others: x, y, and the angle that it faces."""
    assert kind.where is not None
    x, y = kind.where
    faces = kind.faces if kind.faces is not None else parse_formula(0)
    own = {"x": Stat(start=x), "y": Stat(start=y), "faces": Stat(start=faces)}
    fields = {key: getattr(kind, key) for key in kind.model_fields_set}
    fields["stats"] = {**{name: stat for name, stat in own.items() if name not in kind.stats}, **kind.stats}
    return Kind.model_construct(_fields_set=set(fields), **fields)


def _resolve(
    game: GameFile, name: str, done: dict[str, tuple[Kind, tuple[str, ...]]], chain: tuple[str, ...]
) -> tuple[Kind, tuple[str, ...]]:
    if name in done:
        return done[name]
    kind = game.kinds[name]
    if kind.like is None:
        done[name] = (kind, (name,))
        return done[name]
    path = ("kinds", name, "like")
    if kind.like in (*chain, name):
        circle = " like ".join((*chain, name, kind.like))
        raise CastError(path, f"{circle} goes round in a circle")
    if kind.like not in game.kinds:
        raise CastError(path, f"unknown kind '{kind.like}'{nearest(kind.like, game.kinds)}")
    base, family = _resolve(game, kind.like, done, (*chain, name))
    done[name] = (merge_kind(base, kind), (name, *family))
    return done[name]


def merge_kind(base: Kind, own: Kind) -> Kind:
    """Take over all but `copies`; stats merge key by key, rules of the base come first, a like name replaces."""
    fields = {key: getattr(base, key) for key in base.model_fields_set - {"copies", "like", "room", "label", "about"}}
    fields |= {key: getattr(own, key) for key in own.model_fields_set}
    stats = dict(base.stats)
    for name, stat in own.stats.items():
        stats[name] = merge_stat(stats[name], stat) if name in stats else stat
    names = {rule.name for rule in own.rules if rule.name}
    rules = [rule for rule in base.rules if rule.name not in names] + list(own.rules)
    fields |= {"stats": stats, "rules": rules, "endings": {**base.endings, **own.endings}}
    return Kind.model_construct(_fields_set=set(fields), **fields)


def merge_stat(base: Stat, own: Stat) -> Stat:
    """Lay one stat's own keys over another's."""
    if own.formula is not None or base.formula is not None:
        return own
    fields = {key: getattr(base, key) for key in base.model_fields_set}
    fields |= {key: getattr(own, key) for key in own.model_fields_set}
    if own.recover is not None and own.fade is None:
        fields.pop("fade", None)
    if own.fade is not None and own.recover is None:
        fields.pop("recover", None)
    for key in ("recover", "fade") if own.follows is not None else ():
        fields.pop(key, None)
    if own.recover is not None or own.fade is not None:
        fields.pop("follows", None)
    return Stat.model_construct(_fields_set=set(fields), **fields)
