"""Lowers the reading of stats: their values, and `.max .min .start .band .share .untouched .base`."""

from __future__ import annotations

import ast
from collections.abc import Callable

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import COUNT_CALLS, shorten, written
from mint_ledger.game.cast import Member
from mint_ledger.game.dials import COORDINATES
from mint_ledger.game.parts import ACCOUNT_WORDS
from mint_ledger.game.stat import Stat
from mint_ledger.lowering import counts, entities, space, table
from mint_ledger.lowering.columns import account_column, ending_column, winner_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, InFormula, Scope, Typed
from mint_ledger.lowering.status_effect import altered, has_status
from mint_ledger.program.building import choose, compare, const, div, higher_of, lower_of, sub
from mint_ledger.program.expressions import (
    ZERO,
    And,
    At,
    Constant,
    Dial,
    DialOf,
    Expr,
    Only,
    Read,
    Seconds,
    Step,
    inside,
)
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.state import Column


def stats_of(lowering: Lowering, member: Member | None) -> dict[str, Stat]:
    """The stats of a kind, or of the whole game."""
    return lowering.game.stats if member is None else member.kind.stats


def has_stat(ref: EntityRef, name: str) -> bool:
    """Return whether every kind that the entity can be of has the stat."""
    return bool(ref.members) and all(name in member.kind.stats for member in ref.members)


def stat_value(f: InFormula, ref: EntityRef, name: str) -> Typed:
    """A stat of an entity as formulas read it.

    Raises:
        Problem: a kind that the entity can be of has no such stat.
    """
    return _by_kind(f, ref, name, lambda member, stat: _one_value(f, ref, name, member, stat))


def _one_value(f: InFormula, ref: EntityRef, name: str, member: Member | None, stat: Stat) -> Typed:
    lowering = f.scope.lowering
    _note_dependence(f.scope, member, name)
    if stat.formula is not None:
        return worked_out(f, ref, name, member, stat)
    value = altered(f, ref, member, name, Read(account_column(lowering, name), ref.entity))
    return Typed(value, stat.value_type, tuple(stat.one_of or ()))


def _note_dependence(scope: Scope, member: Member | None, stat: str) -> None:
    if scope.reads_for is None:
        return
    depends = scope.lowering.depends.setdefault(scope.reads_for, {})
    depends.setdefault((member.name if member else "", stat), scope.path)


def worked_out(f: InFormula, ref: EntityRef, name: str, member: Member | None, stat: Stat) -> Typed:
    """The value of a stat that has a formula, written out where it is read."""
    assert stat.formula is not None
    owner = member.name if member else ""
    mark = f"{owner}.{name}".lstrip(".")
    if mark in f.scope.within:
        raise Problem(f"the formula of '{mark}' goes round in a circle: {' → '.join((*f.scope.within, mark))}")
    inner_self = EntityRef(ref.entity, (member,)) if member else None
    scope = Scope(
        f.scope.lowering,
        f.scope.builder,
        stat_path(f.scope.lowering, member, name),
        self_=inner_self,
        within=(*f.scope.within, mark),
        no_chance="the formula of a stat",
        reads_for=f.scope.reads_for,
    )
    try:
        typed = f.once((mark, ref.entity, f.scope.reads_for), scope, stat.formula)
    except Problem as problem:
        if f.scope.within or f.scope.path[: len(scope.path)] != scope.path:
            # It is told where the formula stands, and not again wherever that is read.
            f.scope.lowering.fault((*scope.path, "formula"), str(problem))
            raise Problem("") from None
        raise
    if stat.one_of is None:
        return typed
    if typed.type != "word":
        raise Problem(f"'{mark}' is one of {', '.join(stat.one_of)}, and its formula gives no word")
    strange = [word for word in typed.words if word not in stat.one_of]
    if strange:
        raise Problem(f"'{strange[0]}' is not one of {', '.join(stat.one_of)}{nearest(strange[0], stat.one_of)}")
    return Typed(typed.expr, "word", tuple(stat.one_of))


