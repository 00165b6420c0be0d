"""A run as a story: one line for what happened, and under it the accounts that it changed."""

from __future__ import annotations

from collections.abc import Collection, Iterator, Sequence
from itertools import groupby
from typing import TYPE_CHECKING, NamedTuple

from mint_ledger.errors import NotFound, nearest
from mint_ledger.journal.books import all_accounts
from mint_ledger.journal.wording import MINUS, Words, number, signed
from mint_ledger.program.row import WHATS, Row
from mint_ledger.views.page import MarkedLine, Meaning, Page, Parts, Sentence
from mint_ledger.views.readout_text import readout_text
from mint_ledger.views.width import line_width

if TYPE_CHECKING:
    from mint_ledger.playing.run import Run

INDENT = 9
# So many strikes of a kind that are refused alike in one step have a line each; more are counted.
SINGLY = 2
# Rows that stand before the changes that belong to them; a hit stands behind its own.
HEADS = ("spawn", "act", "level")


def story_text(
    run: Run,
    start: float = 0.0,
    end: float | None = None,
    only: Collection[str] = (),
    *,
    with_readout: bool = True,
    with_title: bool = True,
) -> Page:
    """The story of a run between two times.

    Args:
        run: the run.
        start: rows before this time are left out.
        end: rows after this time are left out; none by default.
        only: entities, accounts, stats or causes; with any, only rows that concern one of them are told.
        with_readout: whether the readout closes it.
        with_title: whether the game's title and the unit of the times open it.

    Raises:
        NotFound: nothing in the game has a name of `only`.
    """
    words = Words(run.program)
    known = _names(words) if only else set()
    for name in only:
        if name not in known:
            raise NotFound(f"nothing in the game is called '{name}'{nearest(name, known)}")
    rows = [row for row in run.rows if _in_time(words, row, start, end)]
    rows = [row for row in rows if (concerns(words, row, only) if only else not is_motion(words, row))]
    lines: Parts = [run.title, *(["(times in seconds)"] if run.program.clock.unit != "turn" else []), ""]
    lines = lines if with_title else []
    lines += told_rows(words, rows)
    if end is None or end >= run.time:
        lines.append(closing_line(run, words))
    if with_readout:
        readout = readout_text(run.lowered, run.engine_at(end))
        if readout:
            lines += ["", readout]
    return Page(*lines)


def told_rows(words: Words, rows: Sequence[Row]) -> Parts:
    """Return what happened, line by line: each happening with its time, and under it the accounts that it changed."""
    # What has just appeared stands where it opened, until something moves it.
    appeared = {(row.step, row.entity) for row in rows if WHATS[int(row.what)] == "spawn"}
    told = [row for row in rows if not (_says_nothing(row) and (row.step, row.entity) in appeared)]
    lines: Parts = []
    for alike, groups in groupby(_groups(words, told), lambda group: _refusal(words, group)):
        several = list(groups)
        if alike is not None and len(several) > SINGLY:
            title = f"{len(several)} of {alike.kind} cannot strike {alike.whom}: {words.reason(several[0][0])}"
            lines.append(happening(words.time(alike.step), title))
        else:
            lines += [line for group in several for line in _told(words, group)]
    return lines


class _Refusal(NamedTuple):
    """What refused strikes are told together by: of one kind, at one target, in one step, for one reason."""

    step: float
    kind: str
    whom: str
    text: float


def _refusal(words: Words, group: Sequence[Row]) -> _Refusal | None:
    row = group[0]
    if WHATS[int(row.what)] != "blocked":
        return None
    whom = f"{words.entity(row.entity) or 'anyone'} with {words.cause(row.cause)}"
    return _Refusal(row.step, words.entity(row.by).split("[")[0], whom, row.text)


def _says_nothing(row: Row) -> bool:
    return WHATS[int(row.what)] == "posting" and row.after == row.before and not (row.waste or row.wrapped)


def is_motion(words: Words, row: Row) -> bool:
    """Return whether a row only says that something has moved on; there are many, and they are told if asked for."""
    if WHATS[int(row.what)] != "posting" or row.cause < 0:
        return False
    cause = words.program.causes[int(row.cause)]
    return cause.sort == "flow" and cause.path[2:] == ("moves",)


def _in_time(words: Words, row: Row, start: float, end: float | None) -> bool:
    time = words.seconds(row.step)
    return time >= start - 1e-9 and (end is None or time <= end + 1e-9)


def concerns(words: Words, row: Row, only: Collection[str]) -> bool:
    """Return whether a row is about one of these entities, kinds, accounts, stats or causes."""
    who, by = words.entity(row.entity), words.entity(row.by)
    names = {who, by, who.split("[")[0], by.split("[")[0], words.cause(row.cause), WHATS[int(row.what)]}
    if row.stat >= 0:
        stat = words.stat(row.stat)
        names |= {stat, words.account(row.entity, row.stat), f"{who.split('[')[0]}.{stat}"}
    return bool(names & set(only))


def _names(words: Words) -> set[str]:
    """Return all names that a row may be about: entities, kinds, accounts, stats, causes and what happens."""
    names = {*words.program.cause_labels, *WHATS}
    for key in all_accounts(words.program):
        stat, who = words.stat(key.stat), words.entity(key.entity)
        names |= {stat, words.account(key.entity, key.stat), f"{who.split('[')[0]}.{stat}"}
    for entity in range(1, words.program.cast.size):
        names |= {words.entity(entity), words.entity(entity).split("[")[0]}
    return names


