"""The module in the making: the program, and what the routines of it need to know of each other."""

from __future__ import annotations

from collections.abc import Callable, Iterator, Sequence
from contextlib import contextmanager
from dataclasses import dataclass, field
from functools import cached_property

from mint_ledger.engines.native.assembly import Routine, wake_address
from mint_ledger.engines.native.chance import Ahead
from mint_ledger.engines.native.looks import ANYBODY, Answers, Look, Looks, Threshold
from mint_ledger.facts.appearing import settling_lets_appear
from mint_ledger.program import expressions as ex
from mint_ledger.program.arithmetic import functions
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Account, Program
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Each, Procedure

Lower = Callable[["Library", Procedure, str], str]
"""Makes the text of a procedure's routine, which has this name."""
# Of a part with more pieces, each is carried out by a routine of its own; with more accounts, each is opened by one.
APART = 40


def is_digits(index: str) -> bool:
    """Return whether an entity's number is known, and not in a register."""
    return not index.startswith("%")


def arithmetic_routine(name: str) -> str:
    """The routine of a function of `program/arithmetic.py`; all games share their machine code."""
    return "@mint_" + name.replace(" ", "_")


class Library:
    """Routines that need no more than the functions of `program/arithmetic.py`."""

    def __init__(self, lower: Lower) -> None:
        self._lower = lower
        self.routines: list[str] = []
        self.tables: dict[tuple[int, ...], str] = {}
        self.arithmetic: set[str] = set()
        # Where among the wakes is kept how many at the end of a kind's run of entities were never present.
        self.empty_seats: dict[tuple[int, int], int] = {}
        # Where among them is what was marked, and what each piece that is marked sets there (see `wakes`).
        self.marked = 0
        self.mark_bits: dict[int, int] = {}
        # For each column (by its base; a flow's by its account's, negative) the pieces of a step that look at it,
        # and what they look at.
        self.lookers: dict[int, dict[int, set[Look]]] = {}
        self._wanted: list[Callable[[], str]] = []
        self._asked: set[str] = set()

    def procedure(self, callee: Handle | str) -> Procedure:
        """A procedure by its handle, a function of arithmetic by its name."""
        assert isinstance(callee, str)
        return functions()[callee]

    def routine(self, callee: Handle | str) -> str:
        """The routine of a procedure; it is made if it is not there yet."""
        if isinstance(callee, str):
            self.arithmetic.add(callee)
            return arithmetic_routine(callee)
        routine = f"@p{self.number(callee)}"
        return self.want(routine, lambda: self._lower(self, self.procedure(callee), routine))

    def number(self, callee: Handle) -> int:
        """The number of a procedure among those of the program."""
        raise KeyError(callee)

    def piece_of(self, procedure: Procedure) -> int | None:
        """The piece of a step that alone carries a procedure out, if there is one."""
        return None

    def want(self, name: str, make: Callable[[], str]) -> str:
        """A routine's name; it is made, once, before the module is done."""
        if name not in self._asked:
            self._asked.add(name)
            self._wanted.append(make)
        return name

    def make_wanted(self) -> None:
        """Make all routines that were asked for, and those that they ask for."""
        while self._wanted:
            self.routines.append(self._wanted.pop()())

    def table(self, numbers: tuple[int, ...]) -> str:
        """A constant array of integers."""
        return self.tables.setdefault(numbers, f"@t{len(self.tables)}")

    def table_text(self) -> list[str]:
        """All constant arrays."""
        return [
            f"{name} = internal constant [{len(numbers)} x i64] [{', '.join(f'i64 {n}' for n in numbers)}]"
            for numbers, name in self.tables.items()
        ]


