"""Lowers names of entities (`self`, `crab[2]`, `maker`) and calls over many of them (`count`, `total`, `any`)."""

from __future__ import annotations

import ast

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import shorten, written
from mint_ledger.game.cast import WORLD, Member
from mint_ledger.lowering.columns import turn_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, InFormula, Scope, Typed
from mint_ledger.program.building import add, choose, compare, const, sub
from mint_ledger.program.expressions import ONE, ZERO, And, At, Expr, Fold, FoldOp, Local, Only, Unary
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import Column

_FOLDS: dict[str, FoldOp] = {
    "count": "count",
    "total": "sum",
    "lowest": "min",
    "highest": "max",
    "any": "any",
    "all": "all",
}


def world() -> EntityRef:
    """The game itself, as the owner of the shared stats."""
    return EntityRef(const(WORLD), ())


def entity(f: InFormula, node: ast.expr) -> EntityRef:
    """Lower a node that names one entity.

    Raises:
        Problem: it names none, or several.
    """
    scope = f.scope
    if isinstance(node, ast.Name):
        return _named(scope, node.id)
    if isinstance(node, ast.Subscript):
        return _numbered(f, node)
    if isinstance(node, ast.Attribute) and node.attr == "maker":
        return maker_of(scope, entity(f, node.value))
    raise Problem(f"'{shorten(written(node))}' is no entity")


def _named(scope: Scope, name: str) -> EntityRef:
    if name in scope.bound:
        return scope.bound[name]
    if name == "self":
        if scope.self_ is None:
            raise Problem("there is no 'self' here; it is known in rules under a kind, and in those about two entities")
        return scope.self_
    if name == "other":
        if scope.other is None:
            raise Problem("there is no 'other' here; it is known in rules about two entities, like {meets: …}")
        return scope.other
    if name == "whose":
        scope.lowering.sites.turns[scope.path] = None
        return whose(scope.lowering)
    if name == "maker":
        if scope.self_ is None:
            raise Problem("there is no 'self' here, so there is no 'maker'")
        return maker_of(scope, scope.self_)
    if name in scope.lets and scope.lets[name].type == "entity":
        typed = scope.lets[name]
        return EntityRef(typed.expr, typed.members)
    member = scope.lowering.cast.members.get(name)
    if member is None:
        raise Problem(f"unknown entity '{shorten(name)}'{nearest(name, scope.lowering.cast.members)}")
    if member.room == 1:
        return EntityRef(const(member.first), (member,))
    if member.room == 0:
        raise Problem(f"there is no copy of '{name}'; it is only there to be built on")
    raise Problem(f"there are {member.room} of '{name}': write {name}[1], or count(), total(), any() … over all")


def _numbered(f: InFormula, node: ast.Subscript) -> EntityRef:
    if not isinstance(node.value, ast.Name):
        raise Problem(f"'{shorten(written(node))}' is no entity")
    name = node.value.id
    member = f.scope.lowering.cast.members.get(name)
    if member is None:
        raise Problem(f"unknown kind '{shorten(name)}'{nearest(name, f.scope.lowering.cast.members)}")
    if isinstance(node.slice, ast.Constant) and isinstance(node.slice.value, float):
        number = node.slice.value
        if number != int(number) or not 1 <= number <= member.room:
            raise Problem(f"there is no {name}[{number:g}]; the numbers of {name} are 1 to {member.room}")
        return EntityRef(const(member.first + int(number) - 1), (member,))
    number_expr = Unary("floor", f.number(node.slice))
    fine = And((compare(">=", number_expr, ONE), compare("<=", number_expr, const(member.room))))
    which: Expr = sub(add(const(member.first), number_expr), ONE)
    return EntityRef(Only(which, fine, f"there is no {name} of that number"), (member,))


def whose(lowering: Lowering) -> EntityRef:
    """The entity whose turn it is.

    Raises:
        Problem: the game has no turns.
    """
    if lowering.game.turns is None:
        raise Problem("the game has no 'turns', so it is nobody's turn")
    order = lowering.turn_order
    value: Expr = ZERO
    for position, (entity, _) in enumerate(order):
        value = choose(compare("==", At(turn_column(lowering), ZERO), const(position)), const(entity), value)
    members = tuple({member.name: member for _, member in order}.values())
    return EntityRef(value, members)


def maker_of(scope: Scope, ref: EntityRef) -> EntityRef:
    """The one whose rule spawned an entity."""
    lowering = scope.lowering
    names: set[str] = set()
    for member in ref.members:
        for ancestor in member.family:
            names |= lowering.makers.get(ancestor, set())
    members = tuple(m for m in lowering.cast.members.values() if m.name in names)
    if not members:
        kinds = ", ".join(m.name for m in ref.members) or "the game"
        raise Problem(f"no kind's rule spawns {kinds}, so it has no maker")
    return EntityRef(At(maker_column(scope), ref.entity), members)


def maker_column(scope: Scope) -> Column:
    """Return where the makers of entities are kept."""
    return scope.lowering.layout.column(Handle("maker"), "flag", 0, scope.lowering.cast.size)


def fold(f: InFormula, name: str, node: ast.expr) -> Typed:
    """Lower `count(crab)`, `total(crab.health)`, `any(crab.health < 5)`: over those that are present."""
    kind = _kind_in(f, name, node)
    members = tuple(f.scope.lowering.cast.family(kind))
    local = f.scope.builder.new_local()
    ref = EntityRef(Local(local), members)
    where = f.scope.lowering.present(Local(local))
    if name == "count":
        body: Expr = ONE
        if not (isinstance(node, ast.Name) and node.id == kind):
            where = And((where, _inner(f, kind, ref).flag(node)))
    elif name in ("any", "all"):
        body = _inner(f, kind, ref).flag(node)
    else:
        body = _inner(f, kind, ref).number(node)
    return Typed(
        Fold(_FOLDS[name], local, ranges_of(members), where, body),
        "flag" if name in ("any", "all") else "number",
    )


def _inner(f: InFormula, kind: str, ref: EntityRef) -> InFormula:
    scope = f.scope.bind(kind, ref).pure("a call that goes over several entities")
    return f.elsewhere(scope)


def _kind_in(f: InFormula, name: str, node: ast.expr) -> str:
    """The one kind whose bare name stands in a call that goes over many."""
    members = f.scope.lowering.cast.members
    numbered = {
        id(part.value)
        for part in ast.walk(node)
        if isinstance(part, ast.Subscript) and isinstance(part.value, ast.Name)
    }
    names = [
        part.id
        for part in ast.walk(node)
        if isinstance(part, ast.Name) and part.id in members and id(part) not in numbered
    ]
    several = list(dict.fromkeys(n for n in names if len(f.scope.lowering.cast.family(n)) > 1 or members[n].room != 1))
    wanted = several or list(dict.fromkeys(names))
    if len(wanted) == 1:
        return wanted[0]
    if isinstance(node, ast.Name) and not wanted:
        raise Problem(f"unknown kind '{shorten(node.id)}'{nearest(node.id, members)}")
    if not wanted:
        raise Problem(f"{name}() goes over the entities of a kind, like {name}(crab.health); no kind stands in it")
    raise Problem(f"{name}() goes over one kind, and here stand {' and '.join(wanted[:3])}")


def members_text(members: tuple[Member, ...]) -> str:
    """The kinds in a message."""
    return ", ".join(member.name for member in members)
