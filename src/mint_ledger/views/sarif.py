"""An audit as a SARIF 2.1.0 log, an OASIS standard that editors and code hosts show beside the lines of a file."""

from __future__ import annotations

from typing import Any

from mint_ledger.audit.audit import Audit, all_checks
from mint_ledger.audit.finding import Check, Finding
from mint_ledger.versions import __version__

SCHEMA = "https://docs.oasis-open.org/sarif/sarif/v2.1.0/errata01/os/schemas/sarif-schema-2.1.0.json"


def sarif_log(audit: Audit) -> dict[str, Any]:
    """The log as plain values; accepted findings are marked as suppressed in the source, with their reasons."""
    return {
        "$schema": SCHEMA,
        "version": "2.1.0",
        "runs": [
            {
                "tool": {
                    "driver": {
                        "name": "mint-ledger",
                        "version": __version__,
                        "rules": [_rule(check) for check in all_checks()],
                    }
                },
                "columnKind": "unicodeCodePoints",
                "results": [_result(finding) for finding in audit.findings],
            }
        ],
    }


def _rule(check: Check) -> dict[str, Any]:
    return {
        "id": check.code,
        "name": check.name,
        "shortDescription": {"text": check.title},
        "fullDescription": {"text": check.means},
        "help": {"text": check.fix},
    }


def _result(finding: Finding) -> dict[str, Any]:
    text = " ".join((finding.caught.what, *finding.caught.evidence))
    result: dict[str, Any] = {
        "ruleId": finding.check.code,
        "ruleIndex": all_checks().index(finding.check),
        "level": {"wrong": "error", "maybe": "warning", "note": "note"}[finding.grade],
        "message": {"text": text + (f" Replay: {finding.command}" if finding.command else "")},
        "locations": [
            {
                "physicalLocation": {
                    "artifactLocation": {"uri": finding.place.file.replace("\\", "/").replace(" ", "%20")},
                    "region": {"startLine": finding.place.line, "startColumn": finding.place.column},
                }
            }
        ],
        "partialFingerprints": {"finding/v1": f"{finding.check.code} {finding.caught.where}"},
    }
    if finding.accepted:
        result["suppressions"] = [{"kind": "inSource", "justification": finding.accepted}]
    return result
