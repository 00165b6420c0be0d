"""What chance alone could have made an audit find: all its tests together, and what silence about seats means."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass, field, replace

from mint_ledger.studies.seats import Seats

# So rarely does chance alone make any test of an audit find something.
LEVEL = 0.01


@dataclass(slots=True)
class Chances:
    """The tests of one audit: how many there were, and the seats that were held against each other."""

    tests: int = 0
    seats: list[Seats] = field(default_factory=list)

    def stands(self, chances: Sequence[float]) -> list[bool]:
        """Which findings stand among all tests, by the chance of each were there nothing; Holm's step-down rule.

        Source: Holm, "A simple sequentially rejective multiple test procedure", Scand. J. Stat. 6 (1979).
        """
        tests = max(self.tests, len(chances))
        stand = [False] * len(chances)
        for rank, index in enumerate(sorted(range(len(chances)), key=lambda index: chances[index])):
            if chances[index] > LEVEL / (tests - rank):
                break
            stand[index] = True
        return stand

    def silences(self, found: Sequence[str]) -> list[str]:
        """What the tests of seats would have seen where they found nothing; `found` are the kinds with a finding."""
        texts = []
        for seats in self.seats:
            if seats.kind in found:
                continue
            # Each seat has its part of the level that all tests share.
            seen = replace(seats, level=LEVEL * len(seats.wins) / max(self.tests, len(seats.wins))).would_have_seen
            texts.append(
                f"seats-unfair, {seats.kind}: {seats.runs} runs with a winner differ no more than chance makes them; a "
                f"seat that wins {100 * seen:.2g} points more often than {100 * seats.even:.3g} % would be seen in "
                "nine of ten such audits"
            )
        return texts
