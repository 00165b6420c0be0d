"""The page of documentation of one check, made from the check itself."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

from mint_ledger.audit.finding import Check

GROUPS = ("limits", "contact and time", "conditions", "order", "fairness and flow")


def finding_page(check: Check, example: str, caught: str) -> str:
    """One page: what the finding means, how to fix it, how to accept it, and a game that has it.

    Args:
        check: the check.
        example: a small game with the mistake.
        caught: what the audit says of that game.
    """
    how = (
        "`audit` finds it in the runs that it plays."
        if check.plays
        else "`check` and `audit` find it by looking at the file alone."
    )
    return "\n".join(
        [
            f"# {check.title}",
            "",
            f"`{check.name}` · `{check.code}` · {check.group} · {check.grade}. {how}",
            "",
            *textwrap.wrap(check.means, 100),
            "",
            f"**To fix it:** {check.fix}",
            "",
            "To accept it, with your reason:",
            "",
            "```yaml",
            f"allow: [{{finding: {check.name}, because: …}}]",
            "```",
            "",
            "## A game that has it",
            "",
            "```yaml",
            example.strip(),
            "```",
            "",
            "```text",
            caught.strip(),
            "```",
            "",
            "[All findings](../findings.md)",
            "",
        ]
    )


def findings_index(checks: Sequence[Check]) -> str:
    """The list of all findings, group by group."""
    lines = [
        "# What audit finds",
        "",
        "`mint-ledger audit game.yaml` plays every habit in every variant and names the usual mistakes;",
        "`mint-ledger check` names those that need no play. Each has a page: what it means, how to fix it,",
        "and a small game that has it. This list is made from the checks themselves.",
        "",
        "There are three grades. *wrong*: a play or a proof shows the mistake, and `audit` ends with exit code 1.",
        "*maybe*: it often is one; it is said, and `--strict` makes it an alarm. *note*: worth knowing; `--all` lists",
        "them. A finding may have another grade in a game than its check, like an ending that no player reached.",
        "`audit --about NAME` tells a finding's page.",
    ]
    for group in GROUPS:
        lines += ["", f"## {group.capitalize()}", "", "| code | finding | grade | |", "|---|---|---|---|"]
        lines += [
            f"| {check.code} | [{check.name}](findings/{check.name}.md) "
            f"| {check.grade} | {check.title}{' (plays)' if check.plays else ''} |"
            for check in checks
            if check.group == group
        ]
    return "\n".join([*lines, ""])
