"""A game with its program: what every stage after lowering is given. It reads itself again as its dials are turned."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass, replace
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any, Generic, Self, TypeVar, cast

from pydantic import PrivateAttr

from mint_ledger.accepted import plain_dials
from mint_ledger.errors import Fault, GameError, NotFound, nearest
from mint_ledger.files import write_text
from mint_ledger.game.dial_value import Value
from mint_ledger.game.dials import Dials
from mint_ledger.game.document import GameFile
from mint_ledger.game.loading import Path as FilePath
from mint_ledger.game.loading import read_game
from mint_ledger.game.scaling import concrete
from mint_ledger.game.script import Happening
from mint_ledger.game.script_reading import ScriptItems, read_script
from mint_ledger.game.sections import sections
from mint_ledger.game.several import apart
from mint_ledger.game.source import Source, parse_source
from mint_ledger.game.target import Target
from mint_ledger.game.turning import Turning, turned_parts
from mint_ledger.game.writing import yaml_text
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.lower import lower, open_lowering
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.sites import Sites

if TYPE_CHECKING:
    from mint_ledger.accepted import Settings

MOST_MEASURED = 8
SomeGame = TypeVar("SomeGame", bound="PlayableGame")


class PlayableGame(GameFile):
    """The models of a game file and the program that they make. It never changes once it is made."""

    _turning: Turning | None = PrivateAttr(None)
    # What happens from outside in every run.
    _script: tuple[Happening, ...] = PrivateAttr(())
    # The game before its numbers were turned, where it is the same program; and programs that take more measures.
    _plain: PlayableGame | None = PrivateAttr(None)
    _measured: dict[tuple[tuple[str, str], ...], Lowered] = PrivateAttr(default_factory=dict)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Self:
        """A copy, with some sections replaced; it is a game of its own, and looked at again."""
        copy = super().model_copy(update=update, deep=deep)
        if update:
            copy.__dict__.pop("lowered", None)
            copy._source = copy._turning = copy._plain = None
            copy._measured = {}
        return copy

    def _made_source(self) -> Source:
        return self._turning.source() if self._turning is not None else super()._made_source()

    @cached_property
    def lowered(self) -> Lowered:
        """The game as a program; raises `GameError` with all faults."""
        return lower(self, self._script)

    @property
    def script(self) -> tuple[Happening, ...]:
        """Return what happens from outside in every run; see `scripted`."""
        return self._script

    def scripted(self, script: ScriptItems) -> Self:
        """The same game with happenings from outside in every run, like the `script` of a playtest, after those that it
        has already. It is studied, swept, tuned and compared with them.

        Raises:
            GameError: one of them is no happening, or names what the game does not have.
        """
        more = tuple(read_script(script))
        if not more:
            return self
        game = _constructed(type(self), self.model_fields_set, dict(self))
        game._source, game._turning = self._source, self._turning
        game._script = (*self._script, *more)
        game.__dict__["lowered"] = lower(game, game._script)
        return game

    def remade(self, source: Source, turning: Turning | None = None) -> Self:
        """The game of another source, with the same happenings from outside.

        Raises:
            GameError: it cannot be used; all that is wrong, with line and column.
        """
        return game_of(source, type(self), turning).scripted(self._script)

    def lowered_with(self, measures: Mapping[str, str]) -> Lowered:
        """The program with more measures than the file's; games that differ in numbers alone share it.

        Raises:
            GameError: one of them is none.
        """
        if not measures:
            return self.lowered
        if self._plain is not None:
            return self._plain.lowered_with(measures).with_numbers_of(self.lowered)
        key = tuple(measures.items())
        if key not in self._measured:
            if len(self._measured) >= MOST_MEASURED:
                self._measured.clear()
            self._measured[key] = lower(self, self._script, measures)
        return self._measured[key]

    @property
    def dials(self) -> Dials:
        """All dials of the game, by name."""
        return self.lowered.program.dials

    def with_dials(self, changes: Settings) -> Self:
        """The same game with some dials set; `{"*.bite": "x0.8"}` multiplies all that the pattern means.

        Raises:
            NotFound: there is no such dial.
            BadRequest: a dial cannot be set to that.
            GameError: a value makes the game impossible (a start above its max …).
        """
        program = self.lowered.program
        dials = program.dials
        changes = concrete(dials, program.cast, self.stats, plain_dials(changes))
        written = {dials.place(name): value for name, value in changes.items()}
        turning = (self._turning or Turning(self.source, program.cast, {})).further(written)
        if any(name in dials.formulas for name in changes):
            return self.remade(turning.source(), turning)
        by_index: dict[int, float | bool] = {}
        for name, value in changes.items():
            index = dials.find(name)
            by_index[index] = dials.as_number(index, value) if isinstance(value, str) else value
        parts = turned_parts(self, program.cast, written)
        game = _constructed(type(self), self.model_fields_set, parts)
        lowered = self.lowered.turned(game, turning, by_index)
        if lowered is None:
            return self.remade(turning.source(), turning)
        game.__dict__["lowered"] = lowered
        game._turning, game._script = turning, self._script
        game._plain = self._plain or self
        return game

    def with_variant(self, name: str) -> Self:
        """The same game with the dials of one of its variants set, or of several: `hard + trowel`.

        Raises:
            NotFound: there is no such variant, or it names a dial that does not exist.
        """
        game = self
        for part in apart(name, self.variants, "variant"):
            game = game.with_dials(self.variants[part])
        if game._turning is not None:
            played = " + ".join(filter(None, (self.chosen_variant, name)))
            game._turning = replace(game._turning, variant=played)
        return game

    @property
    def chosen_variant(self) -> str:
        """The variant that set some of its dials, or several: `hard + trowel`; empty if none did."""
        return self._turning.variant if self._turning is not None else ""

    def turned(self, variant: str | None, dials: Settings | None) -> Self:
        """The same game with the dials of a variant, then some dials set; see `with_variant` and `with_dials`."""
        game = self.with_variant(variant) if variant else self
        return game.with_dials(dials) if dials is not None and len(dials) else game

    def target(self, name: str) -> Target:
        """One of the file's targets by its name.

        Raises:
            NotFound: there is none of that name.
        """
        known = {target.name: target for target in self.targets}
        if name not in known:
            raise NotFound(f"there is no target '{name}'{nearest(name, known)}")
        return known[name]

    @property
    def file(self) -> str:
        """Return what it was read from."""
        return str(self._turning.origin.file if self._turning is not None else self.source.file)

    def origin_text(self) -> str:
        """The text of the game before its dials were turned; `changes` has what was turned."""
        return yaml_text(self._turning.origin if self._turning is not None else self.source)

    def changes(self) -> tuple[tuple[str, Value], ...]:
        """The dials that were turned since the text was read, by name, with their values."""
        if self._turning is None:
            return ()
        dials = self.dials
        index = {place: name for name, place in dials.formulas.items()}
        index |= dict(zip(dials.written, dials.names, strict=True))
        return tuple((index[path], value) for path, value in self._turning.changes.items())

    def to_yaml(self) -> str:
        """The game as the text of a game file: the text that was read, with the numbers that were turned since."""
        return yaml_text(self.source)

    def save(self, path: str | Path) -> None:
        """Write the game file (beside, then renamed into place)."""
        write_text(Path(path), self.to_yaml())


def game_of(source: Source, kind: type[SomeGame], turning: Turning | None = None) -> SomeGame:
    """The game of a source.

    Raises:
        GameError: it cannot be used; all that is wrong, with line and column.
    """
    draft = draft_of(source, kind, turning)
    if draft.game is None or draft.faults:
        raise GameError(draft.faults)
    return draft.game


@dataclass(frozen=True)
class Draft(Generic[SomeGame]):
    """What could be made of a source that may be faulty.

    Attributes:
        game: the game, without its faulty parts; it can be played where there are no faults.
        faults: what is wrong.
        sites: what stands at the places of the file, as far as it could be lowered.
    """

    game: SomeGame | None
    faults: tuple[Fault, ...]
    sites: Sites


def draft_of(source: Source, kind: type[SomeGame], turning: Turning | None = None) -> Draft[SomeGame]:
    """Read and lower a source as far as it goes; never raises for what stands in it."""
    reading = read_game(source)
    if reading.game is None:
        return Draft(None, reading.faults, Sites())
    game = _constructed(kind, reading.game.model_fields_set, dict(reading.game))
    game._source = reading.game._source
    game._turning = turning
    lowering, lowered = open_lowering(game)
    if not isinstance(lowering, Lowering):
        return Draft(game, (*reading.faults, *_not_echoes([lowering], reading.left_out)), Sites())
    faults = (*reading.faults, *_not_echoes(lowering.faults, reading.left_out))
    if not faults and lowered is not None:
        game.__dict__["lowered"] = lowered
    return Draft(game, faults, lowering.sites)


def made_game(
    kind: type[SomeGame], fields: set[str], parts: Mapping[str, Any], source: Source, lowered: Lowered
) -> SomeGame:
    """A game of models, a source and a program that were once made of one another."""
    game = _constructed(kind, fields, parts)
    game._source = source
    game.__dict__["lowered"] = lowered
    return game


def _constructed(kind: type[SomeGame], fields: set[str], parts: Mapping[str, Any]) -> SomeGame:
    """A game of parts that are models already."""
    return cast(SomeGame, kind.model_construct(_fields_set=fields, **parts))


def game_in(text: str, name: str, kind: type[SomeGame]) -> SomeGame:
    """The game of a text; see `game_of`."""
    return game_of(parse_source(text, name), kind)


def _not_echoes(faults: Sequence[Fault], left_out: Sequence[FilePath]) -> list[Fault]:
    """Faults that stand by themselves, and not only because a faulty part had to be left out."""
    named = {*sections("by name"), "stats", "endings"}
    missing = {str(path[-1]) for path in left_out if len(path) > 1 and path[-2] in named}
    # Without its 'of' a formula knows none of the names that it is made of.
    bare = tuple(f"formulas.{path[1]}." for path in left_out if path[:1] == ("formulas",) and path[2:] == ("of",))
    faults = [f for f in faults if not bare or not f.path.startswith(bare)]
    return [f for f in faults if not any(f"'{name}'" in f.message or f".{name}" in f.message for name in missing)]
