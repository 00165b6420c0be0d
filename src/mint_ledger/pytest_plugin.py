"""Playtests and targets of game files as test items of pytest.

Files named `*.mint.yaml`, and YAML files whose first key is `mint_ledger`, are collected. A playtest that fails fails;
so does a target that is missed. One that is undecided at so many runs is skipped, and says how many would decide it.
"""

from __future__ import annotations

import re
from collections.abc import Iterator
from functools import cached_property
from pathlib import Path
from typing import TYPE_CHECKING, Any

import pytest

if TYPE_CHECKING:
    from mint_ledger.balance.targets import Judged
    from mint_ledger.client import Game
    from mint_ledger.errors import Place
    from mint_ledger.playing.playtests import PlaytestResult

ENDINGS = (".yaml", ".yml")
# The first key may stand behind comments, empty lines and the mark of a document.
_FIRST_KEY = re.compile(r"(?:\ufeff|\s*#[^\n]*\n|\s*\n|---[^\n]*\n)*['\"]?mint_ledger['\"]?\s*:")
LOOKED_AT = 4_096
RUNS = 2_000


def pytest_addoption(parser: pytest.Parser) -> None:
    """The options of the plugin."""
    group = parser.getgroup("mint-ledger", "games of Mint Ledger")
    group.addoption("--mint-runs", type=int, default=RUNS, help=f"runs that judge a game's targets (default {RUNS})")
    group.addoption("--mint-seed", type=int, default=1, help="the seed of these runs (default 1)")


def pytest_collect_file(file_path: Path, parent: pytest.Collector) -> GameItems | None:
    """A game file, if this is one."""
    if file_path.suffix not in ENDINGS:
        return None
    if not file_path.name.endswith(tuple(f".mint{ending}" for ending in ENDINGS)) and not _begins_as_game(file_path):
        return None
    return GameItems.from_parent(parent, path=file_path)


def _begins_as_game(path: Path) -> bool:
    try:
        with path.open(encoding="utf-8") as stream:
            return _FIRST_KEY.match(stream.read(LOOKED_AT)) is not None
    except (OSError, ValueError):
        return False


class FellShort(Exception):
    """A playtest failed or a target is missed; the text says what was expected and what was found."""


class GameItems(pytest.File):
    """The playtests and targets of a game file."""

    def collect(self) -> Iterator[pytest.Item]:
        """An item for each playtest, and one for each target and each way of playing it."""
        for name in self.game.playtests:
            yield PlaytestItem.from_parent(self, name=f"playtest {name}", which=name)
        for target in self.game.all_targets:
            ways = " · ".join(part for part in (_several(target.habit), _several(target.variant)) if part)
            yield TargetItem.from_parent(self, name=f"target {target.name}{f' ({ways})' if ways else ''}", which=target)

    @cached_property
    def game(self) -> Game:
        """The game; all that is wrong with its file ends the collection of it."""
        from mint_ledger.client import load
        from mint_ledger.errors import GameError

        try:
            return load(self.path)
        except GameError as error:
            raise self.CollectError(str(error)) from None

    @cached_property
    def played(self) -> dict[str, PlaytestResult]:
        """Return what came of all playtests."""
        return {result.name: result for result in self.game.play_tests()}

    @cached_property
    def judged(self) -> list[Judged]:
        """Return what came of all targets, in their order: the games that they share are played once."""
        option = self.config.getoption
        return self.game.judge(option("--mint-runs"), option("--mint-seed"))


def _several(names: Any) -> str:
    return names if isinstance(names, str) else ", ".join(names or ())


class GameItem(pytest.Item):
    """One thing that a game promises."""

    parent: GameItems

    def __init__(self, *, which: Any, **more: Any) -> None:
        super().__init__(**more)
        self.which = which
        # Other plugins take for granted that an item has them, as doctests do.
        self.funcargs: dict[str, object] = {}

    def repr_failure(self, excinfo: Any, style: Any = None) -> Any:
        """Return what fell short in our words; a traceback only for what is a fault of ours."""
        if isinstance(excinfo.value, FellShort):
            return str(excinfo.value)
        return super().repr_failure(excinfo, style)

    def at(self, place: Place) -> tuple[Path, int, str]:
        """Return where it stands, in the game file or in one that it includes."""
        return Path(place.file), place.line - 1, self.name


class PlaytestItem(GameItem):
    """A playtest."""

    def runtest(self) -> None:
        """Look at what came of it.

        Raises:
            FellShort: it failed.
        """
        from mint_ledger.views.check_text import playtest_text

        result = self.parent.played[self.which]
        if not result.passed:
            raise FellShort(playtest_text(result))

    def reportinfo(self) -> tuple[Path, int, str]:
        """Return where it stands."""
        return self.at(self.parent.game.source.place(("playtests", self.which)))


class TargetItem(GameItem):
    """A target, for one way of playing."""

    def runtest(self) -> None:
        """Look at what came of it.

        Raises:
            FellShort: it is missed.
        """
        from mint_ledger.views.balance_text import targets_text

        # Without a habit it is wanted of every habit.
        judged = [one for one in self.parent.judged if one.target == self.which]
        verdicts = {one.verdict for one in judged}
        if "missed" in verdicts:
            raise FellShort(targets_text(judged))
        if "undecided" in verdicts:
            pytest.skip(f"undecided\n{targets_text(judged)}")

    def reportinfo(self) -> tuple[Path, int, str]:
        """Return where it stands."""
        game = self.parent.game
        index = next(i for i, target in enumerate(game.targets) if target.name == self.which.name)
        return self.at(game.source.place(("targets", index)))
