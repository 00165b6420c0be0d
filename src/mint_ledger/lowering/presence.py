"""Lowers who is there: the opening of the game, spawning within the room, leaving."""

from __future__ import annotations

from collections.abc import Callable

from mint_ledger.game.cast import Member
from mint_ledger.lowering.columns import ending_column, present_column, without_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.entities import maker_column, world
from mint_ledger.lowering.flow import emit_flows_of
from mint_ledger.lowering.formulas import condition
from mint_ledger.lowering.handles import APPEARED, GONE, REMOVE, appear, begin, spawn
from mint_ledger.lowering.motion import emit_first_leg, emit_still
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.space import is_motion, is_somewhere
from mint_ledger.lowering.start import emit_openings
from mint_ledger.program import parts
from mint_ledger.program.building import BlockBuilder, add, compare, const, no, sub
from mint_ledger.program.expressions import ONE, ZERO, And, At, Constant, Dial, Expr, Local, Step, inside
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Call, If, Leave, Let, Note, Raise, Set, Settle


def left_column(lowering: Lowering) -> Column:
    """The step in which an entity last left; its number is free again only in the next."""
    return lowering.layout.column(Handle("left"), "step", 0, lowering.cast.size, -1.0)


def spent_column(lowering: Lowering) -> Column:
    """Which entities are spent: one more than the number of the cause, 0 for those that are not."""
    return lowering.layout.column(Handle("spent"), "flag", 0, lowering.cast.size)


def lower_presence(lowering: Lowering) -> None:
    """Make the procedures that let entities appear and leave."""
    lowering.event(GONE, "gone")
    for member in lowering.cast.members.values():
        _lower_appear(lowering, member)
        if member.room:
            _lower_spawn(lowering, member)
    _lower_remove(lowering)


def lower_opening(lowering: Lowering) -> None:
    """Make `opening accounts`: the game's own stats, then those of every entity that is there at the start."""
    b = BlockBuilder()
    named_by_levels = {kind for level in lowering.game.levels.values() for kind in level.present}
    present = present_column(lowering)
    b.emit(Set(present, ZERO, ONE))
    b.emit(Set(ending_column(lowering), ZERO, Constant(-1.0)))
    emit_openings(lowering, b, world(), Constant(-1.0), ZERO)
    for member in lowering.cast.members.values():
        dial = lowering.dial_index(("kinds", member.name, "copies"))
        count: Expr = Dial(dial) if dial is not None else const(member.kind.copy_count)
        if member.name in named_by_levels:
            count = ZERO
        with b.repeat(const(member.room)) as index:
            entity = b.let(add(const(member.first), index))
            b.emit(Set(present, entity, compare("<", index, count)))
            b.emit(Call(appear(member.name), (entity, Constant(-1.0), ZERO)))
    lowering.procedure(b.procedure(parts.OPENING_ACCOUNTS))


def emit_beginnings(lowering: Lowering, b: BlockBuilder) -> None:
    """Begin the flows and timers of the game and of everyone present, and take what their conditions are now."""
    emit_flows_of(lowering, b, ZERO, None)
    for emit in lowering.on_opening:
        emit(b)
    for member in lowering.cast.members.values():
        if member.room:
            with b.each(((member.first, member.room),)) as who:
                b.emit(Call(begin(member.name), (who,)))
    for member in lowering.cast.members.values():
        if member.room and member.name in lowering.listened_to:
            with b.each(((member.first, member.room),)) as who:
                emit_appeared(lowering, b, member, who)
    if lowering.listened_to:
        b.emit(Settle(const(-1.0), ZERO, always=True))


def _lower_appear(lowering: Lowering, member: Member) -> None:
    """`appear KIND` (entity, cause, by): open its accounts."""
    b = BlockBuilder(3)
    emit_openings(lowering, b, EntityRef(Local(0), (member,)), Local(1), Local(2))
    lowering.procedure(b.procedure(appear(member.name)))


def lower_begin(lowering: Lowering, member: Member) -> None:
    """`begin KIND` (entity): its flows, timers and waits start, its conditions take their present values."""
    b = BlockBuilder(1)
    if lowering.game.space is not None and is_somewhere(member):
        emit_still(lowering, b, Local(0))
    emit_flows_of(lowering, b, Local(0), member)
    if lowering.game.space is not None and is_somewhere(member):
        emit_first_leg(lowering, b, member, Local(0))
    for _, ranges, emit in lowering.on_appear:
        if any(first <= member.first < first + count for first, count in ranges):
            emit(b, Local(0))
    lowering.procedure(b.procedure(begin(member.name)))


def _lower_spawn(lowering: Lowering, member: Member) -> None:
    """`spawn KIND` (by): the lowest free number opens; its result is the entity, -1 where the room is full."""
    b = BlockBuilder(1)
    present, left = present_column(lowering), left_column(lowering)
    number = b.new_local()
    b.emit(Let(number, Constant(-1.0)))
    with b.repeat(const(member.room)) as index:
        entity = b.let(add(const(member.first), index))
        free = And((no(At(present, entity)), compare("<", At(left, entity), Step())))
        b.emit(If(free, (Let(number, entity), Leave("each"))))
    cause = lowering.cause("spawn", "spawn", ("kinds", member.name))
    b.leave_unless(compare(">=", Local(number), ZERO))
    b.emit(Set(present, Local(number), ONE))
    b.emit(Set(maker_column_of(lowering), Local(number), Local(0)))
    for name, lot in lowering.game.lots.items():
        for branch, model in lot.of.items():
            if model.sure_by is not None and not lot.shared:
                # Somebody else had this number before.
                b.emit(Set(without_column(lowering, name, branch), Local(number), ZERO))
    b.emit(Note("spawn", Local(number), Local(0), Constant(float(cause))))
    b.emit(Call(appear(member.name), (Local(number), Constant(float(cause)), Local(0))))
    lowering.procedure(b.procedure(spawn(member.name), Local(number)))


