"""Two statements of one account side by side, cause by cause."""

from __future__ import annotations

from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.errors import BadRequest
from mint_ledger.journal.statement import Statement, StatementLine
from mint_ledger.plain import finite

if TYPE_CHECKING:
    import pandas as pd


@dataclass(frozen=True, slots=True)
class ComparedLine:
    """One cause in one direction in both statements; totals are in the stat's unit, 0 where a side lacks it."""

    cause: str
    changes: tuple[int, int]
    totals: tuple[float, float]
    waste: tuple[float, float]
    to: str = ""

    @property
    def title(self) -> str:
        """The cause, and what it led to."""
        return f"{self.cause} → {self.to}" if self.to else self.cause

    @property
    def difference(self) -> float:
        """The second total less the first."""
        return self.totals[1] - self.totals[0]


@dataclass(frozen=True, slots=True)
class StatementComparison:
    """Two statements of one account: what each cause made in both."""

    one: Statement
    other: Statement
    lines: tuple[ComparedLine, ...]

    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a cause: cause, changes, total, waste of both, and the difference."""
        import pandas as pd

        return pd.DataFrame(self._rows())

    def _rows(self) -> list[dict[str, Any]]:
        return [_row(line, is_number=not self.one.opens) for line in self.lines]

    @finite
    def as_json(self) -> dict[str, Any]:
        """Both statements and the compared causes as plain values."""
        return {
            "one": self.one.as_json(),
            "other": self.other.as_json(),
            "causes": self._rows(),
        }

    def __str__(self) -> str:
        return showing.text("statement_text.comparison_text", self)


def compare_statements(one: Statement, other: Statement) -> StatementComparison:
    """Put two statements of one account side by side; gains come first, in the order of the first statement.

    Raises:
        BadRequest: they are of different accounts.
    """
    if one.account != other.account:
        raise BadRequest(f"{one.account} and {other.account} are different accounts")
    keys = dict.fromkeys(_key(line) for line in (*one.lines, *other.lines))
    sides = [{_key(line): line for line in side.lines} for side in (one, other)]
    lines = []
    for key in sorted(keys, key=lambda key: key[1]):
        found = [side.get(key) for side in sides]
        lines.append(
            ComparedLine(
                key[0],
                (found[0].changes if found[0] else 0, found[1].changes if found[1] else 0),
                (found[0].total if found[0] else 0.0, found[1].total if found[1] else 0.0),
                (found[0].waste if found[0] else 0.0, found[1].waste if found[1] else 0.0),
                key[2],
            )
        )
    return StatementComparison(one, other, tuple(lines))


def _key(line: StatementLine) -> tuple[str, bool, str]:
    return line.cause, line.exact < 0 and not line.to, line.to


def _row(line: ComparedLine, *, is_number: bool) -> dict[str, Any]:
    if not is_number:
        return {"cause": line.cause, "to": line.to, "changes": line.changes[0], "other_changes": line.changes[1]}
    return {
        "cause": line.cause,
        "changes": line.changes[0],
        "total": line.totals[0],
        "waste": line.waste[0],
        "other_changes": line.changes[1],
        "other_total": line.totals[1],
        "other_waste": line.waste[1],
        "difference": line.difference,
    }
