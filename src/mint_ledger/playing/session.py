"""A session: a game that is played by hand, one step after another, and can be taken back.

What is done from outside happens within a step, where a script's happenings stand in its order; so each call plays
that step, every moment that a session shows is the end of a step, and a script of the same happenings plays the
same game to the last bit.
"""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from typing import Any

from mint_ledger import showing
from mint_ledger.engines.reference import ReferenceEngine, Snapshot
from mint_ledger.errors import BadRequest, RunStopped
from mint_ledger.game.script import Happening
from mint_ledger.journal.books import AccountKey, account_name, all_accounts, find_account
from mint_ledger.journal.statement import Statement, make_statement
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.additions import Additions
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.run import outcome
from mint_ledger.playing.setting import Setting, check_seed, habit_starts, level_start
from mint_ledger.playing.why import Why, explain, formula_stats
from mint_ledger.program.handle import Handle
from mint_ledger.program.row import Row
from mint_ledger.program.state import Start

# Steps that one call may play: a condition that never comes true must not play for ever.
MOST_STEPS = 2_000_000
TOLERANCE = 0.005


@dataclass(frozen=True, slots=True)
class PlayedCall:
    """One call: how many steps it played, and what happened from outside in the first of them."""

    steps: int
    items: tuple[Mapping[str, Any], ...] = ()


@dataclass(frozen=True, slots=True)
class _Undone:
    done: PlayedCall
    after: Snapshot
    rows: tuple[Row, ...]


