"""How a measure is spread over the runs, as text: histograms, quantiles, and sparks for a line."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.journal.wording import decimals, number
from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.page import Page, Parts
from mint_ledger.views.study_text import digits_for, fixed, span_text
from mint_ledger.views.text_table import (
    TextTable,
    bar_column,
    change_column,
    interval_column,
    left_column,
    name_column,
    right_column,
)

if TYPE_CHECKING:
    from mint_ledger.studies.shape import Bin, Shape, Shapes

SHARES = {0.05: "1 in 20", 0.25: "1 in 4", 0.5: "1 in 2", 0.75: "3 in 4", 0.95: "19 in 20"}
BAR = 44
HALF_BAR = 22


def shape_text(shape: Shape) -> Page:
    """Histogram and quantiles of a measure."""
    names = _bin_names(shape.bins)
    width = max(map(len, names))
    bins = TextTable(
        name_column("", width),
        right_column("", 9),
        right_column("", 9),
        bar_column(before=2),
        heads=False,
    )
    most = max(b.count for b in shape.bins)
    for name, b in zip(names, shape.bins, strict=True):
        share = f"{100 * b.count / len(shape.values):.1f} %"
        bins.add(f"{name:>{width}}", f"{b.count:,}", share, _bar(b.count, most, BAR))
    interval = interval_column(f"{sure_words(shape.sure)} interval")
    quantiles = TextTable(name_column("quantile", 26), right_column("", 8), right_column("", 9), interval)
    for q in SHARES:
        estimate = shape.quantile(q)
        digits = digits_for(estimate)
        span = span_text(estimate.low, estimate.high, digits)
        quantiles.add(_quantile_name(q), fixed(estimate.value, digits), "", span)
    head = f"{shape.title} · {shape.runs:,} runs · seed {shape.seed}"
    return Page(head, "", *_answer(shape), "", _heading(shape, shape.measure), bins, "", quantiles)


def _answer(shape: Shape) -> list[str]:
    """Where the middle half of the values lies, and the median."""
    low, half, high = (shape.quantile(q).value for q in (0.25, 0.5, 0.75))
    unit = f" {shape.unit}" if shape.unit else ""
    if low == high:
        return [f"At least half of all values are {number(half)}{unit}."]
    return [f"Half of all values lie between {number(low)} and {number(high)}{unit}, the median is {number(half)}."]


def shapes_text(shapes: Shapes) -> Page:
    """Both histograms beside each other, quantiles and their differences."""
    one, other = shapes.one, shapes.other
    lines: Parts = [f"A  {one.title}", f"B  {other.title}"]
    lines += [f"{one.runs:,} runs each, run by run under the same luck, seed {one.seed}", ""]
    both = list(zip(*shapes.bins, strict=True))
    names = _bin_names([a for a, _ in both])
    most = max(max(a.count / len(one.values), b.count / len(other.values)) for a, b in both)
    width = max(*map(len, names), 10)
    unit = f", {one.unit}" if one.unit else ""
    title = one.measure if len(one.measure) <= 40 else one.measure[:39] + "…"
    bins = TextTable(
        name_column("", width),
        right_column("A", 8),
        left_column("", HALF_BAR + 1, before=2, sort="bar"),
        right_column("B", 7),
        bar_column(before=2),
    )
    for name, (a, b) in zip(names, both, strict=True):
        left, right = a.count / len(one.values), b.count / len(other.values)
        bars = [_bar(share, most, HALF_BAR) for share in (left, right)]
        bins.add(f"{name:>{width}}", f"{100 * left:.1f} %", bars[0], f"{100 * right:.1f} %", bars[1])
    lines += [f"  {title}{unit}", bins]
    for shape, mark in ((one, "A"), (other, "B")):
        if len(shape.values) < shape.runs:
            lines.append(f"  {len(shape.values):,} of the {shape.runs:,} runs of {mark} have it")
    quantiles = TextTable(
        name_column("quantile", 22),
        right_column("A", 10),
        right_column("B", 10),
        change_column("B − A", 10),
        interval_column(f"{sure_words(one.sure)} interval"),
    )
    for q in SHARES:
        gap = shapes.gap(q)
        if gap is None:
            continue
        digits = digits_for(gap)
        values = [fixed(shape.quantile(q).value, digits) for shape in (one, other)]
        sign = "+" if gap.value > 0 else ""
        noise = "" if gap.low > 0.0 or gap.high < 0.0 else "  same" if gap.low == gap.high == 0.0 else "  noise?"
        span = span_text(gap.low, gap.high, digits)
        quantiles.add(_quantile_name(q), *values, f"{sign}{fixed(gap.value, digits)}", f"{span}{noise}")
    return Page(*lines, "", quantiles)


def _heading(shape: Shape, title: str) -> str:
    unit = f", {shape.unit}" if shape.unit else ""
    some = f": {len(shape.values):,} runs have it" if len(shape.values) < shape.runs else ""
    title = title if len(title) <= 50 else title[:49] + "…"
    return f"  {title}{unit}{some}"


def _bin_names(bins: tuple[Bin, ...] | list[Bin]) -> list[str]:
    digits = decimals([end for b in bins for end in (b.low, b.high)])
    if all(b.low == b.high for b in bins):
        return [number(b.low, digits) for b in bins]
    return [f"{fixed(b.low, digits)} to {fixed(b.high, digits)}" for b in bins]


def _quantile_name(q: float) -> str:
    return f"{SHARES[q]} have at most"


def _bar(value: float, most: float, width: int) -> str:
    eighths = round(8 * width * value / most)
    if value and not eighths:
        eighths = 1
    whole, rest = divmod(eighths, 8)
    return "█" * whole + (" ▏▎▍▌▋▊▉"[rest] if rest else "")
