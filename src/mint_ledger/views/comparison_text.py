"""Two studies under the same luck side by side, as text."""

from __future__ import annotations

from mint_ledger.balance.comparison import Comparison, Difference
from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.page import Page, Parts, Sentence, paragraph
from mint_ledger.views.study_text import digits_for, fixed, span_text
from mint_ledger.views.text_table import (
    TextTable,
    change_column,
    interval_column,
    left_column,
    name_column,
    right_column,
)
from mint_ledger.views.width import room

# The most estimates that differ as well and are named.
MOST_OTHERS = 3


def comparison_text(comparison: Comparison) -> Page:
    """Each estimate of both, the paired difference and whether it is more than noise; turned runs; changed dials."""
    one, other = comparison.titles
    wide = room(26, (f"{difference.name} %" for difference in comparison.differences))
    lines: Parts = [
        f"A  {one}",
        f"B  {other}",
        f"{comparison.runs:,} runs each, run by run under the same luck, seed {comparison.seed}",
        "",
        paragraph(_answer(comparison)),
        "",
    ]
    interval = interval_column(f"{sure_words(comparison.sure)} interval")
    table = TextTable(
        name_column("", wide),
        right_column("A", 10),
        right_column("B", 10),
        change_column("B − A", 10),
        interval,
    )
    for difference in comparison.differences:
        _add(table, difference)
    lines.append(table)
    if comparison.turned:
        lines += ["", "  runs with another result:"]
        turned = TextTable(name_column("", 7), left_column("", before=2), indent=4, heads=False)
        for a, b, count in comparison.turned:
            turned.add(f"{count:>7,}", f"{a} → {b}")
        lines.append(turned)
    if comparison.changed_dials:
        lines += ["", "  dials in which they differ:"]
        dials = TextTable(name_column("", 40), right_column("", 11), left_column("", before=1), indent=4, heads=False)
        for name, *both in comparison.changed_dials[:20]:
            values = ["–" if value is None else number(value, 6) for value in both]
            dials.add(name, values[0], f"→ {values[1]}")
        lines.append(dials)
    lines += _parting(comparison)
    return Page(*lines)


def _answer(comparison: Comparison) -> list[str]:
    """Return whether the second wins more often, and what else certainly differs."""
    if not comparison.differences:
        return []
    first, *others = comparison.differences
    gap, digits = _gap(first)
    unit = " points" if first.is_share else ""
    span = span_text(gap.low, gap.high, digits)
    if all(difference.is_nothing for difference in comparison.differences):
        return ["Both are the same in every run."]
    if first.is_nothing:
        sentences = [f"{_capital(first.name)} is the same in every run."]
    elif first.is_certain:
        way = "more" if gap.value > 0 else "less"
        ends = sorted((abs(gap.low), abs(gap.high)))
        told = f"{fixed(abs(gap.value), digits)}{unit} {way} in B ({span_text(ends[0], ends[1], digits)})"
        sentences = [f"{_capital(first.name)}: {told}."]
    else:
        sentences = [f"{_capital(first.name)}: these runs cannot decide which is higher ({span}{unit})."]
    # Where wins differ, losses do.
    changed = [one for one in others if one.is_certain and one.name != "losses"][:MOST_OTHERS]
    for way, some in (
        ("Higher", [one.name for one in changed if one.difference.value > 0]),
        ("Lower", [one.name for one in changed if one.difference.value <= 0]),
    ):
        if some:
            sentences.append(f"{way} in B: {', '.join(some)}.")
    return sentences


def _capital(text: str) -> str:
    return text[:1].upper() + text[1:]


def _gap(difference: Difference) -> tuple[Estimate, int]:
    """The difference in the units that people read, and its digits."""
    factor = 100.0 if difference.is_share else 1.0
    low, high = factor * difference.difference.low, factor * difference.difference.high
    gap = Estimate(factor * difference.difference.value, low, high, difference.difference.runs, "")
    return gap, digits_for(gap)


def _add(table: TextTable, difference: Difference) -> None:
    factor = 100.0 if difference.is_share else 1.0
    values = [factor * e.value for e in (difference.one, difference.other)]
    gap, digits = _gap(difference)
    unit = " %" if difference.is_share else ""
    noise = "" if difference.is_certain else "  same" if difference.is_nothing else "  noise?"
    sign = "+" if gap.value > 0 else ""
    numbers = [*(fixed(value, digits) for value in values), sign + fixed(gap.value, digits)]
    table.add(difference.name + unit, *numbers, f"{span_text(gap.low, gap.high, digits)}{noise}")
    a, b, both = difference.counts
    if not a == b == both:
        table.note(f"    in {a:,} runs of A and {b:,} of B; B − A is of the {both:,} that have it in both")


def _parting(comparison: Comparison) -> Parts:
    parting = comparison.parting
    if parting is None:
        return []
    a, b = parting.results
    head = f"run {parting.run}: A {a}, B {b}. "
    if parting.amounts_from < parting.time:
        head += f"Up to {parting.time:.2f} the same happens in both, with other amounts from {parting.amounts_from:.2f}"
    else:
        head += f"Up to {parting.time:.2f} both are the same"
    lines: Parts = ["", Sentence(f"{head}; then:", 2)]
    for mark, rows in (("A", parting.one), ("B", parting.other)):
        for index, row in enumerate(rows[:3]):
            lead = f"    {mark if index == 0 else ' '}  "
            lines.append(Sentence(row, hanging=9, lead=lead))
    return lines
