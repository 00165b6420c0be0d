"""Lowers what is done: one function for each sort of step."""

from __future__ import annotations

import ast
from typing import assert_never

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula, FormulaError
from mint_ledger.game import do as steps
from mint_ledger.game.readout import split_text
from mint_ledger.lowering import contact, entities
from mint_ledger.lowering.choice import check_name, emit_one_of, named
from mint_ledger.lowering.context import ranges_of
from mint_ledger.lowering.defense import emit_safe
from mint_ledger.lowering.ending import finish
from mint_ledger.lowering.formulas import amount, condition, entity_text, lower_formula
from mint_ledger.lowering.handles import REMOVE, cue_event, end_status, give_status, strike, try_attack
from mint_ledger.lowering.level import emit_go
from mint_ledger.lowering.lot import emit_lot
from mint_ledger.lowering.motion import emit_place
from mint_ledger.lowering.posting import emit_posting, emit_set
from mint_ledger.lowering.presence import emit_spawn
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.sites import ExtremeSite, names_of
from mint_ledger.program.building import compare, const, higher_of
from mint_ledger.program.expressions import ZERO, Expr, Unary
from mint_ledger.program.statements import Call, If, Note, Raise

MAX_CUE_VALUES = 8


def emit_do(scope: Scope, items: list[steps.Do], cause: Expr) -> None:
    """Emit a list of steps; `scope` stands at the list, faults are noted at their places."""
    for index, item in enumerate(items):
        if isinstance(item, steps.ElseIfDo):
            _check_follows(scope.at(index), items[index - 1] if index else None)
        elif isinstance(item, steps.IfDo):
            _emit_branches(scope, items, index, cause)
        else:
            _emit_step(scope.at(index), item, cause)


def _emit_step(scope: Scope, item: steps.Do, cause: Expr) -> None:
    try:
        match item:
            case steps.PostDo():
                emit_posting(scope, item.post, cause)
            case steps.RemoveDo():
                who = entity_text(scope, item.remove)
                if who is scope.self_:
                    scope.lowering.sites.step(scope.path, "remove self", "")
                scope.builder.emit(Call(REMOVE, (who.entity, doer(scope), cause)))
            case steps.SpawnDo():
                _spawn(scope, item, cause)
            case steps.HitDo():
                _hit(scope, item, cause)
            case steps.AttackDo():
                _attack(scope, item)
            case steps.CueDo():
                _cue(scope, item)
            case steps.GiveDo():
                emit_give(scope, item.give, item.to, item.for_)
            case steps.EndDo():
                emit_end(scope, item.end, item.to)
            case steps.SafeDo():
                who = entity_text(scope, item.safe)
                emit_safe(scope.lowering, scope.builder, who, amount(scope, item.for_, "for"))
            case steps.MoveDo():
                who = entity_text(scope, item.move)
                emit_place(scope, who, item.to, cause, doer(scope), "to")
            case steps.GoDo():
                scope.lowering.sites.step(scope.path, "go", item.go)
                emit_go(scope.lowering, scope.builder, item.go, scope.path)
            case steps.FinishDo():
                _finish(scope, item)
            case steps.MeetDo():
                _meet(scope, item)
            case steps.TellDo():
                emit_tell(scope, item.tell, cause)
            case steps.IfDo() | steps.ElseIfDo():
                raise AssertionError("the branches of a list are emitted together")
            case steps.EachDo():
                _each(scope, item, cause)
            case steps.OneDo():
                _one(scope, item, cause)
            case steps.LotDo():
                emit_lot(scope, item, emit_do)
            case _:
                assert_never(item)
    except Problem as problem:
        scope.lowering.fault(scope.path, str(problem))


def doer(scope: Scope) -> Expr:
    """Whoever does what is done here; 0 for the game."""
    return scope.self_.entity if scope.self_ else ZERO


def _spawn(scope: Scope, item: steps.SpawnDo, cause: Expr) -> None:
    cast = scope.lowering.cast
    if item.spawn not in cast.members:
        raise Problem(f"unknown kind '{item.spawn}'{nearest(item.spawn, cast.members)}")
    scope.lowering.sites.step(scope.path, "spawn", item.spawn)
    member = cast.members[item.spawn]
    if not member.room:
        # One cause: it is said once, where the first rule of the file spawns one.
        if item.spawn in scope.lowering.without_room:
            return
        scope.lowering.without_room.add(item.spawn)
        raise Problem(f"there is no room for a '{item.spawn}'; give the kind 'room: 20', the most there at once")
    b = scope.builder
    count: Expr | None = None
    if item.count is not None:
        count = b.let(higher_of(Unary("floor", amount(scope, item.count, "count")), ZERO))

    def set_up(ref: EntityRef) -> None:
        for name, formula in (item.set or {}).items():
            emit_set(scope.at("set", name), ref, name, formula, cause)

    def put(ref: EntityRef) -> None:
        if item.where is not None:
            emit_place(scope, ref, item.where, cause, doer(scope), "where")

    emit_spawn(scope.lowering, b, member, doer(scope), count=count, at_opening=set_up, afterwards=put)


