"""Lowers duels: the program of a game with two entities alone, one of which strikes the other with one attack.

All pairs share one program: who strikes whom with what is set as a run opens. What a hit meets, costs, wind-ups,
cooldowns, statuses, flows and limits are the game's own procedures; no rule reacts, nobody else is there, nothing
moves. In space the target stands where the striker stands, so that it is always in reach.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import cached_property

from mint_ledger.errors import Fault, GameError
from mint_ledger.facts.states import columns_read, procedures
from mint_ledger.formula import parse_formula
from mint_ledger.game.attack import Attack
from mint_ledger.game.cast import Member
from mint_ledger.game.do import AttackDo, Do, EachDo, ElseIfDo, HitDo, IfDo, OneDo
from mint_ledger.game.document import GameFile
from mint_ledger.lowering import space
from mint_ledger.lowering.attack import always_spared
from mint_ledger.lowering.columns import account_column, ending_column, present_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.defense import struck_through
from mint_ledger.lowering.flow import emit_flows_of
from mint_ledger.lowering.formulas import condition
from mint_ledger.lowering.handles import REMOVE, appear, begin_action, strike
from mint_ledger.lowering.lower import open_lowering
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.reading import hits_column
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.program import parts
from mint_ledger.program.building import BlockBuilder, choose, compare, const, no
from mint_ledger.program.expressions import ONE, ZERO, And, At, Constant, Expr, Local, Or, Read, inside
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import EndingSpec
from mint_ledger.program.state import Column, Start
from mint_ledger.program.statements import Call, Finish, If, Leave, Open, Post, Procedure, Set, Settle
from mint_ledger.program.verify import verify

NOBODY = const(-1.0)
LIMIT = 1_800.0
"""Seconds (or turns) after which a fight is taken to have no end."""
BEATEN = "beaten"
# What a copy may have of its own without fighting otherwise.
_NO_MATTER = ("habit", "x", "y", "faces")


@dataclass(frozen=True, slots=True)
class Duel:
    """One pair: who strikes whom, with which attack, and what lets it strike.

    Attributes:
        striker: the entity, and `target` likewise.
        keeps_time: whether something of the game says when it strikes; else it does as soon as it may.
        cannot: why the two never meet; empty where they do.
    """

    attack: str
    number: int
    striker: int
    target: int
    attacker: str
    struck: str
    cause: int
    hits: Column
    layers: tuple[str, ...]
    keeps_time: bool
    cannot: str = ""


@dataclass(frozen=True)
class Duels:
    """The program of a game's duels, and the pairs that can be set in it."""

    lowered: Lowered
    pairs: tuple[Duel, ...]
    striker: Column
    target: Column
    attack: Column

    @cached_property
    def carried_out(self) -> dict[Handle | str, Procedure]:
        """Return what a duel carries out, whoever fights it."""
        return procedures(self.lowered.program)

    @cached_property
    def columns_read(self) -> set[int]:
        """The columns (by their base) that anything in a duel reads."""
        return columns_read(self.lowered.program, self.carried_out)

    def starts(self, pair: Duel) -> tuple[Start, ...]:
        """Return what sets a pair as a run opens."""
        values = ((self.striker, pair.striker), (self.target, pair.target), (self.attack, pair.number))
        return tuple(Start(column, 0, float(value)) for column, value in values)


def lower_duels(game: GameFile, *, endless: bool = False) -> Duels:
    """Lower the duels of a game; endless ones are against a target that never falls, and last as long as may be.

    Raises:
        GameError: the game cannot be lowered.
    """
    lowering, lowered = open_lowering(game)
    if isinstance(lowering, Fault):
        raise GameError([lowering])
    if lowering.faults or lowered is None:
        raise GameError(lowering.faults)
    return _Duels(lowering, lowered, endless=endless).lower()


