"""When the value of a stat changed in the runs of some journals: of an account, or of a stat that has a formula."""

from __future__ import annotations

from dataclasses import dataclass

import numpy as np

from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.context import WorkedOut
from mint_ledger.program import expressions as ex
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.program.walking import EXPRESSIONS, callees, named_columns, nodes
from mint_ledger.studies.journals import Floats, Integers, Journals


@dataclass(frozen=True)
class Changes:
    """The changes of one value.

    Attributes:
        rows: the rows of the journals in which it changed, in their order, shape (changes,).
        after: its value behind each of them, shape (changes,).
        opened: its value as each run began, shape (runs,).
    """

    rows: Integers
    after: Floats
    opened: Floats


class AccountChanges:
    """The changes of an account, which stand in the journal."""

    def __init__(self, slot: int) -> None:
        self._slot = slot

    def of(self, part: Journals, account: Integers) -> Changes:
        """Return the changes in some runs; `account` holds the slot that each row posts to."""
        rows = np.flatnonzero(account == self._slot)
        return Changes(rows, part.column("after")[rows], _opened(part, rows, self._slot))


class FormulaChanges:
    """The changes of a stat that has a formula, which is evaluated again after each posting that it reads."""

    def __init__(self, program: Program, entity: int, formula: WorkedOut, name: str) -> None:
        """Find what the formula reads.

        Raises:
            BadRequest: it reads more than accounts and dials, and a journal holds only their changes.
        """
        self._engine = ReferenceEngine(program)
        self._entity, self._formula = entity, formula
        every = [node for node in nodes((formula.value,)) if type(node) in EXPRESSIONS]
        read = {column.base: column for node in every for column in named_columns(node)}
        accounts = {account.column.base for account in program.accounts}
        tells_time = any(isinstance(node, (ex.Step, ex.Time, ex.Due)) for node in every)
        calls = any(isinstance(callee, Handle) for node in every for callee in callees(node))
        if not read or not read.keys() <= accounts or tells_time or calls:
            raise BadRequest(
                f"'{name}' cannot divide runs: its formula '{formula.formula}' reads more than stats and dials; "
                "name a stat that rules change"
            )
        self._slots = np.array(
            sorted(column.base + place for column in read.values() for place in range(column.count)), dtype=np.int64
        )
        self._known: dict[tuple[float, ...], float] = {}

    def of(self, part: Journals, account: Integers) -> Changes:
        """Return the changes in some runs; `account` holds the slot that each row posts to."""
        rows = np.flatnonzero(np.isin(account, self._slots))
        places = np.searchsorted(self._slots, account[rows])
        after = part.column("after")[rows]
        begins = np.searchsorted(rows, part.starts)
        values = np.empty(len(rows))
        opened = np.empty(len(part))
        opening = np.column_stack([_opened(part, rows[places == at], int(slot)) for at, slot in enumerate(self._slots)])
        for run in range(len(part)):
            state = opening[run].tolist()
            opened[run] = self._value(state)
            for row in range(int(begins[run]), int(begins[run + 1])):
                state[places[row]] = float(after[row])
                values[row] = self._value(state)
        return Changes(rows, values, opened)

    def _value(self, state: list[float]) -> float:
        key = tuple(state)
        if key not in self._known:
            for slot, value in zip(self._slots.tolist(), state, strict=True):
                self._engine.state[slot] = value
            self._known[key] = self._engine.evaluate(self._formula.value, self._entity)
        return self._known[key]


def _opened(part: Journals, rows: Integers, slot: int) -> Floats:
    """Return an account's value as each run began: what stood before its first change, or what it ends with."""
    opened = np.array(part.states[:, slot])
    first = np.searchsorted(rows, part.starts[:-1])
    changed = first < np.searchsorted(rows, part.starts[1:])
    opened[changed] = part.column("before")[rows[first[changed]]]
    return opened
