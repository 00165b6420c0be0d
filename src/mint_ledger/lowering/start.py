"""Lowers what accounts open with: a number, a copy's own, or a formula, which may draw for each entity again."""

from __future__ import annotations

import ast
from dataclasses import replace

from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.game.stat import Stat
from mint_ledger.lowering import reading
from mint_ledger.lowering.columns import account_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.entities import world
from mint_ledger.lowering.formulas import FormulaLowerer, check_type, lower_formula
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope, Typed
from mint_ledger.program.building import BlockBuilder, choose, compare, const
from mint_ledger.program.expressions import ZERO, And, Constant, Expr, Local, Or
from mint_ledger.program.handle import Path
from mint_ledger.program.statements import Open, Post, Set

Node = tuple[str, str]


def check_starts(lowering: Lowering) -> None:
    """Look at every start that is a formula once, so that it is known what each reads."""
    for member in (None, *lowering.cast.members.values()):
        for name, stat in reading.stats_of(lowering, member).items():
            if not stat.starts_by_formula:
                continue
            b = BlockBuilder(1)
            ref = EntityRef(Local(0), (member,)) if member else world()
            _value(lowering, b, ref, name, member, stat)
            _check_order(lowering, name, member)


def _check_order(lowering: Lowering, name: str, member: Member | None) -> None:
    """Fault a start that reads what is opened later: the game opens first, then the kinds in the order of the file."""
    kinds = ["", *lowering.cast.members]
    mine = kinds.index(member.name if member else "")
    for (owner, stat), path in lowering.depends.get((kinds[mine], name), {}).items():
        if kinds.index(owner) > mine and path[-1] == "start":
            known = f"{owner}.{stat}"
            where = f"the kind '{kinds[mine]}'" if mine else "the game"
            lowering.fault(path, f"reads {known}, which opens later than {where}; kinds open in the order of the file")


def emit_openings(lowering: Lowering, b: BlockBuilder, ref: EntityRef, cause: Expr, by: Expr) -> None:
    """Open all accounts of one entity (or of the game) with their starts; a cause below 0 makes no rows."""
    member = ref.members[0] if ref.members else None
    stats = reading.stats_of(lowering, member)
    for name in _in_order(lowering, member):
        stat = stats[name]
        column = account_column(lowering, name)
        value = opening_value(lowering, b, ref, name, member, stat)
        if stat.starts_by_formula:
            value = b.let(value)
            b.emit(Set(reading.opened_column(lowering, name), ref.entity, value))
        b.emit(Open(column, ref.entity, value, cause, by))
        if stat.starts_by_formula or not all(
            limit is None or limit.number is not None for limit in (stat.min, stat.max)
        ):
            _emit_clamped(lowering, b, ref, name, member, stat, value)


def opening_value(
    lowering: Lowering, b: BlockBuilder, ref: EntityRef, name: str, member: Member | None, stat: Stat
) -> Expr:
    """Return what an account is opened with, worked out now; a copy's own goes before what its kind says."""
    if not stat.starts_by_formula:
        return reading.start_value(Scope(lowering, b, ()), ref, name, member, stat)
    value = _value(lowering, b, ref, name, member, stat)
    for entity, dial in reversed(reading.own_starts(lowering, name, member, stat).items()):
        own: Expr = dial if stat.one_of is None else reading.word_at(lowering, stat.one_of, dial)
        value = choose(compare("==", ref.entity, const(entity)), own, value)
    return value


def _value(lowering: Lowering, b: BlockBuilder, ref: EntityRef, name: str, member: Member | None, stat: Stat) -> Expr:
    """Return what a formula makes of a start; `min` and `max` are the account's own."""
    assert stat.start is not None
    path: Path = reading.start_path(lowering, member, name)
    owner = member.name if member else ""
    scope = Scope(
        lowering,
        b,
        path,
        self_=ref if member else None,
        luck=Luck(path, (f"{name} start",)),
        reads_for=(owner, name),
    )
    try:
        index = lowering.formula_place(stat.start, path)
        lets: dict[str, Typed] = {}
        for side in ("min", "max"):
            if side in stat.start.names():
                f = FormulaLowerer(scope, index)
                limit = reading.limit(f, ref, name, member, stat, side)
                if limit is None and _stands_alone(stat.start, side):
                    raise Problem(f"'{name}' has no {side} to start at")
                if limit is not None:
                    lets[side] = Typed(limit, "number", reads=frozenset(f.accounts))
        scope = replace(scope, lets=lets)
        typed = lower_formula(scope, stat.start)
        words = tuple(stat.one_of or ())
        check_type(typed, "word" if words else "number", stat.start.text, words)
        if words and not set(typed.words) <= set(words):
            strange = next(word for word in typed.words if word not in words)
            raise Problem(f"'{strange}' is not one of {', '.join(words)}")
    except Problem as problem:
        bare = isinstance(stat.start.tree, ast.Name) and "unknown name" in str(problem)
        lowering.fault(path, f"{problem}; a start is a number, true or false, or a formula" if bare else str(problem))
        return ZERO
    return typed.expr


def _stands_alone(formula: Formula, side: str) -> bool:
    called = {id(node.func) for node in ast.walk(formula.tree) if isinstance(node, ast.Call)}
    return any(isinstance(n, ast.Name) and n.id == side and id(n) not in called for n in ast.walk(formula.tree))


def _emit_clamped(
    lowering: Lowering, b: BlockBuilder, ref: EntityRef, name: str, member: Member | None, stat: Stat, value: Expr
) -> None:
    """A row where a start lies outside its limits; the account has been opened at the limit."""
    f = FormulaLowerer(Scope(lowering, b, (), self_=ref if member else None), -1)
    tests: list[Expr] = []
    for side in ("min", "max"):
        try:
            limit = reading.limit(f, ref, name, member, stat, side)
        except Problem:
            return
        if limit is not None:
            tests.append(compare("<" if side == "min" else ">", value, limit))
    if tests:
        cause = Constant(float(lowering.cause("limit", "limit", ())))
        with b.when(And((lowering.present(ref.entity), Or(tuple(tests))))):
            b.emit(Post(account_column(lowering, name), ref.entity, "set", value, cause, ZERO))


def _in_order(lowering: Lowering, member: Member | None) -> list[str]:
    """The accounts of an owner in the order of the file, but each after those that its limits and start read."""
    owner = member.name if member else ""
    stats = reading.stats_of(lowering, member)
    ordered: dict[str, None] = {}
    visiting: set[str] = set()

    def visit(name: str) -> None:
        if name in visiting or name in ordered:
            return
        visiting.add(name)
        for read_of, read in lowering.depends.get((owner, name), {}):
            if read_of == owner and read in stats:
                visit(read)
        visiting.discard(name)
        ordered[name] = None

    for name in stats:
        visit(name)
    return [name for name in ordered if stats[name].is_account]
