"""How long an editor waits for an answer while one types in the demo: completion, meaning, definition, faults.

python benchmarks/keystroke.py [KEYS]; a client types letters, one every 60 ms, and asks after each what may stand
there. It prints medians and the longest, in milliseconds, and how long after the last key faults are told. Needs the
extras `editor` and `test`.
"""

from __future__ import annotations

import asyncio
import statistics
import sys
import tempfile
import time
from pathlib import Path
from typing import Any

import pytest_lsp
from lsprotocol import types as lsp

import mint_ledger as mint

EVERY = 0.06
BEHIND = "damage: self."


async def talk(keys: int) -> None:
    """Type, ask and measure."""
    folder = Path(tempfile.mkdtemp())
    text = mint.demo_path().read_text("utf-8")
    client = pytest_lsp.make_test_lsp_client()
    await client.start_io(sys.executable, "-m", "mint_ledger", "editor")
    can = pytest_lsp.client_capabilities("visual_studio_code")
    began = time.perf_counter()
    await client.initialize_session(lsp.InitializeParams(capabilities=can, root_uri=folder.as_uri()))
    started = time.perf_counter() - began
    uri = (folder / "saltmere.yaml").as_uri()
    (folder / "saltmere.yaml").write_text(text, "utf-8")
    client.text_document_did_open(lsp.DidOpenTextDocumentParams(lsp.TextDocumentItem(uri, "yaml", 1, text)))
    await client.wait_for_notification("textDocument/publishDiagnostics")
    lines = text.split("\n")
    row = next(i for i, line in enumerate(lines) if BEHIND in line)
    column = lines[row].index(BEHIND) + len(BEHIND)
    which, took = lsp.TextDocumentIdentifier(uri), dict[str, list[float]]()

    async def ask(name: str, question: Any) -> None:
        before = time.perf_counter()
        await question
        took.setdefault(name, []).append(1000 * (time.perf_counter() - before))

    for key in range(keys):
        at = lsp.Position(row, column + key)
        change = lsp.TextDocumentContentChangePartial(range=lsp.Range(at, at), text="b")
        version = lsp.VersionedTextDocumentIdentifier(uri=uri, version=key + 2)
        client.text_document_did_change(lsp.DidChangeTextDocumentParams(version, [change]))
        place = lsp.Position(row, column + key + 1)
        await ask("completion", client.text_document_completion_async(lsp.CompletionParams(which, place)))
        if key % 4 == 0:
            await ask("meaning", client.text_document_hover_async(lsp.HoverParams(which, lsp.Position(row, 18))))
            await ask("definition", client.text_document_definition_async(lsp.DefinitionParams(which, place)))
        await asyncio.sleep(EVERY if key % 7 else 4 * EVERY)
    while not client.diagnostics.get(uri):
        await asyncio.sleep(0.005)
    # The last key fixes all.
    whole = lsp.TextDocumentContentChangeWholeDocument(text=text)
    version = lsp.VersionedTextDocumentIdentifier(uri=uri, version=keys + 2)
    before = time.perf_counter()
    client.text_document_did_change(lsp.DidChangeTextDocumentParams(version, [whole]))
    while client.diagnostics.get(uri):
        await asyncio.sleep(0.002)
    told = 1000 * (time.perf_counter() - before)
    await client.shutdown_session()
    await client.stop()
    print(f"the server answers {started:.2f} s after it is started")
    for name, times in took.items():
        print(f"{name:<12} median {statistics.median(times):5.0f} ms, longest {max(times):5.0f} ms, {len(times)} times")
    print(f"faults       {told:5.0f} ms after the last key")


if __name__ == "__main__":
    asyncio.run(talk(int(sys.argv[1]) if len(sys.argv) > 1 else 60))
