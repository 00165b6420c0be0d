"""A sweep as a figure: one dial as a line with its interval, two as a heat map."""

from __future__ import annotations

import math
from typing import TYPE_CHECKING

from mint_ledger.balance.sweep import Sweep
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.journal.wording import number, shown
from mint_ledger.studies.estimate import is_share, sure_words
from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import BLUE, GRAY, INK

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def plot_sweep(sweep: Sweep, measure: str | None = None) -> Figure:
    """Draw an estimate over one or two dials; today's value and the points that meet all targets are marked.

    The figure is 12.8 by 8 inches at 100 dots an inch.

    Raises:
        NotFound: the sweep has no such estimate.
        BadRequest: it has more than two dials.
    """
    text = measure or sweep.measures[0]
    if text not in sweep.measures:
        raise NotFound(f"this sweep has no '{text}'{nearest(text, sweep.measures)}")
    if len(sweep.dials) > 2:
        raise BadRequest(f"a figure has room for one or two dials, not {len(sweep.dials)}")
    if any(isinstance(value, str) for value in sweep.today.values()):
        raise BadRequest("a figure wants dials that are numbers; the table has the words")
    figure = canvas(12.8, 8.0)
    (_line if len(sweep.dials) == 1 else _heat)(figure, sweep, text)
    return figure


def _label(text: str) -> str:
    return f"{text} (%)" if is_share(text) else text


def _line(figure: Figure, sweep: Sweep, text: str) -> None:
    axis = figure.subplots()
    [dial] = sweep.dials
    factor = 100.0 if is_share(text) else 1.0
    xs = [point.dials[dial] for point in sweep.points]
    estimates = [point.estimates[text] for point in sweep.points]
    known = [end for e in estimates for end in (e.low, e.value, e.high) if math.isfinite(end)]
    margin = 0.06 * ((max(known) - min(known)) or 1.0)
    bottom, top = factor * (min(known) - margin), factor * (max(known) + margin)
    # An open end goes on beyond the picture.
    lows, highs = (
        [min(max(factor * end, bottom), top) for end in ends]
        for ends in zip(*((e.low, e.high) for e in estimates), strict=True)
    )
    axis.fill_between(xs, lows, highs, color=INK, alpha=0.2)
    axis.plot(xs, [factor * e.value for e in estimates], "o-", color=INK, linewidth=1.8, label=text)
    for point in sweep.points:
        for judged in point.judged:
            if judged.target.measure == text:
                axis.axhspan(
                    factor * max(judged.target.want.low, -1e9),
                    factor * min(judged.target.want.high, 1e9),
                    color=BLUE,
                    alpha=0.08,
                )
                where = (0.01, factor * judged.target.want.high)
                axis.annotate("target", where, xycoords=("axes fraction", "data"), va="top", fontsize=10)
        break
    good = [(p.dials[dial], factor * p.estimates[text].value) for p in sweep.points if p.meets_all]
    if good:
        across, up = zip(*good, strict=True)
        axis.scatter(across, up, s=160, marker="s", facecolors="none", edgecolors=BLUE, linewidths=2)
    axis.axvline(float(sweep.today[dial]), color=GRAY, linestyle="--", linewidth=1)
    axis.annotate(
        "today",
        (sweep.today[dial], 1.0),
        xycoords=("data", "axes fraction"),
        xytext=(4, -12),
        textcoords="offset points",
        fontsize=10,
    )
    axis.set_ylim(bottom, top)
    axis.set_xlabel(dial, fontsize=12)
    axis.set_ylabel(_label(text), fontsize=12)
    axis.spines[["top", "right"]].set_visible(False)
    axis.grid(color="#dddddd", linewidth=0.6)
    axis.set_title(f"{sweep.title} · {sweep.runs:,} runs a point, {sure_words(sweep.sure)} intervals", fontsize=14)


def _heat(figure: Figure, sweep: Sweep, text: str) -> None:
    import numpy as np

    axis = figure.subplots()
    first, second = sweep.dials
    xs, ys = (sorted({point.dials[dial] for point in sweep.points}) for dial in (first, second))
    factor = 100.0 if is_share(text) else 1.0
    values = np.full((len(ys), len(xs)), np.nan)
    for point in sweep.points:
        row, column = ys.index(point.dials[second]), xs.index(point.dials[first])
        values[row, column] = factor * point.estimates[text].value
        if point.meets_all:
            axis.text(column, row - 0.3, "✓", ha="center", va="center", fontsize=11, color="white")
    image = axis.imshow(values, origin="lower", aspect="auto", cmap="cividis")
    middle = (np.nanmin(values) + np.nanmax(values)) / 2
    if values.size <= 400:
        for row in range(len(ys)):
            for column in range(len(xs)):
                value = values[row, column]
                if not np.isnan(value):
                    color = "white" if value < middle else "black"
                    axis.text(column, row, number(value, 1), ha="center", va="center", fontsize=10, color=color)
    axis.set_xticks(range(len(xs)), [shown(x, 4) for x in xs])
    axis.set_yticks(range(len(ys)), [shown(y, 4) for y in ys])
    axis.set_xlabel(first, fontsize=12)
    axis.set_ylabel(second, fontsize=12)
    figure.colorbar(image, ax=axis, label=_label(text))
    axis.set_title(f"{sweep.title} · {sweep.runs:,} runs a point", fontsize=14)
