"""Targets as a figure: each estimate with its interval beside what is wanted of it."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.strips import Strip, plot_strips

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from mint_ledger.balance.targets import Judged, JudgedTargets


def who(one: Judged) -> str:
    """Return who plays, in which variant."""
    played = [part for part in (one.habit, one.target.variant) if part]
    return f"{', '.join(played)}: " if played else ""


def plot_targets(judged: JudgedTargets) -> Figure:
    """Draw all targets, met, missed and undecided."""
    strips = [
        Strip(
            f"{one.target.name}\n{who(one)}{one.target.measure}",
            one.target.measure,
            (one.estimate,),
            (one.target.want.low, one.target.want.high),
            one.verdict,
        )
        for one in judged
    ]
    met = sum(one.verdict == "met" for one in judged)
    sure = sure_words(judged[0].estimate.confidence) if judged else ""
    title = f"{judged.title}: {met} of {len(judged)} targets are met"
    return plot_strips(title, strips, ("estimate",), f"estimates with {sure} intervals, in the unit of each")
