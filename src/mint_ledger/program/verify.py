"""Verifies a program before an engine takes it: what it names is there, and what is set off is worked off.

A fault here is one of this package and never of a game file: it is told with the owner's place, so that no engine
comes upon it as an index that is out of range.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field
from typing import Any, assert_never

from mint_ledger.errors import BrokenProgram
from mint_ledger.program import expressions as ex
from mint_ledger.program import parts
from mint_ledger.program import statements as st
from mint_ledger.program.arithmetic import functions
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import AccountSpec, Program
from mint_ledger.program.state import Column
from mint_ledger.program.walking import nodes

HANDLER_PARAMETERS = 10
EVENT_VALUES = NOTE_VALUES = 8
ENTRIES = (parts.OPENING_ACCOUNTS, parts.OPENING, *parts.BEFORE_SCRIPT, *parts.AFTER_SCRIPT)
"""The procedures that an engine carries out by itself, apart from what it settles with."""


def verify(program: Program) -> None:
    """Verify a program.

    Raises:
        BrokenProgram: it names a slot, local, procedure, event, text … that is not there, a column is used for what
            it is not, procedures call one another in a circle, or something that happens is never heard of.
    """
    _Verifier(program).verify()


@dataclass
class _Frame:
    """What the statements of a procedure, or the expressions of an account's spec, may name."""

    owner: str
    locals: int


