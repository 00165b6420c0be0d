"""The server that an editor speaks with: the Language Server Protocol, over stdin and stdout."""

from __future__ import annotations

import asyncio
import contextlib
import logging
import math
import os
import threading
import time
from collections.abc import Callable, Mapping
from concurrent.futures import BrokenExecutor, ProcessPoolExecutor
from dataclasses import dataclass, field, replace
from multiprocessing import get_context
from pathlib import Path
from typing import TYPE_CHECKING, Any, TypeVar

from mint_ledger.errors import BadRequest, Fault, GameError, Place

if TYPE_CHECKING:
    from lsprotocol import types as lsp
    from pygls.lsp.server import LanguageServer
    from pygls.protocol import LanguageServerProtocol

    from mint_ledger.audit.finding import Finding
    from mint_ledger.editing.analysis import Analysis

# After so many seconds without a key a text is looked at, and after more it is looked for usual mistakes.
PAUSE, LONG_PAUSE = 0.08, 0.4
# Seconds of a processor that reading a text may take; the variable is for tests.
MOST_SECONDS = float(os.environ.get("MINT_LEDGER_EDITOR_SECONDS", "20"))
SOURCE = "mint-ledger"
Result = TypeVar("Result")


@dataclass
class _Game:
    """A game that is edited: what is known of it, and the files that something was told of."""

    path: Path
    analysis: Analysis
    text: str | None = None
    told: set[str] = field(default_factory=set)
    findings: tuple[Finding, ...] = ()
    is_changed: bool = False
    waiting: asyncio.Task[None] | None = None


# What was last known of each game, in the process that looks at them.
_KNOWN: dict[str, tuple[tuple[str, Mapping[str, str]], Analysis]] = {}


def look(file: str, text: str, texts: Mapping[str, str]) -> Analysis:
    """Look at a game; `texts` are those of files that are open, by their paths."""
    from mint_ledger.editing.analysis import analyzed
    from mint_ledger.game.table_files import read_beside

    folder, known = Path(file).parent, _KNOWN.get(file)

    def read(name: str) -> str:
        saved = read_beside(folder, name)
        return texts.get(str(folder / name), saved)

    found = analyzed(text, file, read, known[1] if known is not None else None)
    _KNOWN[file] = ((text, texts), found)
    return found


def look_within(seconds: float, file: str, text: str, texts: Mapping[str, str]) -> Analysis:
    """Read a game, and end this process where that takes longer: nothing else stops a loop that hears nothing."""
    try:
        import resource
    except ImportError:  # no such limits on Windows
        return look(file, text, texts)
    used = resource.getrusage(resource.RUSAGE_SELF)
    most = math.ceil(used.ru_utime + used.ru_stime + seconds)
    hard = resource.getrlimit(resource.RLIMIT_CPU)[1]
    resource.setrlimit(resource.RLIMIT_CPU, (most, hard))
    try:
        return look(file, text, texts)
    finally:
        resource.setrlimit(resource.RLIMIT_CPU, (hard, hard))


def start_reading() -> None:
    """Import what reading a game needs, before there is one."""
    import mint_ledger.editing.analysis  # noqa: F401


def find(file: str, text: str, texts: Mapping[str, str]) -> tuple[Finding, ...]:
    """Return what looks like a usual mistake in a game."""
    from mint_ledger.editing.analysis import quick_findings

    known = _KNOWN.get(file)
    is_known = known is not None and known[0] == (text, texts)
    return quick_findings(known[1] if known is not None and is_known else look(file, text, texts))


def end_with(parent: int) -> None:
    """End this process when the one that began it is gone, however that came."""

    def wait() -> None:
        while os.getppid() == parent:
            time.sleep(1.0)
        os._exit(0)

    threading.Thread(target=wait, daemon=True).start()


def _reader() -> ProcessPoolExecutor:
    """Start a process that reads games."""
    reader = ProcessPoolExecutor(1, get_context("spawn"), end_with, (os.getpid(),))
    reader.submit(start_reading)
    return reader


