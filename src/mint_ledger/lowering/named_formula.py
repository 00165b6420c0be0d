"""Lowers calls of the file's own formulas: what is handed over is worked out first, then the formula in its terms.

Such a formula sees the values handed to it and what the whole game shares; `self`, `other` and the stats of whoever
asks are not seen, so that it means the same wherever it is called.
"""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import replace

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import CALLS, CHANCE_CALLS, MEASURE_CALLS, shorten
from mint_ledger.formula.trade_words import call_hint
from mint_ledger.game.named_formula import NamedFormula
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import InFormula, Typed
from mint_ledger.lowering.sites import Seen
from mint_ledger.program.expressions import Expr

MOST_NESTED = 20
# How many calls one formula may come to, those within what it calls among them.
MOST_CALLS = 1_000
# What every formula of a file may say, whoever asks, in addition to the names of the file.
_SHARED = ("time", "level_time", "turn", "whose", "level", "visit", "true", "false")


class _Same:
    """An expression as the object that it is: to compare what two of them say takes long where they are large."""

    __slots__ = ("expr",)

    def __init__(self, expr: Expr) -> None:
        self.expr = expr

    def __hash__(self) -> int:
        return id(self.expr)

    def __eq__(self, other: object) -> bool:
        return isinstance(other, _Same) and other.expr is self.expr


def calls_in(tree: ast.AST) -> Iterator[tuple[str, ast.Call]]:
    """The calls that stand in a formula, with their names."""
    for node in ast.walk(tree):
        if isinstance(node, ast.Call) and isinstance(node.func, ast.Name):
            yield node.func.id, node


def parts_in(lowering: Lowering, tree: ast.AST) -> Iterator[ast.AST]:
    """All parts of a formula, those of the file's own formulas that it calls among them."""
    waiting, seen = [tree], set[str]()
    while waiting:
        part = waiting.pop()
        yield from ast.walk(part)
        called = {name for name, _ in calls_in(part)} & lowering.game.formulas.keys() - seen
        seen |= called
        waiting += [lowering.game.formulas[name].is_.tree for name in sorted(called)]


def draws(lowering: Lowering, tree: ast.AST) -> bool:
    """Return whether a formula, or a part of one, throws dice."""
    return any(name in CHANCE_CALLS or name in lowering.drawing_formulas for name, _ in calls_in(tree))


def check_named_formulas(lowering: Lowering) -> None:
    """Look at each of the file's own formulas where it stands: names, calls, circles."""
    formulas = lowering.game.formulas
    depths, circles = _depths(formulas)
    for name in depths:
        if draws(lowering, formulas[name].is_.tree):  # what it calls comes before it
            lowering.drawing_formulas.add(name)
    for name, named in formulas.items():
        lowering.sites.see(("formulas", name, "is"), Seen(lets=tuple(named.of)))
        faults = list(_faults(lowering, name, named))
        if name in circles:
            faults.append(f"'{name}' goes round in a circle: it calls itself, or something that calls it")
        elif depths.get(name, 0) > MOST_NESTED:
            faults.append(f"'{name}' calls others {depths[name]} deep, and {MOST_NESTED} deep is the most")
        for message in faults:
            lowering.fault(("formulas", name, "is"), message)
        if faults or name not in depths:
            lowering.broken_formulas.add(name)


def _depths(formulas: dict[str, NamedFormula]) -> tuple[dict[str, int], set[str]]:
    """How deep each formula calls others, except for those that never end; and which of these go round in a circle."""
    calls = {name: {to for to, _ in calls_in(named.is_.tree) if to in formulas} for name, named in formulas.items()}
    callers: dict[str, list[str]] = {name: [] for name in formulas}
    for name, called in calls.items():
        for to in called:
            callers[to].append(name)
    missing = {name: len(called) for name, called in calls.items()}
    depths: dict[str, int] = {}
    ready = [name for name, count in missing.items() if not count]
    while ready:
        name = ready.pop()
        depths[name] = 1 + max((depths[to] for to in calls[name]), default=0)
        for caller in callers[name]:
            missing[caller] -= 1
            if not missing[caller]:
                ready.append(caller)
    # Those that are left and that nothing left calls only lead into a circle.
    circles = set(formulas) - depths.keys()
    while leading := {name for name in circles if not circles.intersection(callers[name])}:
        circles -= leading
    return depths, circles


