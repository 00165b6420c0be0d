"""The calls that people use first: `load` a game or build a `Game`, then run it, test it, study it."""

from __future__ import annotations

import math
from collections.abc import Callable, Mapping, Sequence
from concurrent.futures import Executor
from functools import cached_property, partial
from pathlib import Path
from typing import TYPE_CHECKING, Any

from pydantic import PrivateAttr

from mint_ledger import showing
from mint_ledger.errors import BadRequest, Fault, GameError, MintError, NotFound, nearest
from mint_ledger.files import write_text
from mint_ledger.game.document import GameFile
from mint_ledger.game.loading import Path as FilePath
from mint_ledger.game.loading import read_game
from mint_ledger.game.script import Happening
from mint_ledger.game.source import Source, parse_source, read_source
from mint_ledger.game.turning import Turning

if TYPE_CHECKING:
    from mint_ledger.audit.audit import Audit
    from mint_ledger.balance.matchup import Matchups
    from mint_ledger.balance.sensitivity import Sensitivity
    from mint_ledger.balance.sweep import Sweep
    from mint_ledger.balance.targets import Judged
    from mint_ledger.balance.tune import Tuned
    from mint_ledger.balance.tune_habits import TunedHabits
    from mint_ledger.balance.tune_many import TunedMany
    from mint_ledger.engines.names import EngineName
    from mint_ledger.exact.answers import Exact
    from mint_ledger.game.dials import Dials
    from mint_ledger.game.parts import Span
    from mint_ledger.game.target import Target
    from mint_ledger.lowering import Lowered
    from mint_ledger.playing.playtests import PlaytestResult
    from mint_ledger.playing.run import Run
    from mint_ledger.playing.session import Session
    from mint_ledger.studies.estimate import Estimate
    from mint_ledger.studies.study import Progress, Study

ScriptItems = Sequence[Happening | Mapping[str, Any]]
MOST_MEASURED = 8


