"""A statement as text, like a bank's."""

from __future__ import annotations

from collections.abc import Sequence

from mint_ledger.journal.statement import Statement, StatementComparison, StatementLine
from mint_ledger.journal.wording import MINUS, decimals, number
from mint_ledger.views.page import Page, Parts
from mint_ledger.views.text_table import MarkedCell, TextTable, left_column, name_column, right_column
from mint_ledger.views.width import line_width


def statement_text(statement: Statement, *, unit: str = "s") -> Page:
    """Opening, what came in and went out by cause, closing; what is shown adds up to the last digit."""
    if statement.opens:
        return Page(*_heading(statement, unit), _words(statement))
    values = [statement.opening, statement.closing, *(line.total for line in statement.lines)]
    digits = decimals(values)
    opening, totals, closing = _adding_up(statement, digits)
    table = TextTable(
        name_column("", max([len(line.cause) for line in statement.lines] + [8]) + 4),
        right_column("", 11),
        right_column("", max(len(_fixed(value, digits)) for value in [opening, closing, *totals]) + 2),
        left_column("", before=3),
        heads=False,
    )
    table.add("opening", "", _fixed(opening, digits))
    for line, total in zip(statement.lines, totals, strict=True):
        is_loss = line.exact < 0 or (line.exact == 0 and line.waste < 0)
        amount = MarkedCell(_fixed(total, digits), "" if not total else "bad" if total < 0 else "good")
        table.add(f"{MINUS if is_loss else '+'} {line.cause}", _changes(line.changes), amount, _notes(line))
    table.add("closing", "", _fixed(closing, digits))
    return Page(*_heading(statement, unit), table)


def _changes(count: int) -> str:
    return f"{count} change{'s' if count != 1 else ''}"


def _heading(statement: Statement, unit: str) -> Parts:
    title = f"{statement.title}" + _span(statement, unit)
    gap = max(2, line_width() - 4 - len(statement.account) - len(title))
    return [f"{statement.account}{' ' * gap}{title}"] if gap > 2 else [statement.account, f"  {title}"]


def _words(statement: Statement) -> TextTable:
    """Return how often a word or a yes and no became what, by which cause."""
    table = TextTable(
        name_column("", max([len(line.title) for line in statement.lines] + [8]) + 4), left_column(""), heads=False
    )
    table.add("opening", statement.opens)
    for line in statement.lines:
        table.add(f"  {line.title}", _changes(line.changes))
    table.add("closing", statement.closes)
    return table


def comparison_text(comparison: StatementComparison, *, unit: str = "s") -> Page:
    """Two statements of one account side by side, each with its total by cause, and the difference."""
    one, other = comparison.one, comparison.other
    lines: Parts = [one.account, f"  A  {one.title}{_span(one, unit)}", f"  B  {other.title}{_span(other, unit)}", ""]
    if one.opens:
        return Page(*lines, _compared_words(comparison))
    totals = [total for line in comparison.lines for total in line.totals]
    digits = decimals([one.opening, other.opening, one.closing, other.closing, *totals])
    width = max([len(_fixed(value, digits)) for value in [*totals, one.closing, other.closing]] + [6]) + 2
    table = TextTable(
        name_column("", min(max([len(line.cause) for line in comparison.lines] + [8]) + 4, 30)),
        right_column("", 7),
        right_column("A", width),
        right_column("", 7),
        right_column("B", width),
        right_column("B − A", width + 3, "change"),
    )

    def add(name: str, values: Sequence[float], counts: Sequence[int] | None = None) -> None:
        cells: list[str] = []
        for index, value in enumerate(values):
            cells += [f"{counts[index]}×" if counts else "", _fixed(value, digits)]
        difference = values[1] - values[0]
        table.add(name, *cells, f"{'+' if difference > 0 else ''}{_fixed(difference, digits)}")

    add("opening", (one.opening, other.opening))
    for line in comparison.lines:
        sign = MINUS if min(line.totals) < 0 or (max(line.totals) == 0 and min(line.waste) < 0) else "+"
        add(f"{sign} {line.cause}", line.totals, line.changes)
    add("closing", (one.closing, other.closing))
    return Page(*lines, table)


def _compared_words(comparison: StatementComparison) -> TextTable:
    one, other = comparison.one, comparison.other
    wide = max([len(word) for word in (one.opens, one.closes, other.opens, other.closes)] + [6]) + 3
    table = TextTable(
        name_column("", min(max([len(line.title) for line in comparison.lines] + [8]) + 4, 40)),
        right_column("A", wide),
        right_column("B", wide),
    )
    table.add("opening", one.opens, other.opens)
    for line in comparison.lines:
        table.add(line.title, *(f"{changes}×" for changes in line.changes))
    table.add("closing", one.closes, other.closes)
    return table


def _span(statement: Statement, unit: str) -> str:
    return f" · {number(statement.start)} to {number(statement.end)} {unit}"


def _fixed(value: float, digits: int) -> str:
    return f"{value:,.{digits}f}".replace("-", MINUS)


def _notes(line: StatementLine) -> str:
    notes = []
    if line.waste:
        limit = "above the cap" if line.waste > 0 else "below the floor"
        notes.append(f"{number(abs(line.waste))} wasted {limit}")
    if line.rounded:
        notes.append(f"{number(line.rounded)} by rounding")
    if line.wrapped:
        notes.append(f"{number(line.wrapped)} by running over")
    return f"({', '.join(notes)})" if notes else ""


def _adding_up(statement: Statement, digits: int) -> tuple[float, Sequence[float], float]:
    """Round so that the shown numbers add up: the largest remainders take the odd units of the last digit."""
    unit = 10.0**-digits
    opening = round(statement.opening / unit)
    closing = round(statement.closing / unit)
    exact = [line.total / unit for line in statement.lines]
    whole = [round(value) for value in exact]
    missing = closing - opening - sum(whole)
    order = sorted(range(len(exact)), key=lambda i: exact[i] - whole[i], reverse=missing > 0)
    for index in order[: abs(missing)]:
        whole[index] += 1 if missing > 0 else -1
    return opening * unit, [value * unit for value in whole], closing * unit
