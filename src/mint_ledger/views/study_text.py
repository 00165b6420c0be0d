"""A study as text: outcomes and times, each with its interval, in the digits that the interval supports."""

from __future__ import annotations

import math
from collections.abc import Iterable
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.studies.seats import Seats
from mint_ledger.views.page import Meaning, Page, Parts, Sentence, paragraph
from mint_ledger.views.short import short
from mint_ledger.views.text_table import (
    MarkedCell,
    TextTable,
    bar_column,
    change_column,
    interval_column,
    left_column,
    name_column,
    right_column,
)
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.studies.shape import Floats
    from mint_ledger.studies.study import Study

BAR_WIDTH = 12
MOST_WINNERS = 4
# How many letters show the shape of a measure.
SPARK = 10


def study_text(study: Study) -> Page:
    """The summary of a study."""
    sure = sure_words(study.sure)
    lines: Parts = [f"{study.title} · {study.runs:,} runs · seed {study.seed}", "", paragraph(study_answer(study)), ""]
    table = _share_table("outcome", f"{sure} interval")
    for result, word in (("win", "won"), ("lose", "lost"), ("draw", "drawn"), ("unfinished", "unfinished")):
        estimate = study.rate(result)
        if estimate.value or result in ("win", "lose"):
            meaning: Meaning = "good" if result == "win" else "bad" if result == "lose" else ""
            table.add(MarkedCell(word, meaning), *_share_cells(word, estimate)[1:])
            for ending in study.endings():
                if (study.has(ending) & study.has(result)).any():
                    table.add(*_share_cells(f"  {ending}", study.rate(ending)))
    for winner in study.winners():
        table.add(*_share_cells(f"{winner} wins", study.winner(winner)))
    lines.append(table)
    for seats in study.seats():
        lines.append(Sentence(seats_text(seats), 2))
    times = _table("time", study.unit, "", f"{sure} interval")
    for name, q in (
        ("a tenth are over by", 0.1),
        ("half are over by", 0.5),
        ("nine tenths are over by", 0.9),
    ):
        estimate = study.quantile("time", q)
        digits = min(digits_for(estimate), _needed(estimate))
        times.add(name, fixed(estimate.value, digits), "", _span(estimate, digits))
    lines += ["", times]
    lines += _measure_lines(study)
    if study.names[1:] and study.rare is not None:
        lines.append(Sentence(study.rare.words, 2))
    for name in study.names[1:]:
        unseen = study.never_came(name)
        if unseen is not None:
            words = unseen.words(name, study.runs, study.sure)
            lines.append(Sentence(words, 2))
    if study.accounts:
        lines += ["", "What takes and gives, in a run on average:"]
    for account in study.accounts:
        lines += _cause_lines(study, account)
    if study.until is not None:
        reached = study.estimate(study.until.measure)
        is_rate = study.until.measure.startswith("rate")
        half = f"{100 * reached.known_to:.2f} %" if is_rate else number(reached.known_to, digits_for(reached) + 1)
        known = (
            f"is known to ± {half}"
            if math.isfinite(reached.known_to)
            else "is not known: its interval is open at one end"
        )
        lines += ["", f"{study.runs:,} runs were played; {study.until.measure} {known}."]
    return Page(*lines)