def stat_path(lowering: Lowering, member: Member | None, stat: str) -> tuple[str | int, ...]:
    """Return where a stat stands in the file: with the kind, or with the nearest one that it is like."""
    if member is None:
        return ("stats", stat)
    for ancestor in member.family:
        if stat in lowering.game.kinds[ancestor].stats:
            return ("kinds", ancestor, "stats", stat)
    return ("kinds", member.name, "stats", stat)


def _by_kind(f: InFormula, ref: EntityRef, name: str, one: Callable[[Member | None, Stat], Typed]) -> Typed:
    """Return what `one` makes of a stat for each kind that the entity can be of, chosen by the entity at run time."""
    lowering = f.scope.lowering
    owners: list[Member | None] = list(ref.members) or [None]
    missing = [m for m in owners if name not in stats_of(lowering, m)]
    if missing:
        raise Problem(_no_such_stat(f.scope, missing[0], name))
    ways: list[tuple[Typed, list[Member]]] = []
    for owner in owners:
        f.note_account(owner.name if owner else "", name)
        value = one(owner, stats_of(lowering, owner)[name])
        same = next((group for found, group in ways if found == value), None)
        if same is not None and owner is not None:
            same.append(owner)
        else:
            ways.append((value, [owner] if owner else []))
    types = {value.type for value, _ in ways}
    if len(types) > 1:
        raise Problem(f"'{name}' is not the same sort of value for {entities.members_text(ref.members)}")
    words = tuple(dict.fromkeys(word for value, _ in ways for word in value.words))
    joined = _join_dials(lowering, ways, ref)
    if joined is None:
        joined = ways[-1][0].expr
        for value, group in reversed(ways[:-1]):
            joined = choose(inside(ref.entity, ranges_of(group)), value.expr, joined)
    return Typed(joined, ways[0][0].type, words)


def _join_dials(lowering: Lowering, ways: list[tuple[Typed, list[Member]]], ref: EntityRef) -> Expr | None:
    """Dials of several kinds as one table, which is quicker than asking for the kind one by one."""
    if len(ways) < 2 or not all(isinstance(value.expr, Dial) for value, _ in ways):
        return None
    first = min(member.first for member in ref.members)
    last = max(member.first + member.room for member in ref.members)
    table = [-1] * (last - first)
    for value, group in ways:
        for member in group:
            for entity in member.entities:
                assert isinstance(value.expr, Dial)
                table[entity - first] = value.expr.index
    return DialOf(tuple(table), first, ref.entity)


def who_has(scope: Scope, name: str) -> str:
    """Which of those that are seen here has a stat that another was asked for: it was likely meant."""
    seen: dict[str, tuple[Member, ...]] = {}
    for word, ref in {"self": scope.self_, "other": scope.other, **scope.bound}.items():
        seen[word] = ref.members if ref is not None else ()
    seen |= {word: value.members for word, value in scope.lets.items() if value.type == "entity"}
    for word, members in seen.items():
        if members and all(name in member.kind.stats for member in members):
            return f"; '{word}' has one here: '{word}.{name}'"
    return ""


def _no_such_stat(scope: Scope, member: Member | None, name: str) -> str:
    lowering = scope.lowering
    stats = stats_of(lowering, member)
    owner = member.name if member else "the game"
    if name in COORDINATES and member is not None:
        return f"{owner} is nowhere, so it has no '{name}'; give it a 'where: [x, y]'{no_space(lowering)}"
    return f"{owner} has no stat '{shorten(name)}'{nearest(name, stats) or who_has(scope, name)}"


def no_space(lowering: Lowering) -> str:
    """Return what else is missing for a place, where the game has none."""
    return "" if lowering.game.space is not None else ", and the game 'space: {}' at its top"


def attribute(f: InFormula, node: ast.Attribute) -> Typed:
    """Lower `keeper.health`, `health.max`, `crab[2].health.share`, `other.maker`."""
    if node.attr == "maker":
        ref = entities.entity(f, node)
        return Typed(ref.entity, "entity", members=ref.members)
    owner = _account_of(f, node.value) if node.attr in ACCOUNT_WORDS else None
    if owner is not None:
        ref, stat = owner
        return _by_kind(f, ref, stat, lambda member, spec: _account_word(f, ref, stat, member, spec, node.attr))
    if table.is_table(f, node):
        raise Problem(table.not_alone(f, node))
    ref = entities.entity(f, node.value)
    if node.attr == "along" and not has_stat(ref, "along"):
        return along(f, ref)
    return stat_value(f, ref, node.attr)