def _given_up(file: str, before: Analysis) -> Analysis:
    """Return what was known of a game before a text that took too long to read, and that it did."""
    why = f"reading this takes more than {MOST_SECONDS:g} seconds, so nothing of it was checked"
    return replace(before, faults=(Fault(Place(file, 1, 1), "", why),), is_right=False)


class _Games:
    """The games of the files that are open in an editor."""

    def __init__(self, server: LanguageServer) -> None:
        self.server = server
        self.games: dict[Path, _Game] = {}
        # To which game each file belongs, as it was when a file was opened or saved.
        self.roots: dict[str, Path] = {}
        # The process that knows the games that were read before, and one that waits for the next new one.
        self.workers: ProcessPoolExecutor | None = None
        self.spare: ProcessPoolExecutor | None = None
        self.left_early = False

    def begin(self) -> None:
        """Start the process that reads the first file, so that this need not wait for it."""
        with contextlib.suppress(OSError):
            self.spare = _reader()

    def text_of(self, path: Path) -> str | None:
        """The text of a file, as it is open or else as it was saved; none where it cannot be read."""
        from pygls.uris import from_fs_path

        document = self.server.workspace.text_documents.get(from_fs_path(str(path)) or "")
        if document is not None:
            return str(document.source)
        from mint_ledger.game.source import read_text

        try:
            return read_text(path)
        except GameError:
            return None

    def game_of(self, uri: str) -> _Game | None:
        """The game of a file that is open; none where that is of no game."""
        from mint_ledger.editing.analysis import Analysis
        from mint_ledger.editing.belonging import game_file_of, looks_like_game

        path = _path(uri)
        root = self.roots.get(uri)
        if root is None:
            root = self.roots[uri] = game_file_of(path, self.text_of)
        if root not in self.games:
            if root == path and not looks_like_game(self.text_of(path) or ""):
                return None
            self.games[root] = _Game(root, Analysis())
        return self.games[root]

    async def current(self, uri: str) -> _Game | None:
        """The game of a file, looked at as far as it ever was; a game that is new is looked at first."""
        game = self.game_of(uri)
        if game is not None and game.text is None:
            await self.look(game)
        return game

    async def look(self, game: _Game) -> None:
        """Read a game's text in another process, so that keys and other files are answered meanwhile.

        A new game has a separate process: it may take long, and nothing is known of it yet.
        """
        asked = self._asked(game)
        try:
            if game.text is not None:
                game.analysis = await self._beside(look_within, MOST_SECONDS, *asked)
            else:
                game.analysis = await self._apart(look_within, MOST_SECONDS, *asked)
        except BrokenExecutor:
            game.analysis = _given_up(asked[0], game.analysis)
        game.text = asked[1]

    def _asked(self, game: _Game) -> tuple[str, str, dict[str, str]]:
        """A game's file, its text, and the texts of all files that are open."""
        documents = self.server.workspace.text_documents
        texts = {str(_path(uri)): str(document.source) for uri, document in documents.items()}
        return str(game.path), self.text_of(game.path) or "", texts

    async def _beside(self, work: Callable[..., Result], *asked: Any) -> Result:
        """Let the process that knows the games do something; a thread, where there can be no processes.

        Raises:
            BrokenExecutor: the process ended while it was at it.
        """
        loop = asyncio.get_running_loop()
        try:
            self.workers = self.workers or _reader()
            return await loop.run_in_executor(self.workers, work, *asked)
        except BrokenExecutor:
            self.workers = None
            raise
        except OSError:
            self.workers = None
            return await loop.run_in_executor(None, work, *asked)

    async def _apart(self, work: Callable[..., Result], *asked: Any) -> Result:
        """Let a process that nobody else waits for do something; a thread, where there can be no processes.

        Raises:
            BrokenExecutor: the process ended while it was at it.
        """
        loop = asyncio.get_running_loop()
        try:
            reader, self.spare = self.spare or _reader(), None
            result = await loop.run_in_executor(reader, work, *asked)
        except OSError:
            return await loop.run_in_executor(None, work, *asked)
        if self.spare is None:
            self.spare = reader
        else:
            reader.shutdown(wait=False)
        return result

    def changed(self, uri: str, *, again: bool = False) -> None:
        """Look at a game once nothing has been typed for a moment; `again`: and at which files belong together."""
        if again:
            self.roots.clear()
        game = self.game_of(uri)
        if game is None:
            return
        game.is_changed = True
        if game.waiting is None or game.waiting.done():
            game.waiting = asyncio.get_running_loop().create_task(self._keep_up(game))

    async def _keep_up(self, game: _Game) -> None:
        """Look at a game until nothing of it changes any more, one look after another."""
        while game.is_changed:
            game.is_changed = False
            await asyncio.sleep(PAUSE if game.text is not None else 0.0)
            if game.is_changed:
                continue
            await self.look(game)
            self.tell(game)
            await asyncio.sleep(LONG_PAUSE)
            if game.is_changed or not game.analysis.is_right:
                continue
            with contextlib.suppress(BrokenExecutor):
                game.findings = await self._beside(find, *self._asked(game))
                self.tell(game)

    def end(self) -> None:
        """End the processes that read games."""
        for reader in (self.workers, self.spare):
            if reader is not None:
                reader.shutdown(wait=False, cancel_futures=True)

    def tell(self, game: _Game) -> None:
        """Tell the editor what is wrong in each file of a game."""
        from lsprotocol import types as lsp

        by_file: dict[str, list[lsp.Diagnostic]] = {file: [] for file in (*game.told, str(game.path))}
        for fault in game.analysis.faults:
            by_file.setdefault(self._whole(game, fault.place), []).append(self._fault(game, fault))
        for finding in game.findings if game.analysis.is_right else ():
            by_file.setdefault(self._whole(game, finding.place), []).append(self._finding(game, finding))
        for file, found in by_file.items():
            self.server.text_document_publish_diagnostics(lsp.PublishDiagnosticsParams(_uri(file), found))
        game.told = {file for file, found in by_file.items() if found}

    def _whole(self, game: _Game, place: Place) -> str:
        path = Path(place.file)
        return str(path if path.is_absolute() else game.path.parent / path)

    def range_of(self, place: Place, game: _Game) -> lsp.Range:
        """From a place to the end of the word, number or text that stands there."""
        from lsprotocol import types as lsp

        file = Path(self._whole(game, place))
        lines = (self.text_of(file) or "").splitlines()
        number = min(max(place.line - 1, 0), max(len(lines) - 1, 0))
        line = lines[number] if lines else ""
        first = min(place.column - 1, len(line))
        last = first + 1
        while last < len(line) and (line[last].isalnum() or (line[last] in "_ '\"-" and ":" not in line[first:last])):
            last += 1
        last = first + len(line[first:last].rstrip())
        codec = self.server.workspace.position_codec
        begin, end = (codec.client_num_units(line[:column]) for column in (first, last))
        return lsp.Range(lsp.Position(number, begin), lsp.Position(number, max(end, begin + 1)))

    def _fault(self, game: _Game, fault: Fault) -> lsp.Diagnostic:
        from lsprotocol import types as lsp

        told = f"{fault.path}: {fault.message}" if fault.path else fault.message
        return lsp.Diagnostic(self.range_of(fault.place, game), told, lsp.DiagnosticSeverity.Error, source=SOURCE)

    def _finding(self, game: _Game, finding: Finding) -> lsp.Diagnostic:
        from lsprotocol import types as lsp

        grades = {"wrong": lsp.DiagnosticSeverity.Warning, "note": lsp.DiagnosticSeverity.Hint}
        severity = grades.get(finding.grade, lsp.DiagnosticSeverity.Information)
        told = f"{finding.caught.what}\n{finding.check.fix}"
        where = self.range_of(finding.place, game)
        return lsp.Diagnostic(where, told, severity, code=finding.check.name, source=SOURCE)


