"""Hits and seconds to defeat over a dial as text, and over two as a table each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number, shown
from mint_ledger.views.page import Page, Parts
from mint_ledger.views.text_table import TextTable, left_column, name_column, right_column
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.balance.matchup import Matchup
    from mint_ledger.balance.matchup_curve import MatchupCurves, PairCurve

NAME = 24


def curves_text(curves: MatchupCurves) -> Page:
    """Each pair over the dial, or over both."""
    dials = " and ".join(name for name, _ in curves.dials)
    lines: Parts = [f"{curves.title}: hits to defeat over {dials}, one against one"]
    if not curves.pairs:
        lines += ["", "  no pair is there at all settings"]
    for pair in curves.pairs:
        lines += ["", f"  {pair.name}{_how(pair)}"]
        lines += _curve(curves, pair) if len(curves.dials) == 1 else _map(curves, pair)
    lines += ["", "  mid: half of the fights are over; late: nineteen of twenty"]
    if len(curves.dials) == 1:
        lines.append("  • from here on the hits are others than at the value before")
    return Page(*lines)


def _how(pair: PairCurve) -> str:
    fought = {matchup.fights for matchup in pair.matchups if matchup.fights}
    return f" (fought {max(fought)} times)" if fought else ""


def _curve(curves: MatchupCurves, pair: PairCurve) -> Parts:
    [(name, values)] = curves.dials
    if len({(matchup.hits, matchup.seconds) for matchup in pair.matchups}) == 1:
        same = pair.matchups[0]
        hits = "least {}, mid {}, late {} hits".format(*same.hits) if same.hits else "never"
        times = f"; {number(same.seconds[0], 1)} and {number(same.seconds[1], 1)} {curves.unit}" if same.seconds else ""
        return [f"  the same at all values: {hits}{times}"]
    heads = (
        right_column("least", 8),
        right_column("mid", 6),
        right_column("late", 6),
        right_column("mid", 11),
        right_column("late", 8),
    )
    table = TextTable(name_column(name, room(NAME)), *heads, left_column(curves.unit, before=1))
    breaks = set(pair.breaks())
    for place, (value, matchup) in enumerate(zip(values, pair.matchups, strict=True)):
        mark = "• " if place in breaks else "  "
        table.add(mark + shown(value), *_hits(matchup), *_seconds(matchup))
    return [table]


def _hits(matchup: Matchup) -> list[str]:
    return [str(count) for count in matchup.hits] if matchup.hits else ["", "", "never"]


def _seconds(matchup: Matchup) -> list[str]:
    return [number(value, 1) for value in matchup.seconds] if matchup.seconds else ["–", "–"]


def _map(curves: MatchupCurves, pair: PairCurve) -> Parts:
    """The median hits, rows over the first dial, columns over the second, some columns at a time."""
    (first, rows), (second, columns) = curves.dials
    lines: Parts = []
    for begin in range(0, len(columns), 8):
        some = range(begin, min(begin + 8, len(columns)))
        heads = (right_column(shown(columns[column]), 6) for column in some)
        table = TextTable(name_column(f"{first} \\ {second}", room(NAME)), *heads)
        for row, value in enumerate(rows):
            hits = [pair.matchups[row * len(columns) + column].hits for column in some]
            table.add(shown(value), *(str(known[1]) if known else "–" for known in hits))
        lines.append(table)
    return [*lines, "  (mid hits)"]
