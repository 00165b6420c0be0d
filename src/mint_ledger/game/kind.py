"""Kinds: the sorts of things in a game."""

from __future__ import annotations

from typing import Annotated, Any

from pydantic import BeforeValidator, Field

from mint_ledger.formula.syntax import describe
from mint_ledger.game.attack import WhenHit
from mint_ledger.game.ending import Ending
from mint_ledger.game.lives import Lives
from mint_ledger.game.parts import Amount, Condition, Part, Whole
from mint_ledger.game.rule import Rule
from mint_ledger.game.space import Moves, Position
from mint_ledger.game.stat import Stat

MAX_ENTITIES = 5_000


def read_copies(value: Any) -> Any:
    """Return how many copies, or what differs in each."""
    if isinstance(value, list):
        if len(value) > MAX_ENTITIES:
            raise ValueError(f"{len(value):,} copies are too many; the most is {MAX_ENTITIES:,}")
        return [{} if item is None else item for item in value]
    if isinstance(value, bool) or not isinstance(value, (int, float)) or value % 1 != 0:
        raise ValueError(f"wants a whole number or a list of overrides, not {describe(value)}")
    if not 0 <= value <= MAX_ENTITIES:
        raise ValueError(f"{value:,} copies: a kind may have 0 to {MAX_ENTITIES:,}")
    return int(value)


class Kind(Part):
    """A sort of thing: its copies, stats, rules, and what a hit meets."""

    about: str | None = None
    label: str | None = None
    like: str | None = None
    copies: Annotated[int | list[dict[str, Amount]], BeforeValidator(read_copies)] = 1
    room: Annotated[Whole, Field(ge=0, le=MAX_ENTITIES)] | None = None
    side: str | None = None
    stats: dict[str, Stat] = Field(default_factory=dict)
    when_hit: WhenHit | None = None
    gone_if: Condition | None = None
    stays_gone: bool = False
    immune: list[str] | None = None
    lives: Lives | None = None
    where: Position | None = None
    radius: Amount | None = None
    faces: Amount | None = None
    moves: Moves | None = None
    rules: list[Rule] = Field(default_factory=list)
    endings: dict[str, Ending] = Field(default_factory=dict)

    @property
    def copy_habits(self) -> list[str | None]:
        """The habit that each copy has of its own, where the copies are listed."""
        copies = self.copies if isinstance(self.copies, list) else []
        return [copy["habit"].text if "habit" in copy else None for copy in copies]

    @property
    def all_rules(self) -> list[Rule]:
        """Its rules, those that short forms stand for included."""
        return [*self.rules, *([self.lives.rule] if self.lives else [])]

    @property
    def copy_count(self) -> int:
        """Return how many there are at the start."""
        return len(self.copies) if isinstance(self.copies, list) else self.copies
