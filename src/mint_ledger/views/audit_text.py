"""What an audit found, as text."""

from __future__ import annotations

import textwrap

from mint_ledger.audit.audit import Audit
from mint_ledger.audit.finding import Finding

WIDTH = 80
INDENT = 6


def audit_text(audit: Audit) -> str:
    """The findings: what will happen, what shows it, how to mend it; then what the file accepts."""
    played = f", {audit.runs:,} runs played" if audit.runs else ", the file alone"
    lines = [f"{audit.title}: {_count(len(audit.open), 'finding')} ({_count(audit.checks, 'check')}{played})"]
    for finding in audit.open:
        lines += ["", *_told(finding)]
    accepted = [finding for finding in audit.findings if finding.accepted]
    if accepted:
        lines += ["", f"Accepted by the file: {len(accepted)}"]
        for finding in accepted:
            text = f"{finding.check.name}, {finding.caught.where}: {finding.accepted}"
            lines += textwrap.wrap(text, WIDTH, initial_indent="  ", subsequent_indent=" " * INDENT)
    if audit.silences:
        lines += ["", "What was not found, and would have been:"]
        for text in audit.silences:
            lines += textwrap.wrap(text, WIDTH, initial_indent="  ", subsequent_indent=" " * INDENT)
    return "\n".join(lines)


def _count(number: int, word: str) -> str:
    return f"{number or 'no'} {word}{'' if number == 1 else 's'}"


def _told(finding: Finding) -> list[str]:
    check, caught = finding.check, finding.caught
    lines = [f"{finding.place}: {check.code} {check.name}"]
    if len(lines[0]) > WIDTH:
        lines = [f"{finding.place}:", f"  {check.code} {check.name}"]
    lines += _wrapped(caught.what, 2)
    for evidence in caught.evidence:
        lines += _wrapped(f"– {evidence}", 4)
    if finding.command:
        lines += _wrapped(f"$ {finding.command}", 4)
    return [*lines, *_wrapped(f"mend: {check.mend}", 2)]


def _wrapped(text: str, indent: int) -> list[str]:
    return textwrap.wrap(
        text, WIDTH, initial_indent=" " * indent, subsequent_indent=" " * (indent + 2), break_on_hyphens=False
    )