class Game(GameFile):
    """A game: the models of its file, and what can be done with it. It never changes once it is made.

    Build one in Python with the keys of a game file, or read one with `load`:

        game = mint.Game(title="Well", kinds={"digger": {"stats": {"health": 10}}})

    Raises:
        pydantic.ValidationError: the arguments do not fit the models.
        GameError: on first use, where names do not exist or types do not fit.
    """

    _turning: Turning | None = PrivateAttr(None)
    # The game before its numbers were turned, where it is the same program; and programs that take more measures.
    _plain: Game | None = PrivateAttr(None)
    _measured: dict[tuple[tuple[str, str], ...], Lowered] = PrivateAttr(default_factory=dict)

    def model_copy(self, *, update: Mapping[str, Any] | None = None, deep: bool = False) -> Game:
        """A copy, with some sections replaced; it is a game of its own, and looked at anew."""
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
        from mint_ledger.lowering import lower

        return lower(self)

    def lowered_with(self, measures: Mapping[str, str]) -> Lowered:
        """The program with more measures than the file's; games that differ in numbers alone share it.

        Raises:
            GameError: one of them is none.
        """
        from mint_ledger.lowering import lower

        if not measures:
            return self.lowered
        if self._plain is not None:
            return self._plain.lowered_with(measures).with_numbers_of(self.lowered)
        key = tuple(measures.items())
        if key not in self._measured:
            if len(self._measured) >= MOST_MEASURED:
                self._measured.clear()
            self._measured[key] = lower(self, (), measures)
        return self._measured[key]

    @property
    def dials(self) -> Dials:
        """All dials of the game, by name."""
        return self.lowered.program.dials

    def with_dials(self, changes: Mapping[str, float | bool]) -> Game:
        """The same game with some dials set.

        Raises:
            NotFound: there is no such dial.
            GameError: a value makes the game impossible (a start above its max …).
        """
        from mint_ledger.game.turning import Turning, turned_parts

        program = self.lowered.program
        dials = program.dials
        by_index = {dials.find(name): value for name, value in changes.items()}
        written = {dials.written[index]: value for index, value in by_index.items()}
        turning = (self._turning or Turning(self.source, program.cast, {})).further(written)
        parts = turned_parts(self, program.cast, written)
        game = Game.model_construct(_fields_set=self.model_fields_set, **parts)
        lowered = self.lowered.turned(game, turning, by_index)
        if lowered is None:
            return _game_of(turning.source(), turning)
        game.__dict__["lowered"] = lowered
        game._turning = turning
        game._plain = self._plain or self
        return game

    def with_variant(self, name: str) -> Game:
        """The same game with the dials of one of its variants set.

        Raises:
            NotFound: there is no such variant, or it names a dial that does not exist.
        """
        if name not in self.variants:
            raise NotFound(f"there is no variant '{name}'{nearest(name, self.variants)}")
        return self.with_dials(self.variants[name])

    def turned(self, variant: str | None, dials: Mapping[str, float | bool] | None) -> Game:
        """The same game with the dials of a variant, then some dials set; see `with_variant` and `with_dials`."""
        game = self.with_variant(variant) if variant else self
        return game.with_dials(dials) if dials else game

    def _repr_html_(self) -> str:
        return showing.text("notebook.game_html", self)

    def run(
        self,
        seed: int = 1,
        *,
        run: int = 0,
        habit: str | None = None,
        variant: str | None = None,
        script: ScriptItems = (),
        only_script: bool = False,
        dials: Mapping[str, float | bool] | None = None,
        engine: EngineName = "auto",
    ) -> Run:
        """Play the game once.

        Args:
            seed: 0 to 2⁶⁴-1.
            run: the number of the run within the seed; a study's run k is this one.
            habit: how simulated players play; by default only those play whose copies name a habit.
            variant: one of the file's named sets of dials.
            script: what happens from outside, like the `script` of a playtest.
            only_script: no timers of attacks and rules.
            dials: dials set for this run alone.
            engine: `native`, `reference`, or `auto` for whichever is quicker; the run is the same.

        Raises:
            RunStopped: the run could not go on.
        """
        from mint_ledger.engines.names import check_engine
        from mint_ledger.lowering import lower
        from mint_ledger.playing.run import Run
        from mint_ledger.playing.settings import habit_starts

        check_engine(engine)
        game = self.turned(variant, dials)
        lowered = lower(game, read_script(script)) if script else game.lowered
        starts = habit_starts(lowered, habit)
        return Run(
            lowered,
            seed=seed,
            run=run,
            habit=habit,
            script=lowered.script,
            only_script=only_script,
            starts=starts,
            engine=engine,
        )

    def play(
        self,
        seed: int = 1,
        *,
        habit: str | None = None,
        variant: str | None = None,
        level: str | None = None,
        only_script: bool = False,
        dials: Mapping[str, float | bool] | None = None,
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
        from mint_ledger.playing.session import Session, Settings

        return Session(self, Settings(seed, habit, variant, level, only_script, dict(dials or {})))

    def play_tests(self) -> list[PlaytestResult]:
        """Play all playtests of the game."""
        from mint_ledger.balance.playtest_study import playtest_study
        from mint_ledger.playing.playtests import playtest_results, starts_of

        turned: dict[str, Lowered | MintError] = {}
        for name, playtest in self.playtests.items():
            try:
                _, dials = starts_of(self.lowered, playtest.start)
                if dials or playtest.dials or playtest.variant:
                    turned[name] = self.turned(playtest.variant, {**playtest.dials, **dials}).lowered
            except MintError as error:
                turned[name] = error
        return playtest_results(self.lowered, partial(playtest_study, self), turned)

    def audit(
        self,
        runs: int = 50,
        seed: int = 1,
        *,
        only: Sequence[str] = (),
        progress: Callable[[int, int], None] | None = None,
    ) -> Audit:
        """Look for the usual mistakes, in the file and in play.

        Args:
            runs: how many runs of each habit in each variant are played; 0 to look at the file alone.
            seed: the seed of these runs.
            only: names or codes of checks; all by default.
            progress: called with (runs done, runs in all).

        Raises:
            NotFound: there is no check of such a name.
            BadRequest: the number of runs makes no sense.
        """
        from mint_ledger.audit.audit import make_audit

        return make_audit(self, runs=runs, seed=seed, only=only, progress=progress)

    def judge(
        self,
        runs: int = 2_000,
        seed: int = 1,
        *,
        only: Sequence[str] = (),
        dials: Mapping[str, float | bool] | None = None,
        progress: Progress | None = None,
    ) -> list[Judged]:
        """Judge the game by its targets: each is met, missed, or undecided at this many runs.

        Raises:
            NotFound: there is no target of such a name, or one has no such measure, result or ending.
        """
        from mint_ledger.balance.targets import judge_targets

        return judge_targets(self, runs, seed, only=only, dials=dials, progress=progress)

    def sweep(
        self,
        dials: Mapping[str, str | Sequence[float]],
        runs: int = 1_000,
        seed: int = 1,
        *,
        measures: Sequence[str] = ("rate(win)",),
        habit: str | None = None,
        variant: str | None = None,
        points: int | None = None,
        spread: str = "latin",
        store: str | Path | None = None,
        patient: bool = False,
        progress: Callable[[int, int], None] | None = None,
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
            progress: called with (points done, points in all).

        Raises:
            NotFound: there is no such dial, habit, variant or measure.
            BadRequest: a range is none, or there are too many points.
        """
        from mint_ledger.balance import sweep as sweeps
        from mint_ledger.balance.dial_range import read_range

        if not dials:
            raise BadRequest("a sweep wants a dial, like crab.bite=4..12")
        today = self.turned(variant, None).dials
        ranges = {
            name: read_range(values, today.value(name)) if isinstance(values, str) else [float(v) for v in values]
            for name, values in dials.items()
        }
        for name in ranges:
            today.find(name)
        if points is None:
            settings = sweeps.grid(ranges)
        else:
            settings = sweeps.spread({name: (v[0], v[-1]) for name, v in ranges.items()}, points, spread, seed)
        return sweeps.make_sweep(
            self,
            settings,
            measures=measures,
            runs=runs,
            seed=seed,
            habit=habit,
            variant=variant,
            store=store,
            patient=patient,
            progress=progress,
        )

    def matchups(
        self,
        *,
        pair: str | None = None,
        seconds: float | None = None,
        progress: Callable[[int, int], None] | None = None,
    ) -> Matchups:
        """Every attack against every kind that it may strike: damage, hits and seconds to defeat.

        Two fight alone, as the game plays them but for its rules. Worked out where every draw can be counted, else
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

    def sensitivity(
        self,
        dials: Sequence[str] = (),
        runs: int = 1_000,
        seed: int = 1,
        *,
        measure: str = "rate(win)",
        share: float = 0.1,
        habit: str | None = None,
        variant: str | None = None,
        progress: Callable[[int, int], None] | None = None,
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
            progress: called with (dials done, dials in all).

        Raises:
            NotFound: there is no such dial, habit, variant or measure.
            BadRequest: the estimate has no value in each run.
        """
        from mint_ledger.balance.sensitivity import make_sensitivity

        return make_sensitivity(
            self,
            dials,
            measure=measure,
            share=share,
            runs=runs,
            seed=seed,
            habit=habit,
            variant=variant,
            progress=progress,
        )

    def tune(
        self,
        dial: str,
        bounds: str | tuple[float, float, float],
        measure: str = "rate(win)",
        want: str | float = "0.5",
        *,
        runs: int = 10_000,
        seed: int = 1,
        habit: str | None = None,
        variant: str | None = None,
        seconds: float = math.inf,
        most_runs: float = math.inf,
        told: Callable[[float, Estimate], None] | None = None,
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
            told: is told each value that was tried, and its estimate.

        Raises:
            NotFound: there is no such dial, habit, variant or measure.
            BadRequest: the bounds, what is wanted, or the number of runs make no sense.
        """
        from mint_ledger.balance.dial_range import read_bounds
        from mint_ledger.balance.tune import tune_dial

        span = read_want(want)
        today = self.turned(variant, None).dials.value(dial)
        read = read_bounds(bounds, today) if isinstance(bounds, str) else bounds
        return tune_dial(
            self,
            dial,
            read,
            measure,
            span,
            runs=runs,
            seed=seed,
            habit=habit,
            variant=variant,
            seconds=seconds,
            most_runs=most_runs,
            told=told,
        )

    def study(
        self,
        runs: int = 200,
        seed: int = 1,
        *,
        habit: str | None = None,
        variant: str | None = None,
        dials: Mapping[str, float | bool] | None = None,
        measures: Mapping[str, str] | Sequence[str] = (),
        accounts: Sequence[str] | None = None,
        times: Sequence[float] = (),
        until: str | float | None = None,
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
            engine: `native`, `reference`, or `auto` for whichever is quicker; the numbers are the same.
            executor: where the runs are played; threads on all cores of this machine by default.
            progress: called with (runs done, runs in all, wins among those done).
            store: an SQLite file that keeps the study and takes it up again where it stopped.

        Raises:
            NotFound: there is no such habit, variant, dial or account.
            GameError: one of the measures is none.
            BadRequest: a number of runs, a time or the store makes no sense.
            RunStopped: one of the runs could not go on.
        """
        from mint_ledger.engines.names import check_engine
        from mint_ledger.studies.request import StudyRequest, check_measures, chosen_accounts, prepare_game
        from mint_ledger.studies.store import Store
        from mint_ledger.studies.study import make_study, named_measures, parse_until

        check_engine(engine)
        game = self.turned(variant, dials)
        named = _expanded(game, named_measures(measures))
        check_measures(named)
        chosen = tuple(accounts) if accounts is not None else chosen_accounts(game.lowered)
        request = StudyRequest(
            text=game.origin_text(),
            name=game.file,
            seed=seed,
            dials=game.changes(),
            habit=habit,
            measures=tuple(named.items()),
            accounts=chosen,
            sampled=chosen if times else (),
            times=tuple(float(time) for time in times),
            engine=engine,
        )
        prepared = prepare_game(game, request)
        limit = parse_until(until) if until is not None else None
        if store is None:
            return make_study(prepared, request, runs, until=limit, executor=executor, progress=progress)
        with Store(store) as opened:
            title = f"{game.title} · {habit}" if habit else game.title
            stored = opened.study(prepared, request, title)
            return make_study(prepared, request, runs, until=limit, executor=executor, progress=progress, stored=stored)

    def tune_many(
        self,
        dials: Mapping[str, str | tuple[float, float, float]],
        targets: Sequence[str | Target] = (),
        *,
        runs: int = 10_000,
        seed: int = 1,
        habit: str | None = None,
        seconds: float = math.inf,
        most_runs: float = math.inf,
        told: Callable[[Mapping[str, float], float], None] | None = None,
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
            told: is told each setting that was tried, and how far off it is.

        Raises:
            NotFound: there is no such dial, target, habit or measure.
            BadRequest: a range is none, or there are no targets.
        """
        from mint_ledger.balance.tune_many import tune_dials

        return tune_dials(
            self,
            self._bounds(dials),
            [self.target(target) if isinstance(target, str) else target for target in targets] or self.targets,
            runs=runs,
            seed=seed,
            habit=habit,
            seconds=seconds,
            most_runs=most_runs,
            told=told,
        )

    def tune_habits(
        self,
        dials: Mapping[str, str | tuple[float, float, float]],
        wants: Mapping[str, str | float] | None = None,
        measure: str = "rate(win)",
        *,
        runs: int = 10_000,
        seed: int = 1,
        seconds: float = math.inf,
        most_runs: float = math.inf,
        told: Callable[[Mapping[str, float], float], None] | None = None,
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

        Raises:
            NotFound: there is no such dial, habit or measure.
            BadRequest: a range is none, or no habit has a target.
        """
        from mint_ledger.balance.tune_habits import tune_habits

        spans = {habit: read_want(want) for habit, want in (wants or {}).items()}
        return tune_habits(
            self,
            self._bounds(dials),
            spans,
            measure=measure,
            runs=runs,
            seed=seed,
            seconds=seconds,
            most_runs=most_runs,
            told=told,
        )

    def _bounds(self, dials: Mapping[str, str | tuple[float, float, float]]) -> dict[str, tuple[float, float, float]]:
        from mint_ledger.balance.dial_range import read_bounds

        if not dials:
            raise BadRequest("tuning wants a dial, like crab.bite=4..12")
        return {
            name: read_bounds(bounds, self.dials.value(name)) if isinstance(bounds, str) else bounds
            for name, bounds in dials.items()
        }

    def target(self, name: str) -> Target:
        """One of the file's targets by its name.

        Raises:
            NotFound: there is none of that name.
        """
        known = {one.name: one for one in self.targets}
        if name not in known:
            raise NotFound(f"there is no target '{name}'{nearest(name, known)}")
        return known[name]

    def exact(
        self,
        *,
        habit: str | None = None,
        variant: str | None = None,
        dials: Mapping[str, float | bool] | None = None,
        states: int = 200_000,
        progress: Callable[[int, int], None] | None = None,
    ) -> Exact:
        """The chance of each ending and how long it takes, without sampling: all states, every draw branched.

        Args:
            habit: how simulated players play.
            variant: one of the file's named sets of dials.
            dials: dials set for this alone.
            states: give up beyond so many.
            progress: called with (states gone on from, states known).

        Raises:
            NotFound: there is no such habit, variant or dial.
            BadRequest: the game has too many states or ways, or chance that cannot be counted (`between`, `normal`).
            RunStopped: a run of the game could not go on.
        """
        from mint_ledger.exact.answers import exact_answers

        return exact_answers(self.turned(variant, dials), habit=habit, states=states, progress=progress)

    @property
    def file(self) -> str:
        """What it was read from."""
        return str(self._turning.origin.file if self._turning is not None else self.source.file)

    def origin_text(self) -> str:
        """The text of the game before its dials were turned; `changes` has what was turned."""
        from mint_ledger.game.writing import yaml_text

        return yaml_text(self._turning.origin if self._turning is not None else self.source)

    def changes(self) -> tuple[tuple[str, float | bool], ...]:
        """The dials that were turned since the text was read, by name, with their values."""
        if self._turning is None:
            return ()
        dials = self.dials
        index = dict(zip(dials.written, dials.names, strict=True))
        return tuple((index[path], value) for path, value in self._turning.changes.items())

    def to_yaml(self) -> str:
        """The game as the text of a game file: the text that was read, with the numbers that were turned since."""
        from mint_ledger.game.writing import yaml_text

        return yaml_text(self.source)

    def save(self, path: str | Path) -> None:
        """Write the game file (beside, then renamed into place)."""
        write_text(Path(path), self.to_yaml())


def _expanded(game: Game, measures: Mapping[str, str]) -> dict[str, str]:
    """Measures, with an account's name alone written out."""
    from mint_ledger.journal.books import account_name, all_accounts

    program = game.lowered.program
    known = {account_name(program, key) for key in all_accounts(program)}
    found: dict[str, str] = {}
    for name, text in measures.items():
        if text in known:
            found |= {f"{call}({text})": f"{call}({text})" for call in ("closing", "lowest", "highest")}
        else:
            found[name] = text
    return found


def read_want(want: str | float) -> Span:
    """What is wanted of an estimate: a range like `0.55..0.65`, or one value.

    Raises:
        BadRequest: it is neither.
    """
    from mint_ledger.game.parts import parse_span

    try:
        return parse_span(float(want) if isinstance(want, str) and ".." not in want else want)
    except ValueError:
        raise BadRequest(f"what is wanted is a range like 0.55..0.65 or a number, not '{want}'") from None


def load(path: str | Path) -> Game:
    """Read a game file.

    Raises:
        GameError: it cannot be used; all that is wrong, with line and column.
    """
    return _game_of(read_source(path))


def loads(text: str, name: str = "game") -> Game:
    """Read the text of a game file; see `load`."""
    return _game_of(parse_source(text, name))


def _game_of(source: Source, turning: Turning | None = None) -> Game:
    from mint_ledger.lowering import lower, try_lower

    reading = read_game(source)
    if reading.game is None:
        raise GameError(reading.faults)
    game = Game.model_construct(_fields_set=reading.game.model_fields_set, **dict(reading.game))
    game._source = reading.game._source
    game._turning = turning
    if reading.faults:
        _, more = try_lower(game)
        raise GameError([*reading.faults, *_not_echoes(more, reading.left_out)])
    game.__dict__["lowered"] = lower(game)
    return game


def _not_echoes(faults: Sequence[Fault], left_out: Sequence[FilePath]) -> list[Fault]:
    """Faults that stand by themselves, and not only because a faulty part had to be left out."""
    named = ("numbers", "stats", "kinds", "attacks", "endings")
    missing = {str(path[-1]) for path in left_out if len(path) > 1 and path[-2] in named}
    return [f for f in faults if not any(f"'{name}'" in f.message or f".{name}" in f.message for name in missing)]


def read_script(items: ScriptItems) -> list[Happening]:
    """Make happenings of plain mappings.

    Raises:
        GameError: one of them is no happening.
    """
    from mint_ledger.game.script_reading import happenings

    plain = [item if isinstance(item, Happening) else dict(item) for item in items]
    return happenings(Source("script", plain), plain)


def load_script(path: str | Path) -> list[Happening]:
    """Read a script file: a YAML list of happenings, or a mapping with the key `script`.

    Raises:
        GameError: it cannot be used.
    """
    from mint_ledger.game.script_reading import happenings
    from mint_ledger.game.source import read_list

    source = read_list(path, "script")
    return happenings(source, source.data)


__all__ = ["Game", "load", "load_script", "loads", "read_script", "read_want"]
