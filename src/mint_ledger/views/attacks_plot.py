"""What each attack does a second, alone and in play, and what it dealt to whom, as a figure."""

from __future__ import annotations

from typing import TYPE_CHECKING

import numpy as np

from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import GRAY, INK
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import CAUSE_COLOURS, OTHERS, SIZE

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.balance.attacks import Attacks

NAME = 30
MOST = 16
HATCHES = ("", "//", "..")


def plot_attacks(attacks: Attacks) -> Figure:
    """The damage a second alone and in play; beside it what was dealt in a run, by target, and what went beyond."""
    figure = canvas(*SIZE)
    figure.suptitle(f"{attacks.title} · {attacks.runs:,} runs · seed {attacks.seed}", fontsize=13)
    left, right = figure.subplots(1, 2, sharey=True)
    plot_rates(attacks, left)
    plot_dealt(attacks, right)
    return figure


def plot_rates(attacks: Attacks, ax: Axes) -> None:
    """Bars for the damage a second in the first ten seconds, for long, and in play."""
    shown = attacks.attacks[:MOST]
    names = [short(f"{a.attack} of {a.attacker}", NAME) for a in shown]
    places = np.arange(len(shown))
    unit = "s" if attacks.unit == "second" else "turns"
    for offset, at_first, label, color in ((-0.27, True, f"alone, first 10 {unit}", OTHERS), (0, False, "", "white")):
        rates = [a.could(at_first=at_first) or 0.0 for a in shown]
        ax.barh(places + offset, rates, height=0.25, color=color, edgecolor=GRAY, label=label or "alone, for long")
    did = [a.did() for a in shown]
    values = [estimate.value if estimate is not None else 0.0 for estimate in did]
    halves = [estimate.half_width if estimate is not None else 0.0 for estimate in did]
    sure = sure_words(attacks.sure)
    label = f"in play, with somebody in reach ({sure})"
    bars = {"height": 0.25, "color": INK, "ecolor": GRAY, "capsize": 3, "label": label}
    ax.barh(places + 0.27, values, xerr=np.nan_to_num(halves, posinf=0.0), **bars)  # type: ignore[arg-type]
    ax.set_yticks(places, names)
    ax.invert_yaxis()
    ax.set_xlabel(f"damage a {attacks.unit}")
    ax.spines[["top", "right"]].set_visible(False)
    ax.legend(loc="lower right", fontsize=9, frameon=False)


def plot_dealt(attacks: Attacks, ax: Axes) -> None:
    """Bars of the damage dealt in a run, by target; at their ends what went beyond what targets had."""
    shown = attacks.attacks[:MOST]
    targets = list(dict.fromkeys(name for a in shown for name in a.dealt))
    left = np.zeros(len(shown))
    most = len(CAUSE_COLOURS) * len(HATCHES)
    for number, target in enumerate(targets):
        arrived = np.array([float(a.arrived[target].mean()) if target in a.arrived else 0.0 for a in shown])
        color = CAUSE_COLOURS[number % len(CAUSE_COLOURS)] if number < most else OTHERS
        hatch = HATCHES[number // len(CAUSE_COLOURS) % len(HATCHES)]
        label = short(f"to {target}", NAME) if number < most else None
        ax.barh(range(len(shown)), arrived, left=left, height=0.6, color=color, hatch=hatch, label=label, edgecolor="w")
        left += arrived
    beyond = np.array([float(sum(p.mean() for p in a.dealt.values())) for a in shown]) - left
    ax.barh(range(len(shown)), beyond, left=left, height=0.6, color="white", edgecolor=GRAY, label="beyond what it had")
    ax.set_xlabel("damage dealt in a run, on average")
    ax.spines[["top", "right"]].set_visible(False)
    ax.legend(loc="lower right", fontsize=9, frameon=False)
