"""Lowers chance: each call draws at a place of its own, so no other place's luck depends on it."""

from __future__ import annotations

import ast
from collections.abc import Sequence

from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, InFormula, Scope, Typed
from mint_ledger.program.building import BlockBuilder, add, choose, compare, const, div, mul, sub
from mint_ledger.program.expressions import ONE, ZERO, And, Apply, Expr, Local, Unary
from mint_ledger.program.statements import Draw, Guard, Let

MAX_DICE = 1_000
TWO_TO_52 = 4503599627370496.0


def draw(scope: Scope, part: Expr = ZERO, call: int | None = None) -> Local:
    """Emit one draw at this place and return the uniform number; `call` tells which chance call it is."""
    lowering, b, luck = scope.lowering, scope.builder, scope.luck
    assert luck is not None, "chance stands where nobody's luck is known"
    if call is None:
        call = luck.next_call()
    if luck.has_no_name:
        lowering.unnamed_luck[luck.owner] = None
    spans = _spans(scope)
    places = draw_places(scope, call)
    drawer = _drawer(scope)
    entity = drawer.entity if drawer is not None and spans[0][0] else ZERO
    first = min(first for _, first, _ in spans)
    last = max(first + count for _, first, count in spans)
    handle = luck.handle(tuple(name for name, _, _ in spans), call)
    counts = lowering.layout.column(handle, "draws", first, last - first)
    local = b.new_local()
    b.emit(Draw(local, places, entity, counts, part))
    return Local(local)


def _drawer(scope: Scope) -> EntityRef | None:
    return scope.self_ or scope.drawer


def _spans(scope: Scope) -> list[tuple[str, int, int]]:
    """Whose draws they are: each kind with its first entity and how many there are; one of no name for the game."""
    drawer = _drawer(scope)
    members = drawer.members if drawer is not None else ()
    return [(m.name, m.first, m.room) for m in members if m.room] or [("", 0, 1)]


def draw_places(scope: Scope, call: int) -> tuple[tuple[int, int, int], ...]:
    """Draw where a chance call draws from: for each run of entities (first, how many, hash of the place)."""
    assert scope.luck is not None, "chance stands where nobody's luck is known"
    return tuple((first, count, scope.luck.place(name, call)) for name, first, count in _spans(scope))


def happens(scope: Scope, probability: Expr) -> Expr:
    """1 with this probability; it always draws, even at 0 and 1."""
    return compare("<", draw(scope), probability)


def call(f: InFormula, name: str, arguments: list[ast.expr]) -> Typed:
    """Lower a chance call of a formula."""
    if f.scope.no_chance:
        raise Problem(f"chance ({name}) may not stand in {f.scope.no_chance}")
    if name == "pick":
        return _pick(f, arguments)
    _check_numbers(name, arguments)
    b = f.scope.builder
    values = [b.let(f.checked(f.number(argument))) for argument in arguments]
    if name == "chance":
        return Typed(happens(f.scope, values[0]), "flag")
    if name == "dice":
        return Typed(_dice(f, *values), "number")
    u = draw(f.scope)
    if name == "between":
        return Typed(add(values[0], mul(sub(values[1], values[0]), u)), "number")
    if name == "whole":
        return Typed(_whole(f, b, u, *values), "number")
    # The middle of one of 2⁵² equal cells, so that neither 0 nor 1 can come up.
    cell = div(add(Unary("floor", mul(u, const(TWO_TO_52))), const(0.5)), const(TWO_TO_52))
    return Typed(add(values[0], mul(values[1], Apply("normal", (cell,)))), "number")


def _check_numbers(name: str, arguments: list[ast.expr]) -> None:
    """Refuse numbers that stand in the formula and make no sense; what is worked out may be anything.

    Raises:
        Problem: one does not.
    """
    values = [plain_number(argument) for argument in arguments]
    if name == "chance" and values[0] is not None and not 0.0 <= values[0] <= 1.0:
        hint = f"; write chance({values[0] / 100:g}) for {values[0]:g} of a hundred" if 1.0 < values[0] <= 100.0 else ""
        raise Problem(f"chance({values[0]:g}): a chance lies between 0 (never) and 1 (always){hint}")
    if name == "normal" and values[1] is not None and values[1] < 0.0:
        raise Problem(f"normal(…, {values[1]:g}): the second number says how far values spread, 0 or more")
    if name == "between" and values[0] is not None and values[1] is not None and values[0] > values[1]:
        raise Problem(f"between({values[0]:g}, {values[1]:g}) is the wrong way round; the lower comes first")


