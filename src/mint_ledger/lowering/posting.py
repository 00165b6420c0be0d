"""Lowers postings: `health -= 10`, `lives = 3`, `fill health`."""

from __future__ import annotations

import ast
from dataclasses import replace

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula, PostingText
from mint_ledger.game.cast import Member
from mint_ledger.game.parts import ACCOUNT_WORDS
from mint_ledger.game.stat import Stat
from mint_ledger.lowering import entities, reading
from mint_ledger.lowering.columns import account_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.formulas import FormulaLowerer, check_type, lower_formula, see
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.sites import PostingSite, names_of
from mint_ledger.program.building import choose, div, mul, neg
from mint_ledger.program.expressions import ZERO, Checked, Dial, Expr, Read, inside
from mint_ledger.program.statements import Post


def emit_posting(scope: Scope, posting: PostingText, cause: Expr) -> None:
    """Emit one posting; a fault in it is noted at its place."""
    see(scope)
    try:
        ref, stat = target(scope, posting.target)
        _emit(scope, posting, cause, ref, stat)
    except Problem as problem:
        scope.lowering.fault(scope.path, str(problem))


def target(scope: Scope, node: ast.expr) -> tuple[EntityRef, str]:
    """The account that an assignment names.

    Raises:
        Problem: it names none.
    """
    lowering = scope.lowering
    if isinstance(node, ast.Name):
        name = node.id
        if scope.self_ is not None and reading.has_stat(scope.self_, name):
            return scope.self_, name
        if name in lowering.game.stats:
            return entities.world(), name
        if name in lowering.game.numbers:
            raise Problem(f"'{name}' is a named number and never changes; make it a stat to change it")
        if name in scope.lets:
            raise Problem(f"'{name}' is a value of this rule and never changes")
        owners = [m.name for m in lowering.cast.with_stat(name)]
        if owners:
            raise Problem(f"'{name}' is a stat of {owners[0]}, so write '{owners[0]}.{name}'")
        known = [
            *lowering.game.stats,
            *(s for m in (scope.self_.members if scope.self_ else ()) for s in m.kind.stats),
        ]
        raise Problem(f"there is no stat '{name}' to change{nearest(name, known)}")
    if isinstance(node, ast.Attribute):
        if node.attr in ACCOUNT_WORDS and node.attr not in _stat_names(scope):
            raise Problem(f"'.{node.attr}' cannot be posted to; change the stat itself")
        return entities.entity(FormulaLowerer(scope, -1), node.value), node.attr
    raise Problem("only a stat can be changed")


def emit_set(scope: Scope, ref: EntityRef, name: str, formula: Formula, cause: Expr) -> None:
    """Emit that an account is set to what a formula of the scope says; a fault in it is noted at its place."""
    try:
        owners = account_owners(scope, ref, name)
        _note(scope, owners, name, PostingText(f"{name} = {formula}", "set", ast.Name(name), formula))
        stat = owners[0][1]
        value = _amount(scope, formula, stat.value_type, tuple(stat.one_of or ()))
    except Problem as problem:
        scope.lowering.fault(scope.path, str(problem))
        return
    by = scope.self_.entity if scope.self_ else ZERO
    scope.builder.emit(Post(account_column(scope.lowering, name), ref.entity, "set", value, cause, by))


def booked(lowering: Lowering, stat: str, entity: Expr) -> Expr:
    """The booked value of an account."""
    return Read(account_column(lowering, stat), entity)


def _stat_names(scope: Scope) -> set[str]:
    return {name for member in scope.lowering.cast.members.values() for name in member.kind.stats}


def account_owners(scope: Scope, ref: EntityRef, name: str) -> list[tuple[Member | None, Stat]]:
    """Return who the account can be of, with the stat of each.

    Raises:
        Problem: one of them has no such account.
    """
    owners: list[tuple[Member | None, Stat]] = []
    for member in ref.members or (None,):
        stats = reading.stats_of(scope.lowering, member)
        owner = member.name if member else "the game"
        if name not in stats:
            raise Problem(f"{owner} has no stat '{name}'{nearest(name, stats) or reading.who_has(scope, name)}")
        if not stats[name].is_account:
            raise Problem(f"'{name}' of {owner} is worked out by a formula, so nothing can be posted to it")
        owners.append((member, stats[name]))
    if len({stat.value_type for _, stat in owners}) > 1:
        raise Problem(f"'{name}' is not the same sort of value for {entities.members_text(ref.members)}")
    return owners


