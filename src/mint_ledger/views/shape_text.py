"""How a measure is spread over the runs, as text: histograms, quantiles, and sparks for a line."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.journal.wording import decimals, number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.study_text import digits_for, fixed, span_text

if TYPE_CHECKING:
    from mint_ledger.studies.shape import Bin, Shape, Shapes

SHARES = {0.05: "1 in 20", 0.25: "1 in 4", 0.5: "1 in 2", 0.75: "3 in 4", 0.95: "19 in 20"}
BAR = 44
HALF_BAR = 22


def shape_text(shape: Shape) -> str:
    """Histogram and quantiles of a measure."""
    lines = [
        f"{shape.title} · {shape.runs:,} runs · seed {shape.seed}",
        "",
        *_answer(shape),
        "",
        _heading(shape, shape.measure),
    ]
    names = _bin_names(shape.bins)
    most = max(b.count for b in shape.bins)
    width = max(map(len, names))
    for name, b in zip(names, shape.bins, strict=True):
        share = f"{100 * b.count / len(shape.values):.1f} %"
        lines.append(f"  {name:>{width}}{b.count:>9,}{share:>9}  {_bar(b.count, most, BAR)}".rstrip())
    lines += ["", f"  {'quantile':<26}{'':>8}{'':>9}   {sure_words(shape.sure)} interval"]
    lines += [_quantile_line(q, shape.quantile(q)) for q in SHARES]
    return "\n".join(lines)


def _answer(shape: Shape) -> list[str]:
    """Where the middle half of the values lies, and the median."""
    low, half, high = (shape.quantile(q).value for q in (0.25, 0.5, 0.75))
    unit = f" {shape.unit}" if shape.unit else ""
    if low == high:
        return [f"At least half of all values are {number(half)}{unit}."]
    return [f"Half of all values lie between {number(low)} and {number(high)}{unit}, the median is {number(half)}."]


def shapes_text(shapes: Shapes) -> str:
    """Both histograms beside each other, quantiles and their differences."""
    one, other = shapes.one, shapes.other
    lines = [f"A  {one.title}", f"B  {other.title}"]
    lines += [f"{one.runs:,} runs each, run by run under the same luck, seed {one.seed}", ""]
    both = list(zip(*shapes.bins, strict=True))
    names = _bin_names([a for a, _ in both])
    most = max(max(a.count / len(one.values), b.count / len(other.values)) for a, b in both)
    width = max(*map(len, names), 10)
    unit = f", {one.unit}" if one.unit else ""
    title = one.measure if len(one.measure) <= 40 else one.measure[:39] + "…"
    lines += [f"  {title}{unit}", f"  {'':>{width}}{'A':>8}  {'':<{HALF_BAR}}{'B':>8}".rstrip()]
    for name, (a, b) in zip(names, both, strict=True):
        left, right = a.count / len(one.values), b.count / len(other.values)
        bars = [_bar(share, most, HALF_BAR) for share in (left, right)]
        columns = f"{100 * left:>6.1f} %  {bars[0]:<{HALF_BAR}}{100 * right:>6.1f} %  {bars[1]}"
        lines.append(f"  {name:>{width}}{columns}".rstrip())
    for shape, mark in ((one, "A"), (other, "B")):
        if len(shape.values) < shape.runs:
            lines.append(f"  {len(shape.values):,} of the {shape.runs:,} runs of {mark} have it")
    lines += ["", f"  {'quantile':<22}{'A':>10}{'B':>10}{'B − A':>10}   {sure_words(one.sure)} interval"]
    for q in SHARES:
        gap = shapes.gap(q)
        if gap is None:
            continue
        digits = digits_for(gap)
        values = "".join(f"{fixed(shape.quantile(q).value, digits):>10}" for shape in (one, other))
        sign = "+" if gap.value > 0 else ""
        noise = "" if gap.low > 0.0 or gap.high < 0.0 else "  same" if gap.low == gap.high == 0.0 else "  noise?"
        span = span_text(gap.low, gap.high, digits)
        lines.append(f"  {_quantile_name(q):<22}{values}{sign + fixed(gap.value, digits):>10}   {span}{noise}")
    return "\n".join(lines)


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


def _quantile_line(q: float, estimate: Estimate) -> str:
    digits = digits_for(estimate)
    span = span_text(estimate.low, estimate.high, digits)
    return f"  {_quantile_name(q):<26}{fixed(estimate.value, digits):>8}{'':>9}   {span}"


def _bar(value: float, most: float, width: int) -> str:
    eighths = round(8 * width * value / most)
    if value and not eighths:
        eighths = 1
    whole, rest = divmod(eighths, 8)
    return "█" * whole + (" ▏▎▍▌▋▊▉"[rest] if rest else "")