def _faults(lowering: Lowering, name: str, named: NamedFormula) -> Iterator[str]:
    """Return what is wrong with one of them where it stands, whoever calls it."""
    game = lowering.game
    if name in CALLS or name in MEASURE_CALLS:
        yield f"'{name}' is a call that formulas know without the file; choose another name"
    for to, node in calls_in(named.is_.tree):
        if to in game.formulas:
            yield from _wrong_number(to, game.formulas[to], len(node.args))
        elif to not in CALLS:
            yield f"unknown call '{shorten(to)}'{call_hint(to, (*CALLS, *game.formulas))}"
    called = {id(node.func) for _, node in calls_in(named.is_.tree)}
    names = [n.id for n in ast.walk(named.is_.tree) if isinstance(n, ast.Name) and id(n) not in called]
    known = {*named.of, *_SHARED, *lowering.words, *lowering.cast.members}
    for section in (game.numbers, game.tables, game.stats, game.attacks, game.actions, game.statuses, game.lots):
        known |= section.keys()
    for unknown in dict.fromkeys(n for n in names if n not in known):
        yield _unknown(lowering, named, unknown)


def _unknown(lowering: Lowering, named: NamedFormula, name: str) -> str:
    owners = [member.name for member in lowering.cast.with_stat(name)]
    if name in ("self", "other", "maker", "cue", "hit") or owners:
        whose = f"a stat of {owners[0]}" if owners else "known only where the formula is called"
        of = ", ".join([*named.of, name if owners else "value"])
        return f"'{name}' is {whose}; hand it over: 'of: [{of}]', and say it in the call"
    return f"unknown name '{shorten(name)}'{nearest(name, [*named.of, *lowering.game.numbers, *lowering.game.stats])}"


def _wrong_number(name: str, named: NamedFormula, given: int) -> Iterator[str]:
    if given != len(named.of):
        wanted = f"{len(named.of)} value{'s' if len(named.of) != 1 else ''}" if named.of else "no values"
        shown = f" ({', '.join(named.of)})" if named.of else ""
        yield f"{name}() wants {wanted}{shown}, not {given}"


def open_call(lowering: Lowering, formula: int, name: str, given: int) -> NamedFormula:
    """Note that a formula calls one of the file's own, and return that.

    Raises:
        Problem: it cannot be called so; without a message where it is told at the formula itself.
    """
    named = lowering.game.formulas[name]
    lowering.sites.calls[name] = None
    if name in lowering.broken_formulas:
        raise Problem("")
    for message in _wrong_number(name, named, given):
        raise Problem(message)
    lowering.named_calls[formula] += 1
    if lowering.named_calls[formula] > MOST_CALLS:
        raise Problem(
            f"in '{name}': formulas are called more than {MOST_CALLS:,} times where all that they call is written out; "
            "keep what is used several times in a stat"
        )
    return named


def lower_call(f: InFormula, name: str, arguments: list[ast.expr]) -> Typed:
    """Lower a call of one of the file's own formulas.

    Raises:
        Problem: it cannot be called so; without a message where it is told at the formula itself.
    """
    lowering = f.scope.lowering
    named = open_call(lowering, f.formula, name, len(arguments))
    values = [f.lower(argument) for argument in arguments]
    scope = replace(
        f.scope,
        self_=None,
        other=None,
        lets=dict(zip(named.of, values, strict=True)),
        cue=None,
        hit=None,
        bound={},
        outcome=False,
        drawer=f.scope.drawer or f.scope.self_,
        stands_at=("formulas", name, "is"),
    )
    try:
        if draws(lowering, named.is_.tree):
            return f.elsewhere(scope).lower(named.is_.tree)  # each call draws for itself
        return f.once((name, *(_Same(value.expr) for value in values)), scope, named.is_)
    except Problem as problem:
        told = not str(problem) or str(problem).startswith("in '")
        raise Problem(str(problem) if told else f"in '{name}': {problem}") from None