def along(f: InFormula, ref: EntityRef) -> Typed:
    """Lower `cart.along`: how far an entity is along its path.

    Raises:
        Problem: it goes along none.
    """
    for member in ref.members:
        for axis in space.AXES:
            f.note_account(member.name, axis)
    return Typed(space.way_along(f.scope.lowering, f.scope.builder, ref), "number")


def _account_of(f: InFormula, node: ast.expr) -> tuple[EntityRef, str] | None:
    """The account that a node names (`health`, `keeper.health`), if it names one."""
    if isinstance(node, ast.Name):
        scope = f.scope
        if scope.self_ is not None and has_stat(scope.self_, node.id):
            return scope.self_, node.id
        if node.id in scope.lowering.game.stats:
            return entities.world(), node.id
        return None
    if isinstance(node, ast.Attribute):
        return entities.entity(f, node.value), node.attr
    return None


def _account_word(f: InFormula, ref: EntityRef, name: str, member: Member | None, stat: Stat, word: str) -> Typed:
    if word == "band":
        return band(f, ref, name, member, stat)
    if not stat.is_account:
        raise Problem(f"'{name}' is worked out, so it has no .{word}")
    if stat.value_type == "word" and word not in ("start", "untouched", "base"):
        raise Problem(f"'{name}' is a word, so it has no .{word}")
    lowering = f.scope.lowering
    if (word == "start" and stat.starts_by_formula) or f.scope.path[-1:] == ("start",):
        _note_dependence(f.scope, member, name)
    if word == "untouched":
        column = touched_column(lowering, name)
        return Typed(Seconds(sub(Step(), At(column, ref.entity))), "number")
    if word == "base":
        return Typed(Read(account_column(lowering, name), ref.entity), stat.value_type, tuple(stat.one_of or ()))
    if word == "start":
        return Typed(start_value(f.scope, ref, name, member, stat), stat.value_type, tuple(stat.one_of or ()))
    if word == "share":
        return Typed(_share(f, ref, name, member, stat), "number")
    value = limit(f, ref, name, member, stat, word)
    if value is None:
        raise Problem(f"'{name}' has no {word}")
    return Typed(value, "number")


def touched_column(lowering: Lowering, stat: str, *, memo: bool = False) -> Column:
    """The steps in which a stat's accounts were last moved; kept only for stats of which it is asked."""
    lowering.touched_stats.add(stat)
    values = account_column(lowering, stat)
    return lowering.layout.column(Handle("touched", (stat,)), "step", values.first, values.count, memo=memo)


def limit(f: InFormula, ref: EntityRef, name: str, member: Member | None, stat: Stat, side: str) -> Expr | None:
    """The min or max of an account at this moment; none where it has none."""
    formula = stat.max if side == "max" else stat.min
    if formula is None:
        return None
    lowering = f.scope.lowering
    path = (*member_stat_path(member, name), side)
    if formula.number is not None:
        dial = lowering.dial_index(path)
        return Dial(dial) if dial is not None else Constant(formula.number)
    mark = f"{member.name if member else ''}.{name}.{side}".lstrip(".")
    if mark in f.scope.within:
        raise Problem(f"the {side} of '{name}' goes round in a circle: {' → '.join((*f.scope.within, mark))}")
    scope = Scope(
        lowering,
        f.scope.builder,
        (*stat_path(lowering, member, name), side),
        self_=EntityRef(ref.entity, (member,)) if member else None,
        within=(*f.scope.within, mark),
        no_chance="a limit",
        reads_for=f.scope.reads_for,
    )
    typed = f.once((mark, ref.entity, f.scope.reads_for), scope, formula)
    if typed.type not in ("number", "flag"):
        raise Problem(f"the {side} of '{name}' is not a number")
    return typed.expr


def member_stat_path(member: Member | None, stat: str) -> tuple[str | int, ...]:
    """The path of a stat's own dials."""
    return ("kinds", member.name, "stats", stat) if member else ("stats", stat)


