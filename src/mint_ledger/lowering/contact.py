"""Lowers contact: who touches whom, as it begins and while it lasts.

A meeting is noted where it is asked for (`{meet: …}` of scripts and rules) and seen in part 4 of the next step
that has one, so it lasts one step at least.
"""

from __future__ import annotations

from mint_ledger.game.cast import Member
from mint_ledger.lowering.context import EmitPair, Lowering
from mint_ledger.lowering.handles import motion
from mint_ledger.lowering.motion import (
    NEVER,
    Displacement,
    MovingPair,
    first_touch,
    forget_faster,
    has_plain_size,
    is_faster,
    moved_by_hand,
    moving_members,
    pair_of,
    touches,
    way_of,
)
from mint_ledger.lowering.scope import EntityRef
from mint_ledger.lowering.space import is_somewhere
from mint_ledger.program import parts
from mint_ledger.program.building import BlockBuilder, add, choose, compare, const, higher_of, lower_of, mul, no, sub
from mint_ledger.program.expressions import ONE, ZERO, And, At, Due, Expr, Local, Or, Step, Time, inside
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import OrderLine
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Call, Let, Note, Set

Kinds = tuple[Member, Member]


def block_of(lowering: Lowering, one: Member, other: Member) -> Kinds:
    """The two kinds in the order of the file."""
    names = list(lowering.cast.members)
    return (one, other) if names.index(one.name) <= names.index(other.name) else (other, one)


def _column(
    lowering: Lowering, what: str, pair: Kinds, role: str = "time", opening: float = 0.0, *, memo: bool = False
) -> Column:
    handle = Handle(f"contact {what}", (pair[0].name, pair[1].name))
    return lowering.layout.column(handle, role, 0, pair[0].room * pair[1].room, opening, memo=memo)  # type: ignore[arg-type]


def _touching(lowering: Lowering, pair: Kinds) -> Column:
    column = _column(lowering, "touching", pair, "counter")
    return lowering.touching.setdefault((pair[0].name, pair[1].name), column)


def _index(pair: Kinds, one: Expr, other: Expr) -> Expr:
    row = mul(sub(one, const(pair[0].first)), const(pair[1].room))
    return add(row, sub(other, const(pair[1].first)))


def _latest(lowering: Lowering) -> Column:
    return lowering.layout.column(Handle("contact latest"), "time", opening=-1.0)


def _live(lowering: Lowering) -> Column:
    return lowering.layout.column(Handle("contact live"), "counter")


def on_touch(lowering: Lowering, ones: list[Member], others: list[Member], emit: EmitPair) -> None:
    """Let something happen as one of `ones` (self) and one of `others` (other) begin to touch."""
    for one in ones:
        for other in others:
            if one.room and other.room:
                lowering.wiring.touches.setdefault((one.name, other.name), []).append(emit)


def emit_while_touching(
    lowering: Lowering, b: BlockBuilder, ones: list[Member], others: list[Member], emit: EmitPair
) -> None:
    """Emit what happens in each step of contact."""
    for one in ones:
        for other in others:
            if not (one.room and other.room):
                continue
            pair = block_of(lowering, one, other)
            touching = _touching(lowering, pair)
            lowering.wiring.touches.setdefault((one.name, other.name), [])
            with b.when(At(_live(lowering), ZERO)), b.each(((one.first, one.room),)) as who:
                with b.each(((other.first, other.room),)) as whom:
                    first, second = (who, whom) if pair == (one, other) else (whom, who)
                    here = [At(touching, _index(pair, first, second)), lowering.present(who)]
                    if one is other:
                        here.append(compare("!=", who, whom))
                        here[0] = Or((here[0], At(touching, _index(pair, second, first))))
                    with b.when(And(tuple(here))):
                        emit(b, who, whom)


def emit_meet(lowering: Lowering, b: BlockBuilder, one: EntityRef, other: EntityRef, seconds: Expr) -> None:
    """Note that two entities touch, for so many seconds and one step at least."""
    until = b.let(add(Time(), seconds))
    b.emit(Set(_latest(lowering), ZERO, higher_of(At(_latest(lowering), ZERO), until)))
    b.emit(Set(_live(lowering), ZERO, ONE))
    for mine in one.members:
        for theirs in other.members:
            if not (mine.room and theirs.room):
                continue
            pair = block_of(lowering, mine, theirs)
            lowering.wiring.touches.setdefault((mine.name, theirs.name), [])
            first, second = (one.entity, other.entity) if pair == (mine, theirs) else (other.entity, one.entity)
            both = And(
                (
                    inside(first, ((pair[0].first, pair[0].room),)),
                    inside(second, ((pair[1].first, pair[1].room),)),
                )
            )
            with b.when(both):
                index = _index(pair, first, second)
                b.emit(Set(_column(lowering, "asked", pair, "counter"), index, ONE))
                if _can_wait(lowering, pair):
                    _may_touch(lowering, b, pair, first, second)
                b.emit(Set(_column(lowering, "until", pair, opening=-1.0), index, until))