def plain_number(node: ast.expr) -> float | None:
    """The number that stands in a formula; none of anything that has to be worked out."""
    match node:
        case ast.Constant(value=float() as number):
            return number
        case ast.UnaryOp(op=ast.USub(), operand=ast.Constant(value=float() as number)):
            return -number
    return None


def _whole(f: InFormula, b: BlockBuilder, u: Expr, low: Expr, high: Expr) -> Expr:
    fine = And((_is_whole(low), _is_whole(high), compare("<=", low, high)))
    b.emit(Guard(fine, "whole(a, b) wants whole numbers with a not above b", f.formula, low))
    return add(low, Unary("floor", mul(u, add(sub(high, low), ONE))))


def _is_whole(value: Expr) -> Expr:
    return compare("==", Unary("floor", value), value)


def _dice(f: InFormula, count: Expr, sides: Expr) -> Expr:
    b = f.scope.builder
    fine = And(
        (
            _is_whole(count),
            _is_whole(sides),
            compare(">=", count, ZERO),
            compare("<=", count, const(MAX_DICE)),
            compare(">=", sides, ONE),
        )
    )
    b.emit(Guard(fine, f"dice(n, sides) wants 0 to {MAX_DICE} dice with 1 side at least", f.formula, count))
    total = b.new_local()
    b.emit(Let(total, ZERO))
    assert f.scope.luck is not None
    number = f.scope.luck.next_call()
    with b.repeat(count) as part:
        u = draw(f.scope, part, number)
        b.emit(Let(total, add(Local(total), add(ONE, Unary("floor", mul(u, sides))))))
    return Local(total)


def emit_by_weight(b: BlockBuilder, u: Expr, weights: Sequence[Expr]) -> Expr:
    """The number of the option that a uniform number chooses by weights, of which one is above 0."""
    sums: list[Expr] = [weights[0]]
    for weight in weights[1:]:
        sums.append(b.let(add(sums[-1], weight)))
    at = b.let(mul(u, sums[-1]))
    # The last that has a weight; the product may round up to the sum of all.
    value: Expr = ZERO
    for index, weight in enumerate(weights):
        value = choose(compare(">", weight, ZERO), const(index), value)
    for index in range(len(weights) - 1, -1, -1):
        here = And((compare(">", weights[index], ZERO), compare("<", at, sums[index])))
        value = choose(here, const(index), value)
    return value


def _by_weights(f: InFormula, weights: list[ast.expr]) -> Expr:
    b = f.scope.builder
    values = [b.let(f.checked(f.number(weight))) for weight in weights]
    total: Expr = ZERO
    for each in values:
        total = add(total, each)
    for weight in values:
        b.emit(Guard(compare(">=", weight, ZERO), "a weight of pick() is below 0", f.formula, weight))
    b.emit(Guard(compare(">", total, ZERO), "all weights of pick() are 0", f.formula, total))
    return emit_by_weight(b, draw(f.scope), values)


def _pick(f: InFormula, arguments: list[ast.expr]) -> Typed:
    b = f.scope.builder
    weighted = arguments[-1]
    weights: list[ast.expr] = []
    if isinstance(weighted, ast.Call) and isinstance(weighted.func, ast.Name) and weighted.func.id == "weights":
        arguments, weights = arguments[:-1], weighted.args
        if len(arguments) != len(weights):
            raise Problem(f"pick() has {len(arguments)} values and {len(weights)} weights")
    options = [f.lower(argument) for argument in arguments]
    if len({option.type for option in options}) > 1:
        raise Problem("pick() wants values of one sort")
    evenly: Expr = Unary("floor", mul(draw(f.scope), const(len(options)))) if not weights else ZERO
    chosen = b.let(_by_weights(f, weights) if weights else evenly)
    value = options[-1].expr
    for index in range(len(options) - 2, -1, -1):
        value = choose(compare("==", chosen, const(index)), options[index].expr, value)
    words = tuple(word for option in options for word in option.words)
    members = tuple(dict.fromkeys(member for option in options for member in option.members))
    return Typed(value, options[0].type, words, members)
