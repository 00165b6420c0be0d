"""A difference shared out over what was changed, as text."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.studies.estimate import Estimate, is_share, sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.short import short
from mint_ledger.views.study_text import digits_for, fixed, span_text
from mint_ledger.views.text_table import TextTable, change_column, interval_column, name_column
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.balance.shares import Shares

NAME = 34
# So many of the largest shares stand in the sentence.
MOST_TOLD = 4
MOST_PAIRS = 3


def shares_text(shares: Shares) -> Page:
    """Return what moved, in a sentence; each change with its share; the pairs that are strong together."""
    one, other = shares.titles
    lines: Parts = [f"A  {one}", f"B  {other}"]
    how = f"{shares.runs:,} runs of each game between them, under the same luck, seed {shares.seed}"
    lines += [
        how,
        "",
        Sentence(shares_sentence(shares), 2, 2),
    ]
    factor = _factor(shares)
    unit = ", points" if factor != 1.0 else ""
    ordered = bool(shares.orders)
    wide = room(NAME, (part.name for part in shares.parts))
    heads = () if ordered else (change_column("alone", 9), change_column("last", 9))
    measure = name_column(short(shares.measure, wide - 8) + unit, wide)
    table = TextTable(measure, change_column("share", 8), *heads, interval_column(_sure(shares)))
    for part in shares.parts:
        share = part.share.scaled(factor)
        digits = min(digits_for(share), 3)
        cells = [_signed(share.value, digits)]
        if part.alone is not None and part.last is not None:
            cells += [_signed(factor * e.value, digits) for e in (part.alone, part.last)]
        noise = "" if part.is_certain else "  same" if part.is_nothing else "  noise?"
        table.add(part.name, *cells, f"{span_text(share.low, share.high, digits)}{noise}")
    total = shares.difference.scaled(factor)
    digits = min(digits_for(total), 3)
    table.add("B − A", _signed(total.value, digits))
    lines += ["", table]
    for pair in shares.pairs[:MOST_PAIRS]:
        more = pair.more.scaled(factor)
        both = f"{short(pair.one, 40)} and {short(pair.other, 40)} together"
        how = f"{both} shift it by {_plus_minus(more)} in addition to what each does alone"
        lines += _wrapped(how, "    ")
    lines += ["", *_wrapped(_note(shares))]
    return Page(*lines)


def _wrapped(text: str, indent: str = "  ") -> Parts:
    return [Sentence(text, 2, len(indent))]


def shares_sentence(shares: Shares) -> str:
    """`Wins fell by 10.9 points: crab.bite −8.6 ± 0.6, oil −2.3 ± 0.4.` is such a sentence."""
    factor = _factor(shares)
    total = shares.difference.scaled(factor)
    what = "Wins" if shares.measure == "rate(win)" else shares.measure
    unit = " points" if factor != 1.0 else ""
    if total.low <= 0.0 <= total.high:
        head = f"{what} changed by {_plus_minus(total)}{unit}, which may be noise"
    else:
        by = fixed(abs(total.value), min(digits_for(total), 3))
        head = f"{what} {'fell' if total.value < 0 else 'rose'} by {by}{unit}"
    told = [part for part in shares.parts if part.is_certain][:MOST_TOLD]
    if not told:
        return f"{head}; no change has a certain share."
    rest = len(shares.parts) - len(told)
    more = f", and {rest} more" if rest else ""
    return f"{head}: {', '.join(f'{part.name} {_plus_minus(part.share.scaled(factor))}' for part in told)}{more}."


def _note(shares: Shares) -> str:
    if shares.orders:
        return (
            f"share: what a change adds, on average over {shares.orders} orders of the changes that were drawn; the "
            "intervals hold the drawing too. In each run the shares add up to B − A. Pairs are tested for up to 6 "
            "changes."
        )
    return (
        "share: what a change adds, on average over all orders of the changes; in each run the shares add up to "
        "B − A. alone: as the only change; last: when all others are made."
    )


def _factor(shares: Shares) -> float:
    return 100.0 if is_share(shares.measure) else 1.0


def _sure(shares: Shares) -> str:
    return f"{sure_words(shares.sure)} interval"


def _signed(value: float, digits: int) -> str:
    text = fixed(value, digits)
    return f"+{text}" if value > 0 and float(text.replace(",", "")) else text


def _plus_minus(estimate: Estimate) -> str:
    digits = min(digits_for(estimate), 3)
    value = _signed(estimate.value, digits)
    half = estimate.half_width
    return f"{value} ± {fixed(half, digits)}" if math.isfinite(half) and half else value
