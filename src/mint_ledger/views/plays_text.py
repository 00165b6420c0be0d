"""Recorded plays beside simulated ones, and what fits them, as text."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePath

from mint_ledger.journal.wording import number
from mint_ledger.players.likeness import ALIKE, Likeness, Side
from mint_ledger.players.recorded import RESULTS
from mint_ledger.studies.estimate import sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.study_text import fixed
from mint_ledger.views.text_table import MarkedCell, TextTable, left_column, name_column, right_column
from mint_ledger.views.width import room

NAME = 21


def likeness_text(likeness: Likeness) -> Page:
    """Each measure of both, and whether they are alike; then what that means."""
    by = f" by {likeness.players:,} players" if likeness.players not in (1, likeness.plays) else ""
    heads = (
        f"{likeness.title} · {likeness.runs:,} runs · seed {likeness.seed}",
        f"compared with {likeness.plays:,} recorded plays{by} ({PurePath(likeness.source).name})",
    )
    lines: Parts = [Sentence(head) for head in heads]
    lines += ["", side_table(likeness)]
    lines += ["", *_wrapped(_verdict(likeness))]
    for note in likeness.notes:
        lines += _wrapped(f"{note[0].upper()}{note[1:]}.")
    lines += ["", *_wrapped(_meaning(likeness))]
    return Page(*lines)


def side_table(likeness: Likeness) -> TextTable:
    """A table of all measures."""
    wide = room(NAME, map(likeness.name, likeness.sides))
    sure = f"{sure_words(likeness.sure)} interval"
    table = TextTable(
        name_column("", wide),
        *(right_column("", 6), right_column("recorded", 10), right_column("simulated", 10), right_column("higher", 8)),
        *(left_column(sure, 14, before=2, sort="aside"), left_column("")),
    )
    for side in likeness.sides:
        for cells in _side(side, likeness.name(side)):
            table.add(*cells)
    return table


def _side(side: Side, measure: str) -> Iterator[tuple[str, ...]]:
    percent = side.measure in RESULTS
    for place, (what, recorded, simulated) in enumerate(side.told):
        values = [f"{100 * value:.1f} %" if percent else number(value, 2) for value in (recorded, simulated)]
        if place:
            yield "", what, *values
        else:
            span = f"{fixed(side.higher.low, 2)} to {fixed(side.higher.high, 2)}" if side.higher else ""
            higher = fixed(side.higher.value, 2) if side.higher else ""
            verdict = "too few" if side.verdict == "too few to tell" else side.verdict
            yield measure, what, *values, higher, span, MarkedCell(verdict, "bad" if verdict == "differs" else "")


def _verdict(likeness: Likeness) -> str:
    differs = likeness.differs
    if differs:
        more = f" and {len(differs) - 4} more" if len(differs) > 4 else ""
        verb = "differs" if len(differs) == 1 else "differ"
        return f"Real players do not play like this: {', '.join(differs[:4])}{more} {verb}."
    if likeness.is_alike:
        return "In everything that was recorded, real players play like this."
    open_ = [side.measure for side in likeness.sides if side.verdict == "too few to tell"]
    return f"No difference is certain; the plays are too few to decide about {', '.join(open_[:4])}."


def _meaning(likeness: Likeness) -> str:
    return (
        f"higher: the chance that a recorded value is the higher of two, ties as half. alike: its interval lies within "
        f"{ALIKE[0]} and {ALIKE[1]} and the shapes are not far apart; differs: a test of place or shape says so, all "
        f"tests together wrong in {number(100 * (1 - likeness.sure), 1)} of 100 cases (Holm). What was not recorded "
        "may differ."
    )


def _wrapped(text: str) -> Parts:
    return [Sentence(text, 2)]
