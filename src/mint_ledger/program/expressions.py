"""The expressions of a program. Every value is a float64; flags are 0 and 1, entities and words are numbers.

What each of them means is said once, in `engines/reference.py`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from mint_ledger.program.state import Column

Ranges = tuple[tuple[int, int], ...]
"""Entities, as (first, how many) of each run of numbers."""

UnaryOp = Literal["negate", "not", "abs", "floor", "ceil", "round", "sqrt", "exponent"]
BinaryOp = Literal["+", "-", "*", "/", "min", "max", "scale"]
CompareOp = Literal["<", "<=", ">", ">=", "==", "!="]
FoldOp = Literal["sum", "count", "min", "max", "any", "all", "argmin", "argmax", "nth"]


@dataclass(frozen=True, slots=True)
class Constant:
    """A number that stands in the program."""

    value: float


@dataclass(frozen=True, slots=True)
class Dial:
    """A number of the game file: an argument of the program, not a part of it."""

    index: int


@dataclass(frozen=True, slots=True)
class DialOf:
    """The dial that belongs to an entity: `table[entity - first]`."""

    table: tuple[int, ...]
    first: int
    entity: Expr


@dataclass(frozen=True, slots=True)
class At:
    """A slot of the state: column and entity."""

    column: Column
    entity: Expr


@dataclass(frozen=True, slots=True)
class Read:
    """The value of an account at this moment, its flow included."""

    column: Column
    entity: Expr


@dataclass(frozen=True, slots=True)
class Local:
    """A value of the running procedure."""

    index: int


@dataclass(frozen=True, slots=True)
class Unary:
    """One operand; `exponent` is e of x = m·2^e with 0.5 ≤ |m| < 1 (0 for 0)."""

    op: UnaryOp
    value: Expr


@dataclass(frozen=True, slots=True)
class Binary:
    """Two operands; `scale` is left·2^right, exact unless it leaves float64's range."""

    op: BinaryOp
    left: Expr
    right: Expr


@dataclass(frozen=True, slots=True)
class Compare:
    """1 or 0."""

    op: CompareOp
    left: Expr
    right: Expr


@dataclass(frozen=True, slots=True)
class And:
    """1 if all hold; looks no further than the first that does not."""

    items: tuple[Expr, ...]


@dataclass(frozen=True, slots=True)
class Or:
    """1 if any holds; looks no further than the first that does."""

    items: tuple[Expr, ...]


@dataclass(frozen=True, slots=True)
class Choose:
    """`then` or `other`; only the one that is chosen is worked out."""

    condition: Expr
    then: Expr
    other: Expr


@dataclass(frozen=True, slots=True)
class Fold:
    """Goes over the entities of `ranges` (in `local`) for which `where` holds, and sums, counts, chooses ….

    `nth` gives the entity at position `body` (from 0); argmin, argmax and nth give -1 where there is none; min
    and max of nothing are 0.
    """

    op: FoldOp
    local: int
    ranges: Ranges
    where: Expr
    body: Expr


@dataclass(frozen=True, slots=True)
class Step:
    """The number of the step, from 0."""


@dataclass(frozen=True, slots=True)
class Time:
    """Seconds (or turns) since the start: step / n."""


@dataclass(frozen=True, slots=True)
class Due:
    """Whether time - value ≥ -10⁻⁶/n."""

    value: Expr


@dataclass(frozen=True, slots=True)
class Seconds:
    """A number of steps as seconds (or turns)."""

    steps: Expr


@dataclass(frozen=True, slots=True)
class Apply:
    """The result of a function (a procedure that only works with its arguments)."""

    function: str
    arguments: tuple[Expr, ...]


@dataclass(frozen=True, slots=True)
class Checked:
    """A designer's formula: its result is finite, or the run stops and names it.

    `whole` is false for a part of the formula that is worked out ahead of the rest.
    """

    value: Expr
    formula: int
    whole: bool = True


@dataclass(frozen=True, slots=True)
class Only:
    """The value, where the condition holds; where it does not, the run stops with the fault."""

    value: Expr
    condition: Expr
    fault: str


@dataclass(frozen=True, slots=True)
class With:
    """The body, which reads in a local what the value is: that is worked out once, before."""

    local: int
    value: Expr
    body: Expr


Expr = (
    Constant
    | Dial
    | DialOf
    | At
    | Read
    | Local
    | Unary
    | Binary
    | Compare
    | And
    | Or
    | Choose
    | Fold
    | Step
    | Time
    | Due
    | Seconds
    | Apply
    | Checked
    | Only
    | With
)

ZERO = Constant(0.0)
ONE = Constant(1.0)


def inside(entity: Expr, ranges: Ranges) -> Expr:
    """Return whether an entity is in the ranges."""
    tests: list[Expr] = []
    for first, count in ranges:
        if count == 1:
            tests.append(Compare("==", entity, Constant(float(first))))
        else:
            low = Compare(">=", entity, Constant(float(first)))
            tests.append(And((low, Compare("<", entity, Constant(float(first + count))))))
    if not tests:
        return ZERO
    return tests[0] if len(tests) == 1 else Or(tuple(tests))