def _hit(scope: Scope, item: steps.HitDo, cause: Expr) -> None:
    attack = known_attack(scope, item.with_)
    by = entity_text(scope, item.by) if item.by else scope.self_
    if by is None:
        raise Problem("it is not known who strikes; write 'by: …'")
    target = entity_text(scope, item.hit)
    check_striker(scope, attack, by)
    check_target(scope, attack, target)
    scope.builder.emit(Call(strike(attack), (by.entity, target.entity, ZERO)))


def _attack(scope: Scope, item: steps.AttackDo) -> None:
    attack = known_attack(scope, item.attack)
    if scope.self_ is None:
        raise Problem("it is not known who attacks; an attack is done by rules under a kind")
    check_striker(scope, attack, scope.self_)
    scope.lowering.sites.step(scope.path, "attack", attack)
    scope.builder.emit(Call(try_attack(attack), (scope.self_.entity,)))


def known_attack(scope: Scope, name: str) -> str:
    """The name of an attack of the game.

    Raises:
        Problem: there is none.
    """
    attacks = scope.lowering.game.attacks
    if name not in attacks:
        raise Problem(f"unknown attack '{name}'{nearest(name, attacks)}")
    return name


def check_striker(scope: Scope, attack: str, by: EntityRef) -> None:
    """Refuse an attack by somebody who does not have it."""
    cast, owners = scope.lowering.cast, scope.lowering.game.attacks[attack].from_
    if by.members and not set(by.members) & set(cast.families(owners)):
        raise Problem(f"'{attack}' is an attack of {', '.join(owners)}, not of {entities.members_text(by.members)}")


def check_target(scope: Scope, attack: str, target: EntityRef) -> None:
    """Refuse a target that the attack never strikes."""
    cast, targets = scope.lowering.cast, scope.lowering.game.attacks[attack].to
    if target.members and not set(target.members) & set(cast.families(targets)):
        raise Problem(f"'{attack}' strikes {', '.join(targets)}, not {entities.members_text(target.members)}")


def _cue(scope: Scope, item: steps.CueDo) -> None:
    lowering = scope.lowering
    given = item.with_ or {}
    check_cue(scope, item.cue)
    values = [
        scope.builder.let(amount(scope, given[name], "with", name)) if name in given else ZERO
        for name in lowering.cue_values.get(item.cue, [])
    ]
    lowering.sites.step(scope.path, "cue", item.cue)
    event = lowering.event(cue_event(item.cue), "cue")
    cause = lowering.cause("cue", item.cue, scope.path)
    who = doer(scope)
    scope.builder.emit(Note("cue", who, who, const(cause), -1, tuple(values)))
    scope.builder.emit(Raise(event, who, ZERO, tuple(values)))


def check_cue(scope: Scope, cue: str) -> None:
    """Refuse a cue that brings more than a row of the journal has room for."""
    values = scope.lowering.cue_values.get(cue, [])
    if len(values) > MAX_CUE_VALUES:
        raise Problem(
            f"the cue '{cue}' has {len(values)} values in all ({', '.join(values)}); the most is {MAX_CUE_VALUES}, "
            "so give two cues or leave one out"
        )


def known_status(scope: Scope, name: str) -> str:
    """The name of a status of the game.

    Raises:
        Problem: there is none.
    """
    statuses = scope.lowering.game.statuses
    if name not in statuses:
        raise Problem(f"unknown status '{name}'{nearest(name, statuses)}")
    return name


def emit_give(scope: Scope, status: str, to: str, seconds: Formula | None) -> None:
    """Emit the giving of a status; without seconds it lasts as long as it says itself."""
    name = known_status(scope, status)
    who = entity_text(scope, to)
    scope.lowering.sites.step(scope.path, "give", name)
    length = amount(scope, seconds, "for") if seconds is not None else const(-1.0)
    scope.builder.emit(Call(give_status(name), (who.entity, doer(scope), length)))


def emit_end(scope: Scope, status: str, to: str) -> None:
    """Emit the early end of a status."""
    name = known_status(scope, status)
    who = entity_text(scope, to)
    scope.builder.emit(Call(end_status(name), (who.entity, doer(scope))))


def _finish(scope: Scope, item: steps.FinishDo) -> None:
    names = [name for name, _, _, _ in scope.lowering.list_endings()]
    if item.finish not in names:
        raise Problem(f"unknown ending '{item.finish}'{nearest(item.finish, names)}")
    index = names.index(item.finish)
    holders = scope.lowering.list_endings()[index][2]
    finish(scope.lowering, scope.builder, index, doer(scope) if holders else ZERO)