def _path(uri: str) -> Path:
    from pygls.uris import to_fs_path

    return Path(to_fs_path(uri) or uri)


def _uri(path: str) -> str:
    from pygls.uris import from_fs_path

    return from_fs_path(path) or path


def make_server() -> tuple[LanguageServer, _Games]:
    """A server that is not started yet, and the games that it will know."""
    from lsprotocol import types as lsp
    from pygls.exceptions import JsonRpcException
    from pygls.lsp.server import LanguageServer

    from mint_ledger.editing.completing import offers
    from mint_ledger.editing.defining import made_at
    from mint_ledger.editing.hovering import told_at
    from mint_ledger.editing.renaming import name_to_rename, renamed
    from mint_ledger.editing.standing import standing_at
    from mint_ledger.versions import __version__

    server = LanguageServer(SOURCE, __version__, protocol_cls=_protocol())
    games = _Games(server)
    standing_at(())  # the schema is made before anybody waits for it

    def place(params: Any) -> tuple[str, int, int]:
        """The text of a document, and where in it something is asked, from 0."""
        document = server.workspace.get_text_document(params.text_document.uri)
        at = server.workspace.position_codec.position_from_client_units(document.lines, params.position)
        return document.source, at.line, at.character

    @server.feature(lsp.EXIT)
    def leave(_: None) -> None:
        # The protocol: an editor that did not ask to shut down has failed, and so has its server.
        games.left_early = not server.protocol._shutdown

    @server.feature(lsp.TEXT_DOCUMENT_DID_OPEN)
    async def opened(params: lsp.DidOpenTextDocumentParams) -> None:
        games.changed(params.text_document.uri, again=True)

    @server.feature(lsp.TEXT_DOCUMENT_DID_CHANGE)
    async def changed(params: lsp.DidChangeTextDocumentParams) -> None:
        games.changed(params.text_document.uri)

    @server.feature(lsp.TEXT_DOCUMENT_DID_SAVE)
    async def saved(params: lsp.DidSaveTextDocumentParams) -> None:
        games.changed(params.text_document.uri, again=True)

    @server.feature(lsp.TEXT_DOCUMENT_COMPLETION, lsp.CompletionOptions(trigger_characters=[".", "{", " ", ","]))
    async def complete(params: lsp.CompletionParams) -> lsp.CompletionList | None:
        game = await games.current(params.text_document.uri)
        if game is None:
            return None
        text, line, column = place(params)
        behind = text.split("\n")[line][column:].lstrip() if text else ""
        items = []
        for rank, offer in enumerate(offers(game.analysis, text, line, column)):
            begin = lsp.Position(line, params.position.character - offer.begun)
            new = f"{offer.text}: " if offer.sort == "key" and not behind.startswith(":") else offer.text
            items.append(
                lsp.CompletionItem(
                    offer.text,
                    kind=KINDS.get(offer.sort, lsp.CompletionItemKind.Value),
                    detail=offer.detail or offer.sort,
                    documentation=lsp.MarkupContent(lsp.MarkupKind.Markdown, offer.about) if offer.about else None,
                    sort_text=f"{rank:04d}",
                    text_edit=lsp.TextEdit(lsp.Range(begin, params.position), new),
                )
            )
        return lsp.CompletionList(is_incomplete=False, items=items)

    @server.feature(lsp.TEXT_DOCUMENT_HOVER)
    async def hover(params: lsp.HoverParams) -> lsp.Hover | None:
        game = await games.current(params.text_document.uri)
        if game is None:
            return None
        text, line, column = place(params)
        told = told_at(game.analysis, text, line, column)
        if told is None:
            return None
        codec, content = server.workspace.position_codec, text.split("\n")[line]
        begin, end = (lsp.Position(line, codec.client_num_units(content[:at])) for at in (told.first, told.last))
        return lsp.Hover(lsp.MarkupContent(lsp.MarkupKind.Markdown, told.text), lsp.Range(begin, end))

    @server.feature(lsp.TEXT_DOCUMENT_DEFINITION)
    async def define(params: lsp.DefinitionParams) -> list[lsp.Location]:
        game = await games.current(params.text_document.uri)
        if game is None:
            return []
        found = made_at(game.analysis, *place(params))
        return [lsp.Location(_uri(games._whole(game, at)), games.range_of(at, game)) for at in found]

    async def name_asked(params: Any) -> tuple[_Game, Any]:
        game = await games.current(params.text_document.uri)
        if game is None:
            raise JsonRpcException("this is no game of Mint Ledger", REFUSED)
        if game.text != games.text_of(game.path) or not game.analysis.is_right:
            await games.look(game)
        try:
            return game, name_to_rename(game.analysis, *place(params))
        except BadRequest as error:
            raise JsonRpcException(str(error), REFUSED) from None

    @server.feature(lsp.TEXT_DOCUMENT_PREPARE_RENAME)
    async def prepare(params: lsp.PrepareRenameParams) -> lsp.PrepareRenameDefaultBehavior:
        await name_asked(params)
        return lsp.PrepareRenameDefaultBehavior(default_behavior=True)

    @server.feature(lsp.TEXT_DOCUMENT_RENAME, lsp.RenameOptions(prepare_provider=True))
    async def rename(params: lsp.RenameParams) -> lsp.WorkspaceEdit:
        game, name = await name_asked(params)
        try:
            edits = renamed(game.analysis, name, params.new_name)
        except BadRequest as error:
            raise JsonRpcException(str(error), REFUSED) from None
        codec = server.workspace.position_codec
        changes: dict[str, list[lsp.TextEdit]] = {}
        for edit in edits:
            file = Path(edit.file) if Path(edit.file).is_absolute() else game.path.parent / edit.file
            content = (games.text_of(file) or "").split("\n")[edit.line]
            begin, end = (
                lsp.Position(edit.line, codec.client_num_units(content[:at])) for at in (edit.first, edit.last)
            )
            changes.setdefault(_uri(str(file)), []).append(lsp.TextEdit(lsp.Range(begin, end), edit.text))
        return lsp.WorkspaceEdit(changes=changes)

    KINDS.update(_kinds())
    return server, games


