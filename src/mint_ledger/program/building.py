"""Short names for building expressions and blocks."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager

from mint_ledger.program.expressions import Binary, Choose, Compare, CompareOp, Constant, Expr, Local, Unary
from mint_ledger.program.handle import Handle
from mint_ledger.program.statements import Block, Each, If, Leave, Let, Procedure, Statement


def const(value: float) -> Constant:
    """A number of the program."""
    return Constant(float(value))


def add(left: Expr, right: Expr) -> Expr:
    """Their sum."""
    return Binary("+", left, right)


def sub(left: Expr, right: Expr) -> Expr:
    """Their difference."""
    return Binary("-", left, right)


def mul(left: Expr, right: Expr) -> Expr:
    """Their product."""
    return Binary("*", left, right)


def div(left: Expr, right: Expr) -> Expr:
    """Their quotient; a divisor of 0 stops the run."""
    return Binary("/", left, right)


def neg(value: Expr) -> Expr:
    """0 - value, so that there is no -0.0."""
    return Binary("-", Constant(0.0), value)


def compare(op: CompareOp, left: Expr, right: Expr) -> Expr:
    """1 or 0."""
    return Compare(op, left, right)


def no(value: Expr) -> Expr:
    """1 for 0, else 0."""
    return Unary("not", value)


def choose(condition: Expr, then: Expr, other: Expr) -> Expr:
    """One of two."""
    return Choose(condition, then, other)


def lower_of(left: Expr, right: Expr) -> Expr:
    """The smaller."""
    return Binary("min", left, right)


def higher_of(left: Expr, right: Expr) -> Expr:
    """The larger."""
    return Binary("max", left, right)


class BlockBuilder:
    """Collects the statements of one procedure, block within block, and hands out its locals."""

    def __init__(self, parameters: int = 0) -> None:
        self.parameters = parameters
        self.locals = parameters
        self._blocks: list[list[Statement]] = [[]]

    def emit(self, statement: Statement) -> None:
        """Append a statement to the block that is open."""
        self._blocks[-1].append(statement)

    @property
    def here(self) -> int:
        """The block that is open, as a number that no other open block has."""
        return id(self._blocks[-1])

    def new_local(self) -> int:
        """Hand out a local that nothing uses yet."""
        self.locals += 1
        return self.locals - 1

    def let(self, value: Expr) -> Local:
        """Name a value."""
        if isinstance(value, (Local, Constant)) and isinstance(value, Local):
            return value
        local = self.new_local()
        self.emit(Let(local, value))
        return Local(local)

    @contextmanager
    def block(self) -> Iterator[list[Statement]]:
        """Collect statements apart; they are the list's once the block is left."""
        inner: list[Statement] = []
        self._blocks.append(inner)
        try:
            yield inner
        finally:
            self._blocks.pop()

    @contextmanager
    def when(self, condition: Expr) -> Iterator[None]:
        """Carry out what is emitted inside only if the condition holds."""
        with self.block() as inner:
            yield
        if inner:
            self.emit(If(condition, tuple(inner)))

    @contextmanager
    def each(self, ranges: tuple[tuple[int, int], ...]) -> Iterator[Local]:
        """Carry out what is emitted inside for each entity present."""
        local = self.new_local()
        with self.block() as inner:
            yield Local(local)
        if inner and ranges:
            self.emit(Each(local, ranges, tuple(inner)))

    @contextmanager
    def repeat(self, count: Expr) -> Iterator[Local]:
        """Carry out what is emitted inside with 0, 1, 2 and more."""
        local = self.new_local()
        with self.block() as inner:
            yield Local(local)
        self.emit(Each(local, (), tuple(inner), count))

    def leave_unless(self, condition: Expr) -> None:
        """Leave the procedure unless the condition holds."""
        self.emit(If(condition, (), (Leave("procedure"),)))

    def body(self) -> Block:
        """All statements so far."""
        return tuple(self._blocks[0])

    def procedure(self, handle: Handle, result: Expr | None = None) -> Procedure:
        """The finished procedure."""
        return Procedure(handle, self.parameters, self.locals, self.body(), result)
