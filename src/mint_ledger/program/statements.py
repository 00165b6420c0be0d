"""The statements of a program: what procedures are made of.

What each of them means is said once, in `engines/reference.py`.
"""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

from mint_ledger.program.expressions import Expr, Ranges
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import Column


@dataclass(frozen=True, slots=True)
class Post:
    """A posting: `amount` is added to the account, or set as its value. `by` is the entity that did it."""

    column: Column
    entity: Expr
    mode: Literal["add", "set"]
    amount: Expr
    cause: Expr
    by: Expr


@dataclass(frozen=True, slots=True)
class Open:
    """The opening of an account: at the start silently, for a spawned entity as a posting."""

    column: Column
    entity: Expr
    value: Expr
    cause: Expr
    by: Expr


@dataclass(frozen=True, slots=True)
class Flow:
    """Looks at an account's flow: begins, ends or changes it as its wait, gate, rate and end now say."""

    column: Column
    entity: Expr


@dataclass(frozen=True, slots=True)
class Set:
    """Sets a slot that is no account (a stamp, a counter, a flag)."""

    column: Column
    entity: Expr
    value: Expr


@dataclass(frozen=True, slots=True)
class Let:
    """Names a value of the procedure."""

    local: int
    value: Expr


@dataclass(frozen=True, slots=True)
class If:
    """One of two blocks."""

    condition: Expr
    then: Block
    other: Block = ()


@dataclass(frozen=True, slots=True)
class Each:
    """A block for each entity of the ranges that is present, in order.

    Those present when it begins are visited, and of them those that still are; with `repeat` instead, the block
    is carried out with 0, 1, 2 … up to that count.
    """

    local: int
    ranges: Ranges
    body: Block
    repeat: Expr | None = None


@dataclass(frozen=True, slots=True)
class Draw:
    """A uniform number in [0, 1): a pure function of seed, place, run, copy and count.

    `places` gives for each run of entities (first, how many, 64-bit hash of the place); `count` is the column of
    counts, one more after the first part of each draw.
    """

    local: int
    places: tuple[tuple[int, int, int], ...]
    entity: Expr
    count: Column
    part: Expr


@dataclass(frozen=True, slots=True)
class Note:
    """A journal row that is not a posting; `values` (eight at most) are for its text."""

    what: str
    entity: Expr
    by: Expr
    cause: Expr
    text: int = -1
    values: tuple[Expr, ...] = ()


@dataclass(frozen=True, slots=True)
class Call:
    """Carries out a procedure."""

    procedure: Handle
    arguments: tuple[Expr, ...]
    into: int | None = None


@dataclass(frozen=True, slots=True)
class Leave:
    """Leaves the innermost `Each`, or the procedure."""

    what: Literal["each", "procedure"]


@dataclass(frozen=True, slots=True)
class Raise:
    """Puts something that happened on the list of the running `do`."""

    event: int
    entity: Expr
    other: Expr
    values: tuple[Expr, ...] = ()


@dataclass(frozen=True, slots=True)
class Settle:
    """Ends a `do`: what it set off follows now. `cause` is the rule, `actor` whoever started it all.

    With `always`, conditions are watched even if nothing was posted (time may have made them true).
    """

    cause: Expr
    actor: Expr
    always: bool = False


@dataclass(frozen=True, slots=True)
class Guard:
    """Stops the run unless the condition holds; `fault` is a text of the program, about formula `formula`."""

    condition: Expr
    fault: str
    formula: int
    value: Expr


@dataclass(frozen=True, slots=True)
class Finish:
    """Ends the run once the present `do` is done; the first to do so counts."""

    ending: int
    winner: Expr


Statement = Post | Open | Flow | Set | Let | If | Each | Draw | Note | Call | Leave | Raise | Settle | Guard | Finish
Block = tuple[Statement, ...]


@dataclass(frozen=True, slots=True)
class Procedure:
    """A block that is called. Its arguments are the first locals; `result` is worked out at its end."""

    handle: Handle
    parameters: int
    locals: int
    body: Block
    result: Expr | None = None
