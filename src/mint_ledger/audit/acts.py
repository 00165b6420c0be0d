"""What acts did, from the rows of a journal."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field

from mint_ledger.journal.wording import Words
from mint_ledger.program.row import WHATS, Row

Account = tuple[float, float]


@dataclass(slots=True)
class _Act:
    """One act, and what came after it in its step until the next one."""

    row: Row
    follows: list[Row] = field(default_factory=list)


def gave_with_none(words: Words, rows: Sequence[Row]) -> set[tuple[str, str, str]]:
    """Acts that took from an account without anything in it and had an effect: (action, account, which effect)."""
    acts, causes = _acts(rows)
    least: dict[tuple[float, Account], float] = {}
    for act in acts:
        for row in _postings(act, causes):
            if row.after < row.before and row.entity in (act.row.entity, 0.0):
                key = (act.row.cause, (row.entity, row.stat))
                least[key] = min(least.get(key, row.after), row.after)
    found: set[tuple[str, str, str]] = set()
    for act in acts:
        own = _postings(act, causes)
        taken = {account for cause, account in least if cause == act.row.cause}
        empty = [row for row in own if _takes_nothing(act.row.cause, row, least)]
        taken |= {(row.entity, row.stat) for row in empty}
        paid = any(row.after < row.before and (row.entity, row.stat) in taken for row in own)
        gains = [row for row in own if row.after > row.before and (row.entity, row.stat) not in taken]
        hits = [row for row in act.follows if WHATS[int(row.what)] == "hit" and row.by == act.row.entity]
        if not empty or paid or not (gains or hits):
            continue
        row = empty[0]
        if gains:
            given = f"adds to {words.account(gains[0].entity, gains[0].stat)}"
        else:
            given = f"strikes {words.entity(hits[0].entity)}"
        found.add((words.cause(act.row.cause), words.account(row.entity, row.stat), given))
    return found


def _takes_nothing(action: float, row: Row, least: dict[tuple[float, Account], float]) -> bool:
    """Return whether a posting would take and cannot: its account is as low as it goes or ever was after it."""
    if row.after != row.before:
        return False
    lowest = least.get((action, (row.entity, row.stat)))
    return (row.asked < 0.0 and row.waste == row.asked) or (row.asked == 0.0 and lowest == row.before)


def _acts(rows: Sequence[Row]) -> tuple[list[_Act], dict[float, set[float]]]:
    """All acts; and by action the causes that only come with it, rules that hear of it among them."""
    acts: list[_Act] = []
    now: _Act | None = None
    with_act: dict[float, set[float]] = {}
    apart: dict[float, set[float]] = {}
    for row in rows:
        if now is not None and (WHATS[int(row.what)] == "act" or row.step != now.row.step):
            now = None
        if WHATS[int(row.what)] == "act":
            now = _Act(row)
            acts.append(now)
        elif now is not None:
            now.follows.append(row)
        if row.what == 0.0:
            if now is not None:
                with_act.setdefault(now.row.cause, set()).add(row.cause)
            apart.setdefault(row.cause, set()).add(now.row.cause if now is not None else -1.0)
    causes = {action: {cause for cause in some if apart[cause] == {action}} for action, some in with_act.items()}
    return acts, causes


def _postings(act: _Act, causes: dict[float, set[float]]) -> list[Row]:
    own = causes.get(act.row.cause, set())
    return [row for row in act.follows if row.what == 0.0 and row.cause in own]
