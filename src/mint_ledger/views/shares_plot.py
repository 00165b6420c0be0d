"""A difference shared out over what was changed, as a figure: steps from one game to the other."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.studies.estimate import is_share, sure_words
from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import BLUE, GRAY, ORANGE
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import SIZE
from mint_ledger.views.study_text import digits_for, fixed

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from mint_ledger.balance.shares import Shares

NAME = 38
# Smaller ones are drawn as one step.
MOST = 20


def plot_shares(shares: Shares) -> Figure:
    """From A to B, a bar for each change, the largest first; whiskers are the intervals of the shares."""
    figure = canvas(*SIZE)
    axis = figure.subplots()
    factor, unit = (100.0, ", %") if is_share(shares.measure) else (1.0, "")
    steps = [(short(part.name, NAME), part.share.scaled(factor)) for part in shares.parts[:MOST]]
    rest = sum(factor * part.share.value for part in shares.parts[MOST:])
    level = factor * shares.one.value
    axis.plot([level, level], [-0.4, 0.4], color="black", linewidth=3)
    names, height = [f"A: {fixed(level, 1)}"], 0
    for name, share in steps:
        height += 1
        color = (BLUE if share.value > 0 else ORANGE) if not share.low <= 0.0 <= share.high else GRAY
        axis.barh(height, share.value, left=level, color=color, height=0.6)
        if math.isfinite(share.half_width):
            ends = [[max(share.value - share.low, 0.0)], [max(share.high - share.value, 0.0)]]
            axis.errorbar(level + share.value, height, xerr=ends, color="black", capsize=4, linewidth=1.2)
        digits = min(digits_for(share), 2)
        sign = "+" if share.value > 0 else ""
        names.append(f"{name}   {sign}{fixed(share.value, digits)}")
        axis.plot([level + share.value] * 2, [height, height + 1], color=GRAY, linewidth=0.8)
        level += share.value
    if len(shares.parts) > MOST:
        height += 1
        axis.barh(height, rest, left=level, color="#BBBBBB", height=0.6)
        names.append(f"{len(shares.parts) - MOST} more   {'+' if rest > 0 else ''}{fixed(rest, 1)}")
        level += rest
    height += 1
    axis.plot([level, level], [height - 0.4, height + 0.4], color="black", linewidth=3)
    names.append(f"B: {fixed(level, 1)}")
    axis.set_yticks(range(height + 1), names)
    axis.invert_yaxis()
    axis.use_sticky_edges = False
    axis.margins(x=0.04)
    sure = sure_words(shares.sure)
    axis.set_xlabel(f"{shares.measure}{unit}   (whiskers: {sure} of each share; gray: may be noise)")
    axis.spines[["top", "right"]].set_visible(False)
    title = " → ".join(short(name, 48) for name in shares.titles)
    figure.suptitle(f"{title} · {shares.runs:,} runs · seed {shares.seed}", fontsize=13)
    return figure
