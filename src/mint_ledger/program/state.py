"""The state vector: columns of slots, one slot for each entity that a column covers."""

from __future__ import annotations

from dataclasses import dataclass, field, replace
from functools import cached_property
from typing import Literal

from mint_ledger.errors import BrokenProgram
from mint_ledger.program.handle import Handle

Role = Literal["value", "flag", "time", "step", "mark", "counter", "draws", "measure"]
"""What a slot is for: a booked value; a fact (present, in contact); a moment in seconds (or turns); the number of a
step; something else that is kept (an entity, a habit); a count; a count of draws; something that is only measured.
Only values and facts can make a condition true; moments and numbers of steps move on with the run."""


@dataclass(frozen=True, slots=True)
class Column:
    """`count` slots from `base`, for the entities from `first`; the slot of entity e is `base + e - first`."""

    handle: Handle
    role: Role
    first: int
    count: int
    base: int
    opening: float = 0.0
    memo: bool = field(default=False, compare=False)
    """Whether it only saves work: what it says follows of the rest, or is looked up again where it says its opening."""

    @property
    def offset(self) -> int:
        """Return what has to be added to an entity's number to get its slot."""
        return self.base - self.first


@dataclass(frozen=True)
class Layout:
    """All columns of a program, in the order of their slots."""

    columns: tuple[Column, ...]

    @cached_property
    def size(self) -> int:
        """Return how many slots the state vector has."""
        return sum(column.count for column in self.columns)

    @cached_property
    def _by_handle(self) -> dict[Handle, Column]:
        return {column.handle: column for column in self.columns}

    def column(self, handle: Handle) -> Column:
        """The column of a handle."""
        return self._by_handle[handle]

    def find(self, handle: Handle) -> Column | None:
        """The column of a handle, if the program has it."""
        return self._by_handle.get(handle)

    def opening(self) -> list[float]:
        """A state vector before anything was opened."""
        return [column.opening for column in self.columns for _ in range(column.count)]


class LayoutBuilder:
    """Hands out columns one after another."""

    def __init__(self) -> None:
        self._columns: dict[Handle, Column] = {}
        self._size = 0

    def column(
        self,
        handle: Handle,
        role: Role,
        first: int = 0,
        count: int = 1,
        opening: float = 0.0,
        *,
        memo: bool = False,
    ) -> Column:
        """Return the column of a handle, made now if there is none; a memo only if all who ask for it say so.

        Raises:
            BrokenProgram: there is one of another shape, so two parts of the program would share its slots.
        """
        known = self._columns.get(handle)
        if known is None:
            known = self._columns[handle] = Column(handle, role, first, count, self._size, opening, memo)
            self._size += count
        elif (known.role, known.first, known.count, known.opening) != (role, first, count, opening):
            raise BrokenProgram(f"the column '{handle}' is asked for in two shapes")
        if known.memo and not memo:
            known = self._columns[handle] = replace(known, memo=False)
        return known

    def find(self, handle: Handle) -> Column | None:
        """The column of a handle, if there is one."""
        return self._columns.get(handle)

    def layout(self) -> Layout:
        """The layout as it stands."""
        return Layout(tuple(self._columns.values()))


@dataclass(frozen=True, slots=True)
class Start:
    """An account that opens with another value than the file's (or a setting of the run, like its habits)."""

    column: Column
    entity: int
    value: float
