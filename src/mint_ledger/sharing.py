"""The calls for what is shown to others and taken from them: comparisons, reports, numbers for engines, books."""

from __future__ import annotations

import warnings
from collections.abc import Mapping, Sequence
from concurrent.futures import Executor
from pathlib import Path
from typing import TYPE_CHECKING, Any, Self

from mint_ledger import showing
from mint_ledger.accepted import whole
from mint_ledger.engines.names import EngineName
from mint_ledger.errors import NobodyPlays
from mint_ledger.game.several import together
from mint_ledger.lowering.playable import PlayableGame, game_of
from mint_ledger.playing.setting import habit_for
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.elsewhere import takes_means

if TYPE_CHECKING:
    from mint_ledger.accepted import Settings, Whole
    from mint_ledger.balance.comparison import Comparison

Several = str | Sequence[str] | None
"""One habit or variant by its name, or several that go together; of variants later ones win."""


class SharedGame(PlayableGame):
    """A game that is shown to others."""

    def _warn_of_nobody(self, habit: Several) -> None:
        """Say once that nobody plays, where there are actions and no habit is written or named."""
        if self.actions and not self.habits and habit is None and not self.__dict__.get("nobody_was_told"):
            self.__dict__["nobody_was_told"] = True
            text = f"{self.title}: no habit is written, so nobody does any action; write habits:, or pass habit='none'"
            warnings.warn(text, NobodyPlays, stacklevel=4)

    @takes_means
    def compare(
        self,
        other: PlayableGame | None = None,
        runs: Whole = 2_000,
        seed: Whole = 1,
        *,
        habit: Several = None,
        other_habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        measures: Sequence[str] = (),
        label: str = "",
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> Comparison:
        """Play another game, or this one played or turned otherwise, under the same luck, and compare the two.

        Args:
            other: the other game; by default this one.
            runs: how many runs of each.
            seed: the seed of both.
            habit: how simulated players play this game.
            other_habit: how they play the other; by default the same.
            variant: a variant of the other game.
            dials: dials set in the other game.
            measures: what is compared in addition to results and times.
            label: tells the other from this one in headings.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (runs done, runs in all), game by game.

        Raises:
            NotFound: there is no such habit, variant, dial or measure.
            BadRequest: the number of runs makes no sense.
            RunStopped: a run could not go on.
        """
        from mint_ledger.balance.comparison import compare_games

        self._warn_of_nobody(habit)

        runs, seed = whole(runs), whole(seed)
        second = self if other is None else other
        named = together(variant)
        second = second.with_variant(named) if named else second
        second = second.turned(None, dials)
        first_habit = habit_for(self, together(habit))
        second_habit = first_habit if other_habit is None else habit_for(second, together(other_habit))
        return compare_games(
            self,
            second,
            runs=runs,
            seed=seed,
            habits=(first_habit, second_habit),
            measures=tuple(measures),
            label=label or ", ".join(f"{name}={value}" for name, value in (dials or {}).items()),
            sure=sure,
            progress=progress,
        )

    @takes_means
    def report(
        self,
        runs: Whole = 2_000,
        seed: Whole = 1,
        *,
        dials: Mapping[str, str] | None = None,
        store: str | Path | None = None,
        sure: float = 0.95,
        command: str = "",
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> str:
        """One HTML page for those you talk to: targets, outcomes, hits, findings, two runs.

        Args:
            runs: how many runs of each habit and variant, and at each point of a sweep.
            seed: the seed of all.
            dials: ranges of dials to sweep, like {"crab.bite": "8..16"}, each by itself with a slider.
            store: an SQLite file; sweeps that it keeps of this game are shown too, and new ones are kept in it.
            sure: the chance with which each interval and verdict holds.
            command: what makes the page again, as it is told.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (steps done, steps in all).

        Raises:
            NotFound: there is no such dial.
            BadRequest: a range is none, the number of runs or `sure` makes no sense, or the store cannot be used.
            RunStopped: a run could not go on.
        """
        from mint_ledger.report.gathering import gather

        runs, seed = whole(runs), whole(seed)
        page = gather(
            self, runs=runs, seed=seed, sure=sure, dials=dials, store=store, command=command, progress=progress
        )
        return showing.text("report_html.report_html", page)

    def export(self, variants: Sequence[str] = ()) -> dict[str, Any]:
        """The numbers that a game engine loads: title, hash of the file, and for each variant every dial by its name.

        Args:
            variants: which; `today` is the file itself, and all there is without any.

        Raises:
            NotFound: there is no such variant.
        """
        from mint_ledger.tables.numbers import numbers_of

        return numbers_of(self, variants)

    def write_book(self, path: str | Path) -> None:
        """Write all numbers as a book (.xlsx), or as .csv files into a folder; `read_book` is the way back.

        Raises:
            BadRequest: it cannot be written, or openpyxl is not installed.
        """
        from mint_ledger.tables.book import write_book
        from mint_ledger.tables.sheets import make_sheets

        write_book(Path(path), make_sheets(self))

    def read_book(self, path: str | Path) -> Self:
        """This game with the numbers of a book, a folder of .csv files, or one of them; `save` writes its file.

        Raises:
            BadRequest: a cell is no number, a row is not the game's …; all that is wrong, one line each.
            GameError: the numbers make the game impossible.
        """
        from mint_ledger.tables.book import read_book
        from mint_ledger.tables.changes import changed_source, find_changes

        return game_of(changed_source(self, find_changes(self, read_book(Path(path)))), type(self))
