"""The state vector: columns of slots, one slot for each entity that a column covers."""

from __future__ import annotations

from dataclasses import dataclass
from typing import Literal

Role = Literal["value", "flag", "time", "step", "mark", "counter", "draws", "measure"]
"""What a slot is for: a booked value; a fact (present, in contact); a moment in seconds (or turns); the number of a
step; something else that is kept (an entity, a habit); a count; a count of draws; something that is only measured.
Only values and facts can make a condition true; moments and numbers of steps move on with the run."""


@dataclass(frozen=True, slots=True)
class Column:
    """`count` slots from `base`, for the entities from `first`; the slot of entity e is `base + e - first`."""

    name: str
    role: Role
    first: int
    count: int
    base: int
    opening: float = 0.0

    @property
    def offset(self) -> int:
        """What has to be added to an entity's number to get its slot."""
        return self.base - self.first


@dataclass(frozen=True, slots=True)
class Layout:
    """All columns of a program, in the order of their slots."""

    columns: tuple[Column, ...]

    @property
    def size(self) -> int:
        """How many slots the state vector has."""
        return sum(column.count for column in self.columns)

    def column(self, name: str) -> Column:
        """The column of a name."""
        return next(column for column in self.columns if column.name == name)

    def opening(self) -> list[float]:
        """A state vector before anything was opened."""
        return [column.opening for column in self.columns for _ in range(column.count)]


class LayoutBuilder:
    """Hands out columns one after another."""

    def __init__(self) -> None:
        self._columns: dict[str, Column] = {}
        self._size = 0

    def column(self, name: str, role: Role, first: int = 0, count: int = 1, opening: float = 0.0) -> Column:
        """Return the column of a name, made now if there is none."""
        if name not in self._columns:
            self._columns[name] = Column(name, role, first, count, self._size, opening)
            self._size += count
        return self._columns[name]

    def find(self, name: str) -> Column | None:
        """The column of a name, if there is one."""
        return self._columns.get(name)

    def layout(self) -> Layout:
        """The layout as it stands."""
        return Layout(tuple(self._columns.values()))
