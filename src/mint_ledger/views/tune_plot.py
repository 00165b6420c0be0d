"""What tuning looked at, as a figure: looks with intervals, what is wanted, and the parts of the range that meet it."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.balance.tune import Tuned
from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.balance_text import wanted

if TYPE_CHECKING:
    from matplotlib.figure import Figure

MET, LIKELY, OPEN, LOOK = "#2b6cb0", "#90cdf4", "#b7791f", "#1a202c"


def plot_tuned(tuned: Tuned) -> Figure:
    """Draw the looks of a dial over its range."""
    from matplotlib.figure import Figure

    factor = 100.0 if tuned.is_share else 1.0
    figure = Figure(figsize=(8, 5), layout="constrained")
    axis = figure.add_subplot()
    values = [look.value for look in tuned.tried]
    estimates = [factor * look.estimate.value for look in tuned.tried]
    ends = [[factor * end for end in (look.estimate.low, look.estimate.high)] for look in tuned.tried]
    spans = [[_length(e - low), _length(high - e)] for e, (low, high) in zip(estimates, ends, strict=True)]
    want = [factor * end for end in (tuned.want.low, tuned.want.high)]
    low, high = axis.get_ylim() if not estimates else (min(estimates), max(estimates))
    room = 0.15 * max(high - low, abs(high), 1e-9)
    bottom = want[0] if math.isfinite(want[0]) else low - room
    top = want[1] if math.isfinite(want[1]) else high + room
    label = f"target: {wanted(tuned.measure, tuned.want)}"
    axis.axhspan(bottom, max(top, bottom + 1e-9), color="#cbd5e0", alpha=0.6, label=label)
    axis.errorbar(
        values,
        estimates,
        yerr=[[s[0] for s in spans], [s[1] for s in spans]],
        fmt="o",
        markersize=4,
        color=LOOK,
        capsize=2,
        label=f"looks, with {sure_words(tuned.tried[0].estimate.confidence)} intervals" if tuned.tried else "looks",
    )
    half = tuned.step / 2
    parts = (
        (tuned.open, OPEN, "//", "open"),
        (tuned.looks, LIKELY, "", "looks met"),
        (tuned.met, MET, "", "certainly met"),
    )
    for regions, color, hatch, text in parts:
        for place, (first, last) in enumerate(regions):
            axis.axvspan(
                first - half,
                last + half,
                ymax=0.03,
                facecolor="none" if hatch else color,
                edgecolor=color,
                hatch=hatch,
                label=text if place == 0 else None,
            )
    axis.axvline(tuned.best, color=MET, linestyle="--", linewidth=1, label=f"taken: {tuned.best:g}")
    if tuned.today != tuned.best:
        axis.axvline(tuned.today, color=LOOK, linestyle=":", linewidth=1, label=f"today: {tuned.today:g}")
    axis.set_xlim(tuned.bounds[0] - half, tuned.bounds[1] + half)
    axis.set_xlabel(tuned.dial)
    axis.set_ylabel(f"{tuned.measure}{' (%)' if tuned.is_share else ''}")
    axis.set_title(tuned.title)
    figure.legend(loc="outside lower center", ncols=3, fontsize="small")
    return figure


def _length(value: float) -> float:
    return value if math.isfinite(value) else 0.0