class Module(Library):
    """All routines of a program; those of procedures are made when they are first asked for."""

    def __init__(self, lower: Lower, program: Program, scripts: Sequence[Handle] = ()) -> None:
        super().__init__(lower)
        self.program = program
        self.scripts = tuple(scripts)
        self.accounts = {account.column.base: index for index, account in enumerate(program.accounts)}
        self._numbers = {handle: index for index, handle in enumerate(program.procedures)}
        self._flows = {
            column.base: flow_key(account.column)
            for account in program.accounts
            if account.flow_columns is not None
            for column in flow_columns(account)
        }
        self.step = program.columns.step.base
        self.present = program.columns.present
        self.ending = program.columns.ending.base
        self.winner = program.columns.winner.base
        self.script_position = program.columns.script_position.base
        # What the quiet routine of each procedure reads.
        self.quiet_looks: dict[str, Looks] = {}
        # The loops whose entities are asked one by one, by their identity, with where their answers are kept; and where
        # the next may be.
        self.asked: dict[int, tuple[Each, Answers]] = {}
        self.next_answers = 0
        # The quiet routines that were too long to be asked.
        self.too_long: set[str] = set()
        # The procedures that one piece of a step alone carries out.
        self.only_in: dict[Handle, int] = {}
        # Where draws are kept that were made ahead, by the base of their column of counts.
        self.draws_ahead: dict[int, Ahead] = {}

    def procedure(self, callee: Handle | str) -> Procedure:
        """A procedure by its handle, a function of arithmetic by its name."""
        return functions()[callee] if isinstance(callee, str) else self.program.procedures[callee]

    def number(self, callee: Handle) -> int:
        """The number of a procedure among those of the program."""
        return self._numbers[callee]

    def piece_of(self, procedure: Procedure) -> int | None:
        """The piece of a step that alone carries a procedure out, if there is one."""
        return self.only_in.get(procedure.handle)

    def answers_of(self, loop: Each) -> Answers | None:
        """Return where the answers of a loop's entities are kept, if they are asked one by one."""
        return self.asked[id(loop)][1] if id(loop) in self.asked else None

    def ask(self, loop: Each, answers: Answers) -> None:
        """The entities of a loop are asked one by one."""
        self.asked[id(loop)] = (loop, answers)
        self.next_answers += answers.size

    @cached_property
    def settling_lets_appear(self) -> bool:
        """Return whether somebody may appear in what follows a `do`."""
        return settling_lets_appear(self.program)

    @property
    def has_many_accounts(self) -> bool:
        """Return whether there are so many that what is done for each of them is a routine of its own."""
        return len(self.program.accounts) > APART

    def account(self, column: Column) -> Account:
        """The account of a value column."""
        return self.program.accounts[self.accounts[column.base]]

    def key_of(self, column: Column) -> int:
        """Return how a column is named among what parts of a step look at: all of a flow's columns are one."""
        return self._flows.get(column.base, column.base)


def flow_key(column: Column) -> int:
    """Return how the flow of an account is named among what parts of a step look at."""
    return -1 - column.base


def flow_columns(account: Account) -> tuple[Column, ...]:
    """The columns of an account's flow."""
    flows = account.flow_columns
    if flows is None:
        return ()
    return (flows.rate, flows.to, flows.anchor, flows.booked, flows.since, flows.waits_from, flows.at_limit)


@dataclass(frozen=True)
class Whole:
    """A whole number: its register (or its digits), and between which values it lies."""

    value: str
    least: int
    most: int