def opened_column(lowering: Lowering, stat: str) -> Column:
    """Return what the accounts of a stat were opened with; kept where that is worked out."""
    values = account_column(lowering, stat)
    return lowering.layout.column(Handle("opened", (stat,)), "value", values.first, values.count)


def start_path(lowering: Lowering, member: Member | None, stat: str) -> Path:
    """Return where the start of a stat stands in the file: a coordinate in `where`, or `faces`."""
    if (
        member is not None
        and stat in COORDINATES
        and not any(stat in lowering.game.kinds[ancestor].stats for ancestor in member.family)
    ):
        owner = next(a for a in member.family if lowering.game.kinds[a].where is not None)
        return ("kinds", owner, *COORDINATES[stat])
    return (*stat_path(lowering, member, stat), "start")


def start_value(scope: Scope, ref: EntityRef, name: str, member: Member | None, stat: Stat) -> Expr:
    """Return what a stat starts with: the kind's number, a copy's own, or what its formula came to as it opened."""
    lowering = scope.lowering
    if stat.starts_by_formula:
        return At(opened_column(lowering, name), ref.entity)
    plain = _plain_start(lowering, name, member, stat)
    own = own_starts(lowering, name, member, stat) if isinstance(plain, Dial) else {}
    if member is not None and own:
        assert isinstance(plain, Dial)
        table = [own.get(entity, plain).index for entity in member.entities]
        one = len(set(table)) == 1
        plain = Dial(table[0]) if one else DialOf(tuple(table), member.first, ref.entity)
    return word_at(lowering, stat.one_of, plain) if stat.one_of is not None else plain


def word_at(lowering: Lowering, words: list[str], place: Expr) -> Expr:
    """The word at a place among those that a stat may be, as a value of its accounts."""
    if isinstance(place, Constant):
        return const(lowering.word(words[int(place.value)]))
    value: Expr = const(lowering.word(words[0]))
    for index, word in enumerate(words[1:], start=1):
        value = choose(compare("==", place, const(index)), const(lowering.word(word)), value)
    return value


def own_starts(lowering: Lowering, name: str, member: Member | None, stat: Stat) -> dict[int, Dial]:
    """The numbers with which copies start that have one of their own."""
    if member is None or not isinstance(member.kind.copies, list):
        return {}
    own: dict[int, Dial] = {}
    for index, overrides in enumerate(member.kind.copies):
        dial = lowering.dial_index(("kinds", member.name, "copies", index, name)) if name in overrides else None
        if dial is not None:
            own[member.first + index] = Dial(dial)
    return own


def _plain_start(lowering: Lowering, name: str, member: Member | None, stat: Stat) -> Expr:
    dial = lowering.dial_index((*member_stat_path(member, name), "start"))
    if stat.one_of is not None:
        return Dial(dial) if dial is not None else ZERO
    if stat.start is None:
        return ZERO
    if stat.start.number is None:
        return ZERO
    return Dial(dial) if dial is not None else Constant(stat.start.number)


def _share(f: InFormula, ref: EntityRef, name: str, member: Member | None, stat: Stat) -> Expr:
    """Return how far an account is from its min (or 0) to its max (or start)."""
    low = limit(f, ref, name, member, stat, "min") or ZERO
    high = limit(f, ref, name, member, stat, "max") or start_value(f.scope, ref, name, member, stat)
    value = Read(account_column(f.scope.lowering, name), ref.entity)
    length = sub(high, low)
    share = div(sub(value, low), length)
    return Only(lower_of(higher_of(share, ZERO), const(1.0)), compare(">", length, ZERO), f"{name} has no length")


def band(f: InFormula, ref: EntityRef, name: str, member: Member | None, stat: Stat) -> Typed:
    """The word of the band that a stat is in; an empty word between bands. Where two touch, the upper holds."""
    lowering = f.scope.lowering
    if not stat.bands:
        raise Problem(f"'{name}' has no bands")
    value = _one_value(f, ref, name, member, stat).expr
    result: Expr = Constant(float(lowering.word("")))
    for word, span in sorted(stat.bands.items(), key=lambda item: item[1].low):
        tests: list[Expr] = []
        if span.low != float("-inf"):
            tests.append(compare(">=", value, const(span.low)))
        if span.high != float("inf"):
            tests.append(compare("<=", value, const(span.high)))
        test = And(tuple(tests)) if len(tests) != 1 else tests[0]
        result = choose(test, Constant(float(lowering.word(word))), result)
    return Typed(result, "word", tuple(stat.bands))


