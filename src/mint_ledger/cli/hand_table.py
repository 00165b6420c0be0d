"""A session on the table of `try`: what is watched, and the answer to each command."""

from __future__ import annotations

from collections.abc import Callable
from pathlib import Path

from mint_ledger.cli.hand_commands import HELP, read_command, what_command
from mint_ledger.client import Game, load
from mint_ledger.errors import BadRequest, NotFound
from mint_ledger.files import write_text
from mint_ledger.journal.books import find_account
from mint_ledger.players.keeping import with_play
from mint_ledger.playing.session import Session
from mint_ledger.program.row import Row
from mint_ledger.views.page import Page
from mint_ledger.views.readout_text import accounts_text, present_accounts
from mint_ledger.views.statement_text import statement_text
from mint_ledger.views.story import is_motion, told_rows
from mint_ledger.views.why_text import why_text

MOST_ROWS = 40
PLAYTEST_NAME = "tried by hand"


class Table:
    """A session on the table: what is watched, and the answer to each command."""

    def __init__(self, session: Session, path: Path) -> None:
        self.session = session
        self.path = path
        self.watched: list[str] = []

    def answer(self, line: str) -> str | None:
        """Return what comes of a line; None ends the conversation.

        Raises:
            MintError: it cannot be done; nothing has changed.
        """
        parts = [part.strip() for part in line.split(";")]
        if len(parts) > 1:
            commands = [read_command(part) for part in parts if part]
            happenings = [command.happening for command in commands if command.happening is not None]
            if len(happenings) < len(commands):
                raise BadRequest("';' joins what happens in one step: act, hit, meet, cue, set, give …")
            return self._played(self.session.do(*happenings))
        command = read_command(line)
        if command.happening is not None:
            return self._played(self.session.do(command.happening))
        answers: dict[str, Callable[[str], str | None]] = {
            "go": self._go,
            "step": lambda text: self._played(self.session.step(_count(text, "step"))),
            "undo": self._undo,
            "redo": self._redo,
            "why": self._why,
            "show": self._show,
            "watch": self._watch,
            "ask": lambda text: f"  {text}: {self.session.ask(_wanted(text, 'ask'))}",
            "statement": lambda text: statement_text(self.session.statement(text), unit=self._unit),
            "story": lambda _: self.session.story(),
            "save": self._save,
            "keep": self._keep,
            "reload": self._reload,
            "help": what_command,
            "quit": lambda _: None,
        }
        return answers[command.name](command.rest)

    def seen(self) -> Page:
        """Return where the game stands: the time and the readout."""
        session = self.session
        time = f"turn {session.time:g}" if self._unit == "turns" else f"{session.time:.2f} s"
        result, ending = session.outcome
        over = f"  {result}{': ' + ending if ending else ''}" if session.is_over else ""
        return Page(f"{time}{over}", session.readout(self.watched))

    @property
    def _unit(self) -> str:
        return "turns" if self.session.game.clock.unit == "turn" else "s"

    def _played(self, rows: list[Row]) -> Page:
        words = self.session.words
        told = told_rows(words, [row for row in rows if not is_motion(words, row)])
        if len(told) > MOST_ROWS:
            told = [f"  … {len(told) - MOST_ROWS} lines more; `story` tells them all", *told[-MOST_ROWS:]]
        return Page(*told, self.seen())

    def _go(self, text: str) -> str:
        if text.startswith("until"):
            condition = _wanted(text.removeprefix("until").strip(), "go until")
            rows = self.session.go_until(condition)
            never = [] if self.session.is_over or self.session.holds(condition) else ["  it never came true"]
            return Page(self._played(rows), *never)
        return self._played(self.session.go(_seconds(text)))

    def _undo(self, text: str) -> str:
        count = self.session.undo(_count(text, "undo"))
        return self.seen() if count else "  there is nothing to undo"

    def _redo(self, text: str) -> str:
        count = self.session.redo(_count(text, "redo"))
        return self.seen() if count else "  there is nothing to redo"

    def _why(self, text: str) -> str:
        name, _, count = text.partition(" ")
        return why_text(self.session.why(_wanted(name, "why"), _count(count, "why", 3)))

    def _show(self, text: str) -> str:
        words = self.session.words
        keys = present_accounts(self.session.engine)
        if text:
            worked_out = self.session.worked_out()
            if text in worked_out:
                return f"  {text}  {worked_out[text]}"
            if text in self.session.values():
                return accounts_text(self.session.engine, [find_account(self.session.engine.program, text)])
            names = {words.entity(key.entity) for key in keys} | {words.entity(k.entity).split("[")[0] for k in keys}
            names |= {name.rpartition(".")[0].split("[")[0] for name in worked_out}
            if text not in names:
                raise NotFound(f"nobody called '{text}' is there; there are {', '.join(sorted(filter(None, names)))}")
            keys = [k for k in keys if text in (words.entity(k.entity), words.entity(k.entity).split("[")[0])]
        more = {
            name: value
            for name, value in self.session.worked_out().items()
            if not text or text in (name.rpartition(".")[0], name.rpartition(".")[0].split("[")[0])
        }
        width = max(map(len, more), default=0)
        lines = [f"  {name:<{width}}  {value}" for name, value in more.items()]
        return Page(accounts_text(self.session.engine, keys), *(["  worked out", *lines] if lines else []))

    def _watch(self, text: str) -> str:
        if text == "none":
            self.watched = []
            return self.seen()
        for name in _wanted(text, "watch").split():
            self.session.value(name)
            if name not in self.watched:
                self.watched.append(name)
        return self.seen()

    def _save(self, text: str) -> str:
        file, _, name = text.partition(" as ")
        path = Path(_wanted(file.strip(), "save"))
        if path.suffix not in (".yaml", ".yml"):
            raise BadRequest(f"a playtest is saved as YAML, for instance {path.stem or 'night'}.yaml")
        if path.exists() and path.resolve() == self.path.resolve():
            raise BadRequest("that is the game's own file; save beside it, and paste the playtest where you want it")
        from mint_ledger.game.writing import yaml_of

        title = name.strip() or PLAYTEST_NAME
        content = {"playtests": {title: self.session.playtest()}}
        write_text(path, yaml_of(content, open_to=3))
        return f"  {path} is written: a playtest to be pasted into {self.path.name}"

    def _keep(self, text: str) -> str:
        file, _, player = text.partition(" by ")
        path = Path(_wanted(file.strip(), "keep"))
        if path.suffix != ".csv":
            raise BadRequest(f"plays are kept as CSV, for instance {path.stem or 'plays'}.csv")
        kept = with_play(self.session, path, player.strip())
        result = self.session.outcome[0] or "unfinished"
        return f"  this play ({result}) is kept in {path}, which has {kept:,} now"

    def _reload(self, _: str) -> str:
        game: Game = load(self.path)
        self.session = self.session.replayed(game)
        self.watched = [name for name in self.watched if name in self.session.values()]
        return Page(f"  {self.path.name} is read again, and the same was done", self.seen())


def _wanted(text: str, command: str) -> str:
    if not text:
        raise BadRequest(f"{command} what? {HELP[command.split(maxsplit=1)[0]]}")
    return text


def _count(text: str, command: str, default: int = 1) -> int:
    if not text.strip():
        return default
    if not text.strip().isdigit() or not 0 < int(text) < 1_000_000:
        raise BadRequest(f"{command} wants a whole number, not '{text.strip()}'")
    return int(text)


def _seconds(text: str) -> float:
    try:
        return float(text) if text else 1.0
    except ValueError:
        raise BadRequest(f"go wants a time, or 'until' and a condition, not '{text}'") from None
