"""An editor's own client speaks with `mint-ledger editor`, as one types."""

from __future__ import annotations

import asyncio
import json
import re
import subprocess
import sys
from collections.abc import Awaitable, Callable
from pathlib import Path
from typing import Any

import pytest

import mint_ledger as mint

lsp = pytest.importorskip("lsprotocol.types")
pytest_lsp = pytest.importorskip("pytest_lsp")

DEMO = mint.demo_path().read_text("utf-8")
PATIENCE = 60.0


class Editor:
    """A client with files that are open in it."""

    def __init__(self, folder: Path) -> None:
        self.client = pytest_lsp.make_test_lsp_client()
        self.folder = folder
        self.texts: dict[str, str] = {}

    async def start(self) -> None:
        await self.client.start_io(sys.executable, "-m", "mint_ledger", "editor")
        can = pytest_lsp.client_capabilities("visual_studio_code")
        asked = lsp.InitializeParams(capabilities=can, root_uri=self.folder.as_uri())
        await asyncio.wait_for(self.client.initialize_session(asked), PATIENCE)

    async def stop(self) -> None:
        await asyncio.wait_for(self.client.shutdown_session(), PATIENCE)
        await asyncio.wait_for(self.client.stop(), PATIENCE)

    def uri(self, name: str) -> str:
        return (self.folder / name).as_uri()

    def open(self, name: str, text: str) -> None:
        (self.folder / name).parent.mkdir(exist_ok=True)
        (self.folder / name).write_text(text, "utf-8")
        self.texts[name] = text
        item = lsp.TextDocumentItem(self.uri(name), "yaml", 1, text)
        self.client.text_document_did_open(lsp.DidOpenTextDocumentParams(item))

    def type(self, name: str, behind: str, more: str) -> None:
        """Type something behind a part of a text, as one change."""
        at = self.at(name, behind)
        text = self.texts[name]
        index = text.index(behind) + len(behind)
        self.texts[name] = text[:index] + more + text[index:]
        change = lsp.TextDocumentContentChangePartial(range=lsp.Range(at, at), text=more)
        which = lsp.VersionedTextDocumentIdentifier(uri=self.uri(name), version=2)
        self.client.text_document_did_change(lsp.DidChangeTextDocumentParams(which, [change]))

    def at(self, name: str, behind: str) -> object:
        before = self.texts[name][: self.texts[name].index(behind) + len(behind)]
        column = len(before.rpartition("\n")[2].encode("utf-16-le")) // 2
        return lsp.Position(before.count("\n"), column)

    def asked(self, name: str, behind: str) -> tuple[object, object]:
        return lsp.TextDocumentIdentifier(self.uri(name)), self.at(name, behind)

    async def told(self, name: str, is_so: Callable[[list[str]], bool]) -> list[str]:
        """What the editor was told of a file, once it is so."""
        for _ in range(int(PATIENCE / 0.05)):
            found = [item.message for item in self.client.diagnostics.get(self.uri(name), ())]
            if self.uri(name) in self.client.diagnostics and is_so(found):
                return found
            await asyncio.sleep(0.05)
        raise AssertionError(f"never so: {self.client.diagnostics}")


def speak(folder: Path, talk: Callable[[Editor], Awaitable[None]]) -> None:
    async def whole() -> None:
        editor = Editor(folder)
        await editor.start()
        try:
            await talk(editor)
        finally:
            await editor.stop()

    asyncio.run(whole())


def test_faults_come_as_one_types_and_go_again(tmp_path: Path) -> None:
    async def talk(editor: Editor) -> None:
        editor.open("saltmere.yaml", DEMO)
        assert await editor.told("saltmere.yaml", lambda found: True) == []
        editor.type("saltmere.yaml", "damage: self.bi", "x")
        assert await editor.told("saltmere.yaml", bool) == [
            "pincer.damage: crab has no stat 'bixte', did you mean 'bite'?"
        ]
        place = editor.client.diagnostics[editor.uri("saltmere.yaml")][0].range
        line = editor.texts["saltmere.yaml"].split("\n")[place.start.line]
        assert line[place.start.character : place.end.character] == "damage"
        editor.texts["saltmere.yaml"] = DEMO
        change = lsp.TextDocumentContentChangeWholeDocument(text=DEMO)
        which = lsp.VersionedTextDocumentIdentifier(uri=editor.uri("saltmere.yaml"), version=3)
        editor.client.text_document_did_change(lsp.DidChangeTextDocumentParams(which, [change]))
        await editor.told("saltmere.yaml", lambda found: not found)

    speak(tmp_path, talk)


