"""Chance in machine code: Philox 4×32-10, as in `chance/philox.py`.

As each draw is a pure function of where it stands, those to come at a place are made ahead: eight at once take about as
long as one, whose every operation waits for the one before.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass

from mint_ledger.chance.philox import ROUNDS, TWO_TO_MINUS_53
from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.assembly import FIRST_MOSTLY, Routine, number, wake_address
from mint_ledger.program.state import Column

_MULTIPLIERS = (0xD2511F53, 0xCD9E8D57)
_WEYL = (0x9E3779B9, 0xBB67AE85)
_WORD = 0xFFFFFFFF
_Words = tuple[str, str, str, str]
# Two in a vector: longer ones make some processors slow down altogether, which costs more than they save.
LANES = 2
AT_ONCE = 4 * LANES
# Beyond the first sixteen draws of a place so many are made.
KEPT = 32
SOME = 16
# Draws of kinds with more copies are not made ahead: most of these draw few times, and the room would be large.
FEW_COPIES = 8


@dataclass(frozen=True)
class Ahead:
    """Where draws that were made ahead are, for the first slot of a column of counts: the count that is no more among
    them, and the draws, each at its count modulo `KEPT`.
    """

    end: int
    ring: int


class DrawsAhead:
    """The layout of draws that were made ahead, among the numbers behind `%w`.

    Args:
        columns: those of a program.
        first: the first number that they may take.

    Attributes:
        places: by the base of a column of counts.
        ends: where the ends end, which are 0 as a run opens.
        size: where all of it ends.
    """

    def __init__(self, columns: Iterable[Column], first: int) -> None:
        counts = [column for column in columns if column.role == "draws" and column.count <= FEW_COPIES]
        self.ends = first + sum(column.count for column in counts)
        self.places: dict[int, Ahead] = {}
        end, ring = first, self.ends
        for column in counts:
            self.places[column.base] = Ahead(end, ring)
            end += column.count
            ring += column.count * KEPT
        self.size = ring


def uniform_function() -> str:
    """`uniform(key, run, copy, count, part)`: a number in [0, 1) with 53 random bits."""
    r = Routine("double @uniform(i64 %key, i32 %c0, i32 %c1, i32 %c2, i32 %c3)", "unreachable")
    keys = [r.let("trunc i64 %key to i32"), r.let(f"trunc i64 {r.let('lshr i64 %key, 32')} to i32")]
    c0, c1, c2, c3 = "%c0", "%c1", "%c2", "%c3"
    for _ in range(ROUNDS):
        left_high, left_low = _wide_product(r, c0, _MULTIPLIERS[0])
        right_high, right_low = _wide_product(r, c2, _MULTIPLIERS[1])
        c0 = r.let(f"xor i32 {r.let(f'xor i32 {right_high}, {c1}')}, {keys[0]}")
        c2 = r.let(f"xor i32 {r.let(f'xor i32 {left_high}, {c3}')}, {keys[1]}")
        c1, c3 = right_low, left_low
        keys = [r.let(f"add i32 {key}, {weyl}") for key, weyl in zip(keys, _WEYL, strict=True)]
    high = r.let(f"shl i64 {r.let(f'zext i32 {c1} to i64')}, 21")
    low = r.let(f"zext i32 {r.let(f'lshr i32 {c0}, 11')} to i64")
    bits = r.let(f"uitofp i64 {r.let(f'or i64 {high}, {low}')} to double")
    r.leave(f"double {op.mul(r, bits, number(TWO_TO_MINUS_53))}")
    return r.text()


def _wide_product(r: Routine, word: str, multiplier: int) -> tuple[str, str]:
    product = r.let(f"mul i64 {r.let(f'zext i32 {word} to i64')}, {multiplier}")
    high = r.let(f"trunc i64 {r.let(f'lshr i64 {product}, 32')} to i32")
    return high, r.let(f"trunc i64 {product} to i32")


DRAW = "@mint_draw"
DRAW_DECLARED = f"declare double {DRAW}(i64, i64, i64, i64, ptr, ptr)"


def ahead_text() -> str:
    """Return what makes draws ahead, in LLVM's assembly language; all games share its machine code.

    `mint_draw(key, run, copy, count, end, ring)`: a draw (of part 0) that is not kept; the next are kept.
    """
    r = Routine(f"double {DRAW}(i64 %key, i64 %run, i64 %copy, i64 %count, ptr noalias %end, ptr noalias %ring)", "")
    first = r.let(f"and i64 %count, {-AT_ONCE}")
    room = r.let(f"select i1 {r.let(f'icmp slt i64 %count, {SOME}')}, i64 {AT_ONCE}, i64 {KEPT}")
    end = r.let(f"add i64 {first}, {room}")
    r.do(f"store i64 {end}, ptr %end")
    r.do(f"call void @uniforms(i64 %key, i64 %run, i64 %copy, i64 {first}, i64 {end}, ptr %ring)")
    drawn = r.let(f"getelementptr double, ptr %ring, i64 {r.let(f'and i64 %count, {KEPT - 1}')}")
    r.leave(f"double {r.let(f'load double, ptr {drawn}')}")
    return "\n".join((_uniforms(), r.text().replace("define internal", "define", 1)))


def draw_ahead(r: Routine, ahead: Ahead, slot: str, stands_at: tuple[str, str, str, str]) -> str:
    """A draw (key, run, copy, count) that may have been made ahead; `slot` is the one of its count in the column."""
    count = stands_at[-1]
    end = r.let(f"getelementptr i64, ptr {wake_address(r, ahead.end)}, i64 {slot}")
    ring = r.let(f"getelementptr [{KEPT} x double], ptr {wake_address(r, ahead.ring)}, i64 {slot}")
    left = r.let(f"sub i64 {r.let(f'load i64, ptr {end}')}, {count}")
    is_kept = r.let(f"icmp ult i64 {r.let(f'sub i64 {left}, 1')}, {KEPT}")
    drawn = r.cell("double", None)
    kept, made, after = r.label(), r.label(), r.label()
    r.fork(is_kept, kept, made, FIRST_MOSTLY)
    r.place(kept)
    place = r.let(f"getelementptr double, ptr {ring}, i64 {r.let(f'and i64 {count}, {KEPT - 1}')}")
    r.do(f"store double {r.let(f'load double, ptr {place}')}, ptr {drawn}")
    r.go(after)
    r.place(made)
    given = ", ".join(f"i64 {word}" for word in stands_at)
    r.do(f"store double {r.let(f'call double {DRAW}({given}, ptr {end}, ptr {ring})')}, ptr {drawn}")
    r.place(after)
    return r.let(f"load double, ptr {drawn}")


def _uniforms() -> str:
    """`uniforms(key, run, copy, first, end, ring)`: as `uniform`, for all counts from `first` to before `end`; both are
    multiples of `AT_ONCE`.
    """
    head = "void @uniforms(i64 %key, i64 %run, i64 %copy, i64 %first, i64 %end, ptr noalias %ring) noinline"
    r = Routine(head, "unreachable")
    lanes = _Lanes(r)
    again, end = r.label(), r.label()
    counts = r.cell("i64", "%first")
    r.place(again)
    count = r.let(f"load i64, ptr {counts}")
    run, copy = lanes.all("%run"), lanes.all("%copy")
    keys = [lanes.all("%key"), lanes.all(r.let("lshr i64 %key, 32"))]
    offsets = lanes.these(range(LANES))
    words = []
    for more in range(0, AT_ONCE, LANES):
        these = lanes.do("add", lanes.all(r.let(f"add i64 {count}, {more}")), offsets)
        words.append((run, copy, these, lanes.each(0)))
    for _ in range(ROUNDS):
        words = [lanes.round(chain, keys) for chain in words]
        keys = [lanes.do("add", key, lanes.each(weyl)) for key, weyl in zip(keys, _WEYL, strict=True)]
    place = r.let(f"getelementptr double, ptr %ring, i64 {r.let(f'and i64 {count}, {KEPT - 1}')}")
    for index, (c0, c1, _, _) in enumerate(words):
        where = r.let(f"getelementptr double, ptr {place}, i64 {index * LANES}")
        r.do(f"store {lanes.floats} {lanes.uniform(c0, c1)}, ptr {where}, align 8")
    following = r.let(f"add i64 {count}, {AT_ONCE}")
    r.do(f"store i64 {following}, ptr {counts}")
    r.fork(r.let(f"icmp slt i64 {following}, %end"), again, end)
    r.place(end)
    r.leave("void")
    return r.text()


class _Lanes:
    """Operations on vectors of 64-bit lanes, of which the lower half is a word and the other is not looked at."""

    words = f"<{LANES} x i64>"
    floats = f"<{LANES} x double>"

    def __init__(self, r: Routine) -> None:
        self._r = r

    def do(self, operation: str, a: str, b: str) -> str:
        return self._r.let(f"{operation} {self.words} {a}, {b}")

    def these(self, values: Iterable[int]) -> str:
        return f"<{', '.join(f'i64 {value}' for value in values)}>"

    def each(self, value: int) -> str:
        return self.these([value] * LANES)

    def all(self, value: str) -> str:
        """The same value in all lanes."""
        one = self._r.let(f"insertelement {self.words} poison, i64 {value}, i32 0")
        same = f"<{LANES} x i32> zeroinitializer"
        return self._r.let(f"shufflevector {self.words} {one}, {self.words} poison, {same}")

    def word(self, value: str) -> str:
        """The words alone, with zeros above them."""
        return self.do("and", value, self.each(_WORD))

    def round(self, words: _Words, keys: list[str]) -> _Words:
        """One round of Philox."""
        c0, c1, c2, c3 = words
        left = self.do("mul", self.word(c0), self.each(_MULTIPLIERS[0]))
        right = self.do("mul", self.word(c2), self.each(_MULTIPLIERS[1]))
        mixed = []
        for product, other, key in ((right, c1, keys[0]), (left, c3, keys[1])):
            high = self.do("lshr", product, self.each(32))
            mixed.append(self.do("xor", high, self.do("xor", other, key)))
        return mixed[0], right, mixed[1], left

    def uniform(self, c0: str, c1: str) -> str:
        """53 bits of two words as numbers in [0, 1), without rounding: 32 of the one above 21 of the other."""
        high = self._scaled(self.word(c1), 2.0**-32)
        low = self._scaled(self.do("lshr", self.word(c0), self.each(11)), TWO_TO_MINUS_53)
        return self._r.let(f"fadd {self.floats} {high}, {low}")

    def _scaled(self, whole: str, scale: float) -> str:
        """A whole number below 2⁵² as float64, times a power of two."""
        # Behind the bits of 2⁵² a whole number stands as it is.
        raised = self.do("or", whole, self.each(0x4330000000000000))
        as_floats = self._r.let(f"bitcast {self.words} {raised} to {self.floats}")
        exact = self._r.let(f"fsub {self.floats} {as_floats}, {self._floats(2.0**52)}")
        return self._r.let(f"fmul {self.floats} {exact}, {self._floats(scale)}")

    def _floats(self, value: float) -> str:
        return f"<{', '.join([f'double {number(value)}'] * LANES)}>"
