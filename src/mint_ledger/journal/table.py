"""The journal as a table, and out to CSV and JSON Lines."""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from typing import TYPE_CHECKING, Any

from mint_ledger.journal.wording import Words
from mint_ledger.plain import cell_text, json_text
from mint_ledger.program.program import Program
from mint_ledger.program.row import POSTING, WHATS, Row

if TYPE_CHECKING:
    import pandas as pd

COLUMNS = {
    "n": "the number of the row, from 0",
    "step": "the step in which it was written",
    "since": "from when it counts: a flow's row is for all the time since then (seconds or turns)",
    "time": "when (seconds or turns)",
    "level": "the level that is played; empty in a game without levels",
    "what": "posting, or what else happened: hit, miss, blocked, refused, gone, spawn, status, act …",
    "entity": "whom it concerns; empty for the game's own stats",
    "stat": "the stat of a posting",
    "before": "the account's value before a posting",
    "asked": "the change that was asked for",
    "applied": "the change that was made: after - before",
    "after": "the account's value after it",
    "waste": "the part of the change that a limit refused",
    "rounded": "what rounding to whole points added",
    "wrapped": "what running over from one limit to the other added",
    "cause": "the rule, attack, action, status, flow or script that did it",
    "by": "the entity that did it",
    "text": "the row in words",
}


def records(program: Program, rows: Sequence[Row]) -> Iterator[dict[str, Any]]:
    """The rows as mappings with the columns of `COLUMNS`; amounts are empty in rows that are no postings."""
    words = Words(program)
    level = ""
    for number, row in enumerate(rows):
        if WHATS[int(row.what)] == "level":
            level = words.cause(row.cause)
        posting = WHATS[int(row.what)] == POSTING
        yield {
            "n": number,
            "step": int(row.step),
            "since": words.seconds(row.since),
            "time": words.seconds(row.step),
            "level": level,
            "what": WHATS[int(row.what)],
            "entity": words.entity(row.entity),
            "stat": words.stat(row.stat),
            "before": row.before if posting else None,
            "asked": row.asked if posting else None,
            "applied": row.after - row.before + 0.0 if posting else None,
            "after": row.after if posting else None,
            "waste": row.waste if posting else None,
            "rounded": row.rounded if posting else None,
            "wrapped": row.wrapped if posting else None,
            "cause": words.cause(row.cause),
            "by": words.entity(row.by),
            "text": words.text(row),
        }


def journal_table(program: Program, rows: Sequence[Row]) -> pd.DataFrame:
    """The journal as a DataFrame with the columns of `COLUMNS`, one row a journal row."""
    import pandas as pd

    table = pd.DataFrame.from_records(list(records(program, rows)), columns=list(COLUMNS))
    for column in ("before", "asked", "applied", "after", "waste", "rounded", "wrapped", "since", "time"):
        table[column] = table[column].astype("float64")
    return table


def csv_text(program: Program, rows: Sequence[Row]) -> str:
    """The journal as CSV; numbers are written so that they read back as the same float64."""
    import csv
    import io

    out = io.StringIO()
    writer = csv.DictWriter(out, COLUMNS, lineterminator="\n")
    writer.writeheader()
    for record in records(program, rows):
        plain = {key: "" if value is None else value for key, value in record.items()}
        writer.writerow({key: cell_text(value) if isinstance(value, str) else value for key, value in plain.items()})
    return out.getvalue()


def jsonl_text(program: Program, rows: Sequence[Row]) -> str:
    """The journal as JSON Lines."""
    lines = (json_text(record) for record in records(program, rows))
    return "".join(line + "\n" for line in lines)
