"""Two studies under the same luck side by side, as a figure."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.balance.comparison import Comparison, Difference
from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.short import short
from mint_ledger.views.strips import Strip, plot_strips

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def plot_comparison(comparison: Comparison) -> Figure:
    """Draw each estimate of both, with the paired difference beside it."""
    strips = [
        Strip(one.name, "rate()" if one.is_share else "", (one.one, one.other), None, _word(one))
        for one in comparison.differences
    ]
    sure = sure_words(comparison.sure)
    titles = tuple(f"{mark}  {short(title, 40)}" for mark, title in zip("AB", comparison.titles, strict=True))
    footing = f"estimates with {sure} intervals, in the unit of each; {comparison.runs:,} runs under the same luck"
    return plot_strips("A and B side by side", strips, titles, footing)


def _word(difference: Difference) -> str:
    if difference.is_nothing:
        return "same"
    gap = difference.difference.value * (100.0 if difference.is_share else 1.0)
    return (
        f"B − A: {'+' if gap > 0 else ''}{f'{gap:.3g}'.replace('-', '−')}{'' if difference.is_certain else ', noise?'}"
    )