@dataclass
class Body:
    """What a routine's lowering keeps at hand."""

    module: Module
    r: Routine
    cells: dict[int, str] = field(default_factory=dict)
    # Entities' numbers as integers, for the locals of loops, with the loop's ranges.
    entities: dict[int, tuple[str, ex.Ranges]] = field(default_factory=dict)
    # Locals that are known to be whole numbers, as integers.
    wholes: dict[int, Whole] = field(default_factory=dict)
    # Which columns were read; only kept for quiet routines.
    looked_at: Looks | None = None
    # Which answers rest on what is read, and for which entity one is asked.
    answers_for: tuple[Answers | None, str] = (None, "")
    # With what an account that is read now is compared, if that is all.
    threshold: Threshold | None = None
    # The piece of a step outside of which this is never carried out; it is asked again when it is done.
    piece: int | None = None
    # The entities of which one is the owner of the account at hand.
    owners: ex.Ranges = ()

    @contextmanager
    def of_owners(self, first: int, count: int) -> Iterator[None]:
        """What follows is about an account of one of these."""
        kept, self.owners = self.owners, ((first, count),)
        yield
        self.owners = kept

    def local(self, index: int) -> str:
        """A local's cell."""
        if index not in self.cells:
            self.cells[index] = self.r.cell("double", "0.0")
        return self.cells[index]

    def look(self, key: int, e: ex.Expr | None = None) -> None:
        """Note that a column was read, for the entities that an expression can be."""
        if self.looked_at is not None:
            runs = (None if e is None else self.known_runs(e)) or (ANYBODY,)
            index = self.entities[e.index][0] if isinstance(e, ex.Local) and e.index in self.entities else ""
            self.look_at(key, runs, index)

    def look_at(self, key: int, runs: ex.Ranges, index: str) -> None:
        """Note that a column was read for some runs of entities, of which this is one."""
        if self.looked_at is not None:
            answers, asked = self.answers_for
            looks = (Look(*run, self.threshold, answers, own=index == asked != "") for run in runs)
            self.looked_at.setdefault(key, set()).update(looks)

    def known_runs(self, e: ex.Expr) -> ex.Ranges | None:
        """The entities that an expression can be, where that is known."""
        if isinstance(e, ex.Constant):
            return ((int(e.value), 1),)
        if isinstance(e, ex.Local) and e.index in self.entities:
            return self.entities[e.index][1]
        return None

    def slot(self, slot: int) -> str:
        """The address of a slot."""
        return self.r.let(f"getelementptr double, ptr %s, i64 {slot}")

    def slot_at(self, offset: int, index: str) -> str:
        """The address of an entity's slot; the entity is known to be one of the column's."""
        if is_digits(index):
            return self.slot(int(index) + offset)
        return self.r.let(f"getelementptr double, ptr %s, i64 {self.r.let(f'add i64 {index}, {offset}')}")

    def dial(self, index: int) -> str:
        """A dial's value."""
        return self.load(self.r.let(f"getelementptr double, ptr %d, i64 {index}"))

    def load(self, address: str) -> str:
        """Return what a slot holds."""
        return self.r.let(f"load double, ptr {address}")

    def load_flag(self, address: str) -> str:
        """Return what a slot of a column of flags holds."""
        value = self.load(address)
        self.r.flags.add(value)
        return value

    def store(self, value: str, address: str) -> None:
        """Set a slot."""
        self.r.do(f"store double {value}, ptr {address}")

    def store_local(self, index: int, value: str) -> None:
        """Set a local."""
        self.entities.pop(index, None)
        self.wholes.pop(index, None)
        self.store(value, self.local(index))

    @contextmanager
    def inner(self) -> Iterator[None]:
        """A block that may be passed over: what it says of whole numbers is not known behind it."""
        kept = dict(self.wholes)
        yield
        self.wholes = {local: whole for local, whole in kept.items() if self.wholes.get(local) is whole}

    def inside(self, index: str, first: int, count: int) -> str:
        """Return whether an entity is one of a run."""
        place = self.r.let(f"sub i64 {index}, {first}")
        return self.r.let(f"icmp ult i64 {place}, {count}")

    @contextmanager
    def loop(self, count: str) -> Iterator[tuple[str, str, str]]:
        """A loop; gives the round (from 0), where a round ends and where the loop ends."""
        r = self.r
        cell = r.cell("i64", None)
        head, inner, after, end = (r.label() for _ in range(4))
        r.do(f"store i64 0, ptr {cell}")
        r.place(head)
        now = r.let(f"load i64, ptr {cell}")
        r.fork(r.let(f"icmp slt i64 {now}, {count}"), inner, end)
        r.place(inner)
        yield now, after, end
        r.place(after)
        r.do(f"store i64 {r.let(f'add i64 {now}, 1')}, ptr {cell}")
        r.go(head)
        r.place(end)

    def _seats(self, ranges: ex.Ranges) -> str:
        """Return how many entities of some runs have to be looked at to find those present."""
        total = sum(count for _, count in ranges)
        place = self.module.empty_seats.get(ranges[-1]) if ranges else None
        if place is None:
            return str(total)
        empty = self.r.let(f"load i64, ptr {wake_address(self.r, place)}")
        return self.r.let(f"sub i64 {total}, {empty}")

    @contextmanager
    def each(self, ranges: ex.Ranges, local: int, *, present: bool = False) -> Iterator[tuple[str, str, str]]:
        """A loop over entities; gives the entity's number, where a round ends and where the loop ends.

        With `present`, those need not come who were never there in this run.
        """
        r = self.r
        kept = self.entities.get(local)
        rounds = self._seats(ranges) if present else str(sum(count for _, count in ranges))
        with self.loop(rounds) as (now, after, end):
            entity, passed = now, 0
            for position, (first, count) in enumerate(ranges):
                moved = r.let(f"add i64 {now}, {first - passed}")
                if position == 0:
                    entity = moved
                else:
                    later = r.let(f"icmp sge i64 {now}, {passed}")
                    entity = r.let(f"select i1 {later}, i64 {moved}, i64 {entity}")
                passed += count
            self.store(r.let(f"sitofp i64 {entity} to double"), self.local(local))
            self.entities[local] = (entity, ranges)
            yield entity, after, end
        if kept is None:
            self.entities.pop(local, None)
        else:
            self.entities[local] = kept
