"""What an audit found, as text."""

from __future__ import annotations

from mint_ledger.audit.audit import Audit
from mint_ledger.audit.finding import Check, Finding
from mint_ledger.views.page import MarkedLine, Meaning, Page, Parts, Sentence
from mint_ledger.views.width import line_width

INDENT = 6
MEANINGS: dict[str, Meaning] = {"wrong": "bad"}


def audit_text(audit: Audit, notes: bool = False) -> Page:
    """The findings: what will happen, what shows it, how to fix it; then what the file accepts."""
    played = f", {audit.runs:,} runs played" if audit.runs else ", the file alone"
    wrong, maybe = len(audit.wrong), len(audit.open) - len(audit.wrong)
    found = ", ".join([f"{wrong} wrong", f"{maybe} maybe"][bool(not wrong) : 2 if maybe else 1]) or "no findings"
    lines: Parts = [f"{audit.title}: {found} ({_count(audit.checks, 'check')}{played})"]
    for finding in (*audit.open, *(audit.notes if notes else ())):
        lines += ["", *_told(finding)]
    if audit.notes and not notes:
        lines += ["", f"{_count(len(audit.notes), 'note')} more; --all lists them"]
    accepted = [finding for finding in audit.findings if finding.accepted]
    if accepted:
        lines += ["", f"Accepted by the file: {len(accepted)}"]
        for finding in accepted:
            text = f"{finding.check.name}, {finding.caught.where}: {finding.accepted}"
            lines.append(Sentence(text, 2, INDENT))
    if audit.silences:
        lines += ["", "Not found, though these tests would have shown it:"]
        for text in audit.silences:
            lines.append(Sentence(text, 2, INDENT))
    if audit.unlooked:
        lines += ["", *_wrapped(f"Not tested: {', '.join(audit.unlooked)}", 0)]
    return Page(*lines)


def found_text(finding: Finding) -> str:
    """One line of a finding, as it is found."""
    return f"{finding.grade}: {finding.check.name}: {finding.caught.what}"


def _count(number: int, word: str) -> str:
    return f"{number or 'no'} {word}{'' if number == 1 else 's'}"


def _told(finding: Finding) -> Parts:
    check, caught = finding.check, finding.caught
    grade: tuple[str, Meaning] = (finding.grade, MEANINGS.get(finding.grade, ""))
    name = f": {check.code} {check.name}"
    place = f"{finding.place}:"
    if len(place) + 1 + len(finding.grade) + len(name) > line_width():
        lines: Parts = [place, MarkedLine("  ", grade, name)]
    else:
        lines = [MarkedLine(f"{place} ", grade, name)]
    lines += _wrapped(caught.what, 2)
    for evidence in caught.evidence:
        lines += _wrapped(f"– {evidence}", 4)
    if finding.command:
        lines += _wrapped(f"$ {finding.command}", 4)
    return [*lines, *_wrapped(f"fix: {check.fix}", 2)]


def _wrapped(text: str, indent: int) -> Parts:
    return [Sentence(text, indent)]


def check_page(check: Check) -> Page:
    """Return what a finding means, how sure it is, and what to do about it."""
    sure = {
        "wrong": "wrong: a play or a proof shows it",
        "maybe": "maybe: it often is a mistake",
        "note": "a note: worth knowing",
    }[check.grade]
    how = "found by playing" if check.plays else "found by looking at the file"
    return Page(
        f"{check.code} {check.name}: {check.title}",
        f"  {sure}; {how}",
        "",
        *_wrapped(check.means, 2),
        *_wrapped(f"fix: {check.fix}", 2),
        "",
        f"  to accept it: allow: [{{finding: {check.name}, because: …}}]",
    )
