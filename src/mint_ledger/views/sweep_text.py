"""A sweep as a table of text."""

from __future__ import annotations

import math

from mint_ledger.balance.sweep import Sweep
from mint_ledger.journal.wording import shown as worded
from mint_ledger.views.balance_text import told
from mint_ledger.views.page import Page, Parts, paragraph
from mint_ledger.views.text_table import MarkedCell, TextTable, left_column, name_column

MOST_LINES = 60


def sweep_text(sweep: Sweep) -> Page:
    """One line a point: the dials, each estimate with its interval, and whether all targets are met."""
    lines: Parts = [
        f"{sweep.title} · {sweep.runs:,} runs at each of {len(sweep.points):,} points · seed {sweep.seed}",
        "",
    ]
    lines += [paragraph(_answer(sweep)), ""]
    cells = [[worded(point.dials[dial], 4) for dial in sweep.dials] for point in sweep.points]
    cells_by_point = [[told(text, point.estimates[text]) for text in sweep.measures] for point in sweep.points]
    widths = [max(len(dial), *(len(row[i]) for row in cells)) for i, dial in enumerate(sweep.dials)]
    spans = [max(len(text), *(len(row[i]) for row in cells_by_point)) for i, text in enumerate(sweep.measures)]
    first, *others = zip(sweep.dials, widths, strict=True)
    table = TextTable(
        name_column(f"{first[0]:>{first[1]}}", first[1]),
        *(left_column(f"{dial:>{width}}", width, before=2, sort="aside") for dial, width in others),
        *(left_column(text, width, before=2) for text, width in zip(sweep.measures, spans, strict=True)),
        left_column("", before=2),
        left_column("", before=0),
    )
    for point, row, values in list(zip(sweep.points, cells, cells_by_point, strict=True))[:MOST_LINES]:
        is_today = all(point.dials[dial] == sweep.today[dial] for dial in sweep.dials)
        verdict = MarkedCell("meets all targets", "good") if point.meets_all else ""
        numbers = [f"{cell:>{width}}" for cell, width in zip(row, widths, strict=True)]
        table.add(*numbers, *values, "← today" if is_today else verdict, verdict if is_today else "")
    lines.append(table)
    if len(sweep.points) > MOST_LINES:
        lines.append(f"  … {len(sweep.points) - MOST_LINES:,} points more; -o writes them all")
    return Page(*lines)


def _answer(sweep: Sweep) -> list[str]:
    """Where the first estimate is highest and lowest of all that were tried, and which settings meet all targets."""
    text = sweep.measures[0]
    known = [point for point in sweep.points if math.isfinite(point.estimates[text].value)]
    if len(known) < 2:
        return []
    ends = [pick(known, key=lambda point: point.estimates[text].value) for pick in (max, min)]
    if ends[0].estimates[text].value == ends[1].estimates[text].value:
        return [f"{text} is the same at all points: {told(text, ends[0].estimates[text])}."]
    shown = [
        f"{told(text, point.estimates[text])} at {', '.join(f'{n} = {worded(point.dials[n], 4)}' for n in sweep.dials)}"
        for point in ends
    ]
    sentences = [f"Of what was tried {text} is highest, {shown[0]}, and lowest, {shown[1]}."]
    meeting = sum(point.meets_all for point in sweep.points)
    return [*sentences, f"{meeting:,} of {len(sweep.points):,} points meet all targets."] if meeting else sentences