def _meet(scope: Scope, item: steps.MeetDo) -> None:
    one, other = (entity_text(scope, text) for text in item.meet)
    seconds = amount(scope, item.for_, "for") if item.for_ else ZERO
    contact.emit_meet(scope.lowering, scope.builder, one, other, seconds)


def emit_tell(scope: Scope, text: str, cause: Expr) -> None:
    """Emit a line of the story with values in it."""
    try:
        pieces, formulas = split_text(text)
    except FormulaError as error:
        raise Problem(str(error)) from None
    if len(formulas) > 8:
        raise Problem("at most eight values may stand in a text")
    worked_out = [lower_formula(scope, formula) for formula in formulas]
    marks = [pieces[0]]
    for value, piece in zip(worked_out, pieces[1:], strict=True):
        marks += ["\x00" + value.type, piece]
    who = doer(scope)
    values = tuple(scope.builder.let(value.expr) for value in worked_out)
    scope.builder.emit(Note("tell", who, who, cause, scope.lowering.text(marks), values))


def _check_follows(scope: Scope, before: steps.Do | None) -> None:
    """Note a fault where an `else if` has no `if` to belong to."""
    if not isinstance(before, (steps.IfDo, steps.ElseIfDo)):
        scope.lowering.fault(
            scope.path, "'else if' stands right after an 'if' step: [{if: ships > 5, do: […]}, {else if: ships > 2, …}]"
        )
    elif before.else_ is not None:
        scope.lowering.fault(scope.path, "this is never reached: the step before it has an 'else'; move that one here")


def _emit_branches(scope: Scope, items: list[steps.Do], index: int, cause: Expr) -> None:
    """Emit an `if` step with each `else if` that follows it: one is asked where none before it holds."""
    item = items[index]
    assert isinstance(item, (steps.IfDo, steps.ElseIfDo))
    here, b = scope.at(index), scope.builder
    key = "if" if isinstance(item, steps.IfDo) else "else if"
    try:
        test = condition(here, item.if_, key)
    except Problem as problem:
        scope.lowering.fault(here.path, str(problem))
        return
    own = cause if item.named is None else const(scope.lowering.cause("branch", item.named, here.path))
    with b.block() as then:
        emit_do(here.at("do"), item.do, own)
    with b.block() as other:
        if item.else_:
            emit_do(here.at("else"), item.else_, cause)
        elif isinstance(items[index + 1] if index + 1 < len(items) else None, steps.ElseIfDo):
            _emit_branches(scope, items, index + 1, cause)
    b.emit(If(test, tuple(then), tuple(other)))


def _each(scope: Scope, item: steps.EachDo, cause: Expr) -> None:
    members = tuple(scope.lowering.find_members(item.each, (*scope.path, "each")))
    if not members:
        return
    b = scope.builder
    if item.if_ is not None and _asks_for_the_extreme(item.if_.tree):
        attacks = tuple(step.with_ for step in item.do if isinstance(step, steps.HitDo))
        scope.lowering.sites.extremes[scope.path] = ExtremeSite(scope.path, names_of(members), attacks)
    with b.each(ranges_of(members)) as who:
        ref = EntityRef(who, members)
        if item.as_ is not None:
            check_name(scope, item.as_)
        inner = named(scope, item.each, ref, item.as_)
        if item.if_ is None:
            emit_do(inner.at("do"), item.do, cause)
        else:
            with b.when(condition(inner, item.if_, "if")):
                emit_do(inner.at("do"), item.do, cause)


# A value is held against the extreme of all: `x == highest(…)`, `x >= highest(…)`, `x <= lowest(…)`.
_EXTREMES = {"highest": (ast.Eq, ast.GtE), "lowest": (ast.Eq, ast.LtE)}


def _asks_for_the_extreme(condition: ast.expr) -> bool:
    """Return whether a condition holds for those alone whose value is the highest or lowest of all."""
    return any(
        isinstance(test.ops[0], _EXTREMES[call.func.id])
        for test in ast.walk(condition)
        if isinstance(test, ast.Compare) and len(test.ops) == 1
        for call in test.comparators
        if isinstance(call, ast.Call) and isinstance(call.func, ast.Name) and call.func.id in _EXTREMES
    )


def _one(scope: Scope, item: steps.OneDo, cause: Expr) -> None:
    b = scope.builder
    chosen = emit_one_of(scope, item, name=item.as_)
    with b.block() as then:
        emit_do(named(scope, item.one, chosen, item.as_).at("do"), item.do, cause)
    with b.block() as nobody:
        if item.else_:
            emit_do(scope.at("else"), item.else_, cause)
    b.emit(If(compare(">=", chosen.entity, ZERO), tuple(then), tuple(nobody)))