class _Duels:
    def __init__(self, lowering: Lowering, lowered: Lowered, *, endless: bool) -> None:
        self.lowering = lowering
        self.endless = endless
        self.lowered = lowered
        self.columns = [
            lowering.layout.column(Handle(f"duel {who}"), "mark") for who in ("striker", "target", "attack")
        ]
        self.striker, self.target, self.chosen = (At(column, ZERO) for column in self.columns)
        self.attacks = list(lowering.game.attacks.items())

    def lower(self) -> Duels:
        """Make the program, and list the pairs."""
        lowering, program = self.lowering, self.lowered.program
        empty = {part: Procedure(part, 0, 0, ()) for part in (parts.CONTACT, parts.LEVELS, parts.MEASURES)}
        made = (
            *self._beginnings(),
            self._opening(),
            self._players(),
            self._strikes(program.procedures[parts.RULES].locals),
            self._end(),
            *((self._kept_there(program.procedures[REMOVE]),) if self.endless else ()),
        )
        watch = Procedure(parts.WATCH, 1, program.procedures[parts.WATCH].locals, lowering.limit_postings)
        procedures = {
            **program.procedures,
            **empty,
            parts.WATCH: watch,
            **{procedure.handle: procedure for procedure in made},
        }
        duels = replace(
            program,
            title=f"{program.title}: duels",
            layout=lowering.layout.layout(),
            procedures=procedures,
            events=tuple(replace(event, handler=None) for event in program.events),
            endings=(EndingSpec(BEATEN, "win", lowering.word(BEATEN)),),
            words=tuple(lowering.words),
            texts=tuple(lowering.texts),
            causes=tuple(lowering.causes),
            formulas=tuple(lowering.formulas),
            clock_limit=Constant(LIMIT),
        )
        verify(duels)
        lowered = Lowered(duels, (), (), made_of=self.lowered.made_of, arguments=self.lowered.arguments)
        return Duels(lowered, tuple(self._pairs()), *self.columns)

    # Who meets whom

    def _pairs(self) -> Iterator[Duel]:
        cast = self.lowering.cast
        for number, (name, attack) in enumerate(self.attacks):
            if attack.damage is None or attack.damage.number == 0.0:
                continue
            for one in cast.families(attack.from_):
                for other in cast.families(attack.to):
                    if one.room and other.room and not always_spared(attack, one, other):
                        yield from self._copies(number, name, attack, one, other)

    def _copies(self, number: int, name: str, attack: Attack, one: Member, other: Member) -> Iterator[Duel]:
        """A pair for each copy with numbers of its own."""
        cause = self.lowering.cause("attack", name, ("attacks", name), attack.type or "")
        keeps_time = attack.when is not None and (attack.when.every is not None or attack.when.in_contact)
        for mine, attacker in _different(one):
            for theirs, struck in _different(other):
                target = theirs if theirs != mine else next((e for e in other.entities if e != mine), -1)
                yield Duel(
                    attack=name,
                    number=number,
                    striker=mine,
                    target=target,
                    attacker=attacker,
                    struck=struck,
                    cause=cause,
                    hits=hits_column(self.lowering, name),
                    layers=tuple(struck_through(other)),
                    keeps_time=keeps_time or self._driver(name) is not None,
                    cannot=self._cannot_meet(one, other),
                )

    def _cannot_meet(self, one: Member, other: Member) -> str:
        levels = self.lowering.game.levels.values()
        named = {kind for level in levels for kind in level.present}
        both = {one.name, other.name} & named
        spawned = self.lowering.makers
        if not both or any(name in spawned for member in (one, other) for name in member.family):
            return ""
        if any(all(level.present.get(kind, 0) > 0 for kind in both) for level in levels):
            return ""
        return "no level has both"

    def _driver(self, attack: str) -> str | None:
        """The first action by which somebody strikes with an attack that does not strike by itself."""
        if self.lowering.game.attacks[attack].when is not None:
            return None
        return next((n for n, a in self.lowering.game.actions.items() if _strikes_with(a.do, attack)), None)

    # The parts of a step

    def _beginnings(self) -> Iterator[Procedure]:
        """Return what begins as one of a kind appears, without what rules wait for."""
        names = [name for name, _ in self.attacks]
        for member in self.lowering.cast.members.values():
            if member.room:
                b = BlockBuilder(1)
                emit_flows_of(self.lowering, b, Local(0), member)
                for owner, ranges, emit in self.lowering.on_appear:
                    of_a_rule = owner[:1] == ("rules",) or owner[2:3] in (("rules",), ("lives",))
                    if of_a_rule or not any(first <= member.first < first + count for first, count in ranges):
                        continue
                    number = names.index(str(owner[1])) if owner[:1] == ("attacks",) else -1
                    if number < 0:
                        emit(b, Local(0))
                        continue
                    # Of the attacks only the one that is fought with is waited for.
                    with b.when(compare("==", self.chosen, const(number))):
                        emit(b, Local(0))
                yield b.procedure(_begin(member))

    def _opening(self) -> Procedure:
        """Only the two are there."""
        lowering, b = self.lowering, BlockBuilder()
        present = present_column(lowering)
        striker, target = b.let(self.striker), b.let(self.target)
        members = [m for m in lowering.cast.members.values() if m.room]
        for member in members:
            with b.each(((member.first, member.room),)) as who:
                two = Or((compare("==", who, striker), compare("==", who, target)))
                with b.when(no(two)):
                    b.emit(Set(present, who, ZERO))
        for who in (striker, target):
            b.emit(Set(present, who, ONE))
        for one in members:
            for other in members:
                if space.is_somewhere(one) and space.is_somewhere(other):
                    pair = And(
                        (inside(striker, ((one.first, one.room),)), inside(target, ((other.first, other.room),)))
                    )
                    with b.when(pair):
                        for axis in space.AXES:
                            place = account_column(lowering, axis)
                            b.emit(Open(place, target, Read(place, striker), NOBODY, ZERO))
        emit_flows_of(lowering, b, ZERO, None)
        for member in members:
            with b.each(((member.first, member.room),)) as who:
                b.emit(Call(_begin(member), (who,)))
        b.emit(Settle(NOBODY, ZERO, always=True))
        for _, there, column, full in self._layers() if self.endless else ():
            with b.when(there):
                b.emit(Set(full, ZERO, Read(column, target)))
        return b.procedure(parts.OPENING)

    def _layers(self) -> Iterator[tuple[str, Expr, Column, Column]]:
        """Each stat that damage goes through: whether the target has it, its column, and where it is kept in full."""
        lowering = self.lowering
        for member in lowering.cast.members.values():
            for stat in struck_through(member) if member.room else ():
                if stat in member.kind.stats and member.kind.stats[stat].is_account:
                    there = inside(self.target, ((member.first, member.room),))
                    full = lowering.layout.column(Handle("duel full", (member.name, stat)), "mark")
                    yield stat, there, account_column(lowering, stat), full

    def _kept_there(self, remove: Procedure) -> Procedure:
        """`remove`, except for the target, which never leaves."""
        stays = If(compare("==", Local(0), self.target), (Leave("procedure"),))
        return replace(remove, body=(stays, *remove.body))

    def _players(self) -> Procedure:
        """Whoever strikes by an action begins it as soon as it may."""
        b = BlockBuilder()
        for number, (name, _) in enumerate(self.attacks):
            action = self._driver(name)
            if action is not None:
                cause = const(self.lowering.cause("action", action, ("actions", action)))
                with b.when(compare("==", self.chosen, const(number))):
                    aimed = (self.target,) if self.lowering.game.actions[action].to is not None else ()
                    b.emit(Call(begin_action(action), (self.striker, *aimed)))
                    b.emit(Settle(cause, self.striker))
        return b.procedure(parts.PLAYERS)

    def _strikes(self, taken: int) -> Procedure:
        """Return what the attack's own timer does; what has none strikes as soon as it may."""
        b = BlockBuilder()
        b.locals = taken
        polled = dict(self.lowering.polled_blocks)
        for number, (name, attack) in enumerate(self.attacks):
            path = ("attacks", name)
            cause = self.lowering.cause("attack", name, path, attack.type or "")
            with b.when(compare("==", self.chosen, const(number))):
                if attack.when is not None and attack.when.every is not None:
                    for statement in polled.get(path, ()):
                        b.emit(statement)
                elif self._driver(name) is None and strike(name) in self.lowering.procedures:
                    b.emit(Call(strike(name), (self.striker, self.target, ZERO)))
                    b.emit(Settle(const(cause), self.striker))
        return b.procedure(parts.RULES)

    def _end(self) -> Procedure:
        """The fight is over as the last layer is at its floor, or the target is gone; what is spent is replaced."""
        lowering, b = self.lowering, BlockBuilder()
        hits: Expr = ZERO
        for number, (name, _) in enumerate(self.attacks):
            hits = choose(compare("==", self.chosen, const(number)), At(hits_column(lowering, name), ZERO), hits)
        target = b.let(self.target)
        if self.endless:
            for _, there, column, full in self._layers():
                with b.when(And((there, compare("!=", Read(column, target), At(full, ZERO))))):
                    b.emit(Post(column, target, "set", At(full, ZERO), NOBODY, ZERO))
                    b.emit(Settle(NOBODY, ZERO))
        beaten: list[Expr] = [no(lowering.present(target))]
        for member in lowering.cast.members.values():
            vital = struck_through(member)[-1]
            if not member.room or vital not in member.kind.stats or not member.kind.stats[vital].is_account:
                continue
            low = "0" if member.kind.stats[vital].min is None else f"{vital}.min"
            here = EntityRef(target, (member,))
            scope = Scope(lowering, b, ("kinds", member.name), self_=here, no_chance="the end of a duel")
            at_floor = condition(scope, parse_formula(f"{vital} <= {low}"))
            beaten.append(And((inside(target, ((member.first, member.room),)), at_floor)))
        going = compare("<", At(ending_column(lowering), ZERO), ZERO)
        with b.when(ZERO if self.endless else And((going, Or(tuple(beaten))))):
            b.emit(Finish(0, hits))
            b.emit(Settle(NOBODY, ZERO))
        thrown = [name for _, attack in self.attacks if attack.uses_up for name in attack.from_]
        for member in lowering.cast.families(thrown):
            if member.room:
                mine = inside(self.striker, ((member.first, member.room),))
                with b.when(And((mine, no(lowering.present(self.striker))))):
                    b.emit(Set(present_column(lowering), self.striker, ONE))
                    b.emit(Call(appear(member.name), (self.striker, NOBODY, ZERO)))
                    b.emit(Call(_begin(member), (self.striker,)))
        return b.procedure(parts.ENDINGS)


def _begin(member: Member) -> Handle:
    return Handle("duel begins", ("kinds", member.name))


def _different(member: Member) -> list[tuple[int, str]]:
    """The entities of a kind that differ in their numbers, each with what it is called here."""
    copies = member.kind.copies
    if not isinstance(copies, list):
        return [(member.first, member.name)]
    own: dict[tuple[tuple[str, str], ...], int] = {}
    for index, overrides in enumerate(copies):
        key = tuple(sorted((stat, value.text) for stat, value in overrides.items() if stat not in _NO_MATTER))
        own.setdefault(key, index)
    if len(own) == 1:
        return [(member.first, member.name)]
    return [(member.first + index, f"{member.name}[{index + 1}]") for index in own.values()]


def _strikes_with(items: Sequence[Do], attack: str) -> bool:
    """Return whether a list of what is done strikes with an attack."""
    for item in items:
        match item:
            case AttackDo() if item.attack == attack:
                return True
            case HitDo() if item.with_ == attack:
                return True
            case IfDo() | ElseIfDo() | OneDo() if _strikes_with((*item.do, *(item.else_ or [])), attack):
                return True
            case EachDo() if _strikes_with(item.do, attack):
                return True
    return False