def emit_spawn(
    lowering: Lowering,
    b: BlockBuilder,
    member: Member,
    by: Expr,
    *,
    count: Expr | None = None,
    at_opening: Callable[[EntityRef], None] | None = None,
    afterwards: Callable[[EntityRef], None] | None = None,
) -> None:
    """Emit that one of a kind appears, or `count` of them; those for whom there is no room have a row together.

    `at_opening` is emitted as the accounts of each are open and before anything of it begins, `afterwards` once it has.
    """
    cause = Constant(float(lowering.cause("spawn", "spawn", ("kinds", member.name))))

    def one() -> Local:
        spawned = Local(b.new_local())
        b.emit(Call(spawn(member.name), (by,), spawned.index))
        ref = EntityRef(spawned, (member,))
        with b.when(compare(">=", spawned, ZERO)):
            if at_opening is not None:
                at_opening(ref)
            b.emit(Call(begin(member.name), (spawned,)))
            emit_appeared(lowering, b, member, spawned)
            if afterwards is not None:
                afterwards(ref)
        return spawned

    if count is None:
        with b.when(compare("<", one(), ZERO)):
            b.emit(Note("refused", const(member.first), by, cause, lowering.text(["no room"])))
        return
    refused = Local(b.new_local())
    b.emit(Let(refused.index, ZERO))
    with b.repeat(count) as index:
        spawned = one()
        b.emit(If(compare("<", spawned, ZERO), (Let(refused.index, sub(count, index)), Leave("each"))))
    with b.when(compare(">", refused, ZERO)):
        text = lowering.text(["no room for ", "\x00number"])
        b.emit(Note("refused", const(member.first), by, cause, text, (refused,)))


def emit_appeared(lowering: Lowering, b: BlockBuilder, member: Member, entity: Expr) -> None:
    """Let rules hear that an entity has appeared, where one listens."""
    if member.name in lowering.listened_to:
        b.emit(Raise(lowering.event(APPEARED, "hit"), entity, ZERO))


def maker_column_of(lowering: Lowering) -> Column:
    """Return where the makers of entities are kept."""
    return maker_column(Scope(lowering, BlockBuilder(), ()))


def _lower_remove(lowering: Lowering) -> None:
    """`remove` (entity, by, cause): it leaves, its flows write their rows, and rules hear of it."""
    b = BlockBuilder(3)
    entity, by, cause = Local(0), Local(1), Local(2)
    b.leave_unless(And((compare(">", entity, ZERO), At(present_column(lowering), entity))))
    b.emit(Set(present_column(lowering), entity, ZERO))
    b.emit(Set(left_column(lowering), entity, Step()))
    for member in lowering.cast.members.values():
        flows = [s for s, stat in member.kind.stats.items() if stat.is_account and (stat.flow or is_motion(member, s))]
        if flows and member.room:
            with b.when(inside(entity, ((member.first, member.room),))):
                emit_flows_of(lowering, b, entity, member)
    b.emit(Note("gone", entity, by, cause))
    b.emit(Raise(lowering.event(GONE, "gone"), entity, by))
    lowering.procedure(b.procedure(REMOVE))


def lower_watch_gone(lowering: Lowering) -> None:
    """Make `watch gone` (actor): whoever's `gone_if` holds leaves; whoever started it all did it."""
    b = BlockBuilder(1)
    thrown = [name for attack in lowering.game.attacks.values() if attack.uses_up for name in attack.from_]
    spent = spent_column(lowering)
    with b.each(ranges_of(lowering.cast.families(thrown))) as who, b.when(At(spent, who)):
        cause = b.let(sub(At(spent, who), ONE))
        b.emit(Set(spent, who, ZERO))
        b.emit(Call(REMOVE, (who, who, cause)))
    for name, kind in lowering.game.kinds.items():
        if kind.gone_if is None:
            continue
        holders = tuple(m for m in lowering.cast.family(name) if m.kind.gone_if is kind.gone_if)
        if not ranges_of(holders):
            _check_only(lowering, name, holders)
            continue
        path = ("kinds", name, "gone_if")
        why = lowering.cause("rule", "gone_if", path)
        with b.each(ranges_of(holders)) as who:
            scope = Scope(
                lowering,
                b,
                path,
                self_=EntityRef(who, holders),
                no_chance="a watched condition",
                watched=True,
            )
            with b.when(condition(scope, kind.gone_if)):
                b.emit(Call(REMOVE, (who, Local(0), Constant(float(why)))))
        lowering.sites.step(path, "remove self", "")
    lowering.procedure(b.procedure(parts.WATCH_GONE))


def _check_only(lowering: Lowering, name: str, holders: tuple[Member, ...]) -> None:
    """A condition that no entity has yet is still looked at for faults."""
    kind = lowering.game.kinds[name]
    if kind.gone_if is not None and holders:
        scope = Scope(
            lowering,
            BlockBuilder(1),
            ("kinds", name, "gone_if"),
            self_=EntityRef(Local(0), holders),
            no_chance="a watched condition",
        )
        condition(scope, kind.gone_if)
