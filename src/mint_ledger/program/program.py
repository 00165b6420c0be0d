"""The program: all that an engine needs to play a game, apart from dials, seed and run number."""

from __future__ import annotations

import hashlib
import math
from collections import Counter
from collections.abc import Iterable
from dataclasses import dataclass, field
from functools import cache, cached_property
from typing import Literal

from mint_ledger.errors import Place
from mint_ledger.game.cast import Cast
from mint_ledger.game.clock import Clock
from mint_ledger.game.dials import Dials
from mint_ledger.game.stat import Stat
from mint_ledger.program.arithmetic import functions
from mint_ledger.program.expressions import Constant, Expr
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.state import Column, Layout
from mint_ledger.program.statements import Procedure

CauseSort = Literal[
    "rule",
    "branch",
    "attack",
    "flow",
    "limit",
    "spawn",
    "script",
    "ending",
    "cue",
    "status",
    "action",
    "habit",
    "level",
]
Result = Literal["win", "lose", "draw", "unfinished"]
EventPhase = Literal["hit", "condition", "gone", "cue"]
FlowWay = Literal["up", "down", "both"]


@dataclass(frozen=True, slots=True)
class FlowSpec:
    """A flow of an account by itself; the expressions see the entity as local 0.

    `way` is whether it only gives ("up"), only takes ("down") or follows its end both ways.
    """

    name: str
    to: Expr
    rate: Expr
    after: Expr
    after_limit: Expr | None
    gate: Expr | None
    at_once: bool
    cause: int
    way: FlowWay = "both"

    @property
    def has_end(self) -> bool:
        """Return whether it stops by itself: a flow without an end goes on as long as nothing stops it."""
        return not (isinstance(self.to, Constant) and math.isinf(self.to.value))


@dataclass(frozen=True, slots=True)
class FlowColumns:
    """Where a flow keeps its state."""

    rate: Column
    to: Column
    anchor: Column
    booked: Column
    since: Column
    waits_from: Column
    at_limit: Column


@dataclass(frozen=True, slots=True)
class AccountSpec:
    """What postings to the accounts of one kind's stat have to heed.

    Limits and flow see the entity as local 0; `locals` is how many locals they name.
    """

    low: Expr | None
    high: Expr | None
    whole: bool
    round: Literal["nearest", "down", "up"]
    wrap: bool
    flow: FlowSpec | None
    locals: int = 1


@dataclass(frozen=True, slots=True)
class Account:
    """A stat's column, and the spec for each run of entities that have it."""

    stat: str
    column: Column
    specs: tuple[tuple[int, int, AccountSpec], ...]
    flow_columns: FlowColumns | None
    touched: Column | None

    def spec(self, entity: int) -> AccountSpec | None:
        """The spec for an entity; none where it has no such stat."""
        for first, count, spec in self.specs:
            if first <= entity < first + count:
                return spec
        return None


@dataclass(frozen=True, slots=True)
class Known:
    """The columns that engines, and those who play and read runs, know by what they are."""

    step: Column
    ending: Column
    winner: Column
    script_position: Column
    only_script: Column
    first_level: Column
    present: Column
    habit: Column | None
    level: Column | None


@dataclass(frozen=True, slots=True)
class TimerColumns:
    """Where a steady timer keeps its state: the nth firing is due at base + n · period."""

    base: Column
    count: Column
    period: Column


@dataclass(frozen=True, slots=True)
class StatusColumns:
    """Where a status keeps who has it and how often, until when, since when, its ticks and who gave it."""

    name: str
    has: Column
    until: Column
    began: Column
    ticks: Column
    giver: Column
    # The stats that formulas read otherwise while somebody has it.
    changes: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Cause:
    """What made a posting: its name for people, its sort, where it stands in the file; an attack's damage type."""

    name: str
    sort: CauseSort
    path: Path
    damage_type: str = ""


@dataclass(frozen=True, slots=True)
class Event:
    """Something that can happen within a `do`; `handler` takes (self, other, actor, values …)."""

    handle: Handle
    phase: EventPhase
    handler: Handle | None


@dataclass(frozen=True, slots=True)
class EndingSpec:
    """One way a run can end."""

    name: str
    result: Result
    word: int


