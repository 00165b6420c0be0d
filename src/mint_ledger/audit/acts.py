"""What acts did, from the rows of a journal."""

from __future__ import annotations

from collections.abc import Iterator, Sequence

from mint_ledger.journal.wording import Words
from mint_ledger.program.row import WHATS, Row


def gave_with_none(words: Words, rows: Sequence[Row]) -> set[tuple[str, str, str]]:
    """Acts that took from an account without anything in it and had an effect: (action, account, which effect)."""
    found: set[tuple[str, str, str]] = set()
    for act, follows in _acts(rows):
        name = words.cause(act.cause)
        own = [row for row in follows if row.what == 0.0 and row.cause == act.cause]
        empty = [row for row in own if row.asked < 0.0 and row.after == row.before and row.waste == row.asked]
        if not empty:
            continue
        taken = {(row.entity, row.stat) for row in empty}
        paid = any(row.asked < 0.0 and row.after < row.before for row in own)
        gains = [row for row in own if row.after > row.before and (row.entity, row.stat) not in taken]
        hits = [row for row in follows if WHATS[int(row.what)] == "hit" and row.by == act.entity]
        if paid or not (gains or hits):
            continue
        row = empty[0]
        if gains:
            given = f"adds to {words.account(gains[0].entity, gains[0].stat)}"
        else:
            given = f"strikes {words.entity(hits[0].entity)}"
        found.add((name, words.account(row.entity, row.stat), given))
    return found


def _acts(rows: Sequence[Row]) -> Iterator[tuple[Row, list[Row]]]:
    """Each act, and what came after it in its step until the next one."""
    act: Row | None = None
    follows: list[Row] = []
    for row in rows:
        if act is not None and (WHATS[int(row.what)] == "act" or row.step != act.step):
            yield act, follows
            act = None
        if WHATS[int(row.what)] == "act":
            act, follows = row, []
        elif act is not None:
            follows.append(row)
    if act is not None:
        yield act, follows
