"""The calls that people use first: `load` a game or build a `Game`, then run it, test it, study it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import BaseModel

from mint_ledger import showing
from mint_ledger.accepted import plain_dials, plain_numbers, plain_ranges, whole
from mint_ledger.errors import BadRequest
from mint_ledger.game.script import Wanted
from mint_ledger.game.script_reading import ScriptItems, load_script, read_script
from mint_ledger.game.several import together
from mint_ledger.lowering.kept import read_playable
from mint_ledger.lowering.playable import game_in, game_of
from mint_ledger.playing.setting import Setting, habit_for
from mint_ledger.sharing import Several, SharedGame
from mint_ledger.studies.budget import Budget, Progress
from mint_ledger.studies.elsewhere import takes_means

if TYPE_CHECKING:
    from mint_ledger.accepted import Number, Numbers, Settings, Whole, Words
    from mint_ledger.audit.audit import Audit
    from mint_ledger.audit.finding import Finding
    from mint_ledger.balance.attacks import Attacks
    from mint_ledger.balance.grid import Grid
    from mint_ledger.balance.matchup import Matchups
    from mint_ledger.balance.matchup_curve import MatchupCurves
    from mint_ledger.balance.sensitivity import Index, Sensitivity
    from mint_ledger.balance.shares import Shares
    from mint_ledger.balance.sweep import Sweep
    from mint_ledger.balance.targets import JudgedTargets
    from mint_ledger.balance.tune import Tuned
    from mint_ledger.balance.tune_habits import TunedHabits
    from mint_ledger.balance.tune_many import TunedMany
    from mint_ledger.balance.tune_most import TunedMost
    from mint_ledger.balance.tune_words import TunedWords
    from mint_ledger.engines.names import EngineName
    from mint_ledger.exact.answers import Exact
    from mint_ledger.exact.odds import Odds
    from mint_ledger.game.target import Target
    from mint_ledger.players.change import Changed
    from mint_ledger.players.fit import Fit
    from mint_ledger.players.likeness import Likeness
    from mint_ledger.players.mixture import Mixture
    from mint_ledger.players.range import PlayRange
    from mint_ledger.players.recorded import Plays, Told
    from mint_ledger.playing.playtests import PlaytestResult
    from mint_ledger.playing.run import Run
    from mint_ledger.playing.session import Session
    from mint_ledger.studies.course import Course
    from mint_ledger.studies.ends import Ends
    from mint_ledger.studies.estimate import Estimate
    from mint_ledger.studies.income import Income
    from mint_ledger.studies.shape import Shape
    from mint_ledger.studies.study import Study, Until


class Game(SharedGame):
    """A game: the models of its file, and what can be done with it. It never changes once it is made.

    Build one in Python with the keys of a game file, or read one with `load`:

        game = mint.Game(title="Well", kinds={"digger": {"stats": {"health": 10}}})

    Raises:
        pydantic.ValidationError: the arguments do not fit the models.
        GameError: on first use, where names do not exist or types do not fit.
    """

    if TYPE_CHECKING:

        def __init__(self, **content: Any) -> None:
            """For type checkers: the keys of a game file, as plain values or as models."""

    def _setting(
        self,
        seed: Whole,
        habit: Several,
        variant: Several,
        dials: Settings | None = None,
        sure: float = 0.95,
    ) -> Setting:
        """Return how it is played: where nothing is said, each kind by the first habit of the file that is its own."""
        turned = plain_dials(dials)
        return Setting(whole(seed), habit_for(self, together(habit)), together(variant), turned, sure)

    def _wanted(self, targets: Sequence[str | Target]) -> list[Target]:
        """Targets by their names, or all of the file; one of several habits or variants once for each."""
        named = [self.target(target) if isinstance(target, str) else target for target in targets]
        return [one for target in named for one in target.combinations()] or self.all_targets

    def _repr_html_(self) -> str:
        return showing.text("notebook.game_html", self)

    def __repr__(self) -> str:
        kinds = f"{len(self.kinds)} kind{'' if len(self.kinds) == 1 else 's'}"
        return f"<Game {self.title!r}: {kinds}, {len(self.dials.names)} dials>"

    def __dir__(self) -> list[str]:
        """What is ours: the sections of the file and the calls, without those of the package that reads models."""
        return [name for name in super().__dir__() if name.startswith("__") or not hasattr(BaseModel, name)]

    def run(
        self,
        seed: Whole = 1,
        *,
        run: Whole = 0,
        habit: Several = None,
        variant: Several = None,
        script: ScriptItems = (),
        only_script: bool = False,
        dials: Settings | None = None,
        engine: EngineName = "auto",
    ) -> Run:
        """Play the game once.

        Args:
            seed: 0 to 2⁶⁴-1.
            run: the number of the run within the seed; a study's run k is this one.
            habit: how simulated players play: by one habit, or several of different kinds; `none`: nobody plays. By
                default each kind plays by the first habit of the file that is its own.
            variant: one of the file's named sets of dials.
            script: what happens from outside, like the `script` of a playtest.
            only_script: no timers of attacks and rules.
            dials: dials set for this run alone.
            engine: `native`, `reference`, or `auto` for whichever is quicker; the run is the same.

        Raises:
            RunStopped: the run could not go on.
        """
        from mint_ledger.playing.run import play_run

        seed, run = whole(seed), whole(run)
        setting = self._setting(seed, habit, variant, dials)
        return play_run(self, setting, run, script, only_script=only_script, engine=engine)

    def play(
        self,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        level: str | None = None,
        only_script: bool = False,
        dials: Settings | None = None,
    ) -> Session:
        """Play the game by hand, step by step.

        Args:
            seed: 0 to 2⁶⁴-1.
            habit: how simulated players play meanwhile.
            variant: one of the file's named sets of dials.
            level: the level to begin in.
            only_script: no timers of attacks and rules, no habits; only what is done by hand.
            dials: dials set for this session alone.

        Raises:
            NotFound: there is no such habit, variant, level or dial.
        """
        from mint_ledger.playing.session import Session

        seed = whole(seed)
        return Session(self, self._setting(seed, habit, variant, dials), level, only_script=only_script)

    def play_tests(self) -> list[PlaytestResult]:
        """Play all playtests of the game."""
        from mint_ledger.balance.playtest_study import play_tests

        return play_tests(self)

    def audit(
        self,
        runs: Whole = 50,
        seed: Whole = 1,
        *,
        only: Sequence[str] = (),
        quick: bool = False,
        players: bool = False,
        seconds: float = math.inf,
        progress: Progress | None = None,
        found: Callable[[Finding], None] | None = None,
    ) -> Audit:
        """Look for the usual mistakes, in the file and in play.

        Args:
            runs: how many runs of each habit in each variant are played; 0 to look at the file alone.
            seed: the seed of these runs.
            only: names or codes of checks; all by default.
            quick: play 10 runs of each, and leave out what plays something changed.
            players: search for the best habit too, and say what it shows of the actions (a minute or two).
            seconds: begin nothing further after so long; the answer says what was not looked at.
            progress: called with (runs done, runs in all).
            found: called with each finding as it is found, the cheapest checks first.

        Raises:
            NotFound: there is no check of such a name.
            BadRequest: the number of runs, or the seconds, make no sense.
        """
        from mint_ledger.audit.audit import make_audit

        runs, seed = whole(runs), whole(seed)
        return make_audit(
            self,
            runs=runs,
            seed=seed,
            only=only,
            quick=quick,
            players=players,
            seconds=seconds,
            progress=progress,
            found=found,
        )

    @takes_means
    def judge(
        self,
        runs: Whole = 2_000,
        seed: Whole = 1,
        *,
        only: Sequence[str] = (),
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> JudgedTargets:
        """Judge the game by its targets: each is met, missed, or undecided at this many runs.

        Args:
            runs: how many runs of each habit and variant.
            seed: the seed of all of them.
            only: the names of the targets; all by default.
            habit: who plays for those targets that name no habit; targets of others are left out.
            variant: one of the file's named sets of dials, on which those of targets are set.
            dials: dials set for this alone.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (runs done, runs in all), study by study.

        Raises:
            NotFound: there is no target of such a name, or one has no such measure, result or ending.
        """
        from mint_ledger.balance.targets import judge_targets

        runs, seed = whole(runs), whole(seed)
        game, who = self.turned(together(variant), None), together(habit)
        return judge_targets(
            game, runs, seed, only=only, habit=who, dials=plain_dials(dials), sure=sure, progress=progress
        )

    @takes_means
    def sweep(
        self,
        dials: Mapping[str, str | Words],
        runs: Whole = 1_000,
        seed: Whole = 1,
        *,
        measures: Sequence[str] = ("rate(win)",),
        habit: Several = None,
        variant: Several = None,
        points: Whole | None = None,
        spread: str = "latin",
        store: str | Path | None = None,
        patient: bool = False,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> Sweep:
        """Study the game at many settings of some dials, all with the same luck.

        Args:
            dials: for each dial its values, or a range such as `4..12`, `4..12 by 2`, `±20%`.
            runs: how many runs at each point.
            seed: the seed of all studies.
            measures: estimates, like `rate(win)`, `median(time)`.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            points: with it, so many points are spread over the ranges of all dials, instead of a grid.
            spread: `latin` hypercube or `sobol`.
            store: an SQLite file that keeps the studies, and from which a sweep goes on.
            patient: do not refuse what would take longer than ten minutes.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (points done, points in all).

        Raises:
            NotFound: there is no such dial, habit, variant or measure.
            BadRequest: a range is none, or there are too many points.
        """
        from mint_ledger.balance.sweep import PATIENCE, sweep_ranges

        runs, seed, points = whole(runs), whole(seed), whole(points)
        budget = Budget(runs, math.inf if patient else PATIENCE)
        spread_over = None if points is None else (points, spread)
        setting = self._setting(seed, habit, variant, sure=sure)
        over = plain_ranges(dials)
        return sweep_ranges(self, over, measures, budget, setting, points=spread_over, store=store, progress=progress)

    def ends(
        self,
        runs: Whole = 1_000,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        seconds: float = 10.0,
        sure: float = 0.95,
        engine: EngineName = "auto",
        progress: Progress | None = None,
    ) -> Ends:
        """Return where and why runs end, and what is lost on the way: by level, visit, time and last cause.

        Args:
            runs: how many runs.
            seed: the seed of all of them.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            seconds: how far back (in seconds or turns) it is told what causes did.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays.
            progress: called with (runs done, runs in all).

        Raises:
            NotFound: there is no such habit, variant or dial.
            BadRequest: the number of runs, or the seconds, make no sense.
            RunStopped: a run could not go on.
        """
        from mint_ledger.studies.ends import find_ends

        runs, seed = whole(runs), whole(seed)
        return find_ends(self, runs, self._setting(seed, habit, variant, dials, sure=sure), seconds, engine, progress)

    def course(
        self,
        per: str,
        runs: Whole = 1_000,
        seed: Whole = 1,
        *,
        accounts: Sequence[str] | None = None,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        progress: Progress | None = None,
    ) -> Course:
        """The course of the game: for each level, visit or wave its time, what is taken and given, who ends there.

        Args:
            per: `level`, `visit` (a level that is come to again is another visit), or an account that counts.
            runs: how many runs.
            seed: the seed of all of them.
            accounts: the accounts that are added up; by default those of the readout's bars.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays.
            progress: called with (runs done, runs in all).

        Raises:
            NotFound: there is no such account, habit, variant or dial.
            BadRequest: the game has no levels, or the number of runs makes no sense.
            RunStopped: a run could not go on.
        """
        from mint_ledger.studies.course import find_course

        runs, seed = whole(runs), whole(seed)
        setting = self._setting(seed, habit, variant, dials, sure=sure)
        return find_course(self, runs, setting, per, accounts, engine, progress)

    @takes_means
    def play_range(
        self,
        like: str | None = None,
        runs: Whole = 10_000,
        seed: Whole = 1,
        *,
        most_runs: Whole | None = None,
        seconds: float = math.inf,
        skill: bool = False,
        variant: Several = None,
        dials: Settings | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> PlayRange:
        """How well it can be played: by chance, by each habit, by the best habit that is found; what acts are worth.

        The search tries habits of up to 6 acts with up to 2 conditions each, on what the player can see. What it finds
        is a lower bound of what can be done.

        Args:
            like: the habit whose timing, slips and finds all have; by default the only one of the game.
            runs: how many runs confirm each number that is told.
            seed: the seed; the same one and the same `most_runs` find the same.
            most_runs: how many runs the search may take, without those that prune what is found; by default
                160,000, and more where runs are short.
            seconds: end the search after so long; then what was found is confirmed, and what acts are worth is told if
                there was time for all of them.
            skill: say what skill is worth as well: the wins of each at reactions and slips from perfect to poor.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (runs searched, runs in all), search by search.

        Raises:
            NotFound: there is no such habit, variant or dial.
            BadRequest: it is not said whose timing, the players have no actions, or there are too few runs.
        """
        from mint_ledger.players.range import find_range

        runs, seed, most_runs = whole(runs), whole(seed), whole(most_runs)
        chosen = like or habit_for(self, None)
        if chosen is None:
            raise BadRequest(f"say whose timing the players have: one of {', '.join(self.habits) or 'no habits'}")
        setting = self._setting(seed, chosen, variant, dials, sure=sure)
        return find_range(self, chosen, setting, runs, most_runs, seconds, progress, skill=skill)

    def read_plays(
        self,
        path: str | Path,
        columns: Mapping[str, str] | None = None,
        habit: str | None = None,
        *,
        any_version: bool = False,
    ) -> Plays | Told:
        """Read recorded plays (CSV or Parquet, one a row), or what was told of them together (YAML).

        Args:
            path: the file. Its columns: `result` or `ending`, `time`, `level`, measures of the game by their names or
                texts; `player`, `weight`, `habit`, `game` (what `check --json` says as `game`).
            columns: column → the measure that it holds: `{"hp": "closing(keeper.health)"}`.
            habit: where the plays name one, those of it alone.
            any_version: take plays of another version of the game too.

        Raises:
            BadRequest: the file cannot be read, or a cell is not what its column wants; with the row.
            NotFound: a column is no measure of the game.
        """
        from mint_ledger.players.recorded import read_plays

        return read_plays(self, path, columns, habit, any_version=any_version)

    @takes_means
    def judge_plays(
        self,
        plays: Plays | Told,
        runs: Whole = 4_000,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
    ) -> Likeness:
        """Return whether simulated players play as was recorded: each measure of both side by side.

        Args:
            plays: from `read_plays`.
            runs: how many simulated runs they are held against.
            seed: the seed of these.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.

        Raises:
            NotFound: there is no such habit, variant or dial.
            BadRequest: there is one play alone, or there are too few runs.
        """
        from mint_ledger.players.likeness import compare_plays

        runs, seed = whole(runs), whole(seed)
        return compare_plays(self, plays, self._setting(seed, habit, variant, dials, sure=sure), runs)

    @takes_means
    def fit_plays(
        self,
        plays: Plays | Told,
        ranges: Mapping[str, str | Numbers],
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        store: str | Path | None = None,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> Fit:
        """Which numbers of a habit fit recorded plays, how well they are told, and whether that habit plays like them.

        Args:
            plays: from `read_plays`.
            ranges: dial → where to look for it: `{"careful.slips": "0..0.5"}`; up to 5.
            seed: the seed of all simulated runs.
            habit: whose numbers they are.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            store: an SQLite file that keeps the simulated runs for the next time.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (settings played, settings in all).

        Raises:
            NotFound: there is no such habit, variant or dial.
            BadRequest: there are fewer than 15 plays, a column is the same in all of them, a range is none, or there is
                no store in the file.
        """
        from mint_ledger.players.fitting import find_fit

        seed = whole(seed)
        setting = self._setting(seed, habit, variant, dials)
        return find_fit(self, plays, ranges, setting, store=store, progress=progress)

    @takes_means
    def mix_plays(
        self,
        plays: Plays,
        habits: Sequence[str],
        seed: Whole = 1,
        *,
        variant: Several = None,
        dials: Settings | None = None,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> Mixture:
        """Which shares of recorded plays are played by which habits of the file.

        Args:
            plays: from `read_plays`; rows, not what was told of them together.
            habits: two or more.
            seed: the seed of the simulated runs.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (habits played, habits in all).

        Raises:
            NotFound: there is no such habit, variant or dial.
            BadRequest: there are fewer than 15 plays, or nothing that was recorded tells the habits apart.
        """
        from mint_ledger.players.mixture import find_mixture

        seed = whole(seed)
        return find_mixture(self, plays, habits, self._setting(seed, None, variant, dials), progress)

    @takes_means
    def change_for(
        self,
        fit: Fit,
        changes: Settings,
        seed: Whole = 1,
        *,
        variant: Several = None,
        anyway: bool = False,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> Changed:
        """Return what changed dials would do for those who play as was fitted, over all settings that fit.

        Args:
            fit: from `fit_plays`.
            changes: the dials that are changed: `{"crab.bite": 15}`.
            seed: the seed of the runs before and after.
            variant: one of the file's named sets of dials.
            anyway: tell it where the fitted habit does not play like the recorded plays, too.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (settings played, settings in all).

        Raises:
            NotFound: there is no such dial or variant.
            BadRequest: the habit does not fit, or a dial is fitted and changed at once.
        """
        from mint_ledger.players.change import find_change

        seed = whole(seed)
        setting = self._setting(seed, fit.habit or None, variant, None)
        return find_change(self, fit, plain_dials(changes), setting, anyway=anyway, progress=progress)

    def income(
        self,
        account: str,
        runs: Whole = 1_000,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        progress: Progress | None = None,
    ) -> Income:
        """What comes into an account and goes out, by cause over time; what players could have bought and did not.

        Args:
            account: like `keeper.oil`.
            runs: how many runs.
            seed: the seed of all of them.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays.
            progress: called with (runs done, runs in all).

        Raises:
            NotFound: there is no such account, habit, variant or dial.
            BadRequest: the number of runs makes no sense.
            RunStopped: a run could not go on.
        """
        from mint_ledger.studies.income import find_income

        runs, seed = whole(runs), whole(seed)
        return find_income(self, account, runs, self._setting(seed, habit, variant, dials, sure=sure), engine, progress)

    def attacks_in_play(
        self,
        runs: Whole = 1_000,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        progress: Progress | None = None,
    ) -> Attacks:
        """The damage a second of each attack: what it could alone, what it did in play, and what a point costs.

        Args:
            runs: how many runs.
            seed: the seed of all of them.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays.
            progress: called with (runs done, runs in all).

        Raises:
            NotFound: there is no such habit, variant or dial.
            BadRequest: the game has no attacks, or the number of runs makes no sense.
            RunStopped: a run could not go on.
        """
        from mint_ledger.balance.attacks import find_attacks

        runs, seed = whole(runs), whole(seed)
        return find_attacks(self, runs, self._setting(seed, habit, variant, dials, sure=sure), engine, progress)

    @takes_means
    def share_out(
        self,
        other: Game,
        measure: str = "rate(win)",
        runs: Whole = 2_000,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> Shares:
        """Why another game comes to something else: the difference shared out over the numbers and rules that differ.

        Up to 6 changes are shared out exactly, by playing all games between the two; of more, orders are drawn.

        Args:
            other: the other game; this one with other numbers or rules.
            measure: a rate or a mean, like `rate(win)`, `mean(time)`.
            runs: how many runs of each game.
            seed: the seed of all of them.
            habit: how simulated players play both.
            variant: a named set of dials that both have.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (games played, games in all).

        Raises:
            NotFound: there is no such habit, variant or measure.
            BadRequest: nothing differs that is played, too much does, or the measure is no rate and no mean.
        """
        from mint_ledger.balance.shares import share_out

        runs, seed = whole(runs), whole(seed)
        setting = self._setting(seed, habit, variant, sure=sure)
        label = other.file if other.title == self.title else ""
        return share_out(self, other, measure, runs=runs, setting=setting, label=label, progress=progress)

    @takes_means
    def grid(
        self,
        each: Mapping[str, str | Sequence[str] | None],
        measure: str = "rate(win)",
        runs: Whole = 1_000,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> Grid:
        """Return who is best, and where: each choice of one side, or with each of another, all under the same luck.

        Args:
            each: `habit`, `variant` or a dial, and its choices: names or a range of values; None for all habits, or
                for the game as it is and all variants. One side, or two.
            measure: the estimate that is compared: `rate(win)`, `mean(time)`, `median(left)` …
            runs: how many runs of each cell.
            seed: the seed of all of them.
            habit: how simulated players play, where no side is of habits.
            variant: one of the file's named sets of dials, where no side is of variants.
            dials: dials set for this alone.
            sure: the chance with which each interval holds, and with which all differences together do.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (cells done, cells in all).

        Raises:
            NotFound: there is no such habit, variant, dial or measure.
            BadRequest: there are more than two sides, too many cells, or a range is none.
        """
        from mint_ledger.balance.grid import make_grid
        from mint_ledger.studies.estimate import checked_sure

        runs, seed = whole(runs), whole(seed)
        setting = self._setting(seed, habit, variant, dials, sure=checked_sure(sure))
        return make_grid(self, each, measure, runs, setting, progress)

    def matchups(
        self,
        *,
        pair: str | None = None,
        seconds: float | None = None,
        progress: Progress | None = None,
    ) -> Matchups:
        """Every attack against every kind that it may strike: damage, hits and seconds to defeat.

        Two fight alone, as the game plays them except for its rules. Worked out where every draw can be counted, else
        fought many times; each says which.

        Args:
            pair: one attack against one target alone, `ATTACK:TARGET`.
            seconds: begin no more fights after so long; what is left out is told.
            progress: called with (pairs done, pairs in all).

        Raises:
            NotFound: there is no such pair.
            BadRequest: `pair` is of another form, or the time makes no sense.
        """
        from mint_ledger.balance.matchup import make_matchups

        return make_matchups(self, pair=pair, seconds=seconds, progress=progress)

    def matchup_curves(
        self,
        dials: Mapping[str, str | Words],
        pair: str | None = None,
        *,
        progress: Progress | None = None,
    ) -> MatchupCurves:
        """Hits and seconds to defeat over the values of a dial, as curves; over those of two, as maps.

        Args:
            dials: one dial or two, with their values: a range like `4..12`, or the values themselves.
            pair: one attack against one target alone, `ATTACK:TARGET`; all by default.
            progress: called with (settings done, settings in all).

        Raises:
            NotFound: there is no such dial or pair.
            BadRequest: there are more than two dials, too many settings, or a range is none.
            GameError: a value makes the game impossible.
        """
        from mint_ledger.balance.dial_range import values_of
        from mint_ledger.balance.matchup_curve import make_curves

        over = plain_ranges(dials).items()
        values = {name: values_of(self, name, text) if isinstance(text, str) else text for name, text in over}
        return make_curves(self, values, pair, progress)

    def odds(
        self,
        *,
        at: Mapping[str, float | bool | str] | None = None,
        variant: Several = None,
        dials: Settings | None = None,
        drawings: Whole | None = None,
    ) -> Odds:
        """The exact odds of the game's lots: each branch in the long run, at each drawing, and until it first comes.

        Args:
            at: accounts that have other values than they open with, as weights read them.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            drawings: at how many drawings the chances are told; by default as many as show what is sure.

        Raises:
            NotFound: there is no such account, variant or dial.
            BadRequest: a value is none, all weights are 0, or guarantees have too many states together.
            RunStopped: a weight cannot be worked out.
        """
        from mint_ledger.exact.odds import game_odds

        drawings = whole(drawings)
        return game_odds(self.turned(together(variant), dials), at, drawings)

    @takes_means
    def tune_most(
        self,
        dials: Mapping[str, str],
        measure: str = "rate(win)",
        *,
        most: bool = True,
        runs: Whole = 1_000,
        seed: Whole = 1,
        habit: Several = None,
        variant: Several = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> TunedMost:
        """The best of all settings of some dials: what it gives, what is as good, and the price in changes.

        Args:
            dials: the dials, each with a range or its values; numbers, words, multiples.
            measure: the estimate that is to be high (or low).
            most: whether the highest is looked for; else the lowest.
            runs: how many runs of each setting; the best and today's are played twice as often, with their own luck.
            seed: the seed of all of them.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            sure: the chance with which each interval holds, and with which all comparisons with the best do together.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (settings done, settings in all).

        Raises:
            NotFound: there is no such dial, habit, variant or measure.
            BadRequest: there are too few or too many settings, or a range is none.
        """
        from mint_ledger.balance.tune_most import tune_most
        from mint_ledger.studies.estimate import checked_sure

        runs, seed = whole(runs), whole(seed)
        setting = self._setting(seed, habit, variant, sure=checked_sure(sure))
        return tune_most(self, dials, measure, setting, runs, most=most, progress=progress)

    @takes_means
    def sensitivity(
        self,
        dials: Sequence[str] = (),
        runs: Whole = 1_000,
        seed: Whole = 1,
        *,
        measure: str = "rate(win)",
        share: float = 0.1,
        habit: Several = None,
        variant: Several = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> Sensitivity:
        """Which dials matter: each is moved down and up by itself, under the same luck.

        Args:
            dials: which; by default all but those of the clock.
            runs: how many runs of each setting.
            seed: the seed of all of them.
            measure: `rate(…)` or `mean(…)`.
            share: by how much each is moved, as a share of its value.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (dials done, dials in all).

        Raises:
            NotFound: there is no such dial, habit, variant or measure.
            BadRequest: the estimate has no value in each run.
        """
        from mint_ledger.balance.sensitivity import make_sensitivity
        from mint_ledger.studies.estimate import checked_sure

        runs, seed = whole(runs), whole(seed)
        setting = self._setting(seed, habit, variant, sure=checked_sure(sure))
        return make_sensitivity(self, dials, measure, share, runs, setting, progress)

    @takes_means
    def sobol(
        self,
        dials: Mapping[str, str | Numbers],
        points: Whole = 32,
        runs: Whole = 200,
        seed: Whole = 1,
        *,
        measure: str = "rate(win)",
        habit: Several = None,
        variant: Several = None,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
    ) -> list[Index]:
        """Sobol's indices of two dials or more over ranges: each one's share of the spread, alone and with others.

        Args:
            dials: for each dial its range, like `4..12`.
            points: how many points of the sample, a power of two; points · (dials + 2) studies are played.
            runs: how many runs of each study.
            seed: the seed of all studies, and of the sample.
            measure: an estimate, like `rate(win)`, `median(time)`.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.
            progress: called with (studies done, studies in all).

        Raises:
            NotFound: there is no such dial, habit, variant or measure.
            BadRequest: a range is none, there are fewer than two, or the number of points is no power of two.
        """
        from mint_ledger.balance.dial_range import bounds_of
        from mint_ledger.balance.sensitivity import sobol

        points, runs, seed = whole(points), whole(runs), whole(seed)
        ranges = {name: (low, high) for name, (low, high, _) in bounds_of(self, dials).items()}
        setting = self._setting(seed, habit, variant)
        return sobol(self, ranges, measure=measure, points=points, runs=runs, setting=setting, progress=progress)

    def own_shape(
        self,
        name: str,
        runs: Whole = 200,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        progress: Progress | None = None,
    ) -> Shape:
        """How a measure is spread that an installed package adds: a function of journals or of the table of runs.

        It is worked out after the play, in Python and outside the engines.

        Args:
            name: the name of the entry point in the group `mint_ledger.measures`.
            runs: how many runs; of journals 2,000 at most.
            seed: the seed of all of them.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            sure: the chance with which each interval holds the true value.
            engine: which engine plays.
            progress: called with (runs done, runs in all).

        Raises:
            NotFound: no package adds one of that name; there is no such habit, variant or dial.
            BadRequest: it fails, or gives something else than a number a run.
            RunStopped: a run could not go on.
        """
        from mint_ledger.studies.own_measure import own_measure, own_shape

        runs, seed = whole(runs), whole(seed)
        own_measure(name)  # a wrong name is told before anything is played
        how: dict[str, Any] = {"habit": habit, "variant": variant, "dials": dials, "engine": engine}
        study = self.study(runs, seed, sure=sure, accounts=(), progress=progress, **how)
        return own_shape(name, study, (self.run(seed, run=k, **how).journal for k in range(runs)))

    @takes_means
    def tune(
        self,
        dial: str,
        bounds: str | Numbers,
        measure: str = "rate(win)",
        want: str | Number | Numbers = "0.5",
        *,
        runs: Whole = 10_000,
        seed: Whole = 1,
        habit: Several = None,
        variant: Several = None,
        seconds: float = math.inf,
        most_runs: float = math.inf,
        sure: float = 0.95,
        told: Callable[[float, Estimate], None] | None = None,
        engine: EngineName = "auto",
        executor: Executor | None = None,
    ) -> Tuned:
        """Find the values of a dial that meet a target.

        Args:
            dial: its name.
            bounds: a range like `4..12` or `0.1..0.9 by 0.05`, or (least, most, step).
            measure: an estimate, like `rate(win)`.
            want: between which values it should lie, like `0.55..0.65`, or one value.
            runs: the most runs at one value of the dial.
            seed: the seed of all studies but the one that confirms.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            seconds: no new value is tried after so many seconds.
            most_runs: nor after so many runs in all.
            sure: the chance with which what is said of an interval holds; the search itself asks for more.
            told: is told each value that was tried, and its estimate.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.

        Raises:
            NotFound: there is no such dial, habit, variant or measure.
            BadRequest: the bounds, what is wanted, or the number of runs make no sense.
        """
        from mint_ledger.balance.dial_range import bounds_of, finest_step, read_want
        from mint_ledger.balance.tune import tune_dial

        runs, seed = whole(runs), whole(seed)
        wanted = Wanted(measure, read_want(want, measure), str(want))
        known = bounds_of(self, {dial: bounds}, together(variant))[dial]
        budget = Budget(runs, seconds, most_runs)
        setting = self._setting(seed, habit, variant, sure=sure)
        finest = finest_step(self.turned(setting.variant, None), dial, bounds, known[2])
        return tune_dial(self, dial, known, wanted, budget, setting, told, finest)

    def study(
        self,
        runs: Whole = 200,
        seed: Whole = 1,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        measures: Mapping[str, str] | Sequence[str] = (),
        accounts: Sequence[str] | None = None,
        times: Numbers = (),
        until: str | float | Until | None = None,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
        progress: Progress | None = None,
        store: str | Path | None = None,
    ) -> Study:
        """Play the game many times.

        Args:
            runs: how many; run k has the luck of `run(seed, run=k)`.
            seed: 0 to 2⁶⁴-1.
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this study alone.
            measures: more measures than the file's: by name, or by their texts alone. An account's name stands for
                its closing, its lowest and its highest value.
            accounts: accounts whose changes are added up by cause; by default those with a bar in the readout.
            times: when the values of these accounts are read, for quantile bands (seconds or turns, going up).
            until: go on, in more and more runs, until an interval is that narrow: `±0.01` (of the share of wins) or
                an estimate with its width, `mean(time) ±0.5`.
            sure: the chance with which each interval holds the true value.
            engine: `native`, `reference`, or `auto` for whichever is quicker; the numbers are the same.
            executor: where the runs are played; threads on all cores of this machine by default.
            progress: called with (runs done, runs in all); the runs done know how many were won (`done.wins`).
            store: an SQLite file that keeps the study and takes it up again where it stopped.

        Raises:
            NotFound: there is no such habit, variant, dial or account.
            GameError: one of the measures is none.
            BadRequest: a number of runs, a time or the store makes no sense.
            RunStopped: one of the runs could not go on.
        """
        from mint_ledger.studies.studying import Asked, Means, study_game

        runs, seed = whole(runs), whole(seed)
        self._warn_of_nobody(habit)
        setting = self._setting(seed, habit, variant, dials, sure)
        means = Means(engine, executor, progress, store)
        return study_game(self, runs, setting, Asked(measures, accounts, plain_numbers(times)), means, until)

    @takes_means
    def tune_many(
        self,
        dials: Mapping[str, str | Numbers],
        targets: Sequence[str | Target] = (),
        *,
        runs: Whole = 10_000,
        seed: Whole = 1,
        habit: Several = None,
        seconds: float = math.inf,
        most_runs: float = math.inf,
        sure: float = 0.95,
        told: Callable[[Mapping[str, float], float], None] | None = None,
        engine: EngineName = "auto",
        executor: Executor | None = None,
    ) -> TunedMany:
        """Find settings of several dials that meet several targets, with small changes from today.

        Args:
            dials: for each its range like `4..12 by 0.5`, or (least, most, step).
            targets: names of the file's targets, or `Target`s; all of the file by default.
            runs: how many runs of each habit and variant judge an answer.
            seed: the seed of all studies but those that confirm.
            habit: the habit of targets that name none; each of the game's by default.
            seconds: no new setting is tried after so many seconds.
            most_runs: nor after so many runs in all.
            sure: the chance with which what is said of an interval holds.
            told: is told each setting that was tried, and how far off it is.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.

        Raises:
            NotFound: there is no such dial, target, habit or measure.
            BadRequest: a range is none, or there are no targets.
        """
        from mint_ledger.balance.dial_range import bounds_of
        from mint_ledger.balance.tune_many import tune_dials

        runs, seed = whole(runs), whole(seed)
        wanted = self._wanted(targets)
        budget = Budget(runs, seconds, most_runs)
        return tune_dials(self, bounds_of(self, dials), wanted, budget, Setting(seed, together(habit), sure=sure), told)

    @takes_means
    def tune_words(
        self,
        dial: str,
        words: Sequence[str] = (),
        dials: Mapping[str, str | Numbers] | None = None,
        targets: Sequence[str | Target] = (),
        *,
        runs: Whole = 10_000,
        seed: Whole = 1,
        habit: Several = None,
        seconds: float = math.inf,
        most_runs: float = math.inf,
        sure: float = 0.95,
        engine: EngineName = "auto",
        executor: Executor | None = None,
    ) -> TunedWords:
        """Take each word of a dial as a game of its own: judge it, or tune further dials in it.

        Args:
            dial: a dial that is a word, like `mara.weapon`.
            words: which of its words; all by default.
            dials: further dials with their ranges, to be tuned for each word.
            targets: names of the file's targets, or `Target`s; all of the file by default.
            runs: how many runs judge an answer.
            seed: the seed of all studies but those that confirm.
            habit: the habit of targets that name none; each of the game's by default.
            seconds: no new setting is tried after so many seconds.
            most_runs: nor after so many runs in all.
            sure: the chance with which what is said of an interval holds.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.

        Raises:
            NotFound: there is no such dial, target, habit or measure.
            BadRequest: the dial is no word, a range is none, or there are no targets.
        """
        from mint_ledger.balance.dial_range import bounds_of
        from mint_ledger.balance.tune_words import tune_words

        runs, seed = whole(runs), whole(seed)
        wanted = self._wanted(targets)
        bounds = bounds_of(self, dials) if dials else {}
        setting = Setting(seed, together(habit), sure=sure)
        return tune_words(self, dial, words, bounds, wanted, Budget(runs, seconds, most_runs), setting)

    @takes_means
    def tune_habits(
        self,
        dials: Mapping[str, str | Numbers],
        wants: Mapping[str, str | float] | None = None,
        measure: str = "rate(win)",
        *,
        runs: Whole = 10_000,
        seed: Whole = 1,
        seconds: float = math.inf,
        most_runs: float = math.inf,
        told: Callable[[Mapping[str, float], float], None] | None = None,
        engine: EngineName = "auto",
        executor: Executor | None = None,
    ) -> TunedHabits:
        """Find a variant for each habit, so that each way of playing comes to a target of its own.

        Args:
            dials: for each its range, or (least, most, step).
            wants: what is wanted of `measure` for each habit, like {"careful": "0.7..0.8"}; by default the targets of
                the file that name a habit and no variant.
            measure: an estimate, like `rate(win)`.
            runs: how many runs judge an answer.
            seed: the seed of all studies but those that confirm.
            seconds: no new setting is tried after so many seconds.
            most_runs: nor after so many runs in all.
            told: is told each setting that was tried, and how far off it is.
            engine: which engine plays; the numbers are the same.
            executor: where the runs are played, as in `study`.

        Raises:
            NotFound: there is no such dial, habit or measure.
            BadRequest: a range is none, or no habit has a target.
        """
        from mint_ledger.balance.dial_range import bounds_of, read_want
        from mint_ledger.balance.tune_habits import tune_habits

        runs, seed = whole(runs), whole(seed)
        spans = {habit: read_want(want, measure) for habit, want in (wants or {}).items()}
        return tune_habits(self, bounds_of(self, dials), spans, measure, Budget(runs, seconds, most_runs), seed, told)

    def exact(
        self,
        *,
        habit: Several = None,
        variant: Several = None,
        dials: Settings | None = None,
        measures: Mapping[str, str] | Sequence[str] | None = None,
        states: Whole = 250_000,
        seconds: float = math.inf,
        progress: Progress | None = None,
    ) -> Exact:
        """The chance of each ending and how long it takes, without sampling: all states, every draw branched.

        Args:
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            measures: measures by name or text, as of a study. Without any those of the file and its targets are
                answered where that can be done within the limits, and else left out (see `Exact.left_out`).
            states: give up beyond so many.
            seconds: give up after so long.
            progress: called with (states gone on from, states known).

        Raises:
            NotFound: there is no such habit, variant or dial.
            GameError: a measure is none.
            BadRequest: the game has too many states or ways, or chance that cannot be counted (`between`, `normal`);
                or a measure that was asked for has no exact answer.
            RunStopped: a run of the game could not go on.
        """
        from mint_ledger.exact.answers import exact_answers

        states = whole(states)
        setting = self._setting(1, habit, variant, dials)
        turned = setting.of(self)
        return exact_answers(
            turned, habit=setting.habit, measures=measures, states=states, seconds=seconds, progress=progress
        )


def load(path: str | Path) -> Game:
    """Read a game file.

    Raises:
        GameError: it cannot be used; all that is wrong, with line and column.
    """
    return read_playable(path, Game)


def load_revision(text: str) -> Game:
    """Read a game file as it stood in a revision of git, tables and all: `HEAD~3:./saltmere.yaml`.

    Raises:
        BadRequest: git has no such file, or is not to be had.
        GameError: it cannot be used; all that is wrong, with line and column.
    """
    from mint_ledger.game.revision import read_revision

    return game_of(read_revision(text), Game)


def loads(text: str, name: str = "game") -> Game:
    """Read the text of a game file; see `load`."""
    return game_in(text, name, Game)


__all__ = ["Game", "load", "load_revision", "load_script", "loads", "read_script"]
