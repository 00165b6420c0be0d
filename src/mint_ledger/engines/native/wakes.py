"""When each piece of a step matters next: the numbers behind `%w`, and what is asked of them.

A piece that was marked has the wake 0. The pieces of a part are a group whose least wake is kept as well, as most parts
are quiet in most steps: it is worked out anew behind a part that was looked at, and what is marked meanwhile sets the
group's bit.
"""

from __future__ import annotations

from collections.abc import Iterable, Iterator, Sequence
from dataclasses import dataclass
from itertools import groupby

from mint_ledger.engines.native.assembly import Routine, wake_address
from mint_ledger.engines.native.module import Body
from mint_ledger.engines.native.turning import NEVER
from mint_ledger.facts.pieces import Piece
from mint_ledger.program.handle import Handle

# The least of more is sought in a loop, so that no routine grows with the pieces.
MANY_PIECES = 100


@dataclass(frozen=True)
class Group:
    """Pieces of a part that follow each other, from `first` on.

    Attributes:
        place: where their least wake is kept.
        bit: what is set where one of them was marked; 0 for a single piece, whose own wake says so.
    """

    part: Handle | None
    first: int
    count: int
    place: int
    bit: int

    @property
    def numbers(self) -> range:
        """The numbers of its pieces."""
        return range(self.first, self.first + self.count)


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
        self.groups: list[Group] = []
        self.group()

    def group(self, apart: int | None = None) -> None:
        """Make the groups; one piece may stand in a group of its own."""
        runs = groupby(self._pieces, lambda piece: (piece.part, piece.number == apart))
        found = [(part, [piece.number for piece in run]) for (part, _), run in runs]
        self.groups = []
        for part, numbers in [*found, (None, [self.script]), (None, [self.limit])]:
            place, bit = numbers[0], 0
            if len(numbers) > 1:
                place, bit = self.marked + 1 + len(self.groups), 1 << len(self.groups)
            self.groups.append(Group(part, numbers[0], len(numbers), place, bit))
        assert len(self.groups) < 64

    @property
    def size(self) -> int:
        """How many numbers there are."""
        return self.marked + 1 + len(self.groups)

    @property
    def bits(self) -> dict[int, int]:
        """What to set where a piece was marked, besides its wake."""
        return {piece: group.bit for group in self.groups for piece in group.numbers}

    def of_part(self, part: Handle) -> list[Group]:
        """The groups of a part."""
        return [group for group in self.groups if group.part == part]

    def is_due(self, r: Routine, groups: Sequence[Group], step: str) -> Iterator[str]:
        """Flags of which one holds if a piece of some groups matters in a step."""
        yield r.let(f"icmp sle i64 {least_of(r, [_wake(r, group.place) for group in groups])}, {step}")
        bits = sum(group.bit for group in groups)
        if bits:
            yield self._is_marked(r, bits)

    def look_again(self, body: Body, groups: Iterable[Group]) -> None:
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
        """The step in which a piece matters next, but for one that stands in a group of its own; not before the first
        step where one was marked."""
        least = least_of(r, [_wake(r, group.place) for group in self.groups if but is None or group.place != but])
        marked = self._is_marked(r, sum(group.bit for group in self.groups))
        return r.let(f"select i1 {marked}, i64 0, i64 {least}")

    def _is_marked(self, r: Routine, bits: int) -> str:
        return r.let(f"icmp ne i64 {r.let(f'and i64 {_wake(r, self.marked)}, {bits}')}, 0")

    def _least(self, body: Body, group: Group) -> str:
        r = body.r
        if group.count <= MANY_PIECES:
            return least_of(r, [_wake(r, piece) for piece in group.numbers])
        least = r.cell("i64", None)
        r.do(f"store i64 {NEVER}, ptr {least}")
        with body.loop(str(group.count)) as (index, _, _):
            wake = _wake(r, r.let(f"add i64 {index}, {group.first}"))
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
