"""Adds a play by hand to a file of recorded plays."""

from __future__ import annotations

import csv
import io
from pathlib import Path

from mint_ledger.errors import BadRequest
from mint_ledger.files import write_text
from mint_ledger.plain import guarded
from mint_ledger.players.recorded import MOST_PLAYS, csv_rows, game_mark
from mint_ledger.playing.highlights import chosen_accounts
from mint_ledger.playing.session import Session


def with_play(session: Session, path: Path, player: str = "") -> int:
    """Add what was played so far to a file, which is made if it is not there; returns how many plays it has now.

    A play that goes on still is one that broke off. The file's own columns are filled as far as they are known of a
    play by hand: result, ending, level, time, game, player, and closing(…) of accounts.

    Raises:
        BadRequest: the file is no table of plays, or cannot be written.
    """
    values = _values(session, player)
    heads, rows = (list(values), []) if not path.exists() else csv_rows(path)
    if "result" not in heads:
        raise BadRequest(f"{path} is no table of plays: it has no column 'result'")
    if len(rows) >= MOST_PLAYS:
        raise BadRequest(f"{path} has {MOST_PLAYS:,} plays, which are the most; keep this one in another file")
    known = {account: f"{session.value(account):.12g}" for account in session.values()}
    row = [values.get(head, known.get(head.removeprefix("closing(").removesuffix(")"), "")) for head in heads]
    out = io.StringIO()
    csv.writer(out, lineterminator="\n").writerows([heads, *rows, row])
    write_text(path, out.getvalue())
    return len(rows) + 1


def _values(session: Session, player: str) -> dict[str, str]:
    """Return what is known of every play, by column."""
    result, ending = session.outcome
    values = {"player": guarded(player), "game": game_mark(session.game), "result": result or "unfinished"}
    values |= {"ending": ending}
    if session.lowered.levels:
        values["level"] = session.ask("level")
    values["time"] = f"{session.time:.12g}"
    present = session.values()
    shown = [account for account in chosen_accounts(session.lowered) if account in present]
    return values | {f"closing({account})": f"{session.value(account):.12g}" for account in shown}