def study_answer(study: Study) -> list[str]:
    """Return how often the game is won, when its runs end, and what takes most, in a sentence each."""
    sentences = []
    wins = study.rate("win")
    winners = study.winners()
    if winners:
        shares = ", ".join(f"{winner} {_per_cent(study.winner(winner))}" for winner in winners[:MOST_WINNERS])
        sentences.append(f"Won by {shares}.")
    elif wins.value:
        share, span = _share(wins)
        sentences.append(f"{share} of runs are won ({span}).")
    elif study.rate("lose").value:
        share, span = _share(study.rate("lose"))
        sentences.append(f"No run is won; {share} are lost ({span}).")
    else:
        sentences.append("No run is won or lost.")
    low, half, high = (study.quantile("time", q).value for q in (0.1, 0.5, 0.9))
    unit = " s" if study.unit == "s" else ""
    turn = "turn " if study.unit != "s" else ""
    if low == high:
        sentences.append(f"Nearly all runs end at {turn}{number(half)}{unit}.")
    else:
        sentences.append(f"Half of the runs end by {turn}{number(half)}{unit}.")
    taken = [row for account in study.accounts[:1] for row in study.causes(account) if row.total < 0.0]
    if taken:
        most = min(taken, key=lambda row: row.total)
        cause = short(most.cause, room(26, [most.cause]))
        sentences.append(f"Most is taken from {study.accounts[0]} by {cause}: {number(-most.total, 1)} a run.")
    return sentences


def _share(share: Estimate) -> tuple[str, str]:
    """Return a share in per cent, and its interval."""
    digits = 1 if share.half_width < 0.05 else 0
    low, high = (f"{100 * end:.{digits}f}" for end in (share.low, share.high))
    return f"{100 * share.value:.{digits}f} %", f"{low} to {high}"


def _per_cent(share: Estimate) -> str:
    return "{} ({})".format(*_share(share))


def seats_text(seats: Seats) -> str:
    """Return whether the copies of a kind win equally often; if no difference was seen, which one would have been."""
    even = f"{100 * seats.even:.3g} %"
    if seats.unequal:
        shares = ", ".join(f"{name} {100 * seats.wins[name] / seats.runs:.3g} %" for name in seats.unequal)
        return f"the seats of {seats.kind} are not equal: {shares} of the runs that one of them won, {even} if equal"
    least = seats.would_have_seen
    if least >= 1.0:
        return f"too few runs were won by a seat of {seats.kind} to see any difference between them"
    return (
        f"the seats of {seats.kind}: no difference was seen; a seat that wins {100 * least:.2g} points more often "
        f"than {even} would be seen in nine of ten such studies"
    )


def _measure_lines(study: Study) -> Parts:
    names = study.names[1:]
    if not names:
        return []
    table = TextTable(
        name_column("measure", _names()),
        right_column("mean", 8),
        interval_column(f"{sure_words(study.sure)} interval", 19),
        right_column("median", 9),
        bar_column(before=3),
    )
    for name in names:
        _, values = study.numbers(name)
        if not len(values):
            table.add(name, "—", "in no run", "—")
            continue
        mean, median = study.mean(name), study.median(name)
        digits = digits_for(mean)
        span = _span(mean, digits) if study.runs > 1 else ""
        some = f"; in {len(values):,} runs" if len(values) < study.runs else ""
        table.add(name, fixed(mean.value, digits), f"{span}{some}", fixed(median.value, digits), spark(values))
    return ["", table]


def _names(names: Iterable[str] = ()) -> int:
    """Return how wide names are."""
    return room(26, names)


def _cause_lines(study: Study, account: str) -> Parts:
    rows = study.causes(account)
    wide, sure = _names(f"  {row.cause}" for row in rows), f"{sure_words(study.sure)} interval"
    heads = (
        right_column("changes", 8),
        change_column("points", 9),
        interval_column(sure, 20),
        right_column("wasted", 8),
    )
    table = TextTable(name_column(account, wide), *heads)
    if not rows:
        return ["", table, "    nothing changed it"]
    for row in rows:
        estimate = Estimate(row.total, row.low, row.high, study.runs, "")
        digits = min(digits_for(estimate), 2)
        alike = math.isinf(estimate.low) and math.isinf(estimate.high)
        span = ("the same in all runs" if alike else _span(estimate, digits)) if study.runs > 1 else ""
        wasted = fixed(abs(row.waste), 1) if abs(row.waste) >= 0.05 else ""
        table.add(f"  {row.cause}", fixed(row.changes, 1), fixed(row.total, digits), span, wasted)
    return ["", table]


