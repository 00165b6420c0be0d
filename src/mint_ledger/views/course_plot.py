"""The course of a game as a figure: who ends where, how long each stretch takes, and what is taken and given in it."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger.views.canvas import canvas, legend_below
from mint_ledger.views.run_plot import GRAY, INK
from mint_ledger.views.short import short
from mint_ledger.views.study_plots import CAUSE_COLOURS, OTHERS, RESULT_COLOURS, RESULT_WORDS, SIZE, SKY

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.studies.course import Course

Heights = np.ndarray[Any, np.dtype[np.float64]]
CAUSE_HATCHES = ("", "//", "..")
MOST_ACCOUNTS = 2
MOST_NAMES = 16
MOST_CAUSES = len(CAUSE_COLOURS) * len(CAUSE_HATCHES) - 1


def plot_course(course: Course) -> Figure:
    """Draw where runs end, how long each stretch takes, and what its causes take and give."""
    accounts = course.accounts[:MOST_ACCOUNTS]
    panels = 2 + len(accounts)
    figure = canvas(*SIZE)
    figure.suptitle(
        f"{course.title} · {course.runs:,} runs · seed {course.seed} · by {short(course.per, 30)}", fontsize=13
    )
    axes = figure.subplots((panels + 1) // 2, 2, squeeze=False).ravel()
    _ends(course, axes[0])
    _times(course, axes[1])
    shown = _causes(course, accounts)
    for account, axis in zip(accounts, axes[2:], strict=False):
        _account(course, account, axis, shown)
    for axis in axes[panels:]:
        axis.set_axis_off()
    return figure


def _ends(course: Course, axis: Axes) -> None:
    places = range(len(course.stretches))
    reached = [100 * part.reached.value for part in course.stretches]
    axis.plot(places, reached, color=GRAY, marker="o", markersize=4, label="come to it")
    below: Heights = np.zeros(len(course.stretches))
    for result, color in RESULT_COLOURS.items():
        share = np.array([100 * part.ended.count(result) / course.runs for part in course.stretches])
        if share.any():
            axis.bar(places, share, bottom=below, color=color, label=RESULT_WORDS[result])
            below += share
    axis.set_ylim(0, 105)
    _frame(course, axis, "% of all runs")
    axis.legend(loc="best", fontsize=9, frameon=False)


def _times(course: Course, axis: Axes) -> None:
    places = list(range(len(course.stretches)))
    low, lower, middle, upper, high = (
        [part.quantile("time", q).value for part in course.stretches] for q in (0.05, 0.25, 0.5, 0.75, 0.95)
    )
    if len(places) > 1:
        axis.fill_between(places, low, high, color=SKY, alpha=0.3, linewidth=0, label="nine of ten runs")
        axis.fill_between(places, lower, upper, color=SKY, alpha=0.6, linewidth=0, label="half of the runs")
    axis.plot(places, middle, color=INK, marker="o", markersize=4, label="median")
    axis.set_ylim(bottom=0)
    _frame(course, axis, f"how long it takes, {course.unit}")
    axis.legend(loc="best", fontsize=9, frameon=False)


def _causes(course: Course, accounts: Sequence[str]) -> list[str]:
    """The causes that do most, which have a color of their own in all panels."""
    totals: dict[str, float] = {}
    parts = course.stretches
    for account in accounts:
        done = [(cause, abs(p.value) * len(part.runs)) for part in parts for cause, p in part.causes(account)]
        most = sum(points for _, points in done) or 1.0
        for cause, points in done:
            totals[cause] = totals.get(cause, 0.0) + points / most
    return sorted(totals, key=lambda cause: -totals[cause])[:MOST_CAUSES]


def _account(course: Course, account: str, axis: Axes, shown: Sequence[str]) -> None:
    places = range(len(course.stretches))
    up: Heights = np.zeros(len(course.stretches))
    down: Heights = np.zeros(len(course.stretches))
    told = [dict(part.causes(account)) for part in course.stretches]
    others = {name for known in told for name in known} - set(shown)
    for number, cause in enumerate([*shown, "others"]):
        names = others if cause == "others" else {cause}
        points: Heights = np.array([sum(known[n].value for n in names if n in known) for known in told], dtype=float)
        if not np.any(points):
            continue
        base = np.where(points >= 0, up, down)
        color, hatch = CAUSE_COLOURS[number % len(CAUSE_COLOURS)], CAUSE_HATCHES[number // len(CAUSE_COLOURS)]
        if cause == "others":
            color, hatch = OTHERS, ""
        label = short(cause, 24)
        axis.bar(places, points, bottom=base, color=color, hatch=hatch or None, edgecolor="white", label=label)
        up, down = up + np.maximum(points, 0), down + np.minimum(points, 0)
    axis.axhline(0, color="black", linewidth=0.8)
    title = short(account, 30)
    _frame(course, axis, f"{title}, points a run")
    _, labels = axis.get_legend_handles_labels()
    columns = max(1, min(4, 88 // (6 + max(map(len, labels), default=1))))
    legend_below(axis, columns)


def _frame(course: Course, axis: Axes, label: str) -> None:
    names = [part.name.removeprefix(f"{course.per} ") for part in course.stretches]
    step = -(-len(names) // MOST_NAMES)
    ticks = range(0, len(names), step)
    shown = [short(name, 18) for name in names]
    slant = max(map(len, shown)) > 5 and len(ticks) > 3
    axis.set_xticks(list(ticks), [shown[tick] for tick in ticks], rotation=30 if slant else 0, fontsize=9)
    for text in axis.get_xticklabels():
        text.set_horizontalalignment("right" if slant else "center")
    axis.set_xlabel(short(course.per, 40))
    axis.set_ylabel(label)
    axis.spines[["top", "right"]].set_visible(False)
