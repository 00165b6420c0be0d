"""Lowers levels: who is there as one opens, what is set, when it is left and where to.

A kind that any level names is there only where it is named; all others are carried on as they are.
"""

from __future__ import annotations

from itertools import pairwise

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula, FormulaError
from mint_ledger.formula.syntax import parse_expression
from mint_ledger.game.cast import Member
from mint_ledger.game.level import Level
from mint_ledger.game.stat import Stat
from mint_ledger.lowering import posting, reading
from mint_ledger.lowering.columns import (
    account_column,
    first_level_column,
    level_began_column,
    level_column,
    present_column,
)
from mint_ledger.lowering.context import WAITING, AskedLevel, Lowering
from mint_ledger.lowering.counts import VISITS, visits_column
from mint_ledger.lowering.flow import emit_flows_of
from mint_ledger.lowering.formulas import condition
from mint_ledger.lowering.handles import ENTER_LEVEL, appear, begin, level_event
from mint_ledger.lowering.presence import emit_appeared, left_column
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.start import opening_value
from mint_ledger.program import parts
from mint_ledger.program.building import BlockBuilder, add, compare, const, no
from mint_ledger.program.expressions import ONE, ZERO, And, At, Expr, Local, Or, Time
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import OrderLine
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Call, If, Leave, Let, Note, Open, Post, Raise, Set, Settle

BACK = "back"
NOT_ASKED = -1.0


def _asked(lowering: Lowering) -> Column:
    """The level that was asked for: its number, -2 for back, -1 for none."""
    return lowering.layout.column(Handle("level asked for"), "mark", opening=NOT_ASKED)


def _waiting(lowering: Lowering) -> Column:
    """Which of those that ask for levels is waiting for its own; an audit reads it."""
    return lowering.layout.column(WAITING, "mark", opening=-1.0)


def _came_from(lowering: Lowering) -> Column:
    return lowering.layout.column(Handle("level came from"), "mark", opening=-1.0)


def level_number(lowering: Lowering, name: str) -> int:
    """The number of a level.

    Raises:
        Problem: there is none of that name.
    """
    levels = list(lowering.game.levels)
    if name not in levels:
        raise Problem(f"unknown level '{name}'{nearest(name, levels)}")
    return levels.index(name)


def level_kinds(lowering: Lowering) -> list[Member]:
    """The kinds that some level names."""
    named = {kind for level in lowering.game.levels.values() for kind in level.present}
    return [member for member in lowering.cast.members.values() if member.name in named]


def emit_go(lowering: Lowering, b: BlockBuilder, name: str, path: Path = ()) -> None:
    """Ask for a level; the first that is asked for in a step is gone to at its end.

    Where an audit wants to know what became of it, what stands at `path` is counted.
    """
    number = -2 if name == BACK else level_number(lowering, name)
    asked = _asked(lowering)
    free = b.let(compare("==", At(asked, ZERO), const(NOT_ASKED)))
    b.emit(If(free, (Set(asked, ZERO, const(number)),)))
    if lowering.counts_rules and path:
        site = lowering.asked_levels.setdefault(path, AskedLevel(path, name))
        for handle, counts in ((site.times, ONE), (site.first, free)):
            column = lowering.layout.column(handle, "measure")
            b.emit(Set(column, ZERO, add(At(column, ZERO), counts)))
        b.emit(If(free, (Set(_waiting(lowering), ZERO, const(list(lowering.asked_levels).index(path))),)))


def lower_levels(lowering: Lowering) -> None:
    """Make `enter level` (number) and check that every level can be reached."""
    if not lowering.game.levels:
        return
    _check(lowering)
    for level_number_, (name, level) in enumerate(lowering.game.levels.items()):
        _lower_opening(lowering, level_number_, name, level)
    _lower_enter(lowering)
    _lower_next(lowering)


def _check(lowering: Lowering) -> None:
    game = lowering.game
    for name, level in game.levels.items():
        path = ("levels", name)
        for kind, count in level.present.items():
            if kind not in game.kinds:
                lowering.fault((*path, "present", kind), f"unknown kind '{kind}'{nearest(kind, game.kinds)}")
            elif count > lowering.cast.members[kind].room:
                room = lowering.cast.members[kind].room
                lowering.fault((*path, "present", kind), f"{count} of {kind}, but there is room for {room}")
        for way in level.next:
            if way.go not in game.levels:
                lowering.fault((*path, "next"), f"unknown level '{way.go}'{nearest(way.go, game.levels)}")
        if level.next and level.until is None:
            lowering.fault((*path, "next"), "this level has a 'next' and no 'until', so it is never left that way")
    reached = _reached(lowering)
    for name in game.levels:
        if name not in reached:
            lowering.fault(("levels", name), f"the level '{name}' cannot be reached: nothing goes to it")


