"""What tuning found, as text."""

from __future__ import annotations

import textwrap

from mint_ledger.balance.tune import Tuned
from mint_ledger.journal.wording import number
from mint_ledger.views.balance_text import told, wanted

WIDTH = 80


def tune_text(tuned: Tuned) -> str:
    """The answer: which values meet the target, how sure that is, and what a fresh study says of the best."""
    want = wanted(tuned.measure, tuned.want)
    low, high = (number(bound, 6) for bound in tuned.bounds)
    lines = [
        f"{tuned.title}: {tuned.measure} of {want}, by {tuned.dial} from {low} to {high}",
        f"  today {tuned.dial} is {number(tuned.today, 6)}",
        "",
    ]
    for one in tuned.tried:
        lines.append(f"  {number(one.value, 6):>10}   {told(tuned.measure, one.estimate)}, {one.estimate.runs:,} runs")
    lines.append("")
    lines += _wrapped(_answer(tuned))
    if tuned.confirmed is not None:
        found = told(tuned.measure, tuned.confirmed)
        lines += _wrapped(
            f"Confirmed with luck of its own: at {number(tuned.best, 6)} it is {found} in "
            f"{tuned.confirmed.runs:,} runs: {tuned.verdict}."
        )
    lines += _wrapped(f"{tuned.runs:,} runs were played.")
    return "\n".join(lines)


def _answer(tuned: Tuned) -> str:
    best = number(tuned.best, 6)
    if tuned.interrupted:
        return f"Stopped before it was done; the best so far is {tuned.dial} = {best}."
    if not tuned.reached:
        return f"It cannot be reached: the nearest is {tuned.dial} = {best}, stopped by {tuned.stopped_by}."
    assert tuned.possible is not None
    possible = _span(tuned.possible)
    if tuned.sure is None:
        return f"{tuned.dial} = {best}. It may be met with {possible}; more runs tell."
    sure = _span(tuned.sure)
    more = "" if tuned.sure == tuned.possible else f", and perhaps with {possible}"
    return f"{tuned.dial} = {best}. It is certainly met with {sure}{more}."


def _span(ends: tuple[float, float]) -> str:
    low, high = (number(end, 6) for end in ends)
    return low if low == high else f"{low} to {high}"


def _wrapped(text: str) -> list[str]:
    return textwrap.wrap(text, WIDTH, initial_indent="  ", subsequent_indent="    ")
