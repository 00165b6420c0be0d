"""What the lowering of a game collects as it goes: columns, procedures, causes, words, faults and more."""

from __future__ import annotations

from collections import Counter
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field

from mint_ledger.errors import BrokenProgram, Fault, nearest
from mint_ledger.formula import Formula
from mint_ledger.game.cast import Cast, Member
from mint_ledger.game.dials import Dials
from mint_ledger.game.document import GameFile
from mint_ledger.game.ending import Ending
from mint_ledger.game.paths import path_name
from mint_ledger.game.source import Source
from mint_ledger.lowering.sites import Sites
from mint_ledger.program.building import BlockBuilder
from mint_ledger.program.expressions import At, Expr, Ranges
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import (
    Account,
    Cause,
    CauseSort,
    Event,
    EventPhase,
    FormulaPlace,
    OrderLine,
    TimerColumns,
)
from mint_ledger.program.state import Column, LayoutBuilder
from mint_ledger.program.statements import Block, Procedure

Emit = Callable[[BlockBuilder], None]
EmitPair = Callable[[BlockBuilder, Expr, Expr], None]
EmitEvent = Callable[[BlockBuilder, Expr, Expr, tuple[Expr, ...]], None]


@dataclass(frozen=True, slots=True)
class LoweredLot:
    """A lot, and the procedures that tell the weights of its branches for (self, other).

    `selves` and `others` are the entities that those can be where it is first drawn; empty where there is none.
    `sure_by` has, by branch, the drawing at which it comes at the latest, as each self counts (all as one if `shared`).
    """

    name: str
    weights: tuple[Handle, ...]
    selves: tuple[int, ...]
    others: tuple[int, ...]
    sure_by: dict[str, int]
    shared: bool


WAITING = Handle("level asked by")


@dataclass(frozen=True, slots=True)
class AskedLevel:
    """A step that asks for a level, counted as an audit plays: how often it did, and how often it was the first to."""

    path: Path
    goal: str

    @property
    def times(self) -> Handle:
        """The column of how often it asked."""
        return Handle("level asked", self.path)

    @property
    def first(self) -> Handle:
        """The column of how often nothing else had asked before it in the step."""
        return Handle("level asked first", self.path)


@dataclass(frozen=True, slots=True)
class WorkedOut:
    """The formula of a stat, as it can be asked of an entity (as local 0): its value, its type, and what it reads."""

    formula: str
    value: Expr
    type: str
    reads: tuple[tuple[str, Expr], ...]


@dataclass
class Wiring:
    """What sets rules and attacks off, in the order of the file: it becomes the parts of a step."""

    new_step: list[Emit] = field(default_factory=list)
    starts: list[Emit] = field(default_factory=list)
    # Whose it is, and what it does in part 5 of each step.
    polled: list[tuple[Path, Emit]] = field(default_factory=list)
    watched: list[Emit] = field(default_factory=list)
    handlers: dict[int, list[EmitEvent]] = field(default_factory=dict)
    # (kind, kind) → what happens as two of them touch: (self, other).
    touches: dict[tuple[str, str], list[EmitPair]] = field(default_factory=dict)

    def on_event(self, event: int, emit: EmitEvent) -> None:
        """Let an event set something off."""
        self.handlers.setdefault(event, []).append(emit)


