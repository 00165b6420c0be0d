"""Lowers what formulas ask of that has to be counted all along: how often attacks land and miss, visits of levels.

Nothing is counted that nobody asks about. What is asked is known once all formulas have been looked at, so a game in
which something is asked is lowered twice (`lower.open_lowering`).
"""

from __future__ import annotations

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import COUNT_CALLS, shorten
from mint_ledger.lowering.columns import level_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.problem import Problem
from mint_ledger.program.building import BlockBuilder, add, choose, compare, const
from mint_ledger.program.expressions import ONE, ZERO, At, Expr
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Set

OF_ROW = {"hit": "hits", "miss": "misses", "dodge": "dodges", "blocked": "blocks"}
VISITS = ("visit", "")


def _column(lowering: Lowering, what: str, attack: str) -> Column:
    return lowering.layout.column(Handle(f"counted {what}", ("attacks", attack)), "flag")


def visits_column(lowering: Lowering) -> Column:
    """Return how often each level has begun, by its number."""
    return lowering.layout.column(Handle("visits"), "flag", 0, len(lowering.game.levels))


def count_row(lowering: Lowering, b: BlockBuilder, what: str, attack: str) -> None:
    """Emit the count of a row of an attack (a hit, a miss …), where a formula asks about it."""
    if (OF_ROW[what], attack) in lowering.counted:
        column = _column(lowering, OF_ROW[what], attack)
        b.emit(Set(column, ZERO, add(At(column, ZERO), ONE)))


def counted(lowering: Lowering, what: str, attack: str) -> Expr:
    """Return how often an attack has landed (missed …) so far in the run.

    Raises:
        Problem: there is no such attack.
    """
    assert what in COUNT_CALLS
    attacks = lowering.game.attacks
    if attack not in attacks:
        raise Problem(f"unknown attack '{shorten(attack)}'{nearest(attack, attacks)}")
    lowering.asked_counts.add((what, attack))
    return At(_column(lowering, what, attack), ZERO)


def visit(lowering: Lowering) -> Expr:
    """Return how often the level that is played has begun so far: 1 on the first visit, 0 before any.

    Raises:
        Problem: the game has no levels.
    """
    if not lowering.game.levels:
        raise Problem("the game has no levels, so nothing is visited")
    lowering.asked_counts.add(VISITS)
    level = At(level_column(lowering), ZERO)
    return choose(compare(">=", level, ZERO), At(visits_column(lowering), level), ZERO)


def level_word(lowering: Lowering) -> tuple[Expr, tuple[str, ...]]:
    """The name of the level that is played, as a word; an empty word before the first.

    Raises:
        Problem: the game has no levels.
    """
    names = tuple(lowering.game.levels)
    if not names:
        raise Problem("the game has no levels")
    value: Expr = const(lowering.word(""))
    for index, name in enumerate(names):
        here = compare("==", At(level_column(lowering), ZERO), const(index))
        value = choose(here, const(lowering.word(name)), value)
    return value, names
