"""A statement: one account's run by cause, and two of them side by side.

Sums are exact, so opening and causes add up to the closing.
"""

from __future__ import annotations

from collections.abc import Sequence
from dataclasses import dataclass
from fractions import Fraction
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.errors import BadRequest
from mint_ledger.journal.books import AccountKey, account_name
from mint_ledger.journal.wording import Words
from mint_ledger.plain import finite, labeled_table
from mint_ledger.program.program import Program
from mint_ledger.program.row import Row
from mint_ledger.showing import Result

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


@dataclass(frozen=True, slots=True)
class StatementLine:
    """All that one cause made in one direction.

    `total` is what was applied, `waste` what limits refused, `rounded` and `wrapped` what rounding and running
    over added; all in the stat's unit, with the sign of the change. Of a word or a yes and no, `to` says what it
    became; its totals are of places among the words and mean nothing by themselves.
    """

    cause: str
    changes: int
    total: float
    waste: float
    rounded: float
    wrapped: float
    exact: Fraction
    to: str = ""

    @property
    def title(self) -> str:
        """The cause, and what it led to."""
        return f"{self.cause} → {self.to}" if self.to else self.cause


@dataclass(frozen=True, slots=True, repr=False)
class Statement(Result):
    """One account between two times: `opening` plus the totals of all `lines` is `closing`, exactly.

    Of a word or a yes and no, `opens` and `closes` say what it was; of a number they are empty.
    """

    account: str
    title: str
    opening: float
    lines: tuple[StatementLine, ...]
    closing: float
    start: float
    end: float
    opens: str = ""
    closes: str = ""

    def _repr_html_(self) -> str:
        return showing.text("notebook.statement_html", self)

    def summary(self) -> str:
        """The statement as a bank writes it."""
        return showing.text("statement_text.statement_text", self)

    def reconciles(self) -> bool:
        """Return whether opening and lines add up to the closing, without any rounding."""
        total = Fraction(self.opening) + sum((line.exact for line in self.lines), Fraction(0))
        return total == Fraction(self.closing)

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame, one row a line: cause, changes, total, waste, rounded, wrapped; of a word cause, to, changes."""
        import pandas as pd

        return pd.DataFrame(self._lines(), columns=list(self._keys()))

    def _keys(self) -> tuple[str, ...]:
        return (
            ("cause", "to", "changes") if self.opens else ("cause", "changes", "total", "waste", "rounded", "wrapped")
        )

    def _lines(self) -> list[dict[str, Any]]:
        return [{key: getattr(line, key) for key in self._keys()} for line in self.lines]

    @finite
    def as_json(self) -> dict[str, Any]:
        """The statement as plain values."""
        return {
            "account": self.account,
            "from": self.start,
            "to": self.end,
            "opening": self.opens or self.opening,
            "causes": self._lines(),
            "closing": self.closes or self.closing,
        }

    def plot(self, ax: Axes | None = None) -> Figure:
        """The statement as a waterfall; see `views.statement_plot`.

        Raises:
            BadRequest: it is of a word or a yes and no, which has no amounts.
        """
        if self.opens:
            raise BadRequest(
                f"{self.account} has words and no amounts, so there is nothing to draw; read its statement"
            )
        return showing.figure("statement_plot.plot_statement", self, ax=ax)

    def beside(self, other: Statement) -> StatementComparison:
        """This statement and another one of the same account, cause by cause."""
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
    model = words.model(key.entity, key.stat)
    is_number = model is None or model.value_type == "number"

    def told(value: float) -> str:
        return "" if is_number else words.value(key.entity, key.stat, value)

    groups: dict[tuple[str, bool, str], list[Row]] = {}
    closing = opening
    for row in rows:
        change = row.after - row.before or row.asked
        groups.setdefault((words.cause(row.cause), change < 0.0 and is_number, told(row.after)), []).append(row)
        closing = row.after
    lines = [_line(cause, items, to) for (cause, _, to), items in groups.items()]
    lines.sort(key=lambda line: line.exact < 0 and is_number)
    name = account_name(program, key)
    return Statement(name, title, opening, tuple(lines), closing, start, end, told(opening), told(closing))


def _line(cause: str, rows: list[Row], to: str) -> StatementLine:
    exact = sum((Fraction(row.after) - Fraction(row.before) for row in rows), Fraction(0))
    waste = sum((Fraction(row.waste) for row in rows), Fraction(0))
    rounded = sum((Fraction(row.rounded) for row in rows), Fraction(0))
    wrapped = sum((Fraction(row.wrapped) for row in rows), Fraction(0))
    return StatementLine(cause, len(rows), float(exact), float(waste), float(rounded), float(wrapped), exact, to)


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


@dataclass(frozen=True, slots=True, repr=False)
class StatementComparison(Result):
    """Two statements of one account: what each cause made in both."""

    one: Statement
    other: Statement
    lines: tuple[ComparedLine, ...]

    @labeled_table
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
        pair = [side.get(key) for side in sides]
        lines.append(
            ComparedLine(
                key[0],
                (pair[0].changes if pair[0] else 0, pair[1].changes if pair[1] else 0),
                (pair[0].total if pair[0] else 0.0, pair[1].total if pair[1] else 0.0),
                (pair[0].waste if pair[0] else 0.0, pair[1].waste if pair[1] else 0.0),
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
