"""The odds of lots as text."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.text_table import TextTable, name_column, right_column

if TYPE_CHECKING:
    from mint_ledger.exact.odds import BranchOdds, LotOdds, Odds

WIDEST = 22
MOST_SPANS = 5


def odds_text(odds: Odds) -> Page:
    """A table for each lot: the chances of its branches, and how many drawings they take to come first."""
    if not odds.lots:
        return Page(f"{odds.title} has no lots")
    parts: Parts = [f"{odds.title} · odds, calculated exactly"]
    for lot in odds.lots:
        parts += ["", *_lot(lot)]
    return Page(*parts)


def _lot(lot: LotOdds) -> Parts:
    counts = any(branch.latest is not None for branch in lot.branches)
    per = " · counted for the whole game" if lot.shared else " · counted for each that draws" if counts else ""
    who = f" · weights as {lot.drawn_by} has them" if lot.drawn_by else ""
    width = min(max(6, *(len(branch.name) for branch in lot.branches)), WIDEST)
    chances = (
        right_column("weight", 8),
        right_column("long run", 10, over="chance in the"),
        right_column("1st", 9, over="at the"),
    )
    over = "drawings until it comes first"
    drawings = [
        right_column(head, width, over=over) for head, width in (("mean", 9), ("half", 6), ("19/20", 7), ("at most", 9))
    ]
    table = TextTable(name_column("branch", width), *chances, *drawings)
    for branch in lot.branches:
        table.add(*_branch(branch))
    lines: Parts = [f"{lot.name}{who}{per}", table]
    if lot.once:
        why = f"Whoever draws {lot.name} leaves with it and draws once, so nothing in it is ever sure by a count."
        lines.append(Sentence(why, 2))
    return [*lines, *_later(lot)]


def _branch(branch: BranchOdds) -> tuple[str, ...]:
    mean = "never" if math.isinf(branch.mean) else number(branch.mean, 2)
    ends = ["–" if value is None else f"{value:,}" for value in (branch.half, branch.most, branch.latest)]
    return branch.name, number(branch.weight), _share(branch.long_run), _share(branch.at[0]), mean, *ends


def _later(lot: LotOdds) -> Parts:
    """The chances of sure branches from the first drawing on, where they change."""
    lines: Parts = []
    for branch in lot.branches:
        if branch.latest is None:
            continue
        spans: list[str] = []
        first = 0
        shares = [_share(chance) for chance in branch.at]
        for drawing in range(1, len(shares) + 1):
            if drawing == len(shares) or shares[drawing] != shares[first]:
                to = f" to {drawing:,}" if drawing > first + 1 else ""
                spans.append(f"{shares[first]} at {first + 1:,}{to}")
                first = drawing
        more = f" … (--json has all {len(shares):,})" if len(spans) > MOST_SPANS else ""
        text = f"{branch.name} at each drawing: {', '.join(spans[:MOST_SPANS])}{more}"
        lines.append(Sentence(text, 2))
    return ["", *lines] if lines else []


def _share(value: float) -> str:
    return "0 %" if value == 0.0 else f"{number(100 * value, 4 if value < 0.001 else 2)} %"
