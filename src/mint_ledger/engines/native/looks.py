"""What parts of a step look at, and which changes of it concern them.

A part that only compares an account with what stands still all run is concerned by the postings that turn the
comparison, and by no other.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, replace
from typing import Literal

from mint_ledger.program import expressions as ex


@dataclass(frozen=True)
class Threshold:
    """What an account is compared with. Where `<` turns, so does `>=`, and `>` with `<=`, `!=` with `==`."""

    op: Literal["<=", ">=", "=="]
    value: ex.Constant | ex.Dial


@dataclass(frozen=True)
class Answers:
    """Where is kept when each entity of a loop matters next: the answers of a run of entities, behind a number that is
    0 where none of them is known.
    """

    place: int
    first: int
    count: int

    @property
    def size(self) -> int:
        """Return how many numbers they take."""
        return 1 + self.count


@dataclass(frozen=True)
class Look:
    """A column is read for a run of entities.

    Attributes:
        first, count: the run.
        threshold: what the value is compared with, if that is all.
        answers: where the answers of a loop's entities are kept that rest on it.
        own: whether that is the answer of the very entity alone.
    """

    first: int
    count: int
    threshold: Threshold | None = None
    answers: Answers | None = None
    own: bool = False


Looks = dict[int, set[Look]]
"""The columns that are read, by their names in the module, with what is read of each."""

ANYBODY = (-(2**31), 2**32)
# So many comparisons are asked in less time than it takes to look again.
MOST_THRESHOLDS = 8
_TURNS_WITH: dict[ex.CompareOp, Literal["<=", ">=", "=="]] = {
    "<": ">=",
    "<=": "<=",
    ">": "<=",
    ">=": ">=",
    "==": "==",
    "!=": "==",
}
MIRRORED: dict[ex.CompareOp, ex.CompareOp] = {"<": ">", "<=": ">=", ">": "<", ">=": "<="}


def thresholds_of(e: ex.Compare) -> tuple[Threshold | None, Threshold | None]:
    """With what each side of a comparison is compared, where the other side stands still all run."""
    return _threshold(e.op, e.right), _threshold(MIRRORED.get(e.op, e.op), e.left)


def _threshold(op: ex.CompareOp, other: ex.Expr) -> Threshold | None:
    return Threshold(_TURNS_WITH[op], other) if isinstance(other, (ex.Constant, ex.Dial)) else None


def concerning(owners: ex.Ranges, looks: Iterable[Look]) -> set[Look]:
    """The looks that can be at one of some runs of entities; those at all of them are at anybody."""
    found: set[Look] = set()
    for look in looks:
        end = look.first + look.count
        if all(look.first <= first and first + count <= end for first, count in owners):
            first, count = ANYBODY
            found.add(replace(look, first=first, count=count))
        elif any(first < end and look.first < first + count for first, count in owners):
            found.add(look)
    return found
