"""Exact answers as text."""

from __future__ import annotations

from collections.abc import Sequence
from typing import TYPE_CHECKING

from mint_ledger.errors import BadRequest, NotFound
from mint_ledger.journal.wording import number
from mint_ledger.studies.estimate import is_share
from mint_ledger.views.balance_text import wanted
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.text_table import MarkedCell, TextTable, left_column, name_column, right_column

if TYPE_CHECKING:
    from mint_ledger.exact.answers import Exact
    from mint_ledger.game.target import Target

WORDS = {"win": "wins", "lose": "losses", "draw": "draws", "unfinished": "unfinished"}


def exact_text(exact: Exact, targets: Sequence[Target] = ()) -> Page:
    """The chances of results and endings, how long runs take, and which targets that meets."""
    many = "1 state" if exact.states == 1 else f"{exact.states:,} states"
    lines: Parts = [f"{exact.title} · exact, from all its {many}", ""]
    results = TextTable(name_column("", 12), right_column("", 13), heads=False)
    for result, word in WORDS.items():
        chance = exact.rate(result)
        if chance or result in ("win", "lose"):
            results.add(word, share(chance))
    lines.append(results)
    table = TextTable(name_column("ending", 28), right_column("chance", 13), left_column("mean time", before=3))
    for ending in exact.endings:
        name = ending.name or "(none at the clock's limit)"
        table.add(name, share(ending.chance), f"{number(ending.mean_time, 6)} {exact.unit}")
    lines += ["", table]
    if exact.winners:
        winners = TextTable(name_column("who wins", 28), right_column("", 13))
        for name, chance in exact.winners.items():
            winners.add(name, share(chance))
        lines += ["", winners]
    tenth, half, most = (number(exact.time_quantile(q), 6) for q in (0.1, 0.5, 0.9))
    lines += [
        "",
        f"  time: {number(exact.mean_time, 6)} {exact.unit} on average; a tenth of the runs is over by {tenth},",
        f"  half by {half}, nine tenths by {most}",
    ]
    if exact.measures:
        lines.append("")
    tails = left_column("a tenth, half, nine tenths at most", before=3)
    measures = TextTable(name_column("measure", 28), right_column("mean", 13), tails)
    for name, spread in exact.measures.items():
        quantiles = ", ".join(number(spread.quantile(q), 6) for q in (0.1, 0.5, 0.9))
        measures.add(name, number(spread.mean, 6), quantiles)
        if spread.missing:
            measures.note(f"    without a value in {share(spread.missing)} of the runs")
    lines += [measures] if exact.measures else []
    for name, why in exact.left_out.items():
        lines.append(Sentence(f"no exact answer of {name}: {why}", 2))
    judged = [(target, found) for target in targets if (found := _value(exact, target)) is not None]
    if judged:
        lines += ["", "  targets"]
    verdicts = TextTable(name_column("", 8), left_column(""), heads=False)
    for target, value in judged:
        word = "met" if target.want.low <= value <= target.want.high else "missed"
        told = share(value) if is_share(target.measure) else number(value, 6)
        verdicts.add(
            MarkedCell(word, "good" if word == "met" else "bad"),
            f"{target.name}: {target.measure} is {told}, target {wanted(target.measure, target.want)}",
        )
    lines += [verdicts] if judged else []
    return Page(*lines)


def _value(exact: Exact, target: Target) -> float | None:
    """Return what a target asks for; none where that is not among exact answers."""
    try:
        return exact.value(target.measure)
    except (BadRequest, NotFound):
        return None


def share(chance: float) -> str:
    """A chance in per cent, with as many digits as tell it from none and from all."""
    return f"{100 * chance:.6g} %"