@dataclass
class Lowering:
    """The workshop of one lowering; `lower` in this package makes a program of it."""

    game: GameFile
    cast: Cast
    dials: Dials
    source: Source
    # Whether an entity could begin an action now: asked in formulas, answered by the action's own formulas.
    ready: Callable[[Lowering, BlockBuilder, str, Expr], Expr]
    layout: LayoutBuilder = field(default_factory=LayoutBuilder)
    procedures: dict[Handle, Procedure] = field(default_factory=dict)
    accounts: dict[str, Account] = field(default_factory=dict)
    causes: list[Cause] = field(default_factory=list)
    cause_numbers: dict[Cause, int] = field(default_factory=dict)
    events: list[Event] = field(default_factory=list)
    words: list[str] = field(default_factory=list)
    texts: list[tuple[str, ...]] = field(default_factory=list)
    formulas: list[FormulaPlace] = field(default_factory=list)
    order: list[OrderLine] = field(default_factory=list)
    # What each of them has made of part 5, and what brings values back within limits that move.
    polled_blocks: list[tuple[Path, Block]] = field(default_factory=list)
    limit_postings: Block = ()
    timers: list[TimerColumns] = field(default_factory=list)
    touching: dict[tuple[str, str], Column] = field(default_factory=dict)
    faults: list[Fault] = field(default_factory=list)
    # The causes (attacks) whose damage is left to chance.
    drawn_damage: set[int] = field(default_factory=set)
    # What has to be reset as an entity appears: (whose it is, for which entities, what to emit).
    on_appear: list[tuple[Path, Ranges, Callable[[BlockBuilder, Expr], None]]] = field(default_factory=list)
    # What has to be set as the game opens, for the rules of no kind.
    on_opening: list[Callable[[BlockBuilder], None]] = field(default_factory=list)
    # Kinds whose entities are spawned by rules of these members ("" is the game itself).
    makers: dict[str, set[str]] = field(default_factory=dict)
    counts_rules: bool = False
    # The rules without a name that draw.
    unnamed_luck: dict[Path, None] = field(default_factory=dict)
    # The dials that are chances, and the places of chances.
    chances: set[int] = field(default_factory=set)
    chance_places: dict[Path, None] = field(default_factory=dict)
    _arguments: set[int] = field(default_factory=set)
    _looked_at: set[Path] = field(default_factory=set)
    # Whether some rule makes an entity safe (or a life that is spent does).
    gives_safety: bool = False
    # The kinds of which some rule hears that one has appeared.
    listened_to: set[str] = field(default_factory=set)
    # What formulas ask of and has to be counted all along: it is known once all of them have been looked at.
    counted: frozenset[tuple[str, str]] = frozenset()
    asked_counts: set[tuple[str, str]] = field(default_factory=set)
    # The file's own formulas of which a fault is told where they stand, and those that throw dice; how many calls of
    # such formulas each formula comes to.
    without_room: set[str] = field(default_factory=set)
    broken_formulas: set[str] = field(default_factory=set)
    drawing_formulas: set[str] = field(default_factory=set)
    named_calls: Counter[int] = field(default_factory=Counter)
    lots: dict[str, LoweredLot] = field(default_factory=dict)
    # How many branches of lots have been written out, those within branches of others among them.
    drawings: int = 0
    # (kind, stat) → its formula; the kind of the game's own is empty.
    worked_out: dict[tuple[str, str], WorkedOut] = field(default_factory=dict)
    # Levels that some rule or script goes to.
    gone_to: set[str] = field(default_factory=set)
    asked_levels: dict[Path, AskedLevel] = field(default_factory=dict)
    touched_stats: set[str] = field(default_factory=set)
    # Dials that may not fall from one to the next: columns of tables that are searched by their cells.
    rising: list[tuple[int, ...]] = field(default_factory=list)
    # The names of the values that each cue brings, in the order of their first use.
    cue_values: dict[str, list[str]] = field(default_factory=dict)
    wiring: Wiring = field(default_factory=Wiring)
    sites: Sites = field(default_factory=Sites)
    # (kind, stat) → the (kind, stat)s that its formula or limits read, to find circles.
    depends: dict[tuple[str, str], dict[tuple[str, str], Path]] = field(default_factory=dict)

    # Who takes turns, in their order.
    turn_order: list[tuple[int, Member]] = field(default_factory=list)

    def fault(self, path: Path, message: str) -> None:
        """Note a fault of the game file; without a message it has been told where it stands."""
        if not message:
            return
        self.faults.append(Fault(self.source.place(path), path_name(path, self.source.data), message))

    def word(self, text: str) -> int:
        """The number of a word."""
        if text not in self.words:
            self.words.append(text)
        return self.words.index(text)

    def text(self, pieces: Iterable[str]) -> int:
        """The number of a text with holes."""
        self.texts.append(tuple(pieces))
        return len(self.texts) - 1

    def cause(self, sort: CauseSort, name: str, path: Path, damage_type: str = "") -> int:
        """The number of a cause, made now if it is new."""
        known = Cause(name, sort, path, damage_type)
        if len(self.cause_numbers) != len(self.causes):
            self.cause_numbers = {cause: index for index, cause in enumerate(self.causes)}
        if known not in self.cause_numbers:
            self.cause_numbers[known] = len(self.causes)
            self.causes.append(known)
        return self.cause_numbers[known]

    def event(self, handle: Handle, phase: EventPhase) -> int:
        """The number of an event, made now if it is new."""
        for index, event in enumerate(self.events):
            if event.handle == handle:
                return index
        self.events.append(Event(handle, phase, None))
        return len(self.events) - 1

    def formula_place(self, formula: Formula, path: Path, *, watched: bool = False) -> int:
        """Note a formula."""
        self.formulas.append(FormulaPlace(formula.text, path, self.source.place(path), watched=watched))
        return len(self.formulas) - 1

    def procedure(self, procedure: Procedure) -> None:
        """Add a procedure."""
        if procedure.handle in self.procedures:
            raise BrokenProgram(f"there are two procedures '{procedure.handle}'")
        self.procedures[procedure.handle] = procedure

    def entity_column(
        self, handle: Handle, members: Iterable[Member], role: str = "time", opening: float = 0.0
    ) -> Column:
        """A column that covers all entities of some kinds."""
        ranges = [(m.first, m.first + m.room) for m in members if m.room]
        first = min((low for low, _ in ranges), default=0)
        last = max((high for _, high in ranges), default=first + 1)
        return self.layout.column(handle, role, first, last - first, opening)  # type: ignore[arg-type]

    def present(self, entity: Expr) -> Expr:
        """Return whether an entity is there."""
        return At(self.layout.column(Handle("present"), "flag", 0, self.cast.size), entity)

    def find_members(self, name: str, path: Path) -> list[Member]:
        """The kinds that a name of the file means; an unknown one is a fault."""
        if name not in self.cast.members:
            self.fault(path, f"unknown kind '{name}'{nearest(name, self.cast.members)}")
            return []
        return self.cast.family(name)

    def find_all_members(self, names: Iterable[str], path: Path) -> tuple[Member, ...]:
        """The kinds with entities that several names of the file mean, each once, in the order of the file."""
        known = {member.name for name in names for member in self.find_members(name, path)}
        return tuple(m for m in self.cast.members.values() if m.name in known and m.room)

    def list_endings(self) -> list[tuple[str, Ending, tuple[Member, ...], Path]]:
        """Every ending as (name, model, the kinds it is judged for, path): each kind's own, then the game's."""
        endings: list[tuple[str, Ending, tuple[Member, ...], Path]] = []
        for kind, model in self.game.kinds.items():
            for name, ending in model.endings.items():
                holders = tuple(m for m in self.cast.family(kind) if m.kind.endings.get(name) is ending)
                endings.append((name, ending, holders, ("kinds", kind, "endings", name)))
        endings.extend((name, ending, (), ("endings", name)) for name, ending in self.game.endings.items())
        return endings

    def strikers_of(self, target: str) -> tuple[Member, ...]:
        """The kinds that have an attack that can strike a kind."""
        names: set[str] = set()
        for attack in self.game.attacks.values():
            if any(m.name == target for m in self.cast.families(attack.to)):
                names |= {m.name for m in self.cast.families(attack.from_)}
        return tuple(m for m in self.cast.members.values() if m.name in names)

    def dial_index(self, path: Path) -> int | None:
        """The dial at a path, if the number there is one."""
        index = self.dials.at(path)
        if index is not None:
            self._arguments.add(index)
        return index

    def looked_at(self, path: Path) -> None:
        """Note that the program depends on the numbers at or below a path: other values may make another program."""
        self._looked_at.add(path)

    def plain_arguments(self) -> frozenset[int]:
        """The dials that are arguments of the code and nothing else."""
        fixed = {
            index
            for index in self._arguments
            if any(
                self.dials.paths[index][:length] in self._looked_at
                for length in range(len(self.dials.paths[index]) + 1)
            )
        }
        sized = {
            index
            for index in self._arguments
            if self.dials.paths[index][0] == "clock" or self.dials.paths[index][-1] == "copies"
        }
        return frozenset(self._arguments - fixed - sized)


def ranges_of(members: Iterable[Member]) -> Ranges:
    """The entities of some kinds as runs; neighbors are joined."""
    joined: list[tuple[int, int]] = []
    for member in members:
        if not member.room:
            continue
        if joined and joined[-1][0] + joined[-1][1] == member.first:
            joined[-1] = (joined[-1][0], joined[-1][1] + member.room)
        else:
            joined.append((member.first, member.room))
    return tuple(joined)