def _reached(lowering: Lowering) -> set[str]:
    game = lowering.game
    names = list(game.levels)
    following = dict(pairwise(names))
    reached = {names[0]} | lowering.gone_to
    todo = list(reached)
    while todo:
        name = todo.pop()
        level = game.levels.get(name)
        if level is None or level.until is None:
            continue
        for target in [way.go for way in level.next] or [following.get(name, name)]:
            if target not in reached:
                reached.add(target)
                todo.append(target)
    return reached


def _saved(lowering: Lowering, level: str, what: str, member: Member) -> Column:
    return lowering.layout.column(
        Handle("kept", ("levels", level, member.name, what)), "value", member.first, member.room
    )


def _was_left(lowering: Lowering, level: str) -> Column:
    return lowering.layout.column(Handle("was left", ("levels", level)), "counter")


def _gone_for_good(lowering: Lowering, level: str, member: Member) -> Column:
    return lowering.layout.column(
        Handle("gone for good", ("levels", level, member.name)), "counter", member.first, member.room
    )


def _lower_enter(lowering: Lowering) -> None:
    """`enter level` (number): leave the one that is played, open the other, let rules hear of it."""
    b = BlockBuilder(1)
    number = Local(0)
    before = b.let(At(level_column(lowering), ZERO))
    b.emit(Set(_came_from(lowering), ZERO, before))
    for index, (name, level) in enumerate(lowering.game.levels.items()):
        with b.when(compare("==", before, const(index))):
            _emit_leaving(lowering, b, name, level)
    for member in level_kinds(lowering):
        with b.each(((member.first, member.room),)) as who:
            b.emit(Set(present_column(lowering), who, ZERO))
            emit_flows_of(lowering, b, who, member)
    b.emit(Set(level_column(lowering), ZERO, number))
    b.emit(Set(level_began_column(lowering), ZERO, Time()))
    if VISITS in lowering.counted:
        b.emit(Set(visits_column(lowering), number, add(At(visits_column(lowering), number), ONE)))
    b.emit(Set(_asked(lowering), ZERO, const(NOT_ASKED)))
    if lowering.counts_rules:
        b.emit(Set(_waiting(lowering), ZERO, const(-1)))
    for index, name in enumerate(lowering.game.levels):
        cause = const(lowering.cause("level", name, ("levels", name)))
        with b.when(compare("==", number, const(index))):
            b.emit(Note("level", ZERO, ZERO, cause, -1, (const(index),)))
            b.emit(Call(Handle("open level", ("levels", name)), (compare(">=", before, ZERO),)))
            b.emit(Raise(lowering.event(level_event(name), "cue"), ZERO, ZERO))
    b.emit(Settle(const(-1.0), ZERO, always=True))
    lowering.procedure(b.procedure(ENTER_LEVEL))


def _emit_leaving(lowering: Lowering, b: BlockBuilder, name: str, level: Level) -> None:
    for kind in level.present:
        member = lowering.cast.members.get(kind)
        if member is None or not member.room:
            continue
        with b.repeat(const(member.room)) as index:
            who = b.let(add(const(member.first), index))
            if level.again == "as_left":
                b.emit(Set(_saved(lowering, name, "present", member), who, lowering.present(who)))
                for stat, model in member.kind.stats.items():
                    if model.is_account:
                        value = posting.booked(lowering, stat, who)
                        b.emit(Set(_saved(lowering, name, stat, member), who, value))
            if member.kind.stays_gone:
                was_here = compare("<", index, const(level.present[kind]))
                gone = And((was_here, no(lowering.present(who))))
                b.emit(If(gone, (Set(_gone_for_good(lowering, name, member), who, ONE),)))
    if level.again == "as_left":
        b.emit(Set(_was_left(lowering, name), ZERO, ONE))


def _lower_opening(lowering: Lowering, number: int, name: str, level: Level) -> None:
    """`open level NAME` (whether another was played before): cast it, reset what resets, set what it sets."""
    b = BlockBuilder(1)
    path = ("levels", name)
    cause = const(lowering.cause("level", name, path))
    with b.when(Local(0)):
        _emit_resets(lowering, b, cause)
    for kind, count in level.present.items():
        member = lowering.cast.members.get(kind)
        if member is None or not member.room or count > member.room:
            continue
        with b.repeat(const(member.room)) as index:
            who = b.let(add(const(member.first), index))
            here = _is_cast(lowering, b, name, level, member, index, who, count)
            with b.when(here):
                b.emit(Set(present_column(lowering), who, ONE))
                b.emit(Set(left_column(lowering), who, const(-1.0)))
                b.emit(Call(appear(kind), (who, cause, ZERO)))
                if level.again == "as_left":
                    with b.when(At(_was_left(lowering, name), ZERO)):
                        _emit_restore(lowering, b, name, member, who, cause)
                b.emit(Call(begin(kind), (who,)))
                if level.again == "as_left":
                    with b.when(no(At(_was_left(lowering, name), ZERO))):
                        emit_appeared(lowering, b, member, who)
                else:
                    emit_appeared(lowering, b, member, who)
    for target, formula in level.start.items():
        _emit_start(lowering, b, (*path, "start"), target, formula, cause)
    lowering.order.append(OrderLine("0 start", f"the level {name} opens", path))
    lowering.procedure(b.procedure(Handle("open level", path)))


