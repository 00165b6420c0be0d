"""The prompt of `try`: history, completion of every name of the game, and a line of help."""

from __future__ import annotations

import contextlib
from collections.abc import Callable, Iterable, Iterator

from prompt_toolkit import PromptSession
from prompt_toolkit.completion import CompleteEvent, Completer, Completion
from prompt_toolkit.document import Document
from prompt_toolkit.history import FileHistory, History, InMemoryHistory

from mint_ledger.cli.hand_commands import HELP
from mint_ledger.playing.session import Session

TOOLBAR = " Enter: go on · Tab: names · help · undo · why ACCOUNT · quit "


def ask_lines(session: Callable[[], Session]) -> Iterator[str]:
    """Ask for one line after another, until Ctrl-D; Ctrl-C drops the line."""
    prompt: PromptSession[str] = PromptSession(
        history=_history(),
        completer=NameCompleter(session),
        complete_while_typing=False,
        bottom_toolbar=TOOLBAR,
    )
    while True:
        try:
            yield prompt.prompt("> ")
        except KeyboardInterrupt:
            continue
        except EOFError:
            return


def _history() -> History:
    import platformdirs

    with contextlib.suppress(OSError):
        folder = platformdirs.user_state_path("mint-ledger", appauthor=False)
        folder.mkdir(parents=True, exist_ok=True)
        file = folder / "try-history"
        file.touch()
        return FileHistory(str(file))
    return InMemoryHistory()


class NameCompleter(Completer):
    """Completes commands, and behind them the names that fit there."""

    def __init__(self, session: Callable[[], Session]) -> None:
        self._session = session

    def get_completions(self, document: Document, complete_event: CompleteEvent) -> Iterable[Completion]:
        """The names that begin with what stands before the cursor."""
        line = document.text_before_cursor.rpartition(";")[2].lstrip()
        words = line.split(" ")
        for name in self._fitting(words[:-1]):
            if name.startswith(words[-1]):
                yield Completion(name, start_position=-len(words[-1]))

    def _fitting(self, before: list[str]) -> list[str]:
        """Return what can stand behind these words."""
        if not before:
            return list(HELP)
        session = self._session()
        game, command, last = session.game, before[0], before[-1]
        present = session.engine.program.columns.present
        cast = session.engine.program.cast
        entities = [cast.entity_name(e) for e in range(1, cast.size) if session.engine.state[present.offset + e] != 0.0]
        accounts = list(session.values())
        if last in ("by", "to", "of"):
            return entities
        if last == "with":
            return list(game.attacks)
        first = {
            "act": list(game.actions),
            "hit": entities,
            "give": list(game.statuses),
            "end": list(game.statuses),
            "cue": session.cues,
            "remove": entities,
            "move": entities,
            "spawn": list(game.kinds),
            "level": list(game.levels),
            "habit": [*game.habits, "none"],
            "help": list(HELP),
            "show": entities,
            "go": ["until"],
        }
        behind = {
            "hit": ["with", "by", "sure"],
            "act": ["to", "by"],
            "give": ["to", "for"],
            "end": ["of"],
            "meet": entities,
        }
        if len(before) == 1 and command in first:
            return first[command]
        if command in behind and len(before) > 1:
            return behind[command]
        return entities if command == "meet" else accounts