@dataclass(frozen=True)
class Unreadable:
    """A message that could not be read: of no version of the protocol, so that nothing is done about it."""

    why: str
    jsonrpc: str = ""

    def __str__(self) -> str:
        return self.why


def _protocol() -> type[LanguageServerProtocol]:
    """Return the protocol of an editor, which answers requests that cannot be read and keeps tracebacks to itself."""
    from lsprotocol.types import ResponseError
    from pygls.exceptions import JsonRpcException, JsonRpcInvalidParams
    from pygls.protocol import LanguageServerProtocol

    # Its text is a traceback; one line reports the message that could not be read.
    logger = logging.getLogger("pygls.protocol.json_rpc")
    logger.addFilter(lambda record: not record.getMessage().startswith("Unable to deserialize"))

    class Protocol(LanguageServerProtocol):
        def structure_message(self, data: dict[str, Any]) -> Any:
            """Read a message; the request that it cannot read is answered by what is wrong with it."""
            try:
                return super().structure_message(data)
            except JsonRpcException:
                method = data.get("method")
                why = f"the parameters of {method} are not those of the protocol" if method else "this is no message"
                if "id" in data and method:
                    self._send_response(data["id"], None, JsonRpcInvalidParams(why).to_response_error())
                return Unreadable(why)

        def _send_response(self, msg_id: Any, result: Any = None, error: ResponseError | None = None) -> None:
            if error is not None:
                error.data = None
            super()._send_response(msg_id, result, error)

    return Protocol


# The protocol's number for a request that was understood and cannot be done.
REFUSED = -32803
KINDS: dict[str, Any] = {}


def _kinds() -> dict[str, Any]:
    """The picture that an editor shows beside each sort of name."""
    from lsprotocol.types import CompletionItemKind as Kind

    return {
        "key": Kind.Property,
        "word": Kind.EnumMember,
        "stat": Kind.Field,
        "account": Kind.Field,
        "number": Kind.Constant,
        "dial": Kind.Constant,
        "kind": Kind.Class,
        "entity": Kind.Variable,
        "value": Kind.Variable,
        "call": Kind.Function,
        "formula": Kind.Function,
        "table": Kind.Struct,
        "column": Kind.Field,
        "cue": Kind.Event,
        "attack": Kind.Event,
        "action": Kind.Event,
    }