def _emit(scope: Scope, posting: PostingText, cause: Expr, ref: EntityRef, name: str) -> None:
    owners = account_owners(scope, ref, name)
    _note(scope, owners, name, posting)
    stat = owners[0][1]
    column = account_column(scope.lowering, name)
    by = scope.self_.entity if scope.self_ else ZERO
    who = scope.builder.let(ref.entity)
    if posting.mode in ("fill", "empty"):
        if stat.value_type == "word":
            raise Problem(f"'{name}' is a word; set it to one of {', '.join(stat.one_of or ())}")
        value = _end_value(scope, posting.mode, EntityRef(who, ref.members), name, owners)
        scope.builder.emit(Post(column, who, "set", value, cause, by))
        return
    assert posting.amount is not None
    words = tuple(stat.one_of or ())
    want = stat.value_type if posting.mode == "set" else "number"
    if posting.mode != "set" and stat.value_type != "number":
        raise Problem(f"'{name}' is {(stat.value_type == 'flag' and 'yes or no') or 'a word'}; set it with '='")
    value = _amount(scope, posting.amount, want, words)
    match posting.mode:
        case "subtract":
            scope.builder.emit(Post(column, who, "add", neg(value), cause, by))
        case "add":
            scope.builder.emit(Post(column, who, "add", value, cause, by))
        case "multiply":
            scope.builder.emit(Post(column, who, "set", mul(Read(column, who), value), cause, by))
        case "divide":
            index = scope.lowering.formula_place(posting.amount, scope.path)
            ratio = Checked(div(Read(column, who), value), index)
            scope.builder.emit(Post(column, who, "set", ratio, cause, by))
        case _:
            scope.builder.emit(Post(column, who, "set", value, cause, by))


def _note(scope: Scope, owners: list[tuple[Member | None, Stat]], stat: str, posting: PostingText) -> None:
    names = tuple(member.name if member is not None else "" for member, _ in owners if member is None or member.room)
    who, other = (names_of(ref.members) if ref is not None else () for ref in (scope.self_, scope.other))
    site = PostingSite(scope.path, names, stat, posting.mode, posting.amount, posting.text, who, other)
    scope.lowering.sites.posting(site)


def _amount(scope: Scope, formula: Formula, want: str, words: tuple[str, ...]) -> Expr:
    if want == "word" and isinstance(formula.tree, ast.Name) and formula.tree.id in words:
        formula = replace(formula, tree=ast.Constant(formula.tree.id))
    dial = scope.lowering.dial_index(scope.path) if formula.number is not None and want != "word" else None
    if dial is not None:
        return Dial(dial)
    typed = lower_formula(scope, formula)
    check_type(typed, want, formula.text, words)  # type: ignore[arg-type]
    return typed.expr


def _end_value(scope: Scope, mode: str, ref: EntityRef, name: str, owners: list[tuple[Member | None, Stat]]) -> Expr:
    """The max (or start) to fill to, the min (or 0) to empty to, by the kind of the entity."""
    index = scope.lowering.formula_place(Formula(f"{mode} {name}", ast.Constant(0.0)), scope.path)
    f = FormulaLowerer(scope, index)
    value: Expr | None = None
    for member, stat in reversed(owners):
        end = reading.limit(f, ref, name, member, stat, "max" if mode == "fill" else "min")
        if end is None:
            end = reading.start_value(scope, ref, name, member, stat) if mode == "fill" else ZERO
        if value is None or member is None:
            value = end
        elif end != value:
            value = choose(inside(ref.entity, ((member.first, member.room),)), end, value)
    assert value is not None
    return Checked(value, index)