@dataclass(frozen=True, slots=True)
class FormulaPlace:
    """A formula of the file: its text, its path, the accounts that it reads; `watched` if it is looked at all the time
    to set something off.
    """

    text: str
    path: Path
    place: Place
    reads: tuple[tuple[str, Expr], ...] = ()
    watched: bool = False


@dataclass(frozen=True, slots=True)
class ScriptItem:
    """A happening that is due at a time."""

    at: float
    procedure: Handle


def scripts_of(script: Iterable[ScriptItem]) -> list[Handle]:
    """The procedures that a script calls, each once."""
    return list(dict.fromkeys(item.procedure for item in script))


@dataclass(frozen=True, slots=True)
class OrderLine:
    """One line of the firing order, for people."""

    part: str
    what: str
    path: Path
    depth: int = 0


@dataclass(frozen=True)
class Program:
    """A lowered game. The parts of a step are the procedures `part 1` … `part 7` and `opening`."""

    title: str
    clock: Clock
    cast: Cast
    dials: Dials
    layout: Layout
    columns: Known
    timers: tuple[TimerColumns, ...]
    # Which columns say who touches whom.
    touching: tuple[Column, ...]
    statuses: tuple[StatusColumns, ...]
    procedures: dict[Handle, Procedure]
    accounts: tuple[Account, ...]
    causes: tuple[Cause, ...]
    events: tuple[Event, ...]
    endings: tuple[EndingSpec, ...]
    words: tuple[str, ...]
    texts: tuple[tuple[str, ...], ...]
    formulas: tuple[FormulaPlace, ...]
    order: tuple[OrderLine, ...]
    clock_limit: Expr
    world_stats: dict[str, Stat] = field(default_factory=dict)
    # Where each cause stands in the file.
    cause_places: tuple[Place, ...] = ()
    # The causes whose damage is drawn: in the same place they deal now more, now less.
    drawn_damage: frozenset[int] = frozenset()

    def hand_on(self, other: Program) -> None:
        """Give a program that differs in its dials alone what was worked out of this one."""
        # Worked out once for all that a search turns.
        for key in ("account_index", "cause_labels", "content_hash"):
            other.__dict__[key] = getattr(self, key)

    @cached_property
    def content_hash(self) -> str:
        """A hash of all that a run depends on in addition to dials, seed and settings; the same in every process."""
        content = (
            self.procedures,
            self.accounts,
            self.layout.columns,
            self.columns,
            self.events,
            self.causes,
            self.endings,
            self.words,
            self.clock_limit,
            (self.clock.unit, self.cast.size),
        )
        # Written out, not pickled: the bytes depend on the content alone, and not on what is shared in it.
        return hashlib.sha256(f"{content!r}\n{_functions_hash()}".encode()).hexdigest()

    @cached_property
    def account_index(self) -> dict[str, int]:
        """The number of each stat's account column, by the stat's name."""
        return {account.stat: index for index, account in enumerate(self.accounts)}

    @cached_property
    def cause_labels(self) -> tuple[str, ...]:
        """What people call each cause: its name, with its owner where another rule or attack has that name as well."""
        named = ("rule", "branch", "attack", "action", "status", "ending", "habit", "cue", "level")
        shared = Counter(cause.name for cause in self.causes if cause.sort in named)
        labels: list[str] = []
        for cause in self.causes:
            label = cause.name
            if cause.sort in ("rule", "branch", "ending") and shared[label] > 1 and cause.path[0] == "kinds":
                label = f"{label} ({cause.path[1]})"
            number = 1
            while cause.sort in ("rule", "branch", "ending") and label in labels:
                number += 1
                label = f"{label.removesuffix(f' #{number - 1}')} #{number}"
            labels.append(label)
        return tuple(labels)

    def cause_of(self, owner: Path) -> int:
        """The number of the cause that stands at a path of the file, or around it; -1 if none does."""
        known = {cause.path: index for index, cause in reversed(list(enumerate(self.causes)))}
        while owner and owner not in known:
            owner = owner[:-1]
        return known[owner] if owner else -1

    def cause(self, sort: CauseSort, name: str) -> int:
        """The number of a cause."""
        return next(i for i, cause in enumerate(self.causes) if cause.sort == sort and cause.name == name)


@cache
def _functions_hash() -> str:
    return hashlib.sha256(repr(functions()).encode()).hexdigest()
