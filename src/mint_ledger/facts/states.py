"""What of a program's state can still matter, and whether the program knows how late it is.

A state that comes again later is the same state only where nothing looks at the clock itself, but only at how long ago
or how far ahead something is.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable, Iterator
from typing import Any, Literal, assert_never

from mint_ledger.program import expressions as ex
from mint_ledger.program import parts
from mint_ledger.program import statements as st
from mint_ledger.program.arithmetic import functions
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import AccountSpec, Program
from mint_ledger.program.state import Column
from mint_ledger.program.walking import EXPRESSIONS, callees, children, named_columns, nodes

# Not the part that only measures.
ROOTS = (parts.OPENING_ACCOUNTS, parts.OPENING, *parts.BEFORE_SCRIPT, *parts.AFTER_SCRIPT[:-1])
Nature = Literal["plain", "time", "step"]
Worth = Callable[[ex.Expr], float | None]


class KnowsTheTime(Exception):
    """Something looks at the clock itself."""


def procedures(program: Program) -> dict[Handle | str, st.Procedure]:
    """The procedures that a run may carry out, without those that only measure."""
    waiting: list[Handle | str] = [
        *ROOTS,
        parts.WATCH,
        parts.WATCH_GONE,
        *(event.handler for event in program.events if event.handler),
    ]
    carried_out: dict[Handle | str, st.Procedure] = {}
    while waiting:
        callee = waiting.pop()
        if callee in carried_out:
            continue
        known = functions()[callee] if isinstance(callee, str) else program.procedures.get(callee)
        if known is None:
            continue
        carried_out[callee] = procedure = known
        for node in nodes((procedure.body, procedure.result), st.Note):
            waiting += callees(node)
    return carried_out


def columns_read(
    program: Program, carried_out: dict[Handle | str, st.Procedure], wanted: Iterable[int] = ()
) -> set[int]:
    """The columns (by their base) that anything reads, and some that are wanted; accounts that nobody asks about are
    not among them.
    """
    read = {
        column.base
        for procedure in carried_out.values()
        for node in nodes((procedure.body, procedure.result), st.Note)
        if type(node) in EXPRESSIONS
        for column in named_columns(node)
    }
    for account in program.accounts:
        flows = account.flow_columns
        if flows is not None:
            # A flow looks at its own state, which matters only if its account does; see below.
            read -= {column.base for column in flow_state(flows)}
    read |= set(wanted)
    known: set[int] = set()
    while known != read:
        known = set(read)
        for account in program.accounts:
            if account.column.base not in read:
                continue
            if account.flow_columns is not None:
                read |= {column.base for column in flow_state(account.flow_columns)}
            for _, _, spec in account.specs:
                read |= {column.base for node in nodes(_formulas(spec)) for column in named_columns(node)}
    return read


def flow_state(flows: Any) -> list[Column]:
    """The columns of a flow that matter for what comes; the others are for its journal rows."""
    return [flows.rate, flows.to, flows.anchor, flows.waits_from, flows.at_limit]


def _formulas(spec: AccountSpec) -> tuple[Any, ...]:
    flow = spec.flow
    own = (flow.to, flow.rate, flow.after, flow.after_limit, flow.gate) if flow is not None else ()
    return tuple(part for part in (spec.low, spec.high, *own) if part is not None)


def period_of_turns(program: Program, carried_out: dict[Handle | str, st.Procedure]) -> int | None:
    """After how many steps the program has forgotten which step it is: 1 as a rule, the number of players where they
    take turns; none where something looks at the clock itself.
    """
    period = 1
    try:
        for procedure in carried_out.values():
            look = _MomentReader(procedure.parameters)
            look.block(procedure.body)
            if procedure.result is not None and look.nature(procedure.result) != "plain":
                raise KnowsTheTime
            period = math.lcm(period, *look.periods)
        for account in program.accounts:
            for _, _, spec in account.specs:
                look = _MomentReader(1)
                for formula in _formulas(spec):
                    look.want(formula, "plain")
    except KnowsTheTime:
        return None
    return period


class _MomentReader:
    """Goes through a procedure and tells moments and numbers of steps from plain numbers."""

    def __init__(self, parameters: int) -> None:
        self.locals: dict[int, Nature] = dict.fromkeys(range(parameters), "plain")
        self.periods: list[int] = []
        self._only_constants: set[int] = set()

    def want(self, e: ex.Expr, nature: Nature) -> None:
        if self.nature(e) != nature:
            raise KnowsTheTime

    def block(self, block: st.Block) -> None:
        for statement in block:
            match statement:
                case st.Let(local, value):
                    self._let(local, value)
                case st.Set(column, entity, value):
                    self.want(entity, "plain")
                    role: Nature = column.role if column.role in ("time", "step") else "plain"
                    if not isinstance(value, ex.Constant):
                        self.want(value, role)
                case st.If(condition, then, other):
                    self.want(condition, "plain")
                    self.block(then)
                    self.block(other)
                case st.Each(local, _, body, repeat):
                    if repeat is not None:
                        self.want(repeat, "plain")
                    self.locals[local] = "plain"
                    self.block(body)
                case st.Draw(local=local):
                    self.locals[local] = "plain"
                case st.Call(arguments=arguments, into=into):
                    for argument in arguments:
                        self.want(argument, "plain")
                    if into is not None:
                        self.locals[into] = "plain"
                case st.Note():
                    pass
                case st.Post() | st.Open() | st.Flow() | st.Leave() | st.Raise() | st.Settle():
                    self._plain(statement)
                case st.Guard() | st.Finish():
                    self._plain(statement)
                case _:
                    assert_never(statement)

    def _plain(self, node: st.Statement | ex.Expr) -> Nature:
        for part in children(node):
            self.want(part, "plain")
        return "plain"

    def _let(self, local: int, value: ex.Expr) -> None:
        """A constant may stand for a moment too (never, for ever)."""
        if isinstance(value, ex.Constant):
            if local not in self.locals:
                self.locals[local] = "plain"
                self._only_constants.add(local)
            return
        nature = self.nature(value)
        if local in self._only_constants:
            self._only_constants.discard(local)
        elif self.locals.get(local, nature) != nature:
            raise KnowsTheTime
        self.locals[local] = nature

    def nature(self, e: ex.Expr) -> Nature:
        match e:
            case ex.Time():
                return "time"
            case ex.Step():
                return "step"
            case ex.At(column, entity):
                self.want(entity, "plain")
                return column.role if column.role in ("time", "step") else "plain"
            case ex.Local(index):
                return self.locals.get(index, "plain")
            case ex.Due(value):
                self.want(value, "time")
                return "plain"
            case ex.Seconds(steps):
                return "time" if self.nature(steps) == "step" else "plain"
            case ex.Binary(op, left, right):
                return self._binary(op, self.nature(left), self.nature(right))
            case ex.Compare(_, left, right):
                if self.nature(left) != self.nature(right):
                    raise KnowsTheTime
                return "plain"
            case ex.Choose(condition, then, other):
                self.want(condition, "plain")
                # Never and for ever are moments too.
                sides = {self.nature(e) for e in (then, other) if not _is_endless(e)} or {"plain"}
                if len(sides) > 1:
                    raise KnowsTheTime
                return sides.pop()
            case ex.Checked(value, _) | ex.Only(value, _, _):
                return self.nature(value)
            case ex.With(local, value, body):
                self.locals[local] = self.nature(value)
                return self.nature(body)
            case ex.Fold(local=local, where=where, body=body):
                self.locals[local] = "plain"
                self.want(where, "plain")
                return self.nature(body)
            case ex.Apply("modulo", (steps, ex.Constant(count))) if self.nature(steps) == "step":
                self.periods.append(int(count))
                return "plain"
            case ex.Constant() | ex.Dial() | ex.DialOf() | ex.Read() | ex.Unary() | ex.And() | ex.Or() | ex.Apply():
                return self._plain(e)
            case _:
                assert_never(e)

    def _binary(self, op: str, left: Nature, right: Nature) -> Nature:
        if left == right == "plain":
            return "plain"
        if op == "-" and left == right:
            return "plain"
        if op in ("min", "max") and left == right:
            return left
        if op in ("+", "-") and right == "plain":
            return left
        if op == "+" and left == "plain":
            return right
        raise KnowsTheTime


def horizon(program: Program, carried_out: dict[Handle | str, st.Procedure], column: Column, worth: Worth) -> float:
    """Return how long ago something may be and still matter: the longest wait that is counted from a moment.

    Infinite where that is not known; `worth` gives the value of a constant or dial, and none of anything else.
    """
    waits = [
        wait for procedure in carried_out.values() for wait in _waits((procedure.body, procedure.result), column, worth)
    ]
    return max(waits, default=0.0)


def _waits(value: Any, column: Column, worth: Worth) -> Iterator[float]:
    """For each place where a column is read, how long ago what stands there may be and still matter."""
    match value:
        case tuple():
            for item in value:
                yield from _waits(item, column, worth)
            return
        case st.Note():
            return
        case ex.Due(moment):
            yield from _waits_until(moment, column, worth)
            return
        case st.Set(own, _, ex.Binary("max", ex.At(read), _)) if own == column == read:
            # The later of what stands and a moment that is yet to come: what lies in the past never counts.
            return
        case ex.Compare("<", ex.At(own), ex.Step()) if own == column:
            yield 0.0
            return
        case None:
            return
    if type(value) in EXPRESSIONS and column in named_columns(value):
        yield math.inf
    for part in children(value):
        yield from _waits(part, column, worth)


def _waits_until(moment: ex.Expr, column: Column, worth: Worth) -> Iterator[float]:
    """The same for what is asked whether it is due."""
    match moment:
        case ex.At(own, entity) if own == column:
            yield 0.0
            yield from _waits(entity, column, worth)
        case ex.Binary("+", ex.At(own, entity), wait) if own == column:
            known = worth(wait)
            yield math.inf if known is None else known
            yield from _waits(entity, column, worth)
        case ex.Choose(condition, then, other):
            yield from _waits(condition, column, worth)
            yield from _waits_until(then, column, worth)
            yield from _waits_until(other, column, worth)
        case _:
            yield from _waits(moment, column, worth)


def _is_endless(e: ex.Expr) -> bool:
    return isinstance(e, ex.Constant) and abs(e.value) >= 1e17
