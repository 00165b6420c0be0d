"""Lowers stats: the columns of their accounts, limits, openings, and the postings that limits make."""

from __future__ import annotations

import itertools
from collections.abc import Iterable

from mint_ledger.formula import Formula
from mint_ledger.game.cast import WORLD, Cast, Member
from mint_ledger.game.document import GameFile
from mint_ledger.game.stat import Stat
from mint_ledger.lowering import reading
from mint_ledger.lowering.columns import account_column, flow_columns
from mint_ledger.lowering.context import Lowering, WorkedOut
from mint_ledger.lowering.entities import world
from mint_ledger.lowering.flow import lower_flow
from mint_ledger.lowering.formulas import FormulaLowerer
from mint_ledger.lowering.motion import motion_spec
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.space import is_motion
from mint_ledger.program.building import BlockBuilder, compare
from mint_ledger.program.expressions import ZERO, Checked, Constant, Expr, Local, Read, Unary
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Account, AccountSpec
from mint_ledger.program.statements import Post
from mint_ledger.program.walking import locals_needed

Owner = tuple[Member | None, Stat]


def stat_names(lowering: Lowering) -> list[str]:
    """The names of all stats that have accounts, the game's own first."""
    names = dict.fromkeys(name for name, stat in lowering.game.stats.items() if stat.is_account)
    for member in lowering.cast.members.values():
        names.update(dict.fromkeys(name for name, stat in member.kind.stats.items() if stat.is_account))
    return list(names)


def owners_of(lowering: Lowering, name: str) -> list[Owner]:
    """Return who has accounts of a stat: the game, and kinds."""
    owners: list[Owner] = []
    if name in lowering.game.stats and lowering.game.stats[name].is_account:
        owners.append((None, lowering.game.stats[name]))
    for member in lowering.cast.with_stat(name):
        if member.kind.stats[name].is_account:
            owners.append((member, member.kind.stats[name]))
    return owners


def spec_scope(lowering: Lowering, member: Member | None, name: str, what: str) -> Scope:
    """The scope of what belongs to an account: it sees the entity as local 0."""
    ref = EntityRef(Local(0), (member,)) if member else None
    return Scope(
        lowering,
        BlockBuilder(1),
        reading.stat_path(lowering, member, name),
        self_=ref,
        no_chance=what,
        reads_for=(member.name if member else "", name),
    )


def lower_accounts(lowering: Lowering) -> None:
    """Make the accounts of all stats."""
    for name in stat_names(lowering):
        account_column(lowering, name)
    for name in stat_names(lowering):
        column = account_column(lowering, name)
        specs = []
        for member, stat in owners_of(lowering, name):
            spec = _spec(lowering, member, name, stat)
            first, count = (member.first, member.room) if member else (WORLD, 1)
            if count:
                specs.append((first, count, spec))
        flows = flow_columns(lowering, column, name) if any(s.flow for _, _, s in specs) else None
        lowering.accounts[name] = Account(name, column, tuple(specs), flows, None)
    _check_worked_out(lowering)


def finish_accounts(lowering: Lowering) -> tuple[Account, ...]:
    """The accounts once it is known of which stats `.untouched` is asked."""
    accounts = []
    for name, account in lowering.accounts.items():
        touched = reading.touched_column(lowering, name, memo=True) if name in lowering.touched_stats else None
        accounts.append(Account(name, account.column, account.specs, account.flow_columns, touched))
    return tuple(accounts)


def _spec(lowering: Lowering, member: Member | None, name: str, stat: Stat) -> AccountSpec:
    scope = spec_scope(lowering, member, name, "a limit")
    low, high = (_limit(scope, member, name, stat, side) for side in ("min", "max"))
    flow = lower_flow(lowering, member, name, stat, low, high) if stat.flow else None
    if member is not None and is_motion(member, name):
        flow = motion_spec(lowering, member, name)
    flowing = (flow.to, flow.rate, flow.after, flow.after_limit, flow.gate) if flow is not None else ()
    needed = locals_needed((low, high, *flowing))
    return AccountSpec(low, high, stat.whole, stat.round, stat.at_limit == "wrap", flow, needed)


