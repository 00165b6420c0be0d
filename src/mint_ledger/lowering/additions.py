"""What is added to a program while it is being played: happenings from outside, and conditions to look at.

Only procedures, columns, causes, events, words and texts are added, each behind those that were there: whatever the
state and the journal already hold keeps its meaning.
"""

from __future__ import annotations

from collections.abc import Iterable, Mapping
from dataclasses import replace
from typing import Any

from mint_ledger.errors import BadRequest, Fault, GameError
from mint_ledger.formula import Formula, FormulaError, parse_formula
from mint_ledger.game.document import GameFile
from mint_ledger.game.script import Happening
from mint_ledger.game.script_reading import happenings
from mint_ledger.game.source import Source
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.formulas import condition, lower_formula
from mint_ledger.lowering.lower import open_lowering
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.script import lower_happening, lower_look
from mint_ledger.program.building import BlockBuilder
from mint_ledger.program.expressions import Local
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program


class Additions:
    """The open workshop of a game that is being played.

    Raises:
        GameError: the game cannot be lowered.
    """

    def __init__(self, game: GameFile) -> None:
        lowering, lowered = open_lowering(game)
        if isinstance(lowering, Fault):
            raise GameError([lowering])
        if lowering.faults or lowered is None:
            raise GameError(lowering.faults)
        self.lowering: Lowering = lowering
        self.lowered: Lowered = lowered
        self.program: Program = lowered.program
        self._looks: dict[str, Handle] = {}
        self._values: dict[str, tuple[Handle, str]] = {}
        self._happenings: dict[str, tuple[Happening, Handle]] = {}
        self._count = 0

    def happening(self, item: Mapping[str, Any]) -> tuple[Happening, Handle]:
        """Add what happens from outside (`{"hit": …, "with": …}`, without a time); gives it and its procedure.

        Raises:
            BadRequest: it is no happening, or names what is not in the game.
        """
        text = repr(sorted(item.items(), key=lambda pair: pair[0]))
        if text in self._happenings:
            return self._happenings[text]
        try:
            [written] = happenings(Source("", [dict(item)]), [{"at": 0, **item}])
        except GameError as error:
            raise BadRequest("; ".join(fault.message for fault in error.faults)) from None
        self._check_meeting(written)
        self._count += 1
        name = Handle("outside", (self._count,))
        lower_happening(self.lowering, written, ("outside",), name)
        self._finish(name)
        self._happenings[text] = written, name
        return written, name

    def look(self, text: str) -> Handle:
        """Add a condition; gives the procedure that says whether it holds.

        Raises:
            BadRequest: it is no condition of this game.
        """
        if text not in self._looks:
            self._count += 1
            name = Handle("looked at", (self._count,))
            try:
                lower_look(self.lowering, parse_formula(text), ("outside",), name)
            except FormulaError as error:
                raise BadRequest(str(error)) from None
            self._finish(name)
            self._looks[text] = name
        return self._looks[text]

    def value(self, text: str) -> tuple[Handle, str]:
        """Add a formula to ask for its value; gives the procedure that works it out, and the type of what comes of it.

        Raises:
            BadRequest: it is no formula of this game.
        """
        if text not in self._values:
            self._count += 1
            name = Handle("asked for", (self._count,))
            b = BlockBuilder()
            scope = Scope(self.lowering, b, ("outside",), no_chance="a question", outcome=True)
            try:
                typed = lower_formula(scope, parse_formula(text))
            except (FormulaError, Problem) as error:
                faults = [fault.message for fault in self.lowering.faults]
                self.lowering.faults.clear()
                raise BadRequest(str(error) or "; ".join(faults)) from None
            self.lowering.procedure(b.procedure(name, typed.expr))
            self._finish(name)
            self._values[text] = name, typed.type
        return self._values[text]

    def question(self, formula: Formula, owner: str, lets: Iterable[tuple[str, Formula]] = ()) -> Handle | None:
        """Add a condition that is asked of an entity of a kind (as self) or of the world; none where it makes no sense.

        The procedure takes the entity's number. It may name values that are worked out first (`lets`).
        """
        members = (self.lowering.cast.members[owner],) if owner else ()
        b = BlockBuilder(1)
        self_ref = EntityRef(Local(0), members) if members else None
        scope = Scope(self.lowering, b, ("outside",), self_=self_ref, no_chance="a watched condition")
        try:
            for known, worth in lets:
                typed = lower_formula(scope, worth)
                scope = replace(scope, lets={**scope.lets, known: replace(typed, expr=b.let(typed.expr))})
            value = condition(scope, formula)
        except Problem:
            self.lowering.faults.clear()
            return None
        if self.lowering.faults:
            self.lowering.faults.clear()
            return None
        self._count += 1
        name = Handle("question", (self._count,))
        self.lowering.procedure(b.procedure(name, value))
        self._finish(name)
        return name

    @property
    def cues(self) -> list[str]:
        """The names of the cues that something of the game gives or hears."""
        return list(self.lowering.cue_values)

    def _check_meeting(self, item: Happening) -> None:
        """Contact is only looked at between kinds of which something says what happens as they meet."""
        if item.meet is None:
            return
        one, other = (name.split("[")[0].strip() for name in item.meet)
        known = {frozenset(pair) for pair in self.lowering.wiring.touches}
        members = self.lowering.cast.members
        if one in members and other in members and frozenset((one, other)) not in known:
            raise BadRequest(f"nothing in the game happens as {one} and {other} meet")

    def _finish(self, added: Handle) -> None:
        lowering = self.lowering
        if lowering.faults:
            # What could not be added is as if nobody had tried.
            lowering.procedures.pop(added, None)
            faults = "; ".join(dict.fromkeys(fault.message for fault in lowering.faults))
            lowering.faults.clear()
            raise BadRequest(faults)
        self.program = replace(
            self.program,
            procedures=dict(lowering.procedures),
            layout=lowering.layout.layout(),
            causes=tuple(lowering.causes),
            events=tuple(lowering.events),
            words=tuple(lowering.words),
            texts=tuple(lowering.texts),
            formulas=tuple(lowering.formulas),
        )
