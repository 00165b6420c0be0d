"""Why an account is worth what it is, as text: what it stands at, then its last changes, the latest first."""

from __future__ import annotations

import textwrap

from mint_ledger.journal.wording import number, signed
from mint_ledger.playing.why import Reason, Why
from mint_ledger.views.width import line_width

INDENT = 13


def why_text(why: Why) -> str:
    """The answer in lines of 80 columns at most."""
    time = f"in turn {why.time:g}" if why.unit == "turn" else f"at {why.time:.2f} s"
    limits = []
    if why.low > float("-inf"):
        limits.append(f"from {number(why.low)}")
    if why.high < float("inf"):
        limits.append(f"to {number(why.high)}")
    band = f", in the band {why.band}" if why.band else ""
    allowed = f" (it may go {' '.join(limits)})" if limits else ""
    lines = textwrap.wrap(f"{why.account} is {why.value} {time}{allowed}{band}", line_width())
    lines += _flow(why)
    if why.formula:
        read = ", ".join(f"{name} is {value}" for name, value in why.reads)
        lines += textwrap.wrap(
            f"worked out as {why.formula}" + (f"; {read}" if read else ""),
            line_width(),
            initial_indent="  ",
            subsequent_indent="    ",
        )
        return "\n".join([*lines, "  nothing is ever posted to it; ask why of what it reads"])
    if not why.reasons:
        return "\n".join([*lines, f"  nothing has changed it since it opened with {why.opening}"])
    for reason in why.reasons:
        lines += ["", *_reason(why, reason)]
    earlier = why.postings - len(why.reasons)
    if earlier:
        changes = "one change" if earlier == 1 else f"{earlier} changes"
        lines += ["", f"  {changes} before these; it opened with {why.opening}"]
    else:
        lines += ["", f"  before that: the opening, {why.opening}"]
    return "\n".join(lines)


def _flow(why: Why) -> list[str]:
    flow = why.flowing
    if flow is None:
        return []
    per = "a turn" if why.unit == "turn" else "a second"
    unit = "turns" if why.unit == "turn" else "s"
    if flow.rate:
        return [f"  it moves by {signed(flow.rate)} {per} towards {number(flow.to)} ({flow.cause})"]
    if flow.waits:
        return [f"  it stays for {number(flow.waits)} {unit} more, then moves towards {number(flow.to)} ({flow.cause})"]
    return [f"  it does not move by itself just now ({flow.cause})"]


def _reason(why: Why, reason: Reason) -> list[str]:
    time = f"turn {reason.time:g}" if why.unit == "turn" else f"{reason.time:.2f}"
    since = f" since {reason.since:.2f}" if reason.since != reason.time else ""
    by = f", by {reason.by}" if reason.by else ""
    waste = f" ({number(abs(reason.waste))} wasted)" if reason.waste else ""
    change = f"{reason.change}{waste}"
    lines = [f"{time:>{INDENT - 4}}    {change}  {reason.cause}{by}{since}"]
    if len(lines[0]) > line_width():
        lines = [f"{time:>{INDENT - 4}}    {change}", f"{'':{INDENT}}{reason.cause}{by}{since}"]
    for text in reason.told:
        lines += textwrap.wrap(text, line_width(), initial_indent=" " * INDENT, subsequent_indent=" " * (INDENT + 2))
    if reason.place is not None:
        where = f"{reason.place.told(why.file)}  "
        width = line_width() - INDENT - len(where)
        for index, line in enumerate(reason.lines):
            lead = where if index == 0 else " " * len(where)
            text = line.partition("   #")[0].rstrip()
            parts = textwrap.wrap(text, width, drop_whitespace=False, subsequent_indent="  ") or [""]
            lines += [
                f"{'':{INDENT}}{lead if i == 0 else ' ' * len(where)}{part.rstrip()}" for i, part in enumerate(parts)
            ]
    return lines
