"""The whole game file."""

from __future__ import annotations

from typing import Any, Literal

from pydantic import Field, PrivateAttr, field_validator

from mint_ledger.formula.syntax import describe
from mint_ledger.game.action import Action
from mint_ledger.game.allow import Allow
from mint_ledger.game.attack import Attack
from mint_ledger.game.clock import Clock
from mint_ledger.game.dial_value import DialValue, Value
from mint_ledger.game.ending import Ending
from mint_ledger.game.habit import Habit
from mint_ledger.game.kind import Kind
from mint_ledger.game.level import Level
from mint_ledger.game.lot import Lot
from mint_ledger.game.named_formula import NamedFormula
from mint_ledger.game.parts import FileNames, MeasureText, Number, Part
from mint_ledger.game.readout import ReadoutItem
from mint_ledger.game.rule import Rule
from mint_ledger.game.script import Playtest
from mint_ledger.game.sections import sections
from mint_ledger.game.several import apart
from mint_ledger.game.source import Source
from mint_ledger.game.space import Space
from mint_ledger.game.stat import Stat
from mint_ledger.game.status import Status
from mint_ledger.game.table import Table
from mint_ledger.game.target import Target
from mint_ledger.game.turns import Turns


class GameFile(Part):
    """Everything that a game file may hold, as the designer wrote it."""

    mint_ledger: Literal[1] = 1
    title: str = "Untitled"
    about: str | None = None
    include: FileNames = Field(default_factory=list)
    clock: Clock = Field(default_factory=Clock)
    space: Space | None = None
    numbers: dict[str, Number] = Field(default_factory=dict)
    tables: dict[str, Table] = Field(default_factory=dict)
    formulas: dict[str, NamedFormula] = Field(default_factory=dict)
    stats: dict[str, Stat] = Field(default_factory=dict)
    kinds: dict[str, Kind] = Field(default_factory=dict)
    attacks: dict[str, Attack] = Field(default_factory=dict)
    actions: dict[str, Action] = Field(default_factory=dict)
    statuses: dict[str, Status] = Field(default_factory=dict)
    lots: dict[str, Lot] = Field(default_factory=dict)
    turns: Turns | None = None
    rules: list[Rule] = Field(default_factory=list)
    levels: dict[str, Level] = Field(default_factory=dict)
    endings: dict[str, Ending] = Field(default_factory=dict)
    habits: dict[str, Habit] = Field(default_factory=dict)
    variants: dict[str, dict[str, DialValue]] = Field(default_factory=dict)
    readout: list[ReadoutItem] = Field(default_factory=list)
    playtests: dict[str, Playtest] = Field(default_factory=dict)
    measures: dict[str, MeasureText] = Field(default_factory=dict)
    targets: list[Target] = Field(default_factory=list)
    allow: list[Allow] = Field(default_factory=list)

    @field_validator("mint_ledger", mode="before")
    @classmethod
    def _version(cls, value: Any) -> Any:
        if value != 1 or isinstance(value, bool):
            if isinstance(value, int) and value > 1:
                raise ValueError(
                    f"format {value} is of a newer version of Mint Ledger; this one reads game files of format 1"
                )
            raise ValueError(f"the format is a whole number, 1 today, not {describe(value)} {value}")
        return value

    @field_validator("include", mode="before")
    @classmethod
    def _is_read_with_its_file(cls, value: Any) -> Any:
        # Where the files are at hand their sections stand in the game already.
        if value:
            raise ValueError("names files beside the game file, and this game is a text without a folder")
        return []

    @field_validator(*sections("by name"), mode="before")
    @classmethod
    def _nothing_is_empty(cls, value: Any) -> Any:
        return value if value is not None else {}

    @field_validator(*sections("list"), mode="before")
    @classmethod
    def _nothing_is_an_empty_list(cls, value: Any) -> Any:
        return value if value is not None else []

    _source: Source | None = PrivateAttr(None)

    @property
    def source(self) -> Source:
        """The plain content that it was made of, with the places in the file."""
        if self._source is None:
            self._source = self._made_source()
        return self._source

    def _made_source(self) -> Source:
        return Source(self.title, self.model_dump(by_alias=True, exclude_unset=True))

    def variant_dials(self, variant: str | None) -> dict[str, Value]:
        """The dials that a variant sets, or several together.

        Raises:
            NotFound: there is no such variant.
        """
        dials: dict[str, Value] = {}
        for name in apart(variant, self.variants, "variant"):
            dials |= self.variants[name]
        return dials

    @property
    def all_targets(self) -> list[Target]:
        """The targets, those of several habits or variants once for each combination."""
        return [one for target in self.targets for one in target.combinations()]
