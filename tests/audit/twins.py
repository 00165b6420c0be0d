"""Two games that differ in one mistake: the check catches the one and leaves the other alone."""

from __future__ import annotations

import mint_ledger as mint
from mint_ledger.audit.finding import Finding


def found(text: str, name: str, runs: int = 0) -> list[Finding]:
    """What one check finds in a game."""
    return list(mint.loads(text, "twin.yaml").audit(runs=runs, only=[name]).findings)


def only_in_the_first(faulty: str, fixed: str, name: str, runs: int = 0) -> Finding:
    """The finding of the faulty game; the fixed twin has none of that name."""
    assert faulty != fixed
    caught = found(faulty, name, runs)
    assert caught, f"{name} overlooked its mistake"
    assert not found(fixed, name, runs), found(fixed, name, runs)
    for finding in caught:
        assert finding.check.name == name
        assert finding.caught.what.endswith((".", "never holds.", ")"))
        assert finding.place.line > 1 or finding.caught.path == ()
    return caught[0]


def line_of(text: str, finding: Finding) -> str:
    """The line of the file that a finding points at."""
    return text.splitlines()[finding.place.line - 1]