def _groups(words: Words, rows: Sequence[Row]) -> Iterator[list[Row]]:
    """Rows that belong together: postings of one cause in one step, and the hit that made them."""
    group: list[Row] = []
    for row in _flows_first(words, rows):
        if group and not _belongs(words, group, row):
            yield group
            group = []
        group.append(row)
        if WHATS[int(row.what)] not in ("posting", *HEADS):
            yield group
            group = []
    if group:
        yield group


def _flows_first(words: Words, rows: Sequence[Row]) -> Iterator[Row]:
    """What has flowed until now is booked just before a posting; told before the action that the posting is part of."""
    waiting: list[Row] = []
    for row in rows:
        if waiting and _is_flow(words, row) and row.step == waiting[0].step:
            yield row
            continue
        yield from waiting
        waiting = []
        if WHATS[int(row.what)] in HEADS:
            waiting.append(row)
        else:
            yield row
    yield from waiting


def _is_flow(words: Words, row: Row) -> bool:
    is_posting = WHATS[int(row.what)] == "posting" and row.cause >= 0
    return is_posting and words.program.causes[int(row.cause)].sort == "flow"


def _belongs(words: Words, group: list[Row], row: Row) -> bool:
    last = group[-1]
    if WHATS[int(group[0].what)] in HEADS:
        is_posting = WHATS[int(row.what)] == "posting"
        return is_posting and row.cause >= 0 and (row.step, row.cause) == (last.step, last.cause)
    if (last.step, last.cause, last.by) != (row.step, row.cause, row.by):
        return False
    return not _is_flow(words, row) and WHATS[int(row.what)] in ("posting", "hit")


def _told(words: Words, group: list[Row]) -> Parts:
    head = group[0] if WHATS[int(group[0].what)] in HEADS else group[-1]
    time = words.time(head.step)
    if WHATS[int(head.what)] == "posting" and words.program.causes[int(head.cause)].sort == "flow":
        return _flow_lines(words, head, time)
    postings = [row for row in group if WHATS[int(row.what)] == "posting"]
    if WHATS[int(head.what)] in ("spawn", "level"):
        postings = [row for row in postings if row.after != row.before]
    lines: Parts = [happening(time, title_of(words, head))]
    for row in postings:
        lines += _change_lines(words, row)
    return lines


def title_of(words: Words, head: Row) -> str:
    """Return what happened, as the title of the changes that came of it."""
    if WHATS[int(head.what)] == "hit":
        # The lines under it say which stats took how much.
        striker, target = words.entity(head.by), words.entity(head.entity)
        return f"{striker} hits {target} ({words.cause(head.cause)}): {words.stages(head, layers=False)}"
    if WHATS[int(head.what)] != "posting":
        return words.text(head)
    by = words.entity(head.by)
    return words.cause(head.cause) + (f" ({by})" if by else "")


def happening(time: str, text: str, meaning: Meaning = "") -> Sentence:
    """Return what happened with its time; an arrow stays with what stands on both sides of it."""
    lead = f"{time:>{INDENT - 2}}  "
    return Sentence(text, hanging=INDENT, lead=lead, meaning=meaning, tied=(" → ",))


def _change_lines(words: Words, row: Row, more: str = "", time: str = "") -> Parts:
    """Return how an account changed; what is to be noted stands in a line of its own where there is no room."""
    account = words.account(row.entity, row.stat)
    before = words.value(row.entity, row.stat, row.before)
    after = words.value(row.entity, row.stat, row.after)
    change = signed(row.after - row.before) if _is_number(words, row) else ""
    notes = []
    if row.waste:
        notes.append(f"{number(abs(row.waste))} wasted")
    if row.rounded:
        notes.append(f"rounded from {number(row.asked)}")
    if row.wrapped:
        notes.append("runs over")
    if more:
        notes.append(more)
    # What flows has its time in its own line.
    lead = f"{time:>{INDENT - 2}}    " if time else " " * (INDENT + 2)
    line = f"{lead}{account:<18} {before:>8} → {after:<8} "
    meaning: Meaning = "good" if change.startswith("+") else "bad" if change.startswith(MINUS) else ""
    told = ", ".join(notes)
    if told and len(line) + 8 + 2 + len(told) > line_width():
        return [MarkedLine(line, (f"{change:>8}", meaning)), Sentence(told, INDENT + 4, INDENT + 4)]
    if told:
        return [MarkedLine(line, (f"{change:>8}", meaning), f"  {told}")]
    return [MarkedLine(line, (f"{change:>8}", meaning)) if change else line.rstrip()]


def _is_number(words: Words, row: Row) -> bool:
    model = words.model(row.entity, row.stat)
    return model is None or model.value_type == "number"


def _flow_lines(words: Words, row: Row, time: str) -> Parts:
    return _change_lines(words, row, f"{words.cause(row.cause)} since {words.time(row.since)}", time)


def closing_line(run: Run, words: Words) -> Sentence:
    """Return how the run ended, as the last line of what happened."""
    time = words.time(run.closing[run.program.columns.step.base])
    if run.result == "unfinished":
        return happening(time, "the clock's limit: unfinished")
    winner = f", {run.winner} wins" if run.winner else ""
    meaning: Meaning = "good" if run.result == "win" else "bad" if run.result == "lose" else ""
    return happening(time, f"{run.result}: {run.ending}{winner}", meaning)


__all__ = ["MINUS", "closing_line", "concerns", "happening", "is_motion", "story_text", "title_of", "told_rows"]