def spark(values: Floats, width: int = SPARK) -> str:
    """The histogram of some values, from the lowest to the highest, in a few letters; nothing where all are one."""
    import numpy as np

    if len(values) < 2 or values.min() == values.max() or not np.isfinite(values).all():
        return ""
    counts, _ = np.histogram(values, width)
    heights = np.ceil(8 * counts / counts.max()).astype(int)
    return "".join(" ▁▂▃▄▅▆▇█"[height] for height in heights)


def fixed(value: float, digits: int) -> str:
    """A number with so many decimals, neither more nor fewer, so that columns can be compared."""
    # What is half-way except for the last bits must not come out differently in two places.
    text = f"{round(value, 9):,.{digits}f}"
    return "0" if float(text.replace(",", "")) == 0.0 and digits == 0 else text.replace("-", "−")


def _needed(estimate: Estimate) -> int:
    """The decimals behind which an estimate and its ends have nothing but zeros; three at most."""
    ends = [end for end in (estimate.value, estimate.low, estimate.high) if math.isfinite(end)]
    return next((digits for digits in range(3) if all(abs(end - round(end, digits)) < 5e-10 for end in ends)), 3)


def _span(estimate: Estimate, digits: int) -> str:
    return span_text(estimate.low, estimate.high, digits)


def span_text(low: float, high: float, digits: int) -> str:
    """An interval; an end that so many runs cannot tell is open."""
    if math.isfinite(low) and math.isfinite(high):
        return f"{fixed(low, digits)} to {fixed(high, digits)}"
    if math.isfinite(low):
        return f"{fixed(low, digits)} and up"
    return f"up to {fixed(high, digits)}" if math.isfinite(high) else "open"


def worst_text(study: Study, measure: str, command: str) -> Page:
    """The runs with the lowest values of a measure, and how to play them again."""
    table = study.worst(measure)
    names = {"time": "time", **{text: m.name for m in study.lowered.measures for text in (m.name, m.text)}}
    column = names[measure]
    head = measure if measure.startswith("lowest") else f"lowest {measure}"
    runs = TextTable(name_column(head, max(len(head) + 2, 12)), left_column("ending", 30), left_column("play it again"))
    for run, row in table.iterrows():
        ending = row["ending"] or "unfinished"
        runs.add(f"{number(float(row[column]), 2):>8}", ending, f"--run {run}")
    return Page(runs, "", f"{command} --run {table.index[0]}" if len(table) else "no run has one")


def _table(head: str, first: str, second: str, last: str) -> TextTable:
    """A table of two numbers and an interval behind each name."""
    span = interval_column(last, 19)
    return TextTable(name_column(head, _names()), right_column(first, 8), right_column(second, 9), span)


def _share_table(head: str, last: str) -> TextTable:
    heads = (
        right_column("runs", 8),
        right_column("share", 9),
        interval_column(last, 19),
        bar_column(),
    )
    return TextTable(name_column(head, _names()), *heads)


def _share_cells(name: str, estimate: Estimate) -> tuple[str, str, str, str, str]:
    count = round(estimate.value * estimate.runs)
    digits = 1 if estimate.half_width < 0.05 else 0
    span = f"{100 * estimate.low:.{digits}f} to {100 * estimate.high:.{digits}f} %"
    filled = round(estimate.value * BAR_WIDTH)
    return name, f"{count:,}", f"{100 * estimate.value:.{digits}f} %", span, "█" * filled


def digits_for(estimate: Estimate) -> int:
    """Decimals that the width of the interval supports."""
    ends = [abs(end - estimate.value) for end in (estimate.low, estimate.high) if math.isfinite(end)]
    width = estimate.half_width if len(ends) == 2 else max(ends, default=0.0)
    if width <= 0:
        return 0 if estimate.value == round(estimate.value) else 2
    return max(0, min(3, 1 - math.floor(math.log10(width))))
