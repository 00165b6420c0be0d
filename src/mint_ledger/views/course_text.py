"""The course of a game as text: each level, visit or wave in a line, and what each account loses and gains in it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.short import short
from mint_ledger.views.study_text import digits_for, fixed
from mint_ledger.views.text_table import TextTable, change_column, left_column, name_column, right_column
from mint_ledger.views.width import USUAL, line_width, room

if TYPE_CHECKING:
    from mint_ledger.studies.course import Course, Stretch

NAME = 22
WORDS = {"win": "won", "lose": "lost", "draw": "drawn", "unfinished": "unfin."}
# What a cause does that is less than this part of all that is done is not named.
SMALL = 0.1


def course_text(course: Course) -> Page:
    """All stretches in their order, then each account over them."""
    lines: Parts = [f"{course.title} · {course.runs:,} runs · seed {course.seed}", ""]
    lines += [Sentence(_answer(course), hanging=0), ""]
    results = [r for r in WORDS if any(r in part.ended for part in course.stretches)]
    first = room(NAME + 14, (part.name for part in course.stretches))
    heading = f"the course by {short(course.per, NAME - 2)}"
    columns = right_column("runs", 7), right_column(course.unit, 8), right_column("±", 6)
    table = TextTable(name_column(heading, first), *columns, *(right_column(WORDS[result], 8) for result in results))
    for part in course.stretches:
        time, half = _time(part.time)
        ended = (f"{part.ended.count(result) or ''}" for result in results)
        table.add(part.name, f"{len(part.runs):,}", time, half, *ended)
    lines.append(table)
    sure = sure_words(course.sure)
    lines += ["", f"  runs: so many come to it; {course.unit}: how long they are in it, on average (± at {sure});"]
    lines.append(f"  {', '.join(WORDS[result] for result in results)}: so many end in it")
    for account in course.accounts:
        heads = (
            change_column("taken", 9),
            change_column("given", 9),
            right_column("left", 8),
            left_column("most by", before=3),
        )
        accounts = TextTable(name_column(account, NAME), *heads)
        for part in course.stretches:
            accounts.add(*_account_cells(part, account))
        lines += ["", accounts]
    if course.accounts:
        lines += ["", "  taken and given: on average; left: the median of what they leave with"]
    return Page(*lines)


def _answer(course: Course) -> str:
    """How far runs come, and where most are lost."""
    last = next((part for part in reversed(course.stretches) if len(part.runs)), None)
    if last is None:
        return "No run came to any part."
    text = f"{len(last.runs):,} of {course.runs:,} runs come to {last.name}, the last part."
    lost = max(course.stretches, key=lambda part: part.ended.count("lose"))
    count = lost.ended.count("lose")
    return f"{text} Most are lost in {lost.name}: {count:,}." if count else f"{text} None is lost."


def _account_cells(part: Stretch, account: str) -> tuple[str, ...]:
    taken, given = (part.change(account, sign=sign).value for sign in (-1, 1))
    whole = abs(taken) + abs(given)
    most = sorted(part.causes(account), key=lambda item: -abs(item[1].value))
    told = [
        f"{short(cause, room(16, [cause]))} {_signed(points.value)}"
        for cause, points in most
        if abs(points.value) > SMALL * whole
    ]
    left = number(part.quantile(account, 0.5).value, 1)
    shown = ""
    for text in told:
        if len(shown) + len(text) + 2 > max(line_width(), USUAL) - NAME - 31:
            break
        shown += (", " if shown else "") + text
    return part.name, _signed(taken), _signed(given), left, shown


def _time(estimate: Estimate) -> tuple[str, str]:
    """Return a time and half its interval: none where it is the same in all runs, `open` where one end is."""
    if math.isinf(estimate.low) and math.isinf(estimate.high):
        return number(estimate.value, 1), ""
    if math.isinf(estimate.low) or math.isinf(estimate.high):
        return fixed(estimate.value, min(digits_for(estimate), 2)), "open"
    digits = min(digits_for(estimate), 2)
    return fixed(estimate.value, digits), fixed(estimate.half_width, digits)


def _signed(value: float) -> str:
    if abs(value) < 0.05:
        return "·"
    text = fixed(value, 1)
    return text if value < 0 else f"+{text}"
