"""What comes into an account and goes out of it, as text."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.short import short
from mint_ledger.views.study_text import digits_for, fixed
from mint_ledger.views.text_table import TextTable, change_column, left_column, name_column, right_column
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.studies.income import Income, Offer

NAME = 34
HEADS, WIDTHS = ("times", "held", "enough", "done", "left"), (8, 9, 8, 8, 8)
NOTE = (
    "there is: what one run in twenty, half, and nineteen of twenty have less of, at the end of the interval, of the "
    "runs that still go on."
)
OFFERED = " held: as an offer began; enough: it could be paid; left: it could be paid and was not done."


def income_text(income: Income) -> Page:
    """What each cause brings and takes; what there is over time; what was offered and not bought; what it comes to."""
    names = (*income.gains, *income.losses, *(offer.action for offer in income.offers))
    wide = room(NAME, (f"  {name}" for name in names))
    lines: Parts = [f"{income.title} · {income.account} · {income.runs:,} runs · seed {income.seed}", ""]
    lines += [Sentence(_answer(income), hanging=0), ""]
    table = TextTable(
        name_column("in a run, on average", wide),
        change_column("points", 10),
        right_column("±", 8),
        right_column("runs with it", 16),
    )
    for cause, points in income.sources():
        table.add(*_cause(income.gains[cause], cause, points))
    table.add("comes in", *_told(income.total(sign=1)))
    for cause, points in income.sinks():
        table.add(*_cause(income.losses[cause], cause, points))
    table.add("goes out", *_told(income.total(sign=-1)))
    table.add("net", *_told(income.total()))
    lines += [table, "", _over_time(income)]
    if income.offers:
        heads = (right_column(word, width) for word, width in zip(HEADS, WIDTHS, strict=True))
        offers = TextTable(name_column("offered, except for its price", wide), *heads)
        for offer in income.offers:
            offers.add(*_offer(offer))
        lines += ["", offers]
    lines.append("")
    for sentence in income_sentences(income):
        lines.append(Sentence(sentence, 2))
    note = f"±: at {sure_words(income.sure)}. {NOTE}" + (OFFERED if income.offers else "")
    lines += ["", Sentence(note, 2, 2)]
    return Page(*lines)


def _answer(income: Income) -> str:
    """How much comes in and goes out in a run, and what is left of it."""
    came, went, net = (_told(income.total(sign=sign)) if sign else _told(income.total()) for sign in (1, -1, 0))
    half = f" (± {net[1]})" if len(net) > 1 and net[1] else ""
    return f"In a run {came[0]} comes in and {went[0]} goes out of {income.account}: {net[0]} in all{half}."


def income_sentences(income: Income) -> Iterator[str]:
    """Return whether it dries up, runs away or runs over, and what is left unbought, in words."""
    dry = income.runs_dry
    if dry is not None and dry.value and income.dry is not None and income.dry_at is not None:
        first = float(np.nanmedian(income.dry_at))
        share = 100 * float(income.dry.sum() / max(income.times.sum(), 1e-9))
        often = f"{number(share, 1)} %" if share >= 0.05 else "less than 0.1 %"
        when = f"first after {number(first, 0)} {income.unit} (median)"
        yield f"It is at its floor in {_percent(dry)} of runs, {when}, and {often} of the time."
    if income.ends_dry:
        yield "It dries up: in most runs, and then for more than half of the last third of the time."
    if income.runs_away:
        middle, last = income.net(1), income.net(2)
        yield (
            f"It runs away: in the last third of the time it gains {_rate(last)} a {_unit(income)} "
            f"({_rate(middle)} in the middle third), and no limit holds it."
        )
    if income.full is not None and income.full.any():
        share = 100 * float(income.full.sum() / max(income.times.sum(), 1e-9))
        often = f"{number(share, 1)} %" if share >= 0.05 else "less than 0.1 %"
        wasted = sorted(((c, float(p.mean())) for c, p in income.lost.items() if p.mean() > 0), key=lambda w: -w[1])
        told = ", ".join(f"{number(points, 1)} of {cause}" for cause, points in wasted[:3])
        what = f"; lost to it in a run: {told}" if told else ""
        yield f"It is at its cap {often} of the time{what}."
    for offer in income.offers:
        if offer.was_ever and offer.each("left").value > 0.0:
            left, could = offer.each("left"), offer.each("could")
            share = 100 * left.value / could.value
            how = f"{number(left.value, 2)} times a run ({share:.0f} % of the times that it could)"
            yield f"{offer.action} could have been paid for and was not done {how}."


def _cause(moved: np.ndarray[Any, Any], cause: str, points: Estimate) -> tuple[str, str, str, str]:
    value, half = _told(points)
    return f"  {cause}", value, half, f"{100 * float(np.mean(moved != 0.0)):.0f} %"


def _told(estimate: Estimate) -> tuple[str, str]:
    half = estimate.half_width
    if not half or half == float("inf"):
        return _signed(number(estimate.value, 2), estimate.value), ""
    digits = min(digits_for(estimate), 2)
    return _signed(fixed(estimate.value, digits), estimate.value), fixed(half, digits)


def _signed(text: str, value: float) -> str:
    return f"+{text}" if value > 0 else text


def _over_time(income: Income) -> TextTable:
    table = TextTable(
        name_column(f"from … to, {income.unit}", 15),
        *(right_column("runs", 7), change_column("in", 8), change_column("out", 8)),
        *(left_column("there is", 17, before=2), left_column("most by")),
    )
    for place, going in enumerate(income.going):
        moves = income.moves(place)
        came, went = (sum(points[sign] for points in moves.values()) for sign in (0, 1))
        bands = [number(value, 0) if np.isfinite(value) else "–" for value in income.bands(place)]
        each = {cause: max(points, key=abs) for cause, points in moves.items()}
        most = max(each, key=lambda cause: abs(each[cause]), default="")
        span = f"{number(income.edges[place], 2)} … {number(income.edges[place + 1], 2)}"
        told = (
            f"{short(most, room(15, [most]))} {_signed(number(each[most], 1), each[most])}"
            if most and each[most]
            else ""
        )
        table.add(span, f"{going:,}", _signed(number(came, 1), came), number(went, 1), " · ".join(bands), told)
    return table


def _offer(offer: Offer) -> tuple[str, ...]:
    if not offer.was_ever:
        return f"  {offer.action}", "never"
    times, could, taken, left = (number(offer.each(w).value, 2) for w in ("times", "could", "taken", "left"))
    return f"  {offer.action}", times, number(offer.has.value, 1), could, taken, left


def _percent(estimate: Estimate) -> str:
    low, high = 100 * estimate.low, 100 * estimate.high
    return f"{100 * estimate.value:.1f} % ({low:.1f} to {high:.1f})"


def _rate(estimate: Estimate) -> str:
    return _signed(number(estimate.value, 2), estimate.value)


def _unit(income: Income) -> str:
    return "turn" if income.unit == "turns" else "second"