def test_usual_mistakes_are_told_with_what_would_fix_them(tmp_path: Path) -> None:
    async def talk(editor: Editor) -> None:
        text = "mint_ledger: 1\nclock: {limit: 9}\nstats: {tide: {start: 3, max: 5}}\n"
        text += "rules: [{when: {every: 1}, if: tide > 7, do: [tide += 1]}]\n"
        editor.open("tide.yaml", text)
        found = await editor.told("tide.yaml", lambda told: any("tide > 7" in one for one in told))
        wanted = {f.caught.what for f in mint.loads(text).audit(runs=0).findings if not f.accepted}
        assert {one.split("\n")[0] for one in found} == wanted
        codes = {item.code for item in editor.client.diagnostics[editor.uri("tide.yaml")]}
        assert "never-holds" in codes

    speak(tmp_path, talk)


def test_names_are_completed_explained_found_and_renamed(tmp_path: Path) -> None:
    async def talk(editor: Editor) -> None:
        client, name = editor.client, "saltmere.yaml"
        editor.open(name, DEMO)
        editor.type(name, "damage: self.", "bi")
        found = await client.text_document_completion_async(
            lsp.CompletionParams(*editor.asked(name, "damage: self.bi"))
        )
        labels = {item.label: item for item in found.items}
        assert {"bite", "health", "worth"} <= labels.keys() and "oil" not in labels
        edit = labels["bite"].text_edit
        assert edit.new_text == "bite" and edit.range.end.character - edit.range.start.character == 2

        told = await client.text_document_hover_async(lsp.HoverParams(*editor.asked(name, "give: daz")))
        assert "status **dazed**" in told.contents.value

        places = await client.text_document_definition_async(lsp.DefinitionParams(*editor.asked(name, "give: daz")))
        lines = [editor.texts[name].split("\n")[place.range.start.line] for place in places]
        assert len(lines) == 1 and lines[0].lstrip().startswith("dazed:")

    speak(tmp_path, talk)


def test_a_rename_goes_through_all_files_of_a_game(tmp_path: Path) -> None:
    async def talk(editor: Editor) -> None:
        foes = '# "🦀": letters of two units\nkinds:\n  crab: {label: "🦀 crab", stats: {health: 5, grip: 2}}\n'
        editor.open(
            "shore.yaml", "mint_ledger: 1\ninclude: [foes.yaml]\nrules: [{when: start, do: [crab.grip += 1]}]\n"
        )
        editor.open("foes.yaml", foes)
        await editor.told("shore.yaml", lambda found: True)
        rename = lsp.RenameParams(*editor.asked("foes.yaml", "health: 5, gr"), new_name="hold")
        change = await editor.client.text_document_rename_async(rename)
        assert set(change.changes) == {editor.uri("shore.yaml"), editor.uri("foes.yaml")}
        edit = change.changes[editor.uri("foes.yaml")][0]
        line = foes.split("\n")[2]
        assert edit.range.start.character == len(line[: line.index("grip")].encode("utf-16-le")) // 2
        with pytest.raises(Exception, match="'health' is a stat already"):
            await editor.client.text_document_rename_async(
                lsp.RenameParams(*editor.asked("foes.yaml", "health: 5, gr"), new_name="health")
            )

    speak(tmp_path, talk)


def test_what_is_included_is_looked_at_as_part_of_its_game_and_other_files_are_left_alone(tmp_path: Path) -> None:
    async def talk(editor: Editor) -> None:
        (tmp_path / "shore.yaml").write_text("mint_ledger: 1\ninclude: [parts/foes.yaml]\nstats: {tide: 3}\n", "utf-8")
        editor.open("parts/foes.yaml", "rules: [{when: {every: 2}, do: [tide += 1]}]\n")
        editor.type("parts/foes.yaml", "[tide", "e")
        found = await editor.told("parts/foes.yaml", bool)
        assert found == ["rules[1].do: unknown account 'tidee', did you mean 'tide'?"] or "tidee" in found[0]
        editor.open("build.yaml", "jobs: {test: {runs-on: linux}}\nname: tests\n")
        editor.type("parts/foes.yaml", "[tidee", "e")
        await editor.told("parts/foes.yaml", lambda found: "tideee" in found[0])
        assert editor.uri("build.yaml") not in editor.client.diagnostics
        hover = await editor.client.text_document_hover_async(lsp.HoverParams(*editor.asked("build.yaml", "jo")))
        assert hover is None

    speak(tmp_path, talk)


