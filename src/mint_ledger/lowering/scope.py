"""What a formula can see from where it stands: self and other, values of its own, cues, chance."""

from __future__ import annotations

import ast
from collections.abc import Hashable
from dataclasses import dataclass, field, replace
from typing import Literal, Protocol

from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.sites import StatOf
from mint_ledger.program.building import BlockBuilder
from mint_ledger.program.expressions import Expr, Ranges
from mint_ledger.program.handle import Path

ValueType = Literal["number", "flag", "word", "entity"]


@dataclass(frozen=True, slots=True)
class EntityRef:
    """An entity that is known while the game runs, and the kinds that it can be of."""

    entity: Expr
    members: tuple[Member, ...]

    @property
    def ranges(self) -> Ranges:
        """The entities that it can be."""
        return ranges_of(self.members)


@dataclass(frozen=True, slots=True)
class Typed:
    """A lowered expression and what sort of value it has; `words` are those that it can be, where known.

    `reads` are the accounts, as (kind, stat), that a whole formula reads.
    """

    expr: Expr
    type: ValueType
    words: tuple[str, ...] = ()
    members: tuple[Member, ...] = ()
    reads: frozenset[StatOf] = frozenset()


class InFormula(Protocol):
    """The formula that is being lowered, as those see it who lower what stands in it."""

    scope: Scope
    formula: int

    def lower(self, node: ast.expr) -> Typed:
        """Lower one node."""

    def number(self, node: ast.expr) -> Expr:
        """Lower a node that has to be a number."""

    def flag(self, node: ast.expr) -> Expr:
        """Lower a node that has to be yes or no."""

    def word(self, text: str) -> Typed:
        """A word as a value."""

    def checked(self, expression: Expr) -> Expr:
        """A part that is worked out ahead of the rest, with the same care."""

    def elsewhere(self, scope: Scope) -> InFormula:
        """The same formula going on in another scope."""

    def note_account(self, owner: str, stat: str) -> None:
        """Keep that the formula reads a stat, of a kind or (with no owner) of the game."""

    def once(self, what: Hashable, scope: Scope, formula: Formula) -> Typed:
        """A formula of the file that is written out here; the same object again where it has been before."""

    def amount(self, scope: Scope, formula: Formula, *more: str | int) -> Expr:
        """A number or formula of the file that is read here."""


@dataclass(frozen=True)
class Scope:
    """A place in the game where formulas stand.

    `no_chance` says why chance may not stand here; `luck` is whose the draws of its chance calls are, and `drawer` the
    entity that draws where `self` is not seen. `within` are the worked out stats and limits that are being written out
    here. `watched` formulas set something off. `stands_at` is where a formula stands that is written out at `path`.
    """

    lowering: Lowering
    builder: BlockBuilder
    path: Path
    self_: EntityRef | None = None
    other: EntityRef | None = None
    lets: dict[str, Typed] = field(default_factory=dict)
    cue: dict[str, Expr] | None = None
    hit: dict[str, Expr] | None = None
    bound: dict[str, EntityRef] = field(default_factory=dict)
    luck: Luck | None = None
    drawer: EntityRef | None = None
    stands_at: Path | None = None
    no_chance: str | None = None
    outcome: bool = False
    watched: bool = False
    reads_for: tuple[str, str] | None = None
    within: tuple[str, ...] = ()
    # The lots in whose branches this stands.
    drawn: tuple[str, ...] = ()

    def at(self, *more: str | int) -> Scope:
        """The same scope further down in the file."""
        return replace(self, path=(*self.path, *more))

    def with_path(self, path: Path) -> Scope:
        """The same scope at another path."""
        return replace(self, path=path)

    def pure(self, why: str) -> Scope:
        """The same scope where chance may not stand."""
        return replace(self, no_chance=why)

    def bind(self, name: str, ref: EntityRef) -> Scope:
        """The same scope where a kind's bare name is one of its entities."""
        return replace(self, bound={**self.bound, name: ref})
