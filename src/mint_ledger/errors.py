"""Every error that the package raises on purpose.

MintError
├── GameError       the game file cannot be used: one `Fault` for each thing that is wrong
├── NotFound        a dial, account, habit … that was asked for by name and does not exist
├── BadRequest      an argument that makes no sense (a run count of 0, a path that cannot be written)
├── RunStopped      a run that could not go on: a division by zero, reactions without end …
├── BooksError      the books of a run do not reconcile: a defect of an engine, never of a game
└── BrokenProgram   a program that no engine can carry out: a defect of this package, never of a game
"""

from __future__ import annotations

import difflib
from collections.abc import Iterable
from dataclasses import dataclass
from typing import Any


class MintError(Exception):
    """Base of all errors of this package; `str()` of it is meant for a designer."""


@dataclass(frozen=True, slots=True)
class Place:
    """Where something stands in a file; `line` and `column` count from 1."""

    file: str
    line: int
    column: int

    def __str__(self) -> str:
        return f"{self.file}:{self.line}:{self.column}"

    def told(self, file: str) -> str:
        """Its line for people who look at a file, with the name of its own file where that is another."""
        line = f"line {self.line}"
        return line if self.file == file else f"{self.file.replace(chr(92), '/').rpartition('/')[2]} {line}"


@dataclass(frozen=True, slots=True)
class Fault:
    """One thing that is wrong with a game file: where, at which dial, what, and what would be right."""

    place: Place
    path: str
    message: str

    def __str__(self) -> str:
        what = f"{self.path}: {self.message}" if self.path else self.message
        return f"{self.place}: {what}"


# What is told of a game at once; `GameError.faults` has all.
MOST_FAULTS = 40


class GameError(MintError):
    """A game that cannot be used; `faults` lists all that is wrong, in the order of the file."""

    def __init__(self, faults: Iterable[Fault]) -> None:
        unique = dict.fromkeys(faults)
        self.faults = tuple(sorted(unique, key=lambda f: (f.place.file, f.place.line, f.place.column)))
        told = [str(f) for f in self.faults[:MOST_FAULTS]]
        if len(self.faults) > MOST_FAULTS:
            told.append(f"… and {len(self.faults) - MOST_FAULTS:,} more, likely for the same reasons")
        super().__init__("\n".join(told))


class NotFound(MintError):
    """Something that was asked for by its name and is not in the game."""


class NoSuchKey(NotFound, KeyError):
    """A mapping has no such key; the message has the nearest."""

    __str__ = MintError.__str__


class BadRequest(MintError):
    """An argument that cannot be served."""


class NobodyPlays(Warning):
    """A game with actions is studied in which no simulated player does any; said once for each game."""


class WorkersLost(MintError):
    """The workers of an executor that ended before they had played all runs."""


class RunStopped(MintError):
    """A run that could not go on; the message names the formula or rules, the place, the time and the values.

    Attributes:
        reason: the message without the time, the run and the values: the same for all runs that stop for one reason.
    """

    def __init__(self, message: str, reason: str = "") -> None:
        self.reason = reason or message
        super().__init__(message)


class Partial(KeyboardInterrupt):
    """An answer that Ctrl-C stopped early.

    Attributes:
        answer: what was done until then: a study, comparison, sweep … of fewer runs, points or dials than planned.
        done: how much was done.
        planned: how much was planned.
    """

    def __init__(self, answer: Any, done: int, planned: int, of: str = "runs") -> None:
        self.answer, self.done, self.planned = answer, done, planned
        super().__init__(f"stopped after {done:,} of {planned:,} {of}")

    @property
    def study(self) -> Any:
        """Return the answer by the name that it had when studies alone could be stopped."""
        return self.answer


class BooksError(MintError):
    """The books of a run do not reconcile; this is our defect, whatever the game says."""


class BrokenProgram(MintError):
    """A program says what no engine can carry out; this is our defect, whatever the game says."""


def nearest(name: str, known: Iterable[str]) -> str:
    """Return `, did you mean 'x'?` for the nearest known name, or an empty string."""
    close = difflib.get_close_matches(str(name), [str(k) for k in known], n=1, cutoff=0.6)
    return f", did you mean '{close[0]}'?" if close else ""
