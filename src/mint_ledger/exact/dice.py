"""Dice that are thrown together and only added up, as one draw of their sum: 11 ways for two of six sides, not 36."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import replace

from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.program import Program

MOST_SUMS = 1_000


def with_sums(program: Program, dials: Sequence[float]) -> Program:
    """The program with each throw of several dice drawn as their sum, which has the same chances.

    What is drawn is another number than the engines draw, so it is for those who follow all ways alone.
    """
    procedures = {
        handle: replace(procedure, body=_block(procedure.body, dials))
        for handle, procedure in program.procedures.items()
    }
    return replace(program, procedures=procedures)


def _block(block: st.Block, dials: Sequence[float]) -> st.Block:
    made: list[st.Statement] = []
    # What is known of the locals that this block has let.
    known: dict[int, float] = {}
    for statement in block:
        match statement:
            case st.Let(local, value):
                known.pop(local, None)
                number = _number(value, dials)
                if number is not None:
                    known[local] = number
                made.append(statement)
            case st.If(_, then, other):
                made.append(replace(statement, then=_block(then, dials), other=_block(other, dials)))
            case st.Each():
                made += _throw(statement, known) or (replace(statement, body=_block(statement.body, dials)),)
            case _:
                made.append(statement)
    return tuple(made)


def _number(e: ex.Expr, dials: Sequence[float]) -> float | None:
    match e:
        case ex.Constant(value):
            return value
        case ex.Dial(index):
            return float(dials[index])
        case ex.Checked(value):
            return _number(value, dials)
    return None


def _throw(s: st.Each, known: dict[int, float]) -> tuple[st.Statement, ...]:
    """One draw for `dice(n, sides)` as it is lowered, where both are known; none for any other repetition."""
    match s:
        case st.Each(
            local=part,
            body=(
                st.Draw(local=drawn, part=ex.Local(which)) as draw,
                st.Let(
                    total,
                    ex.Binary(
                        "+",
                        ex.Local(before),
                        ex.Binary(
                            "+",
                            ex.Constant(1.0),
                            ex.Unary("floor", ex.Binary("*", ex.Local(thrown), ex.Local() | ex.Constant() as sides)),
                        ),
                    ),
                ),
            ),
            repeat=ex.Local(count),
        ) if which == part and before == total and thrown == drawn and known.get(total) == 0.0:
            dice = known.get(count)
            size = sides.value if isinstance(sides, ex.Constant) else known.get(sides.index)
        case _:
            return ()
    if dice is None or size is None or dice < 1 or dice != int(dice) or size != int(size) or dice * size > MOST_SUMS:
        return ()
    borders = _borders(int(dice), int(size))
    return replace(draw, part=ex.ZERO), st.Let(total, _chosen(drawn, borders, 0, len(borders), int(dice)))


def _borders(dice: int, sides: int) -> list[float]:
    """The chances of at most each sum but the greatest, from `dice` on."""
    ways = [1]
    for _ in range(dice):
        ways = [sum(ways[max(0, k - sides + 1) : k + 1]) for k in range(len(ways) + sides - 1)]
    below, borders = 0, []
    for count in ways[:-1]:
        below += count
        borders.append(below / sides**dice)
    return borders


def _chosen(drawn: int, borders: list[float], first: int, last: int, least: int) -> ex.Expr:
    """The sum that belongs to the drawn number, by halving."""
    if first == last:
        return ex.Constant(float(least + first))
    middle = (first + last) // 2
    below = ex.Compare("<", ex.Local(drawn), ex.Constant(borders[middle]))
    return ex.Choose(
        below,
        _chosen(drawn, borders, first, middle, least),
        _chosen(drawn, borders, middle + 1, last, least),
    )
