"""Lowers the numbers of the file that are chances: `lands`, `dodge`, `chance`, `slips` lie between 0 and 1."""

from __future__ import annotations

from mint_ledger.formula import Formula
from mint_ledger.lowering.formulas import amount
from mint_ledger.lowering.scope import Scope
from mint_ledger.program.expressions import Expr


def chance_amount(scope: Scope, formula: Formula, key: str) -> Expr:
    """Lower a number of the file that is a chance; a number outside of 0 to 1 is a fault of the file."""
    inner = scope.at(key)
    index = scope.lowering.dial_index(inner.path)
    if index is not None:
        scope.lowering.chances.add(index)
    if formula.number is not None and not is_chance(formula.number):
        scope.lowering.fault(inner.path, not_a_chance(formula.number))
    else:
        scope.lowering.chance_places.setdefault(inner.path)
    return scope.builder.let(amount(scope, formula, key))


def is_chance(number: float) -> bool:
    """Return whether a number is a chance."""
    return 0.0 <= number <= 1.0


def not_a_chance(number: float) -> str:
    """Say what is wrong with a number that should be a chance, with what is probably meant."""
    hint = f"; {number / 100:g}?" if 1.0 < number <= 100.0 else ""
    return f"a chance lies between 0 (never) and 1 (always), not {number:g}{hint}"
