"""Lowers choices: the candidate with the highest or lowest value of a formula, and who is taken of those that tie.

A choice is one fold for the best value, and where ties are drawn one more for how many share it: the drawn number is
the place among these. So nobody's luck depends on how many there are, and exact answers branch evenly.
"""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from mint_ledger.game.choice import Choice, OneOf
from mint_ledger.lowering.chance import draw
from mint_ledger.lowering.context import ranges_of
from mint_ledger.lowering.formulas import KEYWORDS, RESERVED, amount, condition
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope, Typed
from mint_ledger.program.building import compare, const, mul
from mint_ledger.program.expressions import ONE, ZERO, And, Expr, Fold, Local, Ranges, Unary
from mint_ledger.program.statements import Let

NOBODY = const(-1)
# How a candidate is seen by the formulas of a choice, at the choice's own place.
ScopeOfCandidate = Callable[[Scope, EntityRef], Scope]


def as_other(scope: Scope, candidate: EntityRef) -> Scope:
    """Return the scope in which the candidate is `other`."""
    return replace(scope, other=candidate)


def emit_choice(
    scope: Scope,
    choice: Choice,
    candidates: EntityRef,
    where: Expr,
    luck: Scope | None,
    seen: ScopeOfCandidate = as_other,
) -> Expr:
    """Emit a choice among those of `candidates` (a local) for which `where` holds; -1 where there is nobody.

    Args:
        scope: where the choice stands.
        choice: what it says.
        candidates: the local that goes over the candidates, and their kinds.
        where: who is a candidate at all, apart from what the choice asks.
        luck: the scope whose next draw decides a tie; none where nothing may be drawn.
        seen: how the formulas see a candidate.

    Raises:
        Problem: ties are drawn where nothing may be drawn.
    """
    b, candidate, ranges = scope.builder, candidates.entity, ranges_of(candidates.members)
    assert isinstance(candidate, Local)
    inner = seen(scope, candidates).pure("a choice among several")
    if choice.if_ is not None:
        where = And((where, condition(inner, choice.if_, "if")))
    value = amount(inner, choice.order[1], choice.order[0]) if choice.order is not None else ZERO
    if choice.ties == "first":
        if choice.order is None:
            return b.let(Fold("nth", candidate.index, ranges, where, ZERO))
        return b.let(Fold("argmax" if choice.order[0] == "most" else "argmin", candidate.index, ranges, where, value))
    if luck is None or luck.no_chance:
        raise Problem("'ties: random' draws, and here nothing may be drawn; say 'ties: first'")
    return _drawn(luck, choice, candidate.index, ranges, where, value)


def _drawn(luck: Scope, choice: Choice, candidate: int, ranges: Ranges, where: Expr, value: Expr) -> Expr:
    """Draw one of those that share the best value; nothing is drawn where there is nobody."""
    b = luck.builder
    if choice.order is not None:
        best = b.let(Fold("max" if choice.order[0] == "most" else "min", candidate, ranges, where, value))
        where = And((where, compare("==", value, best)))
    count = b.let(Fold("count", candidate, ranges, where, ONE))
    chosen = b.new_local()
    b.emit(Let(chosen, NOBODY))
    with b.when(compare(">", count, ZERO)):
        place = b.let(Unary("floor", mul(draw(luck), count)))
        b.emit(Let(chosen, Fold("nth", candidate, ranges, where, place)))
    return Local(chosen)


def emit_one_of(scope: Scope, choice: OneOf, *, name: str | None = None, may_be_self: bool = True) -> EntityRef:
    """Emit the choice of one of a kind; its entity is -1 where there is nobody.

    `name` is what a candidate is called in the formulas, where it is not `other`.

    Raises:
        Problem: there is no such kind, or its name or its ties do not fit here.
    """
    lowering, b = scope.lowering, scope.builder
    members = tuple(lowering.find_members(choice.one, (*scope.path, "one")))
    if not members:
        raise Problem("")
    if name is not None:
        check_name(scope, name)
    candidate = EntityRef(Local(b.new_local()), members)
    where = lowering.present(candidate.entity)
    if not may_be_self and scope.self_ is not None:
        where = And((where, compare("!=", candidate.entity, scope.self_.entity)))
    chosen = emit_choice(scope, choice, candidate, where, scope, lambda s, ref: named(s, choice.one, ref, name))
    return EntityRef(chosen, members)


def named(scope: Scope, kind: str, ref: EntityRef, name: str | None) -> Scope:
    """Return the scope in which one of several is `other` and its kind's name, or what `as` calls it."""
    if name is None:
        return replace(scope.bind(kind, ref), other=ref)
    typed = Typed(ref.entity, "entity", members=ref.members)
    return replace(scope, lets={**scope.lets, name: typed}, other=scope.other or ref)


def check_name(scope: Scope, name: str) -> None:
    """Refuse a name for one of several that means something already.

    Raises:
        Problem: it does, or it is no name.
    """
    lowering = scope.lowering
    taken = (*RESERVED, *KEYWORDS, *lowering.game.stats, *lowering.game.numbers, *lowering.cast.members, *scope.lets)
    if not name.isidentifier() or name.startswith("_"):
        raise Problem(f"'{name}' is no name; a name has letters, digits and _")
    if name in taken:
        raise Problem(f"'{name}' means something already; choose another name behind 'as'")
