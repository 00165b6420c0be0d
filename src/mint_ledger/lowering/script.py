"""Lowers scripts and playtests: each happening becomes a procedure, each expectation one that only looks."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula
from mint_ledger.game.script import Happening, Playtest, Wanted
from mint_ledger.lowering import contact
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.do import check_cue, check_striker, check_target, emit_end, emit_give, known_attack
from mint_ledger.lowering.entities import members_text
from mint_ledger.lowering.formulas import amount, condition, entity_text
from mint_ledger.lowering.habit import emit_habit
from mint_ledger.lowering.handles import REMOVE, begin_action, cue_event, strike, try_attack
from mint_ledger.lowering.level import emit_go
from mint_ledger.lowering.motion import emit_place
from mint_ledger.lowering.posting import emit_posting
from mint_ledger.lowering.presence import emit_spawn
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.program.building import BlockBuilder, const
from mint_ledger.program.expressions import ONE, ZERO, Expr
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import ScriptItem
from mint_ledger.program.statements import Call, Note, Raise, Settle


@dataclass(frozen=True, slots=True)
class LoweredPlaytest:
    """A playtest ready to be played: its script, and (time or None for the end, procedure, text) to look at.

    What is expected of many runs has no look: none stands in its place.
    """

    name: str
    model: Playtest
    script: tuple[ScriptItem, ...]
    looks: tuple[tuple[float | None, Handle, str] | None, ...]


def lower_script(lowering: Lowering, items: Sequence[Happening], path: Path) -> tuple[ScriptItem, ...]:
    """Make a procedure of each happening; they come in the order of their times, then of the list."""
    lowered = []
    for index, item in enumerate(items):
        procedure = Handle("happening", (*path, index))
        lower_happening(lowering, item, (*path, index), procedure)
        lowered.append(ScriptItem(item.at, procedure))
    return tuple(sorted(lowered, key=lambda item: item.at))


def lower_happening(lowering: Lowering, item: Happening, path: Path, handle: Handle) -> None:
    """Make a procedure of what happens from outside."""
    b = BlockBuilder()
    scope = Scope(lowering, b, path, no_chance="a script")
    cause = const(lowering.cause("script", "script", ()))
    try:
        actor = _emit(lowering, scope, item, cause)
    except Problem as problem:
        lowering.fault((*path, item.key), str(problem))
        actor = ZERO
    b.emit(Settle(cause, actor))
    lowering.procedure(b.procedure(handle))


def _emit(lowering: Lowering, scope: Scope, item: Happening, cause: Expr) -> Expr:
    """Emit a happening and return whoever is behind it."""
    b = scope.builder
    by = entity_text(scope, item.by) if item.by else None
    match item.key:
        case "hit":
            assert item.hit is not None and isinstance(item.with_, str)
            attack = known_attack(scope, item.with_)
            target = entity_text(scope, item.hit)
            striker = by or _only_striker(lowering, scope, attack)
            check_striker(scope, attack, striker)
            check_target(scope, attack, target)
            b.emit(Call(strike(attack), (striker.entity, target.entity, ONE if item.sure else ZERO)))
            return striker.entity
        case "attack":
            assert item.attack is not None
            attack = known_attack(scope, item.attack)
            striker = by or _only_striker(lowering, scope, attack)
            check_striker(scope, attack, striker)
            b.emit(Call(try_attack(attack), (striker.entity,)))
            return striker.entity
        case "meet":
            assert item.meet is not None
            one, other = (entity_text(scope, text) for text in item.meet)
            seconds = amount(scope, item.for_, "for") if item.for_ else ZERO
            contact.emit_meet(lowering, b, one, other, seconds)
        case "cue":
            assert item.cue is not None
            _emit_cue(lowering, scope, item)
        case "set":
            assert item.set is not None
            emit_posting(scope.at("set"), item.set, cause)
        case "remove":
            assert item.remove is not None
            who = entity_text(scope, item.remove)
            b.emit(Call(REMOVE, (who.entity, by.entity if by else ZERO, cause)))
        case "act":
            assert item.act is not None
            doer = _doer_of(lowering, scope, item.act, by)
            b.emit(Call(begin_action(item.act), (doer.entity, *_target_of(lowering, scope, item))))
            return doer.entity
        case "give":
            emit_give(scope, str(item.give), _whom(item), item.for_)
        case "end":
            emit_end(scope, str(item.end), _whom(item))
        case "move":
            if not isinstance(item.to, list) or len(item.to) != 2:
                raise Problem("it is not known where to; write 'to: [x, y]'")
            who = entity_text(scope, str(item.move))
            emit_place(scope, who, item.to, cause, ZERO, "to")
        case "go":
            emit_go(lowering, b, str(item.go))
        case "habit":
            emit_habit(lowering, b, str(item.habit), by)
        case _:
            assert item.spawn is not None
            if item.spawn not in lowering.cast.members or not lowering.cast.members[item.spawn].room:
                raise Problem(f"there is no kind '{item.spawn}' with room for one more")
            emit_spawn(lowering, b, lowering.cast.members[item.spawn], by.entity if by else ZERO)
    return by.entity if by else ZERO


def _whom(item: Happening) -> str:
    if not isinstance(item.to, str):
        raise Problem("it is not known whom; write 'to: …'")
    return item.to


def _target_of(lowering: Lowering, scope: Scope, item: Happening) -> tuple[Expr, ...]:
    """Return to whom an action is done, as it takes it: -1 for the first possible one; nothing where it has no `to`."""
    assert item.act is not None
    if lowering.game.actions[item.act].to is None:
        if item.to is not None:
            raise Problem(f"'{item.act}' is done to nobody; leave 'to' out, or give the action a 'to: …'")
        return ()
    if item.to is not None and not isinstance(item.to, str):
        raise Problem(f"'{item.act}' is done to somebody; write 'to: ally' or 'to: \"ally[2]\"'")
    return (entity_text(scope, item.to).entity if item.to is not None else const(-1),)


def _doer_of(lowering: Lowering, scope: Scope, action: str, by: EntityRef | None) -> EntityRef:
    """Whoever does an action: who is said to, or the only one who can."""
    actions = lowering.game.actions
    if action not in actions:
        raise Problem(f"unknown action '{action}'{nearest(action, actions)}")
    members = [m for m in lowering.cast.families(actions[action].by) if m.room]
    if by is not None:
        if by.members and not set(by.members) & set(members):
            owners = ", ".join(actions[action].by)
            raise Problem(f"'{action}' is an action of {owners}, not of {members_text(by.members)}")
        return by
    if len(members) == 1 and members[0].room == 1:
        return entity_text(scope, members[0].name)
    raise Problem(f"several can do '{action}'; write 'by: {members[0].name if members else '…'}[1]'")


def _only_striker(lowering: Lowering, scope: Scope, attack: str) -> EntityRef:
    members = [m for m in lowering.cast.families(lowering.game.attacks[attack].from_) if m.room]
    if len(members) == 1 and members[0].room == 1:
        return entity_text(scope, members[0].name)
    raise Problem(f"several can strike with '{attack}'; write 'by: {members[0].name if members else '…'}[1]'")


def _emit_cue(lowering: Lowering, scope: Scope, item: Happening) -> None:
    given = item.with_ if isinstance(item.with_, dict) else {}
    check_cue(scope, str(item.cue))
    b = scope.builder
    values = tuple(
        b.let(amount(scope, given[name], "with", name)) if name in given else ZERO
        for name in lowering.cue_values.get(str(item.cue), [])
    )
    event = lowering.event(cue_event(str(item.cue)), "cue")
    b.emit(Note("cue", ZERO, ZERO, const(lowering.cause("cue", str(item.cue), scope.path)), -1, values))
    b.emit(Raise(event, ZERO, ZERO, values))


def lower_playtests(lowering: Lowering) -> tuple[LoweredPlaytest, ...]:
    """Make the procedures of all playtests."""
    lowered = []
    for name, model in lowering.game.playtests.items():
        path = ("playtests", name)
        script = lower_script(lowering, model.script, (*path, "script"))
        looks: list[tuple[float | None, Handle, str] | None] = []
        for index, expectation in enumerate(model.expect):
            if isinstance(expectation.that, Wanted):
                looks.append(None)
                continue
            procedure = Handle("expectation", (*path, "expect", index))
            lower_look(lowering, expectation.that, (*path, "expect", index, "that"), procedure)
            at = float(expectation.at) if isinstance(expectation.at, float) else None
            looks.append((at, procedure, expectation.that.text))
        lowered.append(LoweredPlaytest(name, model, script, tuple(looks)))
    return tuple(lowered)


def lower_look(lowering: Lowering, formula: Formula, path: Path, handle: Handle) -> None:
    """Make a procedure that says whether a condition holds."""
    b = BlockBuilder()
    scope = Scope(lowering, b, path, no_chance="an expectation", outcome=True)
    value = condition(scope, formula)
    lowering.procedure(b.procedure(handle, value))
