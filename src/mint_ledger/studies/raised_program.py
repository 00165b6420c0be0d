"""The program of raised runs: each draw of a place with rare outcomes is led from raised cells to true ones, by dials.

The procedures are made once for a game and the numbers of its cells; how likely each cell is raised is a dial.
"""

from __future__ import annotations

from dataclasses import replace
from functools import lru_cache

from mint_ledger.program import building as b
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.program import Program
from mint_ledger.program.walking import nodes


class Structure:
    """A program's procedures and of each place its cells, or the sides of its dice, as a key."""

    def __init__(self, program: Program, cells: tuple[tuple[int, int, int], ...]) -> None:
        self.program, self.procedures, self.cells = program, program.procedures, cells

    def __hash__(self) -> int:
        return hash((id(self.procedures), self.cells))

    def __eq__(self, other: object) -> bool:
        return isinstance(other, Structure) and other.procedures is self.procedures and other.cells == self.cells


@lru_cache(maxsize=8)
def with_maps(structure: Structure) -> Program:
    """The program in which each draw of a place is led from raised cells to true ones, piece by piece, by dials."""
    program = structure.program
    first, maps = len(program.dials.numbers), {}
    for base, cells, sides in structure.cells:
        maps[base] = (first, cells, sides)
        first += 4 * cells + (3 + 4 * sides if sides else 0)
    procedures = {
        handle: _Leading(procedure, maps).procedure if _draws_at(procedure, maps) else procedure
        for handle, procedure in program.procedures.items()
    }
    return replace(program, procedures=procedures)


def _draws_at(procedure: st.Procedure, maps: dict[int, tuple[int, int, int]]) -> bool:
    return any(isinstance(node, st.Draw) and node.count.base in maps for node in nodes(procedure.body))


class _Leading:
    """Leads the draws of one procedure from raised cells to true ones."""

    def __init__(self, procedure: st.Procedure, maps: dict[int, tuple[int, int, int]]) -> None:
        self.maps = maps
        self.locals = procedure.locals
        body = self._block(procedure.body)
        self.procedure = replace(procedure, body=body, locals=self.locals)

    def _block(self, statements: st.Block) -> st.Block:
        made: list[st.Statement] = []
        for statement in statements:
            match statement:
                case st.If(_, then, other):
                    made.append(replace(statement, then=self._block(then), other=self._block(other)))
                case st.Each(body=(st.Draw(count=count) as draw, *rest)) if self.maps.get(count.base, (0, 0, 0))[2]:
                    # With which of the two sorts of dice a throw is made is decided by its first.
                    is_raised, self.locals = self.locals, self.locals + 1
                    made.append(st.Let(is_raised, ex.ZERO))
                    led = self._die(draw, is_raised, *self.maps[count.base][::2])
                    made.append(replace(statement, body=(draw, *led, *rest)))
                case st.Each(body=body):
                    made.append(replace(statement, body=self._block(body)))
                case st.Draw(local=local, count=count) if count.base in self.maps:
                    start, cells, _ = self.maps[count.base]
                    made += (statement, st.Let(local, _led(local, start, cells)))
                case _:
                    made.append(statement)
        return tuple(made)

    def _die(self, draw: st.Draw, is_raised: int, start: int, sides: int) -> tuple[st.Statement, ...]:
        u, often, one_over, one_over_rest = ex.Local(draw.local), *(ex.Dial(start + at) for at in range(3))
        below = b.compare("<", u, often)
        within = b.choose(below, b.mul(u, one_over), b.mul(b.sub(u, often), one_over_rest))
        is_first = b.compare("==", draw.part, ex.ZERO)
        return (
            st.Let(is_raised, b.choose(is_first, below, ex.Local(is_raised))),
            st.Let(draw.local, b.choose(is_first, within, u)),
            st.Let(draw.local, b.choose(ex.Local(is_raised), _led(draw.local, start + 3, sides), ex.Local(draw.local))),
        )


def _led(local: int, start: int, cells: int) -> ex.Expr:
    """A draw that lies in a raised cell, as far on in the true one."""
    value: ex.Expr = ex.ZERO
    u = ex.Local(local)
    for cell in reversed(range(cells)):
        up, low, slope, goal = (ex.Dial(start + 4 * cell + at) for at in range(4))
        piece = b.add(goal, b.mul(b.sub(u, low), slope))
        value = piece if cell == cells - 1 else b.choose(b.compare("<", u, up), piece, value)
    # Rounding must not lead a draw to 1.
    return b.lower_of(value, b.const(1.0 - 2.0**-53))
