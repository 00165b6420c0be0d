"""When each piece of a step matters next: the numbers behind `%w`, and what is asked of them.

A piece that was marked has the wake 0. The pieces of a stretch of parts are a group whose least wake is kept as well,
as most are quiet in most steps: it is worked out again after a stretch that was visited, and what is marked meanwhile
sets the group's bit.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

from mint_ledger.engines.native.assembly import Routine, wake_address
from mint_ledger.engines.native.module import Body
from mint_ledger.engines.native.turning import NEVER
from mint_ledger.facts.pieces import Piece
from mint_ledger.program import parts

# The parts of a step that are looked at together: what hardly ever matters is asked with one look.
_LAST = (parts.ENDINGS, parts.LEVELS, parts.MEASURES)
STRETCHES = (parts.BEFORE_SCRIPT, *((part,) for part in parts.AFTER_SCRIPT if part not in _LAST), _LAST)
# The stretches that end with the script, and with the clock's limit.
WITH_SCRIPT, WITH_LIMIT = 0, len(STRETCHES) - 1
# The least of more is sought in a loop, so that no routine grows with the pieces.
MANY_PIECES = 100


@dataclass(frozen=True)
class PieceGroup:
    """Pieces that follow each other in a stretch.

    Attributes:
        stretch: which of `STRETCHES` they are of.
        numbers: theirs; the script and the clock's limit are pieces here.
        place: where their least wake is kept.
        bit: what is set where one of them was marked; 0 for a single piece, whose own wake says so.
    """

    stretch: int
    numbers: tuple[int, ...]
    place: int
    bit: int


class Wakes:
    """The layout of `%w`: the wakes of the pieces, of the script and of the clock's limit; streaks; empty seats; what
    was marked; the least wakes of groups.

    Args:
        pieces: the pieces of a step.
        rooms: runs of entities of which is kept how many at the end were never there.
    """

    def __init__(self, pieces: Sequence[Piece], rooms: Sequence[tuple[int, int]]) -> None:
        self._pieces = pieces
        self.script, self.limit = len(pieces), len(pieces) + 1
        self.count = len(pieces) + 2
        # In how many steps on end each piece mattered.
        self.streaks = self.count
        self.empty_seats = {room: 2 * self.count + index for index, room in enumerate(rooms)}
        self.marked = 2 * self.count + len(rooms)
        self.groups: list[PieceGroup] = []
        self.group()
        # A piece in a group of its own leaves one before it and one behind.
        self.size = self.marked + 1 + len(self.groups) + 2

    def group(self, apart: int | None = None) -> None:
        """Make the groups; one piece may stand in a group of its own."""
        self.groups = []
        for stretch, names in enumerate(STRETCHES):
            pieces = [piece.number for piece in self._pieces if piece.part in names]
            if stretch == WITH_SCRIPT:
                pieces.append(self.script)
            if stretch == WITH_LIMIT:
                pieces.append(self.limit)
            for _, run in groupby(pieces, lambda number: number == apart):
                numbers = tuple(run)
                place, bit = numbers[0], 0
                if len(numbers) > 1:
                    place, bit = self.marked + 1 + len(self.groups), 1 << len(self.groups)
                self.groups.append(PieceGroup(stretch, numbers, place, bit))

    @property
    def bits(self) -> dict[int, int]:
        """Return what to set where a piece was marked, in addition to its wake."""
        return {piece: group.bit for group in self.groups for piece in group.numbers}

    def of_stretch(self, stretch: int) -> list[PieceGroup]:
        """The groups of a stretch."""
        return [group for group in self.groups if group.stretch == stretch]

    def is_due(self, r: Routine, groups: Sequence[PieceGroup], step: str) -> Iterator[str]:
        """Flags of which one holds if a piece of some groups matters in a step."""
        yield r.let(f"icmp sle i64 {least_of(r, [_wake(r, group.place) for group in groups])}, {step}")
        bits = sum(group.bit for group in groups)
        if bits:
            yield self._is_marked(r, bits)

    def look_again(self, body: Body, groups: Iterable[PieceGroup]) -> None:
        """Find the least wakes of groups whose pieces were asked."""
        r = body.r
        bits = 0
        for group in groups:
            if group.bit:
                least = self._least(body, group)
                r.do(f"store i64 {least}, ptr {wake_address(r, group.place)}")
                bits |= group.bit
        if bits:
            kept = r.let(f"and i64 {_wake(r, self.marked)}, {~bits}")
            r.do(f"store i64 {kept}, ptr {wake_address(r, self.marked)}")

    def soonest(self, r: Routine, *, but: int | None = None) -> str:
        """The step in which a piece matters next, except for one in its own group; not before the first step
        where one was marked.
        """
        least = least_of(r, [_wake(r, group.place) for group in self.groups if but is None or group.place != but])
        marked = self._is_marked(r, sum(group.bit for group in self.groups))
        return r.let(f"select i1 {marked}, i64 0, i64 {least}")

    def _is_marked(self, r: Routine, bits: int) -> str:
        return r.let(f"icmp ne i64 {r.let(f'and i64 {_wake(r, self.marked)}, {bits}')}, 0")

    def _least(self, body: Body, group: PieceGroup) -> str:
        r = body.r
        if len(group.numbers) <= MANY_PIECES:
            return least_of(r, [_wake(r, piece) for piece in group.numbers])
        # Those of the parts follow each other.
        of_parts = [number for number in group.numbers if number < len(self._pieces)]
        others = [number for number in group.numbers if number not in of_parts]
        least = r.cell("i64", None)
        r.do(f"store i64 {least_of(r, [NEVER, *(_wake(r, number) for number in others)])}, ptr {least}")
        with body.loop(str(len(of_parts))) as (index, _, _):
            wake = _wake(r, r.let(f"add i64 {index}, {of_parts[0]}"))
            r.do(f"store i64 {lesser(r, wake, r.let(f'load i64, ptr {least}'))}, ptr {least}")
        return r.let(f"load i64, ptr {least}")


def _wake(r: Routine, place: int | str) -> str:
    return r.let(f"load i64, ptr {wake_address(r, place)}")


def lesser(r: Routine, a: str, b: str) -> str:
    """The lesser of two steps."""
    return r.let(f"select i1 {r.let(f'icmp slt i64 {a}, {b}')}, i64 {a}, i64 {b}")


def least_of(r: Routine, steps: Sequence[str]) -> str:
    """The least of some steps."""
    while len(steps) > 1:
        pairs = [steps[i : i + 2] for i in range(0, len(steps), 2)]
        steps = [lesser(r, *pair) if len(pair) == 2 else pair[0] for pair in pairs]
    return steps[0]
