"""Where and why runs end, as text."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.page import MarkedLine, Meaning, Page, Parts, Sentence, paragraph
from mint_ledger.views.short import short
from mint_ledger.views.study_text import digits_for, fixed, span_text
from mint_ledger.views.text_table import TextTable, change_column, interval_column, left_column, name_column
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.studies.ends import End, EndCause, Ends

RESULTS = {"win": "won", "lose": "lost", "draw": "drawn", "unfinished": "unfinished"}
MEANINGS: dict[str, Meaning] = {"win": "good", "lose": "bad"}
MOST_CAUSES = 8
# How deep what is said of an ending stands, behind a word for it.
DEEP, WORD = 4, 13


def ends_text(ends: Ends) -> Page:
    """Each ending with when, where and why, and what is lost on the way."""
    head = f"{ends.title} · {ends.runs:,} runs · seed {ends.seed}"
    lines: Parts = [head, "", paragraph(_answer(ends)), ""]
    lines.append(f"How runs end, and what did it ({sure_words(ends.sure)} intervals):")
    for end in ends.ends:
        count = f"{len(end.moments):,} run{'s' if len(end.moments) != 1 else ''}"
        result = RESULTS[end.result]
        name = f"{short(end.name, room(36, [end.name]))} · " if end.name != result else ""
        said = (result, MEANINGS.get(end.result, ""))
        lines += ["", MarkedLine(f"  {name}", said, f": {count}, {_per_cent(end.share)}")]
        lines += _of_end(end, ends.unit)
    if ends.on_the_way:
        lines += ["", "What is lost on the way there:"]
    for end in ends.on_the_way:
        mean = len(end.moments) / ends.runs
        lines += ["", f"  {short(end.name, room(36, [end.name]))}: {len(end.moments):,} times, {number(mean)} a run"]
        lines += _of_end(end, ends.unit)
    return Page(*lines)


def _answer(ends: Ends) -> list[str]:
    """Return how most runs end, and what did it; what most losses come from."""
    sentences = []
    for end in sorted(ends.ends, key=lambda one: -len(one.moments))[:2]:
        cause, share = end.causes[0]
        times = "" if share.value == 1.0 else f", {100 * share.value:.0f} % of them"
        name = end.name if end.name == RESULTS[end.result] else f"{RESULTS[end.result]}, {end.name}"
        by = f", by {cause_name(cause)}{times}" if cause.cause else ""
        sentences.append(f"{100 * end.share.value:.1f} % of the runs: {name}{by}.")
    return sentences


def _of_end(end: End, unit: str) -> Parts:
    half, late = (number(end.time(q), 1) for q in (0.5, 0.9))
    lines: Parts = [_sentence("when", f"half by {half} {unit}, nine tenths by {late} {unit}")]
    if len(end.places) > 1:
        visits = any(visit > 1 for _, visit, _ in end.places)
        places = [
            f"{short(level, 24)}{f', visit {visit}' if visits else ''}: {_share(share)}"
            for level, visit, share in end.places
        ]
        lines.append(_sentence("where", "; ".join(places)))
    elif end.places:
        lines.append(_sentence("where", f"all in {end.places[0][0]}"))
    lines.append(_causes(end))
    account = ""
    wide = room(30, (cause for _, cause, _ in end.last_seconds), least=16)
    for name, cause, points in _largest(end):
        if name != account:
            heading = f"last {number(end.seconds)} {unit}" if not account else ""
            lines.append(_sentence(heading, f"{short(name, room(40, [name]))}, on average:"))
            changes = TextTable(
                name_column("", wide),
                change_column("", 9),
                interval_column(""),
                indent=DEEP + WORD + 2,
                heads=False,
            )
            lines.append(changes)
            account = name
        changes.add(cause, _signed(points), _span(points))
    return lines


def _largest(end: End) -> list[tuple[str, str, Estimate]]:
    """Return what did most to each account in the last seconds."""
    names = dict.fromkeys(name for name, _, _ in end.last_seconds)
    largest = []
    for name in names:
        own = sorted((item for item in end.last_seconds if item[0] == name), key=lambda item: -abs(item[2].value))
        largest += sorted(own[:MOST_CAUSES], key=lambda item: item[2].value)
    return largest


def _causes(end: End) -> TextTable:
    """Return what did it, and how often."""
    wide = room(40, (f"{cause_name(cause)}  " for cause, _ in end.causes[:MOST_CAUSES]), least=26)
    table = TextTable(name_column("", WORD), left_column("", wide), left_column(""), indent=DEEP, heads=False)
    for place, (cause, share) in enumerate(end.causes[:MOST_CAUSES]):
        table.add(f"{'by' if not place else '':<{WORD}}", short(cause_name(cause), wide - 2), _per_cent(share))
    if len(end.causes) > MOST_CAUSES:
        rest = sum(share.value for _, share in end.causes[MOST_CAUSES:])
        table.add("", f"{len(end.causes) - MOST_CAUSES} more", f"{100 * rest:.0f} %")
    return table


def cause_name(cause: EndCause) -> str:
    """A cause, and the rules by which it came to that."""
    return " → ".join([cause.cause, *reversed(cause.through)])


def _sentence(heading: str, text: str) -> Sentence:
    return Sentence(text, hanging=DEEP + WORD, lead=f"{'':{DEEP}}{heading:<{WORD}}")


def _share(estimate: Estimate) -> str:
    return f"{100 * estimate.value:.0f} %"


def _per_cent(estimate: Estimate) -> str:
    digits = 1 if estimate.half_width < 0.05 else 0
    value, low, high = (f"{100 * end:.{digits}f}" for end in (estimate.value, estimate.low, estimate.high))
    return f"{value} % ({low} to {high})"


def _signed(estimate: Estimate) -> str:
    text = fixed(estimate.value, min(digits_for(estimate), 2))
    return text if text.startswith("−") or text.strip("0.") == "" else f"+{text}"


def _span(estimate: Estimate) -> str:
    if math.isinf(estimate.low) and math.isinf(estimate.high):
        return "the same each time" if estimate.runs > 1 else ""
    return span_text(estimate.low, estimate.high, min(digits_for(estimate), 2))
