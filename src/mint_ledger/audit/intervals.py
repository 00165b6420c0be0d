"""Interval arithmetic: between which values a formula must lie, from the limits that a file declares.

What is not known lies between −∞ and ∞, so a bound that is given is always right.
"""

from __future__ import annotations

import ast
import math
from collections.abc import Sequence

from mint_ledger.audit.facts import WORLD, Facts
from mint_ledger.formula import Formula
from mint_ledger.game.stat import Stat
from mint_ledger.program.handle import Path

Interval = tuple[float, float]
ANY: Interval = (-math.inf, math.inf)
TRUTH: Interval = (0.0, 1.0)
_FLAG_CALLS = ("has", "ready", "chance", "any", "all", "behind")


def bounds(facts: Facts, path: Path, formula: Formula) -> Interval:
    """Between which values a formula at a place of the file lies; conditions lie between 0 and 1."""
    return _Bounds(facts, path).of(formula.tree)


def account_bounds(facts: Facts, owner: str, stat: str) -> Interval:
    """Between which values a stat lies: its limits where they are numbers, its start where nothing changes it."""
    _, model = facts.stats[owner, stat]
    if model.value_type == "flag":
        return TRUTH
    if model.value_type == "word" or model.formula is not None:
        return ANY
    if any(stat in status.changes for status in facts.game.statuses.values()):
        return ANY
    starts = _starts(facts, owner, stat, model)
    if not facts.is_changed(owner, stat):
        return (min(starts), max(starts)) if starts else ANY
    low = model.min.number if model.min is not None else None
    high = model.max.number if model.max is not None else None
    return (-math.inf if low is None else low, math.inf if high is None else high)


def _starts(facts: Facts, owner: str, stat: str, model: Stat) -> list[float]:
    """The numbers with which the copies open; none where one is worked out, or a playtest sets it."""
    start = model.start.number if model.start is not None else 0.0
    values: list[float | None] = [start]
    kind = facts.game.kinds.get(owner)
    if kind is not None and isinstance(kind.copies, list):
        values += [copy[stat].number for copy in kind.copies if stat in copy]
    return [] if any(value is None for value in values) else [value for value in values if value is not None]