def _is_cast(
    lowering: Lowering, b: BlockBuilder, name: str, level: Level, member: Member, index: Expr, who: Expr, count: int
) -> Expr:
    fresh = compare("<", index, const(count))
    if member.kind.stays_gone:
        fresh = And((fresh, no(At(_gone_for_good(lowering, name, member), who))))
    if level.again != "as_left":
        return b.let(fresh)
    left = At(_was_left(lowering, name), ZERO)
    saved = At(_saved(lowering, name, "present", member), who)
    return b.let(Or((And((left, saved)), And((no(left), fresh)))))


def _emit_restore(lowering: Lowering, b: BlockBuilder, name: str, member: Member, who: Expr, cause: Expr) -> None:
    for stat, model in member.kind.stats.items():
        if model.is_account:
            value = At(_saved(lowering, name, stat, member), who)
            b.emit(Open(account_column(lowering, stat), who, value, cause, ZERO))


def _emit_resets(lowering: Lowering, b: BlockBuilder, cause: Expr) -> None:
    """Stats that start again in each level, of the game and of all that are carried on."""
    for stat, model in lowering.game.stats.items():
        if model.resets == "level" and model.is_account:
            ref = EntityRef(ZERO, ())
            start = _opened_anew(lowering, b, ref, stat, None, model)
            b.emit(Post(account_column(lowering, stat), ZERO, "set", start, cause, ZERO))
    for member in lowering.cast.members.values():
        names = [s for s, model in member.kind.stats.items() if model.resets == "level" and model.is_account]
        if not names or not member.room:
            continue
        with b.each(((member.first, member.room),)) as who:
            for stat in names:
                ref = EntityRef(who, (member,))
                start = _opened_anew(lowering, b, ref, stat, member, member.kind.stats[stat])
                b.emit(Post(account_column(lowering, stat), who, "set", start, cause, ZERO))


def _opened_anew(
    lowering: Lowering, b: BlockBuilder, ref: EntityRef, name: str, member: Member | None, stat: Stat
) -> Expr:
    """Return what a stat starts with in this level; a formula is worked out again."""
    value = opening_value(lowering, b, ref, name, member, stat)
    if stat.starts_by_formula:
        value = b.let(value)
        b.emit(Set(reading.opened_column(lowering, name), ref.entity, value))
    return value


def _emit_start(lowering: Lowering, b: BlockBuilder, path: Path, target: str, formula: Formula, cause: Expr) -> None:
    scope = Scope(lowering, b, path, no_chance="a level's start")
    try:
        ref, stat = posting.target(scope, parse_expression(target))
        posting.emit_set(scope.at(target), ref, stat, formula, cause)
    except (Problem, FormulaError) as problem:
        lowering.fault((*path, target), str(problem))


def _lower_next(lowering: Lowering) -> None:
    """`part 7 levels`: the level's `until`, then the change that was asked for."""
    b = BlockBuilder()
    asked = _asked(lowering)
    for index, (name, level) in enumerate(lowering.game.levels.items()):
        if level.until is None:
            continue
        path = ("levels", name)
        scope = Scope(lowering, b, path, no_chance="what ends a level", watched=True)
        with b.when(compare("==", At(level_column(lowering), ZERO), const(index))):
            with b.when(condition(scope, level.until, "until")):
                _emit_ways(lowering, b, scope, level, index)
        lowering.order.append(OrderLine("7 endings", f"the level {name} ends: {level.until}", path))
    with b.when(compare("==", At(asked, ZERO), const(-2))):
        b.emit(Set(asked, ZERO, At(_came_from(lowering), ZERO)))
    target = b.let(At(asked, ZERO))
    b.emit(If(compare("<", target, ZERO), (Leave("procedure"),)))
    b.emit(Call(ENTER_LEVEL, (target,)))
    lowering.procedure(b.procedure(parts.LEVELS))


def _emit_ways(lowering: Lowering, b: BlockBuilder, scope: Scope, level: Level, index: int) -> None:
    """The first way whose condition holds; without any, the next level in the file."""
    taken = b.new_local()
    b.emit(Let(taken, ZERO))
    names = list(lowering.game.levels)
    ways = level.next or []
    if not ways and index + 1 < len(names):
        emit_go(lowering, b, names[index + 1])
    for number, way in enumerate(ways):
        if way.go not in names:
            continue
        test: Expr = no(Local(taken))
        if way.if_ is not None:
            test = And((test, condition(scope, way.if_, "next", number, "if")))
        with b.when(test):
            b.emit(Let(taken, ONE))
            emit_go(lowering, b, way.go)


def emit_first_level(lowering: Lowering, b: BlockBuilder) -> None:
    """Open the level that a run begins with: the first of the file, or the one that a playtest names."""
    if lowering.game.levels:
        first = first_level_column(lowering)
        b.emit(Call(ENTER_LEVEL, (At(first, ZERO),)))
