"""The highlights of a run as text: how it ended, what decided it, and what moved each account."""

from __future__ import annotations

from collections import Counter
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import Words, number, signed
from mint_ledger.playing.highlights import find_highlights
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.readout_text import readout_text
from mint_ledger.views.story import closing_line, happening, title_of
from mint_ledger.views.text_table import TextTable, left_column, name_column, right_column
from mint_ledger.views.width import line_width

if TYPE_CHECKING:
    from mint_ledger.journal.statement import Statement
    from mint_ledger.playing.highlights import Highlight, Highlights
    from mint_ledger.playing.run import Run

RESULTS = {"win": "Won", "lose": "Lost", "draw": "A draw", "unfinished": "Unfinished"}
# The most causes that are named in the line of an account.
MOST_CAUSES = 2
NAMES, NUMBERS, GAP = 18, 8, 2


def run_text(run: Run) -> Page:
    """Return how a run ended, and what decided it."""
    return highlights_text(find_highlights(run))


def highlights_text(found: Highlights) -> Page:
    """Return how a run ended, its highlights, and what moved each account that matters."""
    run = found.run
    words = Words(run.program)
    lines: Parts = [run.title, "", Sentence(answer(found), hanging=0), ""]
    for one in found.picked:
        lines.append(happening(words.time(one.row.step), _title(words, one)))
    lines.append(closing_line(run, words))
    if found.accounts:
        lines += ["", _accounts(found.accounts)]
    readout = readout_text(run.lowered, run.engine_at(None))
    if readout:
        lines += ["", readout]
    return Page(*lines)


def answer(found: Highlights) -> str:
    """Return how the run ended, and what was lost on the way, in one or two sentences."""
    run = found.run
    time = number(run.time)
    at = f"in turn {time}" if run.program.clock.unit == "turn" else f"at {time} s"
    if run.result == "unfinished":
        sentences = [f"Unfinished {at}, the clock's limit."]
    else:
        winner = f", {run.winner} wins" if run.winner else ""
        sentences = [f"{RESULTS[run.result]} {at}: {run.ending}{winner}."]
    for rule, causes in found.losses.items():
        often = Counter(filter(None, causes)).most_common()
        by = ", ".join(f"{cause} {_times(count)}" for cause, count in often)
        if len(often) == 1:
            by = often[0][0] + (" each time" if len(causes) > 1 else "")
        sentences.append(f"{rule[:1].upper()}{rule[1:]} {_times(len(causes))}" + (f", by {by}." if by else "."))
    return " ".join(sentences)


def _times(count: int) -> str:
    return {1: "once", 2: "twice"}.get(count, f"{count} times")


def _title(words: Words, one: Highlight) -> str:
    row = one.row
    if one.sort in ("level", "told", "gone", "rare"):
        return title_of(words, row)
    account = words.account(row.entity, row.stat)
    before, after = (words.value(row.entity, row.stat, value) for value in (row.before, row.after))
    by = words.entity(row.by)
    cause = words.cause(row.cause) + (f" ({by})" if by else "")
    if one.sort == "loss":
        return f"{words.cause(row.cause)}: {account} {before} → {after}" + (f", after {one.by}" if one.by else "")
    if one.sort == "lowest":
        return f"{account} is at its lowest, {after}: {cause}"
    return f"{account} {before} → {after}: {cause}"


def _accounts(statements: tuple[Statement, ...]) -> TextTable:
    """Return what moved each account: how much came in and went out, and by what most."""
    side = (line_width() - 2 - NAMES - 2 * NUMBERS - 2 * GAP) // 2
    table = TextTable(
        name_column("account", NAMES),
        right_column("began", NUMBERS),
        right_column("ended", NUMBERS),
        left_column("came in", side, before=GAP),
        left_column("went out", side, before=GAP),
    )
    for statement in statements:
        if statement.opens:
            table.add(statement.account, statement.opens, statement.closes, "", "")
            continue
        table.add(
            statement.account,
            number(statement.opening),
            number(statement.closing),
            _moved(statement, 1.0, side),
            _moved(statement, -1.0, side),
        )
    return table


def _moved(statement: Statement, sign: float, room: int) -> str:
    """Return what causes gave, or took, in all, and the largest of them by name, as many as there is room for."""
    lines = sorted((line for line in statement.lines if sign * line.total > 0.0), key=lambda line: -abs(line.total))
    if not lines:
        return ""
    total = signed(sum(line.total for line in lines))
    for many in range(MOST_CAUSES, 0, -1):
        named = ", ".join(line.title for line in lines[:many])
        text = f"{total} {named}" + (" …" if len(lines) > many else "")
        if len(text) <= room:
            return text
    return text[: room - 1] + "…"


__all__ = ["answer", "highlights_text", "run_text"]