def outcome(f: InFormula, name: str) -> Typed:
    """`result`, `ending` and `winner` in an expectation."""
    lowering = f.scope.lowering
    ending = At(ending_column(lowering), ZERO)
    if name == "winner":
        winner = At(winner_column(lowering), ZERO)
        return Typed(winner, "entity", members=tuple(lowering.cast.members.values()))
    names = ending_words(lowering, name)
    value: Expr = Constant(float(lowering.word("unfinished" if name == "result" else "")))
    for index, word in enumerate(names):
        value = choose(compare("==", ending, const(index)), Constant(float(lowering.word(word))), value)
    return Typed(value, "word", (*dict.fromkeys(names), ""))


def ending_words(lowering: Lowering, name: str) -> list[str]:
    """The result or name of each ending, by its number; the last is the clock's limit."""
    words = [ending.result if name == "result" else title for title, ending, _, _ in lowering.list_endings()]
    return [*words, "unfinished" if name == "result" else ""]


def question(f: InFormula, name: str, arguments: list[ast.expr]) -> Typed:
    """`hits(attack)` and the other counts; what needs statuses, actions or space says that the game has none."""
    if name == "has":
        return _has(f, arguments)
    if name == "ready":
        return _ready(f, arguments[0])
    if name in COUNT_CALLS:
        return _count(f, name, arguments[0])
    one, other = (entities.entity(f, argument) for argument in arguments)
    lowering = f.scope.lowering
    for ref in (one, other):
        for member in ref.members:
            for coordinate in COORDINATES if name != "distance" else ("x", "y"):
                f.note_account(member.name, coordinate)
    if name == "behind":
        return Typed(space.behind(lowering, one, other), "flag")
    return Typed((space.distance if name == "distance" else space.facing)(lowering, one, other), "number")


def _word_of(node: ast.expr) -> str:
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    return node.id if isinstance(node, ast.Name) else written(node)


def _has(f: InFormula, arguments: list[ast.expr]) -> Typed:
    """`has(entity, status)`."""
    statuses = f.scope.lowering.game.statuses
    if not statuses:
        raise Problem("the game has no statuses, so has() has no meaning here")
    status = _word_of(arguments[1])
    if status not in statuses:
        raise Problem(f"unknown status '{shorten(status)}'{nearest(status, statuses)}")
    ref = entities.entity(f, arguments[0])
    return Typed(has_status(f.scope.lowering, status, ref.entity), "flag")


def _ready(f: InFormula, node: ast.expr) -> Typed:
    """`ready(action)`: whether self could begin it now."""
    actions = f.scope.lowering.game.actions
    if not actions:
        raise Problem("the game has no actions, so ready() has no meaning here")
    name = _word_of(node)
    if name not in actions:
        raise Problem(f"unknown action '{shorten(name)}'{nearest(name, actions)}")
    if f.scope.self_ is None:
        raise Problem("there is no 'self' here, and ready() asks whether self could begin an action")
    lowering = f.scope.lowering
    return Typed(lowering.ready(lowering, f.scope.builder, name, f.scope.self_.entity), "flag")


def _count(f: InFormula, name: str, node: ast.expr) -> Typed:
    """`hits(attack)` and the like, so far in the run."""
    lowering, attack = f.scope.lowering, _word_of(node)
    if name == "hits" and f.scope.outcome and attack in lowering.game.attacks:
        # What an expectation reads is no part of the game.
        return Typed(At(hits_column(lowering, attack), ZERO), "number")
    return Typed(counts.counted(lowering, name, attack), "number")


def hits_column(lowering: Lowering, attack: str) -> Column:
    """Return how often an attack has landed in the run."""
    return lowering.layout.column(Handle("hits", ("attacks", attack)), "measure")
