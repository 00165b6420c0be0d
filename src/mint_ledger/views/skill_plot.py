"""What skill is worth, as a figure: wins from slow and clumsy to quick and sure."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.players.skill import reaction_of, slips_of
from mint_ledger.views.canvas import canvas
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import PANEL, PURPLE, SKY

if TYPE_CHECKING:
    from matplotlib.figure import Figure

    from mint_ledger.players.skill import SkillCurve

COLORS = ("black", SKY, PURPLE, "#009E73", "#B8860B")
STYLES = ("-", "--", "-.", ":")
NAME = 30


def skill_figure(curve: SkillCurve) -> Figure:
    """A curve for each habit, with its band; chance and idleness as lines."""
    figure = canvas(*PANEL)
    figure.suptitle(f"{curve.title} · what skill is worth · {curve.runs:,} runs a point", fontsize=13)
    axis = figure.subplots()
    for number, (habit, wins) in enumerate(curve.wins.items()):
        color = COLORS[number % len(COLORS)]
        low, high = ([100 * getattr(estimate, end) for estimate in wins] for end in ("low", "high"))
        axis.fill_between(curve.skills, low, high, color=color, alpha=0.2, linewidth=0)
        values = [100 * estimate.value for estimate in wins]
        style = STYLES[number % len(STYLES)]
        axis.plot(curve.skills, values, style, color=color, marker="o", markersize=4, label=short(habit, NAME))
    for name, estimate in (("acts at random", curve.at_random), ("does nothing", curve.idle)):
        axis.axhline(100 * estimate.value, color="gray", linestyle=":", linewidth=1)
        axis.annotate(name, (0.0, 100 * estimate.value), xytext=(3, 3), textcoords="offset points", fontsize=9)
    places = [0.0, 0.25, 0.5, 0.75, 1.0]
    labels = [
        f"{place:g}\n{100 * slips_of(place):.0f} % slips"
        + ("" if curve.in_turns else f"\nreacts in {reaction_of(place):.1f} s")
        for place in places
    ]
    axis.set_xticks(places, labels)
    axis.set_xlabel("skill")
    axis.set_ylabel("wins, %")
    axis.set_ylim(-2, 102)
    axis.spines[["top", "right"]].set_visible(False)
    axis.legend(loc="upper left", fontsize=9, frameon=False)
    return figure
