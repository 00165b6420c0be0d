"""Why an account is worth what it is, as text: what it stands at, then its last changes, the latest first."""

from __future__ import annotations

from mint_ledger.journal.wording import number, signed
from mint_ledger.playing.why import Reason, Why
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.width import line_width

INDENT = 13


def why_text(why: Why) -> Page:
    """The answer in lines of 80 columns at most."""
    time = f"in turn {why.time:g}" if why.unit == "turn" else f"at {why.time:.2f} s"
    limits = []
    if why.low > float("-inf"):
        limits.append(f"from {number(why.low)}")
    if why.high < float("inf"):
        limits.append(f"to {number(why.high)}")
    band = f", in the band {why.band}" if why.band else ""
    allowed = f" (it may go {' '.join(limits)})" if limits else ""
    lines: Parts = [Sentence(f"{why.account} is {why.value} {time}{allowed}{band}", hanging=0)]
    lines += _flow(why)
    if why.formula:
        read = ", ".join(f"{name} is {value}" for name, value in why.reads)
        lines.append(Sentence(f"calculated as {why.formula}" + (f"; {read}" if read else ""), 2))
        return Page(*lines, "  it is calculated, never changed directly; ask why about what it reads")
    if not why.reasons:
        return Page(*lines, f"  nothing has changed it since it opened with {why.opening}")
    for reason in why.reasons:
        lines += ["", *_reason(why, reason)]
    earlier = why.postings - len(why.reasons)
    if earlier:
        changes = "one change" if earlier == 1 else f"{earlier} changes"
        lines += ["", f"  {changes} before these; it opened with {why.opening}"]
    else:
        lines += ["", f"  before that: the opening, {why.opening}"]
    return Page(*lines)


def _flow(why: Why) -> list[str]:
    flow = why.flowing
    if flow is None:
        return []
    per = "a turn" if why.unit == "turn" else "a second"
    unit = "turns" if why.unit == "turn" else "s"
    if flow.rate:
        return [f"  it changes by {signed(flow.rate)} {per} towards {number(flow.to)} ({flow.cause})"]
    if flow.waits:
        return [f"  it stays for {number(flow.waits)} {unit} more, then moves towards {number(flow.to)} ({flow.cause})"]
    return [f"  it does not change by itself just now ({flow.cause})"]


def _reason(why: Why, reason: Reason) -> Parts:
    time = f"turn {reason.time:g}" if why.unit == "turn" else f"{reason.time:.2f}"
    since = f" since {reason.since:.2f}" if reason.since != reason.time else ""
    by = f", by {reason.by}" if reason.by else ""
    waste = f" ({number(abs(reason.waste))} wasted)" if reason.waste else ""
    change = f"{reason.change}{waste}"
    lead = f"{time:>{INDENT - 4}}    "
    cause = f"{reason.cause}{by}{since}"
    if len(lead) + len(change) + 2 + len(cause) > line_width():
        lines: Parts = [f"{lead}{change}", Sentence(cause, INDENT)]
    else:
        lines = [f"{lead}{change}  {cause}"]
    lines += [Sentence(text, INDENT) for text in reason.told]
    if reason.place is not None:
        where = f"{reason.place.told(why.file)}  "
        deep = INDENT + len(where)
        for index, line in enumerate(reason.lines):
            text = line.partition("   #")[0].rstrip()
            depth = len(text) - len(text.lstrip())
            lead = (f"{'':{INDENT}}{where}" if index == 0 else " " * deep) + " " * depth
            lines.append(Sentence(text.strip(), hanging=deep + 2, lead=lead))
    return lines