class _Bounds:
    def __init__(self, facts: Facts, path: Path) -> None:
        self.facts = facts
        self.path = path
        rule = facts.rule_at(path)
        self.lets = set(rule.let or {}) if rule is not None else set()

    def of(self, node: ast.expr) -> Interval:
        """The interval of one expression."""
        match node:
            case ast.Constant(value=bool() | int() | float() as value):
                return (float(value), float(value))
            case ast.Name(id=name):
                return self._name(name)
            case ast.Attribute():
                return self._attribute(node)
            case ast.UnaryOp(op=ast.USub(), operand=operand):
                low, high = self.of(operand)
                return (-high, -low)
            case ast.UnaryOp(op=ast.Not(), operand=operand):
                low, high = self._truth(operand)
                return (1.0 - high, 1.0 - low)
            case ast.BoolOp(op=operator, values=values):
                truths = [self._truth(value) for value in values]
                choose = min if isinstance(operator, ast.And) else max
                return (choose(t[0] for t in truths), choose(t[1] for t in truths))
            case ast.BinOp():
                return self._binary(node)
            case ast.Compare(left=left, ops=operators, comparators=rights):
                return self._compare(left, operators, rights)
            case ast.IfExp(body=body, orelse=other):
                one, two = self.of(body), self.of(other)
                return (min(one[0], two[0]), max(one[1], two[1]))
            case ast.Call(func=ast.Name(id=name), args=arguments):
                return self._call(name, arguments)
        return ANY

    def _truth(self, node: ast.expr) -> Interval:
        low, high = self.of(node)
        if (low, high) == (0.0, 0.0):
            return (0.0, 0.0)
        return (1.0, 1.0) if low > 0.0 or high < 0.0 else TRUTH

    def _name(self, name: str) -> Interval:
        game = self.facts.game
        if name in self.lets:
            return ANY
        if name in ("true", "false"):
            return (float(name == "true"),) * 2
        if name in ("time", "level_time"):
            return (0.0, game.clock.limit)
        owners = [owner for owner in self.facts.owners_at(self.path) if (owner, name) in self.facts.stats]
        if owners:
            return self._over(owners, name)
        if name in game.numbers:
            return (game.numbers[name],) * 2
        return account_bounds(self.facts, WORLD, name) if (WORLD, name) in self.facts.stats else ANY

    def _attribute(self, node: ast.Attribute) -> Interval:
        owners, stat = self.facts.target(self.path, node)
        owners = tuple(owner for owner in owners if (owner, stat) in self.facts.stats)
        if owners:
            return self._over(owners, stat)
        if node.attr == "share":
            return ANY
        if node.attr in ("min", "max", "start"):
            holders, stat = self.facts.target(self.path, node.value)
            numbers = [self._limit(owner, stat, node.attr) for owner in holders if (owner, stat) in self.facts.stats]
            if numbers and None not in numbers:
                known = [number for number in numbers if number is not None]
                return (min(known), max(known))
        return ANY

    def _limit(self, owner: str, stat: str, which: str) -> float | None:
        if any(stat in status.changes for status in self.facts.game.statuses.values()):
            return None
        formula = getattr(self.facts.stats[owner, stat][1], which)
        return formula.number if formula is not None else None

    def _over(self, owners: Sequence[str], stat: str) -> Interval:
        found = [account_bounds(self.facts, owner, stat) for owner in owners]
        return (min(f[0] for f in found), max(f[1] for f in found))

    def _binary(self, node: ast.BinOp) -> Interval:
        (a, b), (c, d) = self.of(node.left), self.of(node.right)
        match node.op:
            case ast.Add():
                return (a + c, b + d) if not _mixed(a, c) and not _mixed(b, d) else ANY
            case ast.Sub():
                return (a - d, b - c) if not _mixed(a, -d) and not _mixed(b, -c) else ANY
            case ast.Mult():
                return _hull(_times(x, y) for x in (a, b) for y in (c, d))
            case ast.Div() if c > 0.0 or d < 0.0:
                return _hull(_over_by(x, y) for x in (a, b) for y in (c, d))
        return ANY

    def _compare(self, left: ast.expr, operators: Sequence[ast.cmpop], rights: Sequence[ast.expr]) -> Interval:
        low = high = 1.0
        one = self.of(left)
        for operator, node in zip(operators, rights, strict=True):
            other = self.of(node)
            truth = _compared(operator, one, other)
            low, high = min(low, truth[0]), min(high, truth[1])
            one = other
        return (low, high)

    def _call(self, name: str, arguments: Sequence[ast.expr]) -> Interval:
        if name in _FLAG_CALLS:
            return TRUTH
        if name == "count":
            kind = arguments[0].id if arguments and isinstance(arguments[0], ast.Name) else ""
            members = self.facts.cast.family(kind) if kind in self.facts.cast.members else []
            return (0.0, float(sum(member.room for member in members))) if members else (0.0, math.inf)
        found = [self.of(argument) for argument in arguments]
        lows, highs = [f[0] for f in found], [f[1] for f in found]
        match name:
            case "min":
                return (min(lows), min(highs))
            case "max":
                return (max(lows), max(highs))
            case "between" | "whole" if len(found) == 2:
                return (lows[0], highs[1])
            case "pick":
                return (min(lows), max(highs))
            case "clamp" if len(found) == 3:
                return (min(max(lows[0], lows[1]), lows[2]), min(max(highs[0], highs[1]), highs[2]))
            case "abs":
                inside = found[0][0] <= 0.0 <= found[0][1]
                return (0.0 if inside else min(map(abs, found[0])), max(map(abs, found[0])))
            case "floor" | "ceil" | "round" if all(map(math.isfinite, found[0])):
                return (math.floor(found[0][0]), math.ceil(found[0][1]))
            case "distance" | "sqrt" | "exp":
                return (0.0, math.inf)
        return ANY


def _compared(operator: ast.cmpop, one: Interval, other: Interval) -> Interval:
    (a, b), (c, d) = one, other
    match operator:
        case ast.Lt():
            always, never = b < c, a >= d
        case ast.LtE():
            always, never = b <= c, a > d
        case ast.Gt():
            always, never = a > d, b <= c
        case ast.GtE():
            always, never = a >= d, b < c
        case ast.Eq():
            always, never = a == b == c == d and math.isfinite(a), b < c or a > d
        case ast.NotEq():
            never, always = a == b == c == d and math.isfinite(a), b < c or a > d
        case _:
            return TRUTH
    return (float(always), float(not never))


def _mixed(one: float, other: float) -> bool:
    return math.isinf(one) and math.isinf(other) and one != other


def _times(one: float, other: float) -> float:
    return 0.0 if 0.0 in (one, other) else one * other


def _over_by(one: float, other: float) -> float:
    return math.copysign(0.0, one) if math.isinf(other) else one / other


def _hull(values: object) -> Interval:
    found = list(values)  # type: ignore[call-overload]
    return (min(found), max(found))
