"""A statement: one account's run by cause. Sums are exact, so opening and causes add up to the closing."""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.journal.books import AccountKey, account_name
from mint_ledger.journal.row import Row
from mint_ledger.journal.wording import Words
from mint_ledger.plain import finite
from mint_ledger.program.program import Program

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

    from mint_ledger.journal.comparison import StatementComparison


@dataclass(frozen=True, slots=True)
class StatementLine:
    """All that one cause made in one direction.

    `total` is what was applied, `waste` what limits refused, `rounded` and `wrapped` what rounding and running
    over added; all in the stat's unit, with the sign of the change.
    """

    cause: str
    changes: int
    total: float
    waste: float
    rounded: float
    wrapped: float
    exact: Fraction


@dataclass(frozen=True, slots=True)
class Statement:
    """One account between two times: `opening` plus the totals of all `lines` is `closing`, exactly."""

    account: str
    title: str
    opening: float
    lines: tuple[StatementLine, ...]
    closing: float
    start: float
    end: float

    def _repr_html_(self) -> str:
        return showing.text("notebook.statement_html", self)

    def reconciles(self) -> bool:
        """Whether opening and lines add up to the closing, without any rounding."""
        total = Fraction(self.opening) + sum((line.exact for line in self.lines), Fraction(0))
        return total == Fraction(self.closing)

    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a line: cause, changes, total, waste, rounded, wrapped."""
        import pandas as pd

        keys = ("cause", "changes", "total", "waste", "rounded", "wrapped")
        return pd.DataFrame([{key: getattr(line, key) for key in keys} for line in self.lines], columns=list(keys))

    @finite
    def as_json(self) -> dict[str, Any]:
        """The statement as plain values."""
        return {
            "account": self.account,
            "from": self.start,
            "to": self.end,
            "opening": self.opening,
            "causes": [
                {key: getattr(line, key) for key in ("cause", "changes", "total", "waste", "rounded", "wrapped")}
                for line in self.lines
            ],
            "closing": self.closing,
        }

    def plot(self) -> Figure:
        """The statement as a waterfall; see `views.statement_plot`."""
        return showing.figure("statement_plot.plot_statement", self)

    def beside(self, other: Statement) -> StatementComparison:
        """This statement and another one of the same account, cause by cause."""
        from mint_ledger.journal.comparison import compare_statements

        return compare_statements(self, other)

    def __str__(self) -> str:
        return showing.text("statement_text.statement_text", self)


def make_statement(
    program: Program,
    title: str,
    key: AccountKey,
    rows: Sequence[Row],
    opening: float,
    start: float,
    end: float,
) -> Statement:
    """Gather the rows of one account by cause, what came in and what went out apart.

    Args:
        program: the lowered game.
        title: the heading (game, seed …).
        key: the account.
        rows: its rows, in order.
        opening: its value before the first of them.
        start: the time of the opening.
        end: the time of the closing.
    """
    words = Words(program)
    groups: dict[tuple[str, bool], list[Row]] = {}
    closing = opening
    for row in rows:
        change = row.after - row.before or row.asked
        groups.setdefault((words.cause(row.cause), change < 0.0), []).append(row)
        closing = row.after
    lines = [_line(cause, items) for (cause, _), items in groups.items()]
    lines.sort(key=lambda line: line.exact < 0)
    return Statement(account_name(program, key), title, opening, tuple(lines), closing, start, end)


def _line(cause: str, rows: list[Row]) -> StatementLine:
    exact = sum((Fraction(row.after) - Fraction(row.before) for row in rows), Fraction(0))
    waste = sum((Fraction(row.waste) for row in rows), Fraction(0))
    rounded = sum((Fraction(row.rounded) for row in rows), Fraction(0))
    wrapped = sum((Fraction(row.wrapped) for row in rows), Fraction(0))
    return StatementLine(cause, len(rows), float(exact), float(waste), float(rounded), float(wrapped), exact)
