"""A statement as text, like a bank's."""

from __future__ import annotations

from collections.abc import Sequence

from mint_ledger.journal.statement import Statement, StatementComparison, StatementLine
from mint_ledger.journal.wording import MINUS, decimals, number
from mint_ledger.views.width import line_width


def statement_text(statement: Statement, *, unit: str = "s") -> str:
    """Opening, what came in and went out by cause, closing; what is shown adds up to the last digit."""
    if statement.opens:
        return "\n".join([*_heading(statement, unit), *_words(statement)])
    values = [statement.opening, statement.closing, *(line.total for line in statement.lines)]
    digits = decimals(values)
    opening, totals, closing = _adding_up(statement, digits)
    lines = _heading(statement, unit)
    name_width = max([len(line.cause) for line in statement.lines] + [8]) + 2
    amount_width = max(len(_fixed(value, digits)) for value in [opening, closing, *totals]) + 2
    lead = 2 + name_width + 13
    lines.append(f"  {'opening':<{lead - 2}}{_fixed(opening, digits):>{amount_width}}")
    for line, total in zip(statement.lines, totals, strict=True):
        sign = MINUS if line.exact < 0 or (line.exact == 0 and line.waste < 0) else "+"
        changes = f"{line.changes} change{'s' if line.changes != 1 else ''}"
        text = f"  {sign} {line.cause:<{name_width}}{changes:>11}{_fixed(total, digits):>{amount_width}}"
        lines.append(text + _notes(line, len(text)))
    lines.append(f"  {'closing':<{lead - 2}}{_fixed(closing, digits):>{amount_width}}")
    return "\n".join(lines)


def _heading(statement: Statement, unit: str) -> list[str]:
    title = f"{statement.title}" + _span(statement, unit)
    gap = max(2, line_width() - 4 - len(statement.account) - len(title))
    return [f"{statement.account}{' ' * gap}{title}" if gap > 2 else f"{statement.account}\n  {title}"]


def _words(statement: Statement) -> list[str]:
    """The lines of a word or a yes and no: how often it became what, by which cause."""
    width = max([len(line.title) for line in statement.lines] + [8]) + 4
    lines = [f"  {'opening':<{width}}{statement.opens}"]
    for line in statement.lines:
        changes = f"{line.changes} change{'s' if line.changes != 1 else ''}"
        lines.append(f"    {line.title:<{width}}{changes}")
    return [*lines, f"  {'closing':<{width}}{statement.closes}"]


def comparison_text(comparison: StatementComparison, *, unit: str = "s") -> str:
    """Two statements of one account side by side, each with its total by cause, and the difference."""
    one, other = comparison.one, comparison.other
    lines = [one.account, f"  A  {one.title}{_span(one, unit)}", f"  B  {other.title}{_span(other, unit)}", ""]
    if one.opens:
        return "\n".join([*lines, *_compared_words(comparison)])
    totals = [total for line in comparison.lines for total in line.totals]
    digits = decimals([one.opening, other.opening, one.closing, other.closing, *totals])
    name_width = min(max([len(line.cause) for line in comparison.lines] + [8]) + 4, 30)
    width = max([len(_fixed(value, digits)) for value in [*totals, one.closing, other.closing]] + [6]) + 2

    def row(name: str, values: Sequence[float], counts: Sequence[int] | None = None) -> str:
        cells = ""
        for index, value in enumerate(values):
            count = f"{counts[index]:>6}×" if counts else " " * 7
            cells += count + f"{_fixed(value, digits):>{width}}"
        difference = values[1] - values[0]
        sign = "+" if difference > 0 else ""
        return f"  {name:<{name_width}}{cells}{sign + _fixed(difference, digits):>{width + 3}}"

    heading = "".join(f"{name:>{7 + width}}" for name in ("A", "B")) + f"{'B − A':>{width + 3}}"
    lines.append(f"  {'':<{name_width}}{heading}")
    lines.append(row("opening", (one.opening, other.opening)))
    for line in comparison.lines:
        sign = MINUS if min(line.totals) < 0 or (max(line.totals) == 0 and min(line.waste) < 0) else "+"
        name = f"{sign} {line.cause}"
        name = name if len(name) < name_width else name[: name_width - 2] + "…"
        lines.append(row(name, line.totals, line.changes))
    lines.append(row("closing", (one.closing, other.closing)))
    return "\n".join(lines)


def _compared_words(comparison: StatementComparison) -> list[str]:
    one, other = comparison.one, comparison.other
    width = min(max([len(line.title) for line in comparison.lines] + [8]) + 4, 40)
    wide = max([len(word) for word in (one.opens, one.closes, other.opens, other.closes)] + [6]) + 3

    def row(name: str, cells: Sequence[str]) -> str:
        return f"  {name:<{width}}" + "".join(f"{cell:>{wide}}" for cell in cells)

    lines = [row("", ("A", "B")), row("opening", (one.opens, other.opens))]
    for line in comparison.lines:
        name = line.title if len(line.title) < width else line.title[: width - 2] + "…"
        lines.append(row(name, [f"{changes}×" for changes in line.changes]))
    return [*lines, row("closing", (one.closes, other.closes))]


def _span(statement: Statement, unit: str) -> str:
    return f" · {number(statement.start)} to {number(statement.end)} {unit}"


def _fixed(value: float, digits: int) -> str:
    return f"{value:,.{digits}f}".replace("-", MINUS)


def _notes(line: StatementLine, _: int) -> str:
    notes = []
    if line.waste:
        limit = "above the cap" if line.waste > 0 else "below the floor"
        notes.append(f"{number(abs(line.waste))} wasted {limit}")
    if line.rounded:
        notes.append(f"{number(line.rounded)} by rounding")
    if line.wrapped:
        notes.append(f"{number(line.wrapped)} by running over")
    return f"   ({', '.join(notes)})" if notes else ""


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