def _limit(scope: Scope, member: Member | None, name: str, stat: Stat, side: str) -> Expr | None:
    formula = stat.max if side == "max" else stat.min
    if formula is None:
        return None
    lowering = scope.lowering
    path = (*reading.stat_path(lowering, member, name), side)
    index = lowering.formula_place(formula, path)
    f = FormulaLowerer(scope.with_path(path), index)
    ref = EntityRef(Local(0), (member,)) if member else world()
    try:
        value = reading.limit(f, ref, name, member, stat, side)
    except Problem as problem:
        lowering.fault(path, str(problem))
        return None
    f.note(formula)
    return value if value is None or formula.number is not None else Checked(value, index)


def _check_worked_out(lowering: Lowering) -> None:
    """Look at every formula of a stat once, whether or not anything reads it."""
    owners: list[Member | None] = [None, *lowering.cast.members.values()]
    for member in owners:
        for name, stat in reading.stats_of(lowering, member).items():
            if stat.formula is None:
                continue
            scope = spec_scope(lowering, member, name, "the formula of a stat")
            path = (*scope.path, "formula")
            ref = EntityRef(Local(0), (member,)) if member else world()
            f = FormulaLowerer(scope.with_path(path), lowering.formula_place(stat.formula, path))
            try:
                typed = reading.worked_out(f, ref, name, member, stat)
            except Problem as problem:
                lowering.fault(path, str(problem))
                continue
            f.note(stat.formula)
            key = (member.name if member else "", name)
            reads = tuple(reads_of(lowering, member, stat.formula, path))
            lowering.worked_out[key] = WorkedOut(stat.formula.text, typed.expr, typed.type, reads)


def reads_of(lowering: Lowering, member: Member | None, formula: Formula, path: Path) -> list[tuple[str, Expr]]:
    """The names in a formula with what each stands for, as `why` tells them."""
    scope = spec_scope(lowering, member, path[-2], "the formula of a stat").with_path(path)  # type: ignore[arg-type]
    f = FormulaLowerer(scope, -1)
    try:
        f.lower(formula.tree)
    except Problem:
        return []
    return list(f.reads.items())


def emit_limit_postings(lowering: Lowering, b: BlockBuilder) -> None:
    """Bring back what a limit that is a formula has moved past, by a posting of cause `limit`."""
    cause = Constant(float(lowering.cause("limit", "limit", ())))
    for account in lowering.accounts.values():
        for (first, count, spec), (member, stat) in zip(
            account.specs, _specs_owners(lowering, account.stat), strict=True
        ):
            moving = [side for side, f in (("high", stat.max), ("low", stat.min)) if f is not None and f.number is None]
            if not moving:
                continue
            with b.each(((first, count),)) as who:
                for side in moving:
                    limit = spec.high if side == "high" else spec.low
                    if limit is None:
                        continue
                    _emit_bring_back(lowering, b, account, who, limit, side, spec.whole, member, stat, cause)


def _specs_owners(lowering: Lowering, name: str) -> list[Owner]:
    return [(m, s) for m, s in owners_of(lowering, name) if m is None or m.room]


