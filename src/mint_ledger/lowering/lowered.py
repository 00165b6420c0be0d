"""A lowered game: its program, with what views need of it that engines do not."""

from __future__ import annotations

import math
from collections.abc import Mapping
from dataclasses import dataclass, field, replace
from functools import cached_property
from itertools import pairwise

from mint_ledger.game.cast import turned_cast
from mint_ledger.game.document import GameFile
from mint_ledger.game.source import Source
from mint_ledger.game.turning import Turning
from mint_ledger.lowering.context import AskedLevel, LoweredLot, WorkedOut
from mint_ledger.lowering.measure import Measure
from mint_ledger.lowering.readout import ReadoutBar, ReadoutLine
from mint_ledger.lowering.script import LoweredPlaytest
from mint_ledger.lowering.sites import Sites
from mint_ledger.lowering.stats import starts_fit
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Program, ScriptItem


@dataclass(frozen=True)
class Lowered:
    """A program, with what views need of it that engines do not."""

    program: Program
    playtests: tuple[LoweredPlaytest, ...]
    readout: tuple[ReadoutBar | ReadoutLine, ...]
    script: tuple[ScriptItem, ...] = ()
    habits: tuple[tuple[int, int], ...] = ()
    habit_players: dict[str, tuple[int, ...]] = field(default_factory=dict)
    levels: tuple[str, ...] = ()
    measures: tuple[Measure, ...] = ()
    made_of: Source | Turning = field(default_factory=lambda: Source("game", {}), compare=False)
    # The dials that are arguments of the code; another value of theirs makes no other program.
    arguments: frozenset[int] = frozenset()
    # The rules without a name that draw: with another text they have other luck.
    unnamed_luck: tuple[Path, ...] = ()
    # The dials that are chances, so that they lie in 0 to 1; and the places of all chances of the file.
    chances: tuple[int, ...] = ()
    chance_places: tuple[Path, ...] = ()
    # Dials that may not fall from one to the next.
    rising: tuple[tuple[int, ...], ...] = ()
    lots: tuple[LoweredLot, ...] = ()
    # (kind, stat) → the formula of a stat that is worked out.
    worked_out: dict[tuple[str, str], WorkedOut] = field(default_factory=dict)
    asked_levels: tuple[AskedLevel, ...] = ()
    # What stands at each place of the file.
    sites: Sites = field(default_factory=Sites, compare=False, repr=False)

    @cached_property
    def source(self) -> Source:
        """The content that it was made of, with its text."""
        return self.made_of if isinstance(self.made_of, Source) else self.made_of.source()

    def cues(self, *, heard: bool) -> tuple[str, ...]:
        """The cues that something hears, or those that are given and that nothing hears."""
        found = [
            event for event in self.program.events if event.phase == "cue" and (event.handler is not None) == heard
        ]
        return tuple(str(event.handle.owner[0]) for event in found)

    def with_numbers_of(self, other: Lowered) -> Lowered:
        """This program with the numbers of one that differs in numbers (and measures) alone."""
        numbers = other.program
        turned = replace(self.program, dials=numbers.dials, cast=numbers.cast, world_stats=numbers.world_stats)
        self.program.hand_on(turned)
        return replace(self, program=turned, made_of=other.made_of)

    def turned(self, game: GameFile, made_of: Turning, changes: Mapping[int, float | bool]) -> Lowered | None:
        """The same program with other numbers (of dials, by index), for the game that has them.

        None where the code depends on one of them, or where a start or limit may no longer be possible: then the
        game has to be lowered again.
        """
        program, known = self.program, self.program.dials
        for index, value in changes.items():
            if index not in self.arguments or isinstance(value, bool) != known.flags[index] or not math.isfinite(value):
                return None
        dials = known.turned({index: float(value) for index, value in changes.items()})
        if any(not 0.0 <= dials.numbers[index] <= 1.0 for index in self.chances):
            return None
        cast = turned_cast(game, program.cast)
        moved = [path for path, old, new in zip(dials.paths, known.numbers, dials.numbers, strict=True) if old != new]
        if not starts_fit(game, cast, moved):
            return None
        if any(dials.numbers[one] > dials.numbers[other] for row in self.rising for one, other in pairwise(row)):
            return None
        turned = replace(program, dials=dials, cast=cast, world_stats=game.stats)
        program.hand_on(turned)
        return replace(self, program=turned, made_of=made_of)
