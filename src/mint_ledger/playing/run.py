"""A run: the game played once, from one seed, with its books."""

from __future__ import annotations

import math
import time as clock
from collections.abc import Sequence
from functools import cached_property
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.accepted import plain_time
from mint_ledger.engines.names import EngineName, check_engine, compiling_takes
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest
from mint_ledger.game.cast import WORLD
from mint_ledger.game.script_reading import ScriptItems
from mint_ledger.journal.books import AccountKey, account_name, all_accounts, find_account, reconcile
from mint_ledger.journal.statement import Statement, make_statement
from mint_ledger.journal.table import csv_text, journal_table, jsonl_text
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import labeled
from mint_ledger.playing.setting import Setting, check_seed, habit_starts, titled
from mint_ledger.program.expressions import Constant, Dial, DialOf
from mint_ledger.program.program import ScriptItem, scripts_of
from mint_ledger.program.row import WHATS, Row
from mint_ledger.program.state import Start

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.playing.why import Why

MOST_SAMPLES = 4_000
# Seconds of a run after which it checks whether its machine code is kept.
UNTIL_KEPT_CODE = 0.1
# Seconds: a game that is new to the machine takes about as long to compile.
PATIENCE = 1.5


class Run:
    """A finished run of a game.

    Attributes:
        result: win, lose, draw or unfinished.
        ending: the name of the ending; empty at the clock's limit.
        winner: the entity that won; empty if none did.
        variant: the variant that it was played in; empty if it was none.
        time: when it ended, in seconds (or turns).
    """

    def __init__(
        self,
        lowered: Lowered,
        *,
        seed: int = 1,
        run: int = 0,
        habit: str | None = None,
        script: Sequence[ScriptItem] = (),
        only_script: bool = False,
        starts: Sequence[Start] = (),
        engine: EngineName = "auto",
        variant: str = "",
    ) -> None:
        check_seed(seed)
        if isinstance(run, bool) or not isinstance(run, int) or not 0 <= run < 2**32:
            raise BadRequest(f"a run has a whole number from 0 to {2**32 - 1:,}, not {run!r}")
        self.lowered = lowered
        self.program = lowered.program
        self.seed = seed
        self.number = run
        self.habit = habit
        self.variant = variant
        self._settings: dict[str, Any] = {
            "seed": seed,
            "run": run,
            "script": script,
            "only_script": only_script,
            "starts": starts,
        }
        played = self._engine()
        if engine == "native" or not self._finished(played, may_change=engine == "auto"):
            played = self._played_natively()
        self.rows: list[Row] = played.rows
        self.opening = played.opening
        self.closing = tuple(played.state)
        self.time = played.time
        self.result, self.ending = outcome(lowered, played)
        self.winner = self.program.cast.entity_name(played.winner)

    def _finished(self, engine: ReferenceEngine, *, may_change: bool) -> bool:
        """Play a run to its end, unless machine code is quicker by now: code that is kept, or new code for a long run.

        The clock only chooses the engine; both play the same run to the last bit.
        """
        seconds = UNTIL_KEPT_CODE if may_change else math.inf
        asked_for_kept = False
        began = clock.perf_counter()
        engine.open()
        while not engine.is_over:
            if clock.perf_counter() - began > seconds:
                if asked_for_kept or self._has_kept_code():
                    return False
                asked_for_kept, seconds = True, 2.0 * compiling_takes(self.program)
            engine.step()
        return True

    def _has_kept_code(self) -> bool:
        from mint_ledger.engines.native.engine import known_code

        return known_code(self.program, scripts_of(self._settings["script"])) is not None

    def _played_natively(self) -> ReferenceEngine:
        """Play the run with the native engine; gives the reference engine as it would stand at the end."""
        from mint_ledger.engines.native.engine import CannotGoOn, NativePlayer, native_code

        settings = self._settings
        code = native_code(self.program, scripts_of(settings["script"]))
        names = ("seed", "starts", "script", "only_script")
        player = NativePlayer(code, **{name: settings[name] for name in names})
        engine = self._engine()
        try:
            rows = player.journal(settings["run"])
        except CannotGoOn:
            # The reference engine says why.
            engine.play()
            return engine
        engine.prepare_accounts()
        engine.state[:] = player.state.tolist()
        engine.rows[:] = rows
        return engine

    def _engine(self, *, journal: bool = True) -> ReferenceEngine:
        return ReferenceEngine(self.program, journal=journal, **self._settings)

    @property
    def title(self) -> str:
        """The heading of its books: game, seed and run, who plays and in which variant."""
        more = f" · run {self.number}" if self.number else ""
        by_hand = bool(self._settings["script"])
        title = f"{self.program.title} · seed {self.seed}{more}"
        return titled(title, self.lowered, self.habit, self.variant, by_hand=by_hand)

    @cached_property
    def journal(self) -> pd.DataFrame:
        """The journal, one row a change or happening (columns: `journal.table.COLUMNS`)."""
        return labeled(self, journal_table(self.program, self.rows))

    def _repr_html_(self) -> str:
        return showing.text("notebook.run_html", self)

    def journal_csv(self) -> str:
        """The journal as CSV."""
        return csv_text(self.program, self.rows)

    def journal_jsonl(self) -> str:
        """The journal as JSON Lines."""
        return jsonl_text(self.program, self.rows)

    def reconcile(self) -> None:
        """Check that the books are one chain for every account; raises `BooksError` where they are not."""
        reconcile(self.program, self.opening, self.rows, self.closing)

    def accounts(self) -> list[str]:
        """The names of all accounts."""
        return [account_name(self.program, key) for key in all_accounts(self.program)]

    def statement(self, account: str, start: float = 0.0, end: float | None = None) -> Statement:
        """The statement of an account, of the whole run or between two times (both included).

        Raises:
            NotFound: there is no such account.
            BadRequest: the times run backwards.
        """
        key = find_account(self.program, account)
        last = self.time if end is None else min(end, self.time)
        if start > last:
            raise BadRequest(f"the statement would begin at {start:g} and end at {last:g}")
        rows = self._rows_of(key, self.rows)
        if start <= 0.0 and last >= self.time:
            return make_statement(self.program, self.title, key, rows, self._opening_of(key), 0.0, self.time)
        opening, closing = self._value_before(key, start), self._value_at(key, last)
        part = self._between(rows, start, last, opening, closing)
        return make_statement(self.program, self.title, key, part, opening, max(start, 0.0), last)

    def statements_by_level(self, account: str) -> list[Statement]:
        """One statement for each visit of a level, in order; each opens with what the last one closed with.

        Raises:
            NotFound: there is no such account.
            BadRequest: the game has no levels.
        """
        key = find_account(self.program, account)
        starts = [index for index, row in enumerate(self.rows) if WHATS[int(row.what)] == "level"]
        if not starts:
            raise BadRequest("the game has no levels")
        opening = self._opening_of(key)
        statements = []
        for start, end in zip(starts, [*starts[1:], len(self.rows)], strict=True):
            first = self.rows[start].step
            last = self.rows[end].step if end < len(self.rows) else self.closing[self._clock_slot]
            rows = self._rows_of(key, self.rows[start:end])
            later = next(iter(self._rows_of(key, self.rows[end:])), None)
            closing = self._closing_of_part(key, rows, later, opening, last)
            part = _cut(rows, later, opening, closing, first)
            level = self.program.causes[int(self.rows[start].cause)].name
            begins, ends = (self._clock.time_of(step) for step in (first, last))
            title = f"{self.title} · {level}"
            statements.append(make_statement(self.program, title, key, part, opening, begins, ends))
            opening = closing
        return statements

    def _closing_of_part(
        self, key: AccountKey, rows: list[Row], later: Row | None, opening: float, last: float
    ) -> float:
        """Return what an account is worth as a part of the journal ends at a step; a flow may be under way."""
        if later is None:
            return rows[-1].after if rows else opening
        if later.since >= last:
            return later.before
        return self._value_at(key, self._clock.time_of(last))

    @property
    def _clock_slot(self) -> int:
        return self.program.columns.step.base

    def _between(self, rows: list[Row], start: float, last: float, opening: float, closing: float) -> list[Row]:
        """The rows of a stretch of time; a flow that is under way at either end counts with what falls inside."""
        clock = self._clock
        half = clock.time_of(0.5)
        part = [row for row in rows if start - half <= clock.time_of(row.step) <= last + half]
        if part:
            part[0] = part[0]._replace(before=opening, asked=part[0].asked - (opening - part[0].before))
        later = next((row for row in rows if clock.time_of(row.step) > last + half), None)
        before = part[-1].after if part else opening
        if later is not None and closing != before:
            part.append(later._replace(before=before, after=closing, asked=closing - before, waste=0.0))
        return part

    def _opening_of(self, key: AccountKey) -> float:
        return self.opening[self._slot(key)]

    def _value_before(self, key: AccountKey, time: float) -> float:
        """The value at the end of the last step before a time."""
        if time <= 0.0:
            return self._opening_of(key)
        return self._value_at(key, time - self._clock.time_of(0.5))

    def _value_at(self, key: AccountKey, time: float) -> float:
        engine = self.engine_at(time)
        return engine.value(self.program.accounts[key.stat].column, key.entity)

    def _rows_of(self, key: AccountKey, rows: Sequence[Row]) -> list[Row]:
        return [row for row in rows if row.what == 0.0 and row.stat == key.stat and row.entity == key.entity]

    def _slot(self, key: AccountKey) -> int:
        return self.program.accounts[key.stat].column.offset + key.entity

    def at(self, time: float) -> dict[str, float]:
        """The values of all accounts at the end of the last step up to a time, by name.

        Raises:
            BadRequest: the time is no number of 0 or more.
        """
        engine = self.engine_at(plain_time(time))
        return {
            account_name(self.program, key): engine.value(self.program.accounts[key.stat].column, key.entity)
            for key in all_accounts(self.program)
        }

    def there(self, account: str) -> list[tuple[float, float]]:
        """The stretches of time in which the owner of an account is there, in seconds or turns.

        Raises:
            NotFound: there is no such account.
        """
        entity = find_account(self.program, account).entity
        if entity == WORLD:
            return [(0.0, self.time)]
        present = self.program.columns.present
        began = 0.0 if self.opening[present.offset + entity] else None
        stretches: list[tuple[float, float]] = []
        for row in self.rows:
            what = WHATS[int(row.what)]
            # Whom a level puts there has no row of its own; the first change tells that it is there.
            if int(row.entity) != entity or what not in ("spawn", "gone", "posting"):
                continue
            now = self._clock.time_of(row.step)
            if what != "gone":
                began = now if began is None else began
            elif began is not None:
                stretches.append((began, now))
                began = None
        return [*stretches, (began, self.time)] if began is not None else stretches

    def path(self, account: str) -> tuple[list[float], list[float]]:
        """Times and values of an account, as the corners of its line over the run."""
        key = find_account(self.program, account)
        value = self.opening[self._slot(key)]
        times, values = [0.0], [value]
        if not self._flows_straight(key):
            return self._sampled_path(key)
        engine = self._clock
        for row in self._rows_of(key, self.rows):
            since, now = engine.time_of(row.since), engine.time_of(row.step)
            times += [since, now]
            values += [row.before, row.after]
            value = row.after
        times.append(self.time)
        values.append(value)
        return times, values

    def _flows_straight(self, key: AccountKey) -> bool:
        """Return whether each of the account's flow rows is one straight line: its rate and end never change."""
        spec = self.program.accounts[key.stat].spec(key.entity)
        flow = spec.flow if spec is not None else None
        if flow is None or flow.at_once:
            return True
        fixed = all(isinstance(part, (Constant, Dial, DialOf)) for part in (flow.rate, flow.to))
        return fixed and flow.gate is None and not (spec is not None and spec.whole)

    def _sampled_path(self, key: AccountKey) -> tuple[list[float], list[float]]:
        """The line of an account whose flow changes its course without a row: the run is played again and read."""
        engine = self._engine(journal=False)
        engine.open()
        column = self.program.accounts[key.stat].column
        every = max(1, int(self.closing[self._clock_slot]) // MOST_SAMPLES)
        corners: dict[float, list[float]] = {}
        for row in self._rows_of(key, self.rows):
            if self.program.causes[int(row.cause)].sort == "flow":
                continue
            corners.setdefault(row.step, []).extend((row.before, row.after))
        times, values = [0.0], [self._opening_of(key)]
        step = 0
        while not engine.is_over:
            engine.step()
            step += 1
            corner = corners.get(float(step), [])
            if corner or step % every == 0 or engine.is_over:
                for value in (*corner, engine.value(column, key.entity)):
                    times.append(engine.time)
                    values.append(value)
        return times, values

    @cached_property
    def _clock(self) -> ReferenceEngine:
        return self._engine(journal=False)

    def engine_at(self, time: float | None) -> ReferenceEngine:
        """An engine that stands at a time of the run (by default its end), to be asked."""
        engine = self._engine(journal=False)
        if time is not None and time < self.time:
            engine.play(until=time)
            return engine
        engine.state[:] = self.closing
        return engine

    def why(self, account: str, at: float | None = None, count: int = 3) -> Why:
        """Why an account is worth what it is at a time (by default at the end): its last postings and their rules.

        Raises:
            NotFound: there is no such account.
            BadRequest: the time is no time of the run.
        """
        from mint_ledger.playing.why import explain

        self._check_time(at)
        engine = self._engine()
        if at is None or at >= self.time:
            # As it stands at the end; nothing has to be played again.
            engine.prepare_accounts()
            engine.state[:] = self.closing
            engine.rows[:] = self.rows
        else:
            engine.play(until=at)
        return explain(self.lowered, engine, account, count)

    def summary(self) -> str:
        """The run's highlights, for people; `story` has a line for all that happened."""
        return showing.text("highlights_text.run_text", self)

    def story(self) -> str:
        """The run as a story, line by line."""
        return showing.text("story.story_text", self)

    def plot(self, accounts: Sequence[str] | None = None, ax: Axes | None = None) -> Figure:
        """Chosen accounts over time, with limits, bands and marks; see `views.run_plot`."""
        return showing.figure("run_plot.plot_run", self, accounts, ax=ax)

    def plot_timeline(self, ax: Axes | None = None) -> Figure:
        """Levels, hits, actions, statuses and rules over time; see `views.timeline_plot`."""
        return showing.figure("timeline_plot.plot_timeline", self, ax=ax)

    def changed_accounts(self) -> list[str]:
        """The names of the accounts to which anything was posted, in the order of the file."""
        moved = {(row.stat, row.entity) for row in self.rows if row.what == 0.0}
        return [account_name(self.program, k) for k in all_accounts(self.program) if (k.stat, k.entity) in moved]

    def readout(self, at: float | None = None) -> str:
        """The readout at a time of the run, by default at its end.

        Raises:
            BadRequest: the time is no time of the run.
        """
        self._check_time(at)
        return showing.text("readout_text.readout_text", self.lowered, self.engine_at(at))

    def _check_time(self, at: float | None) -> None:
        if at is not None and not 0.0 <= at <= self.time + 1e-9:
            raise BadRequest(f"the run goes from 0 to {self.time:g}, so there is nothing to be seen at {at:g}")

    def __repr__(self) -> str:
        return f"<Run of {self.title}: {self.result}{', ' + self.ending if self.ending else ''} at {self.time:g}>"


def _cut(rows: list[Row], later: Row | None, opening: float, closing: float, first: float) -> list[Row]:
    """The rows of a part of the journal; of a flow that is under way at either end, what falls inside."""
    part = list(rows)
    if part and part[0].since < first:
        part[0] = part[0]._replace(before=opening, since=first)
    before = part[-1].after if part else opening
    if later is not None and closing != before:
        part.append(later._replace(before=before, after=closing, asked=closing - before, waste=0.0))
    return part


def outcome(lowered: Lowered, engine: ReferenceEngine) -> tuple[str, str]:
    """The result and the name of the ending of a finished run."""
    endings = lowered.program.endings
    if 0 <= engine.ending < len(endings):
        return endings[engine.ending].result, endings[engine.ending].name
    return "unfinished", ""


def play_run(
    game: PlayableGame,
    setting: Setting,
    run: int = 0,
    script: ScriptItems = (),
    *,
    only_script: bool = False,
    engine: EngineName = "auto",
) -> Run:
    """Play a game once; see `Game.run`, which says what may be wrong."""
    check_engine(engine)
    turned = setting.of(game).scripted(script)
    lowered = turned.lowered
    return Run(
        lowered,
        seed=setting.seed,
        run=run,
        habit=setting.habit,
        script=lowered.script,
        only_script=only_script,
        starts=habit_starts(lowered, setting.habit),
        engine=engine,
        variant=turned.chosen_variant,
    )