def test_a_fault_of_ours_is_told_in_one_line(capsys: pytest.CaptureFixture[str]) -> None:
    """What the package for editors logs with a traceback."""
    import logging

    from mint_ledger.cli.own_fault import tell_in_one_line
    from mint_ledger.plain import neutral

    tell_in_one_line("some.package")
    logger = logging.getLogger("some.package.deep")
    try:
        neutral(None)  # type: ignore[arg-type]
    except AttributeError:
        logger.exception("Exception occurred")
    try:
        int("no\nnumber")
    except ValueError:
        logger.exception("Exception occurred")
    logger.info("nobody wants to know")
    said = capsys.readouterr().err.splitlines()
    assert len(said) == 2
    assert "fault of its own at plain.py:" in said[0] and "AttributeError" in said[0]
    assert said[1].startswith("some.package.deep: ValueError: invalid literal")


def message(**content: object) -> bytes:
    body = json.dumps({"jsonrpc": "2.0", **content}).encode()
    return b"Content-Length: %d\r\n\r\n%s" % (len(body), body)


def answered(*messages: bytes) -> tuple[list[dict[str, Any]], int, str]:
    """All that the server says to some messages, how it ends and what it says on stderr."""
    asked = message(id=1, method="initialize", params={"processId": None, "rootUri": None, "capabilities": {}})
    process = subprocess.run(
        [sys.executable, "-m", "mint_ledger", "editor"],
        input=asked + b"".join(messages),
        capture_output=True,
        timeout=PATIENCE,
        check=False,
    )
    said, out = [], process.stdout
    while out:
        head, _, rest = out.partition(b"\r\n\r\n")
        length = int(re.search(rb"Content-Length: (\d+)", head)[1])  # type: ignore[index]
        said.append(json.loads(rest[:length]))
        out = rest[length:]
    return said, process.returncode, process.stderr.decode()


def test_a_request_that_cannot_be_read_is_answered_without_a_traceback() -> None:
    said, code, errors = answered(
        message(id=2, method="textDocument/hover", params={"textDocument": 7}),
        message(id=3, method="textDocument/hover", params={"position": {"line": "x"}}),
        message(id=4, method="no/such", params={}),
        message(id=5, method="textDocument/rename", params={
            "textDocument": {"uri": "file:///nowhere/a.yaml"}, "position": {"line": 9, "character": 9}, "newName": "b",
        }),
        message(id=6, method="shutdown"),
        message(method="exit"),
    )  # fmt: skip
    errors_by = {one["id"]: one["error"] for one in said if "error" in one}
    assert errors_by.keys() == {2, 3, 4, 5}
    assert {errors_by[2]["code"], errors_by[3]["code"]} == {-32602}
    assert "textDocument/hover" in errors_by[2]["message"]
    assert errors_by[4]["code"] == -32601
    assert all(not error.get("data") for error in errors_by.values())
    assert "Traceback" not in errors and "Traceback" not in json.dumps(said)
    assert code == 0


def test_an_exit_that_nobody_asked_to_shut_down_before_is_a_failure() -> None:
    assert answered(message(method="exit"))[1] == 1


def test_a_file_that_takes_long_to_read_keeps_no_other_waiting(tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("MINT_LEDGER_EDITOR_SECONDS", "2")
    rule = "  - {{name: r{0}, when: {{every: {1}}}, if: tide > {0}, do: [tide += {0} - tide / 7 + abs(tide - {0})]}}\n"
    rules = "".join(rule.format(n, n % 9 + 1) for n in range(3_000))
    slow = f"mint_ledger: 1\nclock: {{limit: 9}}\nstats: {{tide: {{start: 3, max: 5}}}}\nrules:\n{rules}"

    async def talk(editor: Editor) -> None:
        editor.open("slow.yaml", slow)
        editor.open("quick.yaml", "mint_ledger: 1\nstats: {tide: 3}\nrules: [{when: start, do: [tidee += 1]}]\n")
        found = await editor.told("quick.yaml", bool)
        assert "tidee" in found[0]
        assert not editor.client.diagnostics.get(editor.uri("slow.yaml"))
        given_up = await editor.told("slow.yaml", bool)
        assert given_up == ["reading this takes more than 2 seconds, so nothing of it was checked"]

    speak(tmp_path, talk)
