"""The text of a module in LLVM's assembly language.

Written as text: llvmlite's builder objects take 26 µs an instruction, and a game has ten thousand.
"""

from __future__ import annotations

import struct
from collections.abc import Iterable, Iterator
from contextlib import contextmanager

MACHINE_ARGUMENTS = "ptr noalias %s, ptr noalias %d, ptr noalias %x, ptr noalias %w"
"""What every routine gets: the state, the dials, the context, and when each part of a step is next to be looked at."""
PASSED_ON = "ptr %s, ptr %d, ptr %x, ptr %w"
FIRST_MOSTLY, SECOND_MOSTLY = ", !prof !0", ", !prof !1"
WEIGHTS = ('!0 = !{!"branch_weights", i32 2000, i32 1}', '!1 = !{!"branch_weights", i32 1, i32 20}')
"""What makes LLVM lay out code for the way that is gone mostly."""


def number(value: float) -> str:
    """A float64 as LLVM writes it, exact to the bit."""
    return "0x" + struct.pack(">d", value).hex().upper()


def known_number(value: str) -> float | None:
    """A float64 that `number` wrote; none where it is a register."""
    return float(struct.unpack(">d", bytes.fromhex(value[2:]))[0]) if value.startswith("0x") else None


class Routine:
    """One function in the making; values are the names of its registers."""

    def __init__(self, head: str, fail: str) -> None:
        self.head = head
        self._lines: list[str] = []
        self._cells: list[str] = []
        # Values as they were read from memory; and of these flags, which are never -0.
        self.read: set[str] = set()
        self.flags: set[str] = set()
        self._count = 0
        self._open = True
        self._fail = fail
        self.fails = False

    def let(self, operation: str) -> str:
        """The result of an operation."""
        self._count += 1
        name = f"%v{self._count}"
        self._lines.append(f"  {name} = {operation}")
        if operation.startswith("load double"):
            self.read.add(name)
        return name

    def do(self, operation: str) -> None:
        """An operation without a result."""
        self._lines.append(f"  {operation}")

    def cell(self, kind: str, opening: str | None) -> str:
        """Room on the stack for the whole call."""
        self._count += 1
        name = f"%c{self._count}"
        self._cells.append(f"  {name} = alloca {kind}")
        if opening is not None:
            self._cells.append(f"  store {kind} {opening}, ptr {name}")
        return name

    def label(self) -> str:
        """A name for a place to go to."""
        self._count += 1
        return f"b{self._count}"

    def place(self, label: str) -> None:
        """Go on from here; whatever came before leads here."""
        if self._open:
            self.do(f"br label %{label}")
        self._lines.append(f"{label}:")
        self._open = True

    def start(self, label: str) -> None:
        """Go on from here; only what names the place leads here."""
        self._open = False
        self.place(label)

    def go(self, label: str) -> None:
        """Go to a place."""
        if self._open:
            self.do(f"br label %{label}")
        self._open = False

    def leave(self, what: str) -> None:
        """Return."""
        if self._open:
            self.do(f"ret {what}")
        self._open = False

    @property
    def is_open(self) -> bool:
        """Return whether what is written next can be reached."""
        return self._open

    def fork(self, flag: str, yes: str, no: str, often: str = "") -> None:
        """Go to one of two places; `often` says which is gone to mostly."""
        self.do(f"br i1 {flag}, label %{yes}, label %{no}{often}")
        self._open = False

    def fail_unless(self, flag: str) -> None:
        """Stop the run (in a quiet routine: look at the next step) unless a flag holds."""
        self.fails = True
        on = self.label()
        self.fork(flag, on, "fail", FIRST_MOSTLY)
        self.place(on)

    def fail(self) -> None:
        """Stop the run."""
        self.fails = True
        self.go("fail")

    @contextmanager
    def when(self, flag: str, often: str = "") -> Iterator[None]:
        """What follows is done only where the flag holds."""
        then, after = self.label(), self.label()
        self.fork(flag, then, after, often)
        self.place(then)
        yield
        self.place(after)

    @contextmanager
    def when_any(self, flags: Iterable[str], often: str = "") -> Iterator[None]:
        """What follows is done only where one of the flags holds."""
        then, after = self.label(), self.label()
        for flag in flags:
            on = self.label()
            self.fork(flag, then, on, often)
            self.place(on)
        self.go(after)
        self.start(then)
        yield
        self.place(after)

    @property
    def length(self) -> int:
        """Return how many lines it has so far."""
        return len(self._lines)

    def text(self) -> str:
        """The whole function."""
        assert not self._open, self.head
        fail = ["fail:", *(f"  {line}" for line in self._fail.split("\n"))] if self.fails else []
        return "\n".join([f"define internal {self.head} {{", "entry:", *self._cells, *self._lines, *fail, "}"])


def wake_address(r: Routine, place: int | str) -> str:
    """Return where one of the numbers behind `%w` is; see `wakes`."""
    return r.let(f"getelementptr i64, ptr %w, i64 {place}")
