"""Words for balance: values with their intervals, in per cent or in units."""

from __future__ import annotations

import math
from collections.abc import Sequence

from mint_ledger.balance.targets import Judged, runs_to_decide
from mint_ledger.game.parts import Span
from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, is_share
from mint_ledger.studies.intervals import Share
from mint_ledger.views.page import MarkedLine, Meaning, Page, Parts, Sentence
from mint_ledger.views.study_text import digits_for, fixed, span_text

# Under which letter of a verdict what was found begins.
INDENT = 15
MEANINGS: dict[str, Meaning] = {"met": "good", "missed": "bad", "undecided": ""}


def told(text: str, estimate: Estimate) -> str:
    """An estimate with its interval, in the digits that the interval supports: `58.2 % (57.1 to 59.3)`."""
    factor = 100.0 if is_share(text) else 1.0
    scaled = _scaled(estimate, factor)
    if is_share(text) and isinstance(estimate.basis, Share) and estimate.value in (0.0, 1.0):
        digits = 2 if min(scaled.high, 100.0 - scaled.low) < 2 else 1
        if estimate.value == 0.0:
            return f"none in {estimate.runs:,} runs (at most {fixed(scaled.high, digits)} %)"
        return f"all of {estimate.runs:,} runs (at least {fixed(scaled.low, digits)} %)"
    digits = digits_for(scaled)
    if is_share(text) and scaled.half_width >= 0.1:
        digits = min(digits, 1)  # as a study's summary tells it
    unit = " %" if is_share(text) else ""
    is_open = not (math.isfinite(scaled.low) or math.isfinite(scaled.high))
    span = "" if is_open else f" ({span_text(scaled.low, scaled.high, digits)})"
    return f"{fixed(scaled.value, digits)}{unit}{span}"


def undecided(result: Judged) -> list[str]:
    """Why a target is not decided, and how many more runs will likely do."""
    estimate, target = result.estimate, result.target
    if estimate.basis is None:
        return ["the interval crosses an end of the target"]
    low, high = estimate.ever()
    factor = 100.0 if is_share(target.measure) else 1.0
    unit = " %" if is_share(target.measure) else ""
    span = span_text(factor * low, factor * high, digits_for(_scaled(estimate, factor)))
    lines = [f"valid at any number of runs: {span}{unit}"]
    more = runs_to_decide(estimate, target.want)
    if more is not None:
        lines.append(f"{more[0]:,} to {more[1]:,} more runs will likely decide")
    return lines


def _scaled(estimate: Estimate, factor: float) -> Estimate:
    return Estimate(factor * estimate.value, factor * estimate.low, factor * estimate.high, estimate.runs, "")


def wanted(text: str, want: Span) -> str:
    """Return the range of a target: `55 to 65 %`."""
    factor = 100.0 if is_share(text) else 1.0
    unit = " %" if is_share(text) else ""
    if want.low == want.high:
        return f"{number(factor * want.low)}{unit}"
    if math.isinf(want.low):
        return f"at most {number(factor * want.high)}{unit}"
    if math.isinf(want.high):
        return f"at least {number(factor * want.low)}{unit}"
    return f"{number(factor * want.low)} to {number(factor * want.high)}{unit}"


def targets_text(judged: Sequence[Judged]) -> Page:
    """Targets, a line or two each: met, missed or undecided, what was found, and the range of the target."""
    lines: Parts = []
    for result in judged:
        target = result.target
        how = ", ".join(filter(None, (result.habit, target.variant)))
        name = f"{target.name}{f' ({how})' if how else ''}"
        line = (
            f"{target.measure} is {told(target.measure, result.estimate)}, target {wanted(target.measure, target.want)}"
        )
        lines += [MarkedLine("  ", (f"{result.verdict:<10}", MEANINGS[result.verdict]), f" {name}")]
        lines.append(Sentence(line, INDENT, tied=(" %",)))
        if result.verdict == "undecided":
            lines += [Sentence(why, INDENT, tied=(" %",)) for why in undecided(result)]
    return Page(*lines)