def _emit_bring_back(
    lowering: Lowering,
    b: BlockBuilder,
    account: Account,
    who: Expr,
    limit: Expr,
    side: str,
    whole: bool,
    member: Member | None,
    stat: Stat,
    cause: Expr,
) -> None:
    formula = stat.max if side == "high" else stat.min
    assert formula is not None
    path = (*reading.stat_path(lowering, member, account.stat), "max" if side == "high" else "min")
    index = lowering.formula_place(formula, path)
    scope = Scope(lowering, b, path, self_=EntityRef(who, (member,)) if member else None, no_chance="a limit")
    f = FormulaLowerer(scope, index)
    ref = EntityRef(who, (member,)) if member else world()
    try:
        value = reading.limit(f, ref, account.stat, member, stat, "max" if side == "high" else "min")
    except Problem:
        return
    if value is None:
        return
    bound = b.let(Checked(value, index))
    if whole:
        bound = b.let(Unary("floor" if side == "high" else "ceil", bound))
    past = compare(">" if side == "high" else "<", Read(account.column, who), bound)
    with b.when(past):
        b.emit(Post(account.column, who, "set", bound, cause, ZERO))


def check_stats(lowering: Lowering) -> None:
    """Faults that numbers alone show: limits that cross, starts outside them, bands that overlap, circles."""
    owners: list[Member | None] = [None, *lowering.cast.members.values()]
    for member in owners:
        for name, stat in reading.stats_of(lowering, member).items():
            path = reading.stat_path(lowering, member, name)
            _check_numbers(lowering, path, stat)
            _check_bands(lowering, path, stat)


def starts_fit(game: GameFile, cast: Cast, moved: Iterable[Path]) -> bool:
    """Return whether the stats to which some dials belong still have limits and starts that go together."""
    for path in moved:
        if path[0] == "stats" and misfits(game.stats[str(path[1])]):
            return False
        if path[0] == "kinds" and path[2] == "stats" and misfits(cast.members[str(path[1])].kind.stats[str(path[3])]):
            return False
    return True


def _check_numbers(lowering: Lowering, path: Path, stat: Stat) -> None:
    for key, message in misfits(stat):
        lowering.fault((*path, key), message)


def misfits(stat: Stat) -> list[tuple[str, str]]:
    """Return what in the numbers of a stat does not go together, with the key that it stands under."""
    low = stat.min.number if stat.min else None
    high = stat.max.number if stat.max else None
    start = stat.start.number if stat.start else 0.0
    if low is not None and high is not None and low > high:
        return [("min", f"the limits cross: min {low:g} is above max {high:g}")]
    faults: list[tuple[str, str]] = []
    if start is not None and stat.is_account and stat.one_of is None:
        if high is not None and start > high:
            faults.append(("start", f"starts at {start:g}, above its max of {high:g}"))
        if low is not None and start < low:
            faults.append(("start", f"starts at {start:g}, below its min of {low:g}"))
        if stat.whole and start != int(start):
            faults.append(("start", f"starts at {start:g}, but the stat is whole"))
    return faults


def _check_bands(lowering: Lowering, path: tuple[str | int, ...], stat: Stat) -> None:
    ordered = sorted((stat.bands or {}).items(), key=lambda item: (item[1].low, item[1].high))
    for (name, span), (following, next_span) in itertools.pairwise(ordered):
        if span.high > next_span.low:
            lowering.fault(
                (*path, "bands", following),
                f"the bands overlap: {name} is {span} and {following} is {next_span}",
            )


def check_circles(lowering: Lowering) -> None:
    """Stats whose limits, starts or formulas read one another in a circle."""
    done: set[tuple[str, str]] = set()
    # What has been gone through: a formula that names another twice is not gone through twice for it.
    finished: set[tuple[str, str]] = set()

    def visit(node: tuple[str, str], trail: list[tuple[str, str]]) -> None:
        if node in trail:
            circle = [*trail[trail.index(node) :], node]
            if set(circle) & done:
                return
            done.update(circle)
            names = " reads ".join(".".join(part for part in item if part) for item in circle)
            lowering.fault(
                lowering.depends[circle[0]][circle[1]], f"formulas, limits and starts go round in a circle: {names}"
            )
            return
        if len(trail) > 200 or node in finished:
            return
        for following in lowering.depends.get(node, {}):
            visit(following, [*trail, node])
        finished.add(node)

    for node in list(lowering.depends):
        if node not in done:
            visit(node, [])