@dataclass
class _Verifier:
    program: Program
    columns: dict[int, Column] = field(default_factory=dict)
    accounts: set[int] = field(default_factory=set)
    flows: set[int] = field(default_factory=set)
    places: dict[int, tuple[tuple[int, int, int], ...]] = field(default_factory=dict)
    raises: dict[Handle, tuple[bool, bool]] = field(default_factory=dict)

    def verify(self) -> None:
        program = self.program
        self._layout()
        for handle, procedure in program.procedures.items():
            if handle != procedure.handle or not 0 <= procedure.parameters <= procedure.locals:
                self._broken(str(handle), "is kept under another handle, or has fewer locals than parameters")
            frame = _Frame(str(handle), procedure.locals)
            self._nodes(frame, nodes((*procedure.body, procedure.result)))
            self._block(frame, procedure.body, inside_each=False)
        for account in program.accounts:
            for first, count, spec in account.specs:
                frame = _Frame(f"stat {account.stat}", spec.locals)
                if not account.column.first <= first <= first + count <= account.column.first + account.column.count:
                    self._broken(frame.owner, "has entities outside its column")
                self._nodes(frame, nodes(spec_formulas(spec)))
        self._nodes(_Frame("the clock's limit", 1), nodes(program.clock_limit))
        for event in program.events:
            if event.handler is not None and self._procedure("an event", event.handler).parameters != (
                HANDLER_PARAMETERS
            ):
                self._broken(str(event.handle), "has a handler with other arguments than an event has")
        for handle in (*ENTRIES, parts.WATCH, parts.WATCH_GONE):
            self._procedure("a step", handle)
        for handle in ENTRIES:
            if self._leaves(handle)[0]:
                self._broken(str(handle), "lets something happen that nothing hears of")

    def _broken(self, owner: str, what: str) -> None:
        raise BrokenProgram(f"{owner} {what}")

    def _layout(self) -> None:
        end = 0
        for column in self.program.layout.columns:
            if column.base != end or column.count < 1:
                self._broken(str(column.handle), "overlaps another column, or leaves a gap")
            end += column.count
            self.columns[column.base] = column
        for account in self.program.accounts:
            self.accounts.add(account.column.base)
            flows = account.flow_columns
            for column in (flows.rate, flows.to, flows.anchor, flows.booked) if flows is not None else ():
                self._column(_Frame(f"the flow of {account.stat}", 1), column)
                self.flows.add(column.base)

    def _column(self, frame: _Frame, column: Column) -> None:
        if self.columns.get(column.base) != column:
            self._broken(frame.owner, f"names a column that is not there: {column.handle}")

    def _procedure(self, owner: str, handle: Handle) -> st.Procedure:
        known = self.program.procedures.get(handle)
        if known is None:
            raise BrokenProgram(f"{owner} calls '{handle}', which is not there")
        return known

    def _nodes(self, frame: _Frame, walked: Iterable[Any]) -> None:
        for node in walked:
            match node:
                case ex.Local(index):
                    self._local(frame, index)
                case ex.At(column, entity):
                    self._column(frame, column)
                    self._slot(frame, column, entity)
                case ex.Read(column, entity):
                    self._account(frame, column, entity)
                case ex.Dial(index):
                    self._in(frame, index, len(self.program.dials.numbers), "a dial")
                case ex.DialOf(table):
                    for index in table:
                        self._in(frame, index, len(self.program.dials.numbers), "a dial", least=-1)
                case ex.Fold(local=local, ranges=ranges):
                    self._local(frame, local)
                    self._entities(frame, ranges)
                case ex.With(local=local):
                    self._local(frame, local)
                case ex.Apply(function, arguments):
                    known = functions().get(function)
                    if known is None or known.parameters != len(arguments) or known.result is None:
                        self._broken(frame.owner, f"uses '{function}', which is no function of so many numbers")
                case ex.Checked(formula=formula):
                    self._in(frame, formula, len(self.program.formulas), "a formula", least=-1)
                case ex.Constant() | ex.Unary() | ex.Binary() | ex.Compare() | ex.And() | ex.Or() | ex.Choose():
                    pass
                case ex.Step() | ex.Time() | ex.Due() | ex.Seconds() | ex.Only():
                    pass
                case _:
                    self._statement(frame, node)

    def _statement(self, frame: _Frame, s: st.Statement) -> None:
        program = self.program
        match s:
            case st.Post(column, entity) | st.Open(column, entity) | st.Flow(column, entity):
                self._account(frame, column, entity)
            case st.Set(column, entity):
                self._column(frame, column)
                self._slot(frame, column, entity)
                if column.base in self.accounts or column.role == "draws":
                    self._broken(frame.owner, f"sets '{column.handle}', which is posted to or drawn from")
            case st.Let(local):
                self._local(frame, local)
            case st.Each(local, ranges, _, repeat):
                self._local(frame, local)
                self._entities(frame, ranges)
                if (repeat is None) != bool(ranges):
                    self._broken(frame.owner, "repeats something for entities and by a count at once, or for neither")
            case st.Draw(local, places, _, count):
                self._local(frame, local)
                self._column(frame, count)
                if count.role != "draws":
                    self._broken(frame.owner, f"counts draws in '{count.handle}'")
                # Machine code keeps draws that it made ahead by their count alone.
                if self.places.setdefault(count.base, places) != places:
                    self._broken(frame.owner, f"draws elsewhere than others that '{count.handle}' counts")
                for first, number, _ in places:
                    if not count.first <= first <= first + number <= count.first + count.count:
                        self._broken(frame.owner, f"draws for entities that '{count.handle}' has no slots for")
            case st.Note(text=text, values=values):
                self._in(frame, text, len(program.texts), "a text", least=-1)
                self._in(frame, len(values), NOTE_VALUES + 1, "the values of a row")
            case st.Call(handle, arguments, into):
                called = self._procedure(frame.owner, handle)
                if called.parameters != len(arguments):
                    self._broken(frame.owner, f"calls '{handle}' with {len(arguments)} of {called.parameters} numbers")
                if into is not None:
                    self._local(frame, into)
                    if called.result is None:
                        self._broken(frame.owner, f"wants a result of '{handle}', which has none")
            case st.Raise(event, values=values):
                self._in(frame, event, len(program.events), "an event")
                self._in(frame, len(values), EVENT_VALUES + 1, "the values of an event")
            case st.Guard(formula=formula):
                self._in(frame, formula, len(program.formulas), "a formula", least=-1)
            case st.Finish(ending):
                self._in(frame, ending, len(program.endings), "an ending")
            case st.If() | st.Leave() | st.Settle():
                pass
            case _:
                assert_never(s)

    def _in(self, frame: _Frame, index: int, count: int, what: str, least: int = 0) -> None:
        if not least <= index < count:
            self._broken(frame.owner, f"names {what} that is not there: {index} of {count}")

    def _local(self, frame: _Frame, index: int) -> None:
        self._in(frame, index, frame.locals, "a local")

    def _account(self, frame: _Frame, column: Column, entity: ex.Expr) -> None:
        self._column(frame, column)
        self._slot(frame, column, entity)
        if column.base not in self.accounts:
            self._broken(frame.owner, f"takes '{column.handle}' for an account")

    def _slot(self, frame: _Frame, column: Column, entity: ex.Expr) -> None:
        if isinstance(entity, (ex.Compare, ex.And, ex.Or, ex.Due, ex.Time)):
            self._broken(frame.owner, f"takes a truth value or a time for an entity, in '{column.handle}'")
        if isinstance(entity, ex.Constant):
            place = entity.value - column.first
            if place != int(place) or not 0 <= place < column.count:
                self._broken(frame.owner, f"names entity {entity.value:g}, for which '{column.handle}' has no slot")

    def _entities(self, frame: _Frame, ranges: ex.Ranges) -> None:
        for first, count in ranges:
            if first < 0 or count < 1 or first + count > self.program.cast.size:
                self._broken(frame.owner, f"goes over entities that are not there: {first} to {first + count - 1}")

    def _block(self, frame: _Frame, block: st.Block, *, inside_each: bool) -> None:
        """Nothing stands behind what leaves a block, so that every settling can be come to."""
        for position, statement in enumerate(block):
            match statement:
                case st.Leave(what):
                    if position < len(block) - 1:
                        self._broken(frame.owner, "has something behind the end of a block")
                    if what == "each" and not inside_each:
                        self._broken(frame.owner, "leaves a repetition outside of one")
                case st.If():
                    self._block(frame, statement.then, inside_each=inside_each)
                    self._block(frame, statement.other, inside_each=inside_each)
                case st.Each():
                    self._block(frame, statement.body, inside_each=True)
                case st.Post() | st.Open() | st.Flow() | st.Set() | st.Let() | st.Draw() | st.Note() | st.Call():
                    pass
                case st.Raise() | st.Settle() | st.Guard() | st.Finish():
                    pass
                case _:
                    assert_never(statement)

    def _leaves(self, handle: Handle) -> tuple[bool, bool]:
        """Whether something may be left unsettled at the end of a procedure: where nothing was before, or something."""
        known = self.raises.get(handle)
        if known is None:
            if handle in self.raises:
                raise BrokenProgram(f"'{handle}' calls itself")
            self.raises[handle] = None  # type: ignore[assignment]
            body = self._procedure("a procedure", handle).body
            known = self._pending(body, False), self._pending(body, True)
            self.raises[handle] = known
        return known

    def _pending(self, block: st.Block, before: bool) -> bool:
        left: list[bool] = []
        after = self._after(block, before, left, [])
        return any(left) or bool(after)

    def _after(self, block: st.Block, before: bool, left: list[bool], each: list[bool]) -> bool | None:
        """Whether something may be pending behind a block (none: never come to); `left` has the other ways out of the
        procedure, `each` those out of the repetition around it.
        """
        pending: bool | None = before
        for statement in block:
            assert pending is not None
            match statement:
                case st.Raise():
                    pending = True
                case st.Settle():
                    pending = False
                case st.Call(procedure):
                    pending = self._leaves(procedure)[pending]
                case st.Leave(what):
                    (each if what == "each" else left).append(pending)
                    return None
                case st.If():
                    ways = [self._after(way, pending, left, each) for way in (statement.then, statement.other)]
                    pending = None if ways == [None, None] else any(ways)
                case st.Each():
                    ends: list[bool] = []
                    pending = bool(self._after(statement.body, pending, left, ends)) or any(ends) or pending
                case st.Post() | st.Open() | st.Flow() | st.Set() | st.Let() | st.Draw() | st.Note():
                    pass
                case st.Guard() | st.Finish():
                    pass
                case _:
                    assert_never(statement)
            if pending is None:
                return None
        return pending


def spec_formulas(spec: AccountSpec) -> tuple[ex.Expr, ...]:
    """The formulas of an account: its limits and what its flow reads."""
    flow = spec.flow
    own = (flow.to, flow.rate, flow.after, flow.after_limit, flow.gate) if flow is not None else ()
    return tuple(part for part in (spec.low, spec.high, *own) if part is not None)