class Session:
    """A game in the middle of being played; made by `Game.play`.

    Attributes:
        game: the game as its file has it.
        setting: seed, habit, variant and dials of the session; `level` the one that it began in.
        done: what was done so far, undone calls left out.
    """

    def __init__(
        self, game: PlayableGame, setting: Setting, level: str | None = None, *, only_script: bool = False
    ) -> None:
        check_seed(setting.seed)
        if game.script:
            raise BadRequest("what happens from outside is done by hand here; take the game without its script")
        self.game = game
        self.setting, self.level, self.only_script = setting, level, only_script
        self._additions = Additions(setting.of(game))
        self.lowered = self._additions.lowered
        starts: list[Start] = habit_starts(self.lowered, setting.habit)
        if level is not None:
            starts.append(level_start(self.lowered, level))
        self._engine = ReferenceEngine(
            self._additions.program, seed=setting.seed, starts=starts, only_script=only_script
        )
        self._engine.open()
        self.done: list[PlayedCall] = []
        self._before: list[Snapshot] = []
        self._undone: list[_Undone] = []

    # What can be done

    def go(self, seconds: float = 1.0) -> list[Row]:
        """Go on for some seconds (or turns), one step at least; gives the rows of the journal that came of it.

        Raises:
            BadRequest: the time is not positive, or the run is over.
            RunStopped: the run cannot go on; the session stays where it was.
        """
        if not 0.0 < seconds <= 1e9:
            raise BadRequest(f"a session goes on for a positive time, not {seconds:g}")
        return self.step(max(1, round(seconds / self._engine.time_of(1.0))))

    def step(self, count: int = 1) -> list[Row]:
        """Go on for some steps; see `go`."""
        if isinstance(count, bool) or not isinstance(count, int) or count < 1:
            raise BadRequest(f"a session goes on for a whole number of steps, not {count!r}")
        return self._play((), count, None)

    def go_until(self, condition: str) -> list[Row]:
        """Go on until a condition holds at the end of a step, or the run is over; see `go`.

        Raises:
            BadRequest: it is no condition of this game.
        """
        look = self._additions.look(condition)
        self._engine.grow(self._additions.program)
        return self._play((), MOST_STEPS, look)

    def do(self, *happenings: Mapping[str, Any]) -> list[Row]:
        """Let things happen from outside, all in one step, which is played; gives its rows.

        Each is a mapping as in a script, without its time: `{"hit": "keeper", "with": "pincer", "by": "crab[2]"}`.

        Raises:
            BadRequest: one of them is no happening of this game, or the run is over.
            RunStopped: the run cannot go on; the session stays where it was.
        """
        if not happenings:
            raise BadRequest("nothing was said to happen")
        return self._play(happenings, 1, None)

    def act(self, action: str, by: str | None = None, to: str | None = None) -> list[Row]:
        """Let an entity begin an action; see `do`."""
        return self.do(_given(act=action, by=by, to=to))

    def hit(self, target: str, with_: str, by: str | None = None, *, sure: bool = False) -> list[Row]:
        """Let an attack strike; see `do`."""
        return self.do(_given(hit=target, by=by, sure=sure or None) | {"with": with_})

    def meet(self, one: str, other: str, seconds: float | None = None) -> list[Row]:
        """Let two touch; see `do`."""
        return self.do({"meet": [one, other], **({"for": seconds} if seconds else {})})

    def cue(self, name: str, **values: float) -> list[Row]:
        """Give a cue with its values; see `do`."""
        return self.do({"cue": name, **({"with": values} if values else {})})

    def set(self, posting: str) -> list[Row]:
        """Post to an account: `keeper.health = 5`, `ships += 1`; see `do`."""
        return self.do({"set": posting})

    def give(self, status: str, to: str, seconds: float | None = None) -> list[Row]:
        """Give a status; see `do`."""
        return self.do({"give": status, "to": to, **({"for": seconds} if seconds else {})})

    def habit(self, name: str, by: str | None = None) -> list[Row]:
        """Let simulated players go on by another habit, or by `none`; see `do`."""
        return self.do(_given(habit=name, by=by))

    def undo(self, times: int = 1) -> int:
        """Take back the last calls, exactly; gives how many there were to take back."""
        count = 0
        while count < times and self.done:
            before, done = self._before.pop(), self.done.pop()
            after = self._engine.snapshot()
            self._undone.append(_Undone(done, after, tuple(self._engine.rows[before.rows :])))
            self._engine.restore(before)
            count += 1
        return count

    def redo(self, times: int = 1) -> int:
        """Do again what was taken back last; gives how many calls that were."""
        count = 0
        while count < times and self._undone:
            undone = self._undone.pop()
            self._before.append(self._engine.snapshot())
            self._engine.rows.extend(undone.rows)
            self._engine.restore(undone.after)
            self.done.append(undone.done)
            count += 1
        return count

    # What can be seen

    @property
    def time(self) -> float:
        """The present time, in seconds or turns."""
        return self._engine.time

    @property
    def is_over(self) -> bool:
        """Return whether the run has ended."""
        return self._engine.is_over

    @property
    def outcome(self) -> tuple[str, str]:
        """The result and the name of the ending; both empty while the run goes on."""
        return outcome(self.lowered, self._engine) if self.is_over else ("", "")

    @property
    def rows(self) -> list[Row]:
        """The rows of the journal so far; a flow that is under way writes its row when it closes."""
        return self._engine.rows

    @property
    def cues(self) -> list[str]:
        """The names of the cues that the game knows."""
        return self._additions.cues

    @property
    def words(self) -> Words:
        """Return what the numbers of the rows are called."""
        return Words(self._engine.program)

    @property
    def engine(self) -> ReferenceEngine:
        """The engine, to be asked; whoever moves it on breaks `undo`."""
        return self._engine

    def value(self, account: str) -> float:
        """Return what an account is worth now.

        Raises:
            NotFound: there is no such account.
        """
        return self._value(find_account(self._engine.program, account))

    def values(self) -> dict[str, float]:
        """Return what all accounts of entities that are there are worth now, by name."""
        program = self._engine.program
        return {account_name(program, key): self._value(key) for key in self._present_accounts()}

    def holds(self, condition: str) -> bool:
        """Return whether a condition holds now.

        Raises:
            BadRequest: it is no condition of this game.
        """
        look = self._additions.look(condition)
        self._engine.grow(self._additions.program)
        return self._engine.ask(look) != 0.0

    def ask(self, text: str) -> str:
        """Return what a formula comes to now, in words: a number, yes or no, a word, an entity.

        Raises:
            BadRequest: it is no formula of this game.
        """
        procedure, kind = self._additions.value(text)
        self._engine.grow(self._additions.program)
        return self.words.typed(self._engine.ask(procedure), kind)

    def worked_out(self) -> dict[str, str]:
        """The stats that have a formula, of the game and of entities that are there, with what they come to now."""
        present = self._engine.program.columns.present
        return {
            name: self.words.typed(self._engine.evaluate(formula.value, entity), formula.type)
            for name, entity, formula in formula_stats(self.lowered)
            if self._engine.state[present.offset + entity] != 0.0
        }

    def why(self, account: str, count: int = 3) -> Why:
        """Why an account is worth what it is: its last postings, and the rules behind them.

        Raises:
            NotFound: there is no such account.
        """
        return explain(self.lowered, self._engine, account, count)

    def statement(self, account: str) -> Statement:
        """The statement of an account so far; what a flow under way has done is in it.

        Raises:
            NotFound: there is no such account.
        """
        program = self._engine.program
        key = find_account(program, account)
        moment = self._engine.snapshot()
        self._engine.book_flows()
        rows = [r for r in self._engine.rows if (r.what, r.stat, r.entity) == (0.0, key.stat, key.entity)]
        self._engine.restore(moment)
        opening = self._engine.opening[program.accounts[key.stat].column.offset + key.entity]
        return make_statement(program, self.title, key, rows, opening, 0.0, self.time)

    @property
    def title(self) -> str:
        """The heading of its books: game, seed and habit."""
        habit = f" · {self.setting.habit}" if self.setting.habit else ""
        return f"{self.game.title} · seed {self.setting.seed}{habit} · by hand"

    def story(self) -> str:
        """All that has happened so far, line by line."""
        return showing.text("page.Page", *showing.view("story.told_rows")(self.words, self.rows))

    def readout(self, accounts: Sequence[str] = ()) -> str:
        """The readout now, with further accounts."""
        return showing.text("readout_text.readout_text", self.lowered, self._engine, accounts)

    # What is kept

    def playtest(self, accounts: Sequence[str] | None = None) -> dict[str, Any]:
        """Return what was done, as the plain content of a playtest that expects the values now seen.

        Args:
            accounts: whose values are expected; by default of all that were changed.
        """
        chosen = self._changed() if accounts is None else [find_account(self._engine.program, a) for a in accounts]
        expected = [self._expectation(key) for key in chosen] + self._statuses()
        if self.is_over:
            expected.append("result == " + self.outcome[0])
        time = _rounded(self.time)
        setting = self.setting
        content: dict[str, Any] = {"seed": setting.seed} if setting.seed != 1 else {}
        content |= _given(only_script=self.only_script or None, level=self.level, habit=setting.habit)
        content |= _given(variant=setting.variant, dials=dict(setting.dials) or None)
        content["script"] = [{"at": _rounded(at), **item} for at, item in self._script()]
        content["expect"] = [{"at": time, "that": text} for text in expected or ["true"]]
        if not content["script"]:
            del content["script"]
        return content

    def replayed(self, game: PlayableGame) -> Session:
        """A session of another game, or of a changed file, in which the same was done again.

        Raises:
            MintError: the game no longer has what was done, or a run cannot go on.
        """
        session = Session(game, self.setting, self.level, only_script=self.only_script)
        for done in self.done:
            if session.is_over:
                break
            session._play(done.items, done.steps, None)
        return session

    def _script(self) -> list[tuple[float, Mapping[str, Any]]]:
        """Return what happened from outside, with the times of the steps in which it did."""
        script = []
        step = 0
        for done in self.done:
            script += [(self._engine.time_of(float(step + 1)), item) for item in done.items]
            step += done.steps
        return script

    def _play(self, items: Sequence[Mapping[str, Any]], steps: int, look: Handle | None) -> list[Row]:
        if self.is_over:
            result, ending = self.outcome
            raise BadRequest(f"the run is over ({result}{': ' + ending if ending else ''}); undo goes back")
        happenings = [self._additions.happening(item) for item in items]
        engine = self._engine
        engine.grow(self._additions.program)
        before = engine.snapshot()
        played = 0
        try:
            while played < steps and not engine.is_over and not (look is not None and engine.ask(look) != 0.0):
                engine.step_with([name for _, name in happenings] if played == 0 else ())
                played += 1
        except (RunStopped, KeyboardInterrupt):
            engine.restore(before)
            raise
        if played:
            plain = tuple(_plain(happening) for happening, _ in happenings)
            self.done.append(PlayedCall(played, plain))
            self._before.append(before)
            self._undone.clear()
        return list(engine.rows[before.rows :])

    def _value(self, key: AccountKey) -> float:
        return self._engine.value(self._engine.program.accounts[key.stat].column, key.entity)

    def _present_accounts(self) -> list[AccountKey]:
        present = self._engine.program.columns.present
        return [k for k in all_accounts(self._engine.program) if self._engine.state[present.offset + k.entity] != 0.0]

    def _changed(self) -> list[AccountKey]:
        program = self._engine.program
        opening = self._engine.opening
        slots = {key: program.accounts[key.stat].column.offset + key.entity for key in self._present_accounts()}
        # What came back to where it began was changed all the same.
        moved = {(row.stat, row.entity) for row in self._engine.rows if row.what == 0.0 and row.after != row.before}
        return [
            key for key, slot in slots.items() if self._value(key) != opening[slot] or (key.stat, key.entity) in moved
        ]

    def _expectation(self, key: AccountKey) -> str:
        """A condition that holds for what an account is worth now; long decimals are told to the second place."""
        name, value = account_name(self._engine.program, key), self._value(key)
        model = self.words.model(key.entity, key.stat)
        if model is not None and model.value_type == "word":
            return f"{name} == {self.words.word(value)}"
        if model is not None and model.value_type == "flag":
            return name if value else f"not {name}"
        if any(self.words.stat(key.stat) in status.changes for status in self.game.statuses.values()):
            name += ".base"  # what is booked, whatever a status makes of it
        if value == round(value, 2):
            return f"{name} == {value:.10g}"
        return f"abs({name} - {round(value, 2):.10g}) <= {TOLERANCE}"

    def _statuses(self) -> list[str]:
        """Return who has which status now."""
        program = self._engine.program
        conditions = []
        for status in program.statuses:
            for entity in range(1, program.cast.size):
                if self._engine.state[status.has.offset + entity] > 0.0:
                    conditions.append(f"has({program.cast.entity_name(entity)}, {status.name})")
        return conditions

    def __repr__(self) -> str:
        return f"<Session of {self.title} at {self.time:g}>"


def _given(**values: Any) -> dict[str, Any]:
    return {key: value for key, value in values.items() if value is not None}


def _plain(happening: Happening) -> Mapping[str, Any]:
    plain = happening.model_dump(by_alias=True, exclude_unset=True)
    return {key: value for key, value in plain.items() if key != "at"}


def _rounded(time: float) -> float | int:
    rounded = round(time, 6)
    return int(rounded) if rounded == int(rounded) else rounded