def lower_contacts(lowering: Lowering) -> None:
    """Make the contacts' share of part 4: see what touches, and let what begins set off its rules."""
    b = BlockBuilder()
    pairs: dict[tuple[str, str], Kinds] = {}
    for one, other in lowering.wiring.touches:
        pair = block_of(lowering, lowering.cast.members[one], lowering.cast.members[other])
        pairs[pair[0].name, pair[1].name] = pair
    live = _live(lowering)
    if lowering.game.space is not None:
        for member in moving_members(lowering):
            b.emit(Call(motion(member.name), ()))
        _look_again(lowering, b, [pair for pair in pairs.values() if _can_wait(lowering, pair)])
    asked = Or((At(live, ZERO), no(Due(At(_latest(lowering), ZERO)))))
    looks: Expr = ONE if any(_by_size(lowering, pair) for pair in pairs.values()) else asked
    with b.when(looks):
        b.emit(Set(live, ZERO, ZERO))
        for pair in pairs.values():
            _lower_block(lowering, b, pair)
    for pair in pairs.values():
        _forget_on_appearing(lowering, pair)
    lowering.procedure(b.procedure(parts.CONTACT))


def _by_size(lowering: Lowering, pair: Kinds) -> bool:
    return lowering.game.space is not None and is_somewhere(pair[0]) and is_somewhere(pair[1])


def _can_wait(lowering: Lowering, pair: Kinds) -> bool:
    """Return whether it can be known how long two kinds cannot touch."""
    return _by_size(lowering, pair) and all(has_plain_size(member) for member in pair)


def _waits(lowering: Lowering, pair: Kinds) -> Column:
    """The first step in which two might touch."""
    return _column(lowering, "waits", pair, "step", memo=True)


def _row_waits(lowering: Lowering, pair: Kinds) -> Column:
    """The first step in which one of the first kind might touch any of the second."""
    one, other = pair
    handle = Handle("contact row waits", (one.name, other.name))
    return lowering.layout.column(handle, "step", one.first, one.room, memo=True)


def _look_again(lowering: Lowering, b: BlockBuilder, pairs: list[Kinds]) -> None:
    """Whoever was put somewhere, or is of a kind that goes faster than ever, may touch at once."""
    members = {member.name: member for pair in pairs for member in pair}
    for member in members.values():
        mine = [(pair, side) for pair in pairs for side in (0, 1) if pair[side] is member]
        handle = Handle("contact seen", ("kinds", member.name))
        seen = lowering.layout.column(handle, "step", member.first, member.room, memo=True)
        with b.each(((member.first, member.room),)) as who:
            with b.when(compare(">=", moved_by_hand(lowering, who), At(seen, who))):
                b.emit(Set(seen, who, Step()))
                for pair, side in mine:
                    _let_touch(lowering, b, pair, side, who)
        with b.when(is_faster(lowering, member)):
            with b.repeat(const(member.room)) as number:
                who = b.let(add(const(member.first), number))
                for pair, side in mine:
                    _let_touch(lowering, b, pair, side, who)
            forget_faster(lowering, b, member)


def _let_touch(lowering: Lowering, b: BlockBuilder, pair: Kinds, side: int, who: Expr) -> None:
    """One may touch all others of a pair of kinds from now on."""
    theirs = pair[1 - side]
    with b.repeat(const(theirs.room)) as number:
        whom = b.let(add(const(theirs.first), number))
        _may_touch(lowering, b, pair, *((who, whom) if side == 0 else (whom, who)))


def _may_touch(lowering: Lowering, b: BlockBuilder, pair: Kinds, first: Expr, second: Expr) -> None:
    b.emit(Set(_waits(lowering, pair), _index(pair, first, second), Step()))
    b.emit(Set(_row_waits(lowering, pair), first, Step()))


def _lower_block(lowering: Lowering, b: BlockBuilder, pair: Kinds) -> None:
    one, other = pair
    begins = lowering.wiring.touches
    # Where nothing happens as two meet, nobody is moved in between.
    stays = not begins.get((one.name, other.name)) and not begins.get((other.name, one.name))
    with b.each(((one.first, one.room),)) as who:
        if _can_wait(lowering, pair):
            with b.when(compare(">=", Step(), At(_row_waits(lowering, pair), who))):
                _lower_row(lowering, b, pair, who, stays)
        else:
            mine = EntityRef(who, (one,))
            way = way_of(lowering, b, mine) if stays and _by_size(lowering, pair) else None
            with b.each(((other.first, other.room),)) as whom:
                index = b.let(_index(pair, who, whom))
                _lower_pair(lowering, b, pair, (mine, EntityRef(whom, (other,))), index, way)


