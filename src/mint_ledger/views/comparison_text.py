"""Two studies under the same luck side by side, as text."""

from __future__ import annotations

import textwrap

from mint_ledger.balance.comparison import Comparison, Difference
from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.study_text import digits_for, fixed, span_text
from mint_ledger.views.text_table import TextTable, left_column, name_column, right_column
from mint_ledger.views.width import line_width, room


def comparison_text(comparison: Comparison) -> str:
    """Each estimate of both, the paired difference and whether it is more than noise; turned runs; changed dials."""
    one, other = comparison.titles
    wide = room(26, (f"{difference.name} %" for difference in comparison.differences))
    lines = [
        f"A  {one}",
        f"B  {other}",
        f"{comparison.runs:,} runs each, run by run under the same luck, seed {comparison.seed}",
        "",
    ]
    interval = left_column(f"{sure_words(comparison.sure)} interval", before=3)
    table = TextTable(
        name_column("", wide), right_column("A", 10), right_column("B", 10), right_column("B − A", 10), interval
    )
    for difference in comparison.differences:
        _add(table, difference)
    lines += table.lines()
    if comparison.turned:
        lines += ["", "  runs that came out otherwise:"]
        lines += [f"    {n:>7,}  {a} → {b}" for a, b, n in comparison.turned]
    if comparison.changed_dials:
        lines += ["", "  dials in which they differ:"]
        for name, a, b in comparison.changed_dials[:20]:
            shown = [number(value, 6) if value is not None else "–" for value in (a, b)]
            lines.append(f"    {name:<40} {shown[0]:>10} → {shown[1]}")
    lines += _parting(comparison)
    return "\n".join(lines)


def _add(table: TextTable, difference: Difference) -> None:
    factor = 100.0 if difference.is_share else 1.0
    values = [factor * e.value for e in (difference.one, difference.other)]
    low, high = factor * difference.difference.low, factor * difference.difference.high
    gap = Estimate(factor * difference.difference.value, low, high, difference.difference.runs, "")
    digits = digits_for(gap)
    unit = " %" if difference.is_share else ""
    noise = "" if difference.is_certain else "  same" if difference.is_nothing else "  noise?"
    sign = "+" if gap.value > 0 else ""
    numbers = [*(fixed(value, digits) for value in values), sign + fixed(gap.value, digits)]
    table.add(difference.name + unit, *numbers, f"{span_text(low, high, digits)}{noise}")
    a, b, both = difference.counts
    if not a == b == both:
        table.note(f"    in {a:,} runs of A and {b:,} of B; B − A is of the {both:,} that have it in both")


def _parting(comparison: Comparison) -> list[str]:
    parting = comparison.parting
    if parting is None:
        return []
    a, b = parting.results
    head = f"run {parting.run}: A {a}, B {b}. "
    if parting.amounts_from < parting.time:
        head += f"Up to {parting.time:.2f} the same happens in both, with other amounts from {parting.amounts_from:.2f}"
    else:
        head += f"Up to {parting.time:.2f} both are the same"
    lines = ["", *textwrap.wrap(f"{head}; then:", line_width(), initial_indent="  ", subsequent_indent="    ")]
    for mark, rows in (("A", parting.one), ("B", parting.other)):
        for index, row in enumerate(rows[:3]):
            lead = f"    {mark if index == 0 else ' '}  "
            lines += textwrap.wrap(row, line_width(), initial_indent=lead, subsequent_indent=" " * 9)
    return lines
