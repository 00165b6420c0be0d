"""`mint-ledger editor`: apart from the server, which no other command waits for."""

from __future__ import annotations

import gc
import sys

from mint_ledger.errors import BadRequest

SWITCH = 0.0005


def editor() -> None:
    """Serve an editor (Language Server Protocol, over stdin and stdout): faults, names, what they mean."""
    from mint_ledger.cli.editor_server import make_server
    from mint_ledger.cli.own_fault import tell_in_one_line

    try:
        server, games = make_server()
        tell_in_one_line("pygls", "asyncio")
        # What is typed is answered while a text is looked at beside it.
        sys.setswitchinterval(SWITCH)
        # What is there from the start stays, and need not be looked through each time.
        gc.freeze()
        games.begin()
        try:
            server.start_io()
        finally:
            games.end()
        if games.left_early:
            raise SystemExit(1)
    except ImportError as error:
        if not (error.name or "").startswith(("pygls", "lsprotocol")):
            raise
        raise BadRequest("the package for editors is missing; pip install 'mint-ledger[editor]'") from None