def _lower_row(lowering: Lowering, b: BlockBuilder, pair: Kinds, who: Expr, stays: bool) -> None:
    """One of the first kind with those of the second that it might touch; and when it might touch any next."""
    one, other = pair
    mine = EntityRef(who, (one,))
    way = way_of(lowering, b, mine) if stays else None
    waits, row = _waits(lowering, pair), _row_waits(lowering, pair)
    soonest = b.new_local()
    b.emit(Let(soonest, const(NEVER)))
    # What follows of a touch may let others of the row meet.
    b.emit(Set(row, who, const(NEVER)))
    with b.each(((other.first, other.room),)) as whom:
        index = b.let(_index(pair, who, whom))
        with b.when(compare(">=", Step(), At(waits, index))):
            _lower_pair(lowering, b, pair, (mine, EntityRef(whom, (other,))), index, way)
        b.emit(Let(soonest, lower_of(Local(soonest), At(waits, index))))
    b.emit(Set(row, who, lower_of(At(row, who), Local(soonest))))


def _lower_pair(
    lowering: Lowering,
    b: BlockBuilder,
    kinds: Kinds,
    ends: tuple[EntityRef, EntityRef],
    index: Expr,
    way: Displacement | None,
) -> None:
    one, other = kinds
    who, whom = (end.entity for end in ends)
    touching = _touching(lowering, kinds)
    asked = _column(lowering, "asked", kinds, "counter")
    until = _column(lowering, "until", kinds, opening=-1.0)
    begins = lowering.wiring.touches
    near: list[Expr] = [At(asked, index), no(Due(At(until, index)))]
    before = b.let(At(touching, index))
    pair: MovingPair | None = None
    if _by_size(lowering, kinds):
        ways = way or way_of(lowering, b, ends[0]), way_of(lowering, b, ends[1])
        pair = pair_of(b, ends, ways)
        size = touches(lowering, b, pair, before)
        # Within one kind each pair comes up twice; what touches by its size is seen once.
        near.append(And((size, compare("<", who, whom))) if one is other else size)
    now = b.let(And((Or(tuple(near)), lowering.present(who), lowering.present(whom))))
    b.emit(Set(asked, index, ZERO))
    b.emit(Set(touching, index, now))
    if pair is not None and _can_wait(lowering, kinds):
        again: Expr = b.let(first_touch(lowering, b, pair))
        if one is other:
            again = choose(compare("<", who, whom), again, const(NEVER))
        b.emit(Set(_waits(lowering, kinds), index, choose(now, Step(), again)))
    with b.when(now):
        b.emit(Set(_live(lowering), ZERO, ONE))
    with b.when(And((now, no(before)))):
        b.emit(Note("contact", who, whom, const(-1)))
        for emit in begins.get((one.name, other.name), []):
            emit(b, who, whom)
        if one is not other:
            for emit in begins.get((other.name, one.name), []):
                emit(b, whom, who)
        else:
            for emit in begins.get((one.name, one.name), []):
                emit(b, whom, who)


def _forget_on_appearing(lowering: Lowering, pair: Kinds) -> None:
    """Whoever takes a number that was used before touches nobody."""

    def forget(side: int) -> None:
        mine, theirs = pair[side], pair[1 - side]

        def emit(b: BlockBuilder, who: Expr) -> None:
            with b.repeat(const(theirs.room)) as step:
                whom = b.let(add(const(theirs.first), step))
                index = b.let(_index(pair, who, whom) if side == 0 else _index(pair, whom, who))
                b.emit(Set(_touching(lowering, pair), index, ZERO))
                b.emit(Set(_column(lowering, "asked", pair, "counter"), index, ZERO))
                b.emit(Set(_column(lowering, "until", pair, opening=-1.0), index, const(-1.0)))

        lowering.on_appear.append(((), ((mine.first, mine.room),), emit))

    forget(0)
    if pair[0] is not pair[1]:
        forget(1)


def order_lines(lowering: Lowering) -> list[OrderLine]:
    """The pairs of kinds that are looked at for contact."""
    seen = {tuple(sorted(pair)) for pair in lowering.wiring.touches}
    return [OrderLine("4 contact", f"whether {one} and {other} touch", ("kinds", one)) for one, other in sorted(seen)]
