"""Hits and seconds to defeat over a dial as text, and over two as a table each."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number, shown
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.balance.matchup import Matchup
    from mint_ledger.balance.matchup_curve import MatchupCurves, PairCurve

NAME = 24


def curves_text(curves: MatchupCurves) -> str:
    """Each pair over the dial, or over both."""
    dials = " and ".join(name for name, _ in curves.dials)
    lines = [f"{curves.title}: hits to defeat over {dials}, one against one"]
    if not curves.pairs:
        lines += ["", "  no pair is there at all settings"]
    for pair in curves.pairs:
        lines += ["", f"  {pair.name}{_how(pair)}"]
        lines += _curve(curves, pair) if len(curves.dials) == 1 else _map(curves, pair)
    lines += ["", "  mid: half of the fights are over; late: nineteen of twenty"]
    if len(curves.dials) == 1:
        lines.append("  • from here on the hits are others than at the value before")
    return "\n".join(lines)


def _how(pair: PairCurve) -> str:
    fought = {matchup.fights for matchup in pair.matchups if matchup.fights}
    return f" (fought {max(fought)} times)" if fought else ""


def _curve(curves: MatchupCurves, pair: PairCurve) -> list[str]:
    [(name, values)] = curves.dials
    if len({(matchup.hits, matchup.seconds) for matchup in pair.matchups}) == 1:
        same = pair.matchups[0]
        hits = "least {}, mid {}, late {} hits".format(*same.hits) if same.hits else "never"
        times = f"; {number(same.seconds[0], 1)} and {number(same.seconds[1], 1)} {curves.unit}" if same.seconds else ""
        return [f"  the same at all values: {hits}{times}"]
    name = name if len(name) <= room(NAME) else name[: room(NAME) - 1] + "…"
    lines = [f"  {name:<{room(NAME)}}{'least':>8}{'mid':>6}{'late':>6}   {'mid':>8}{'late':>8} {curves.unit}"]
    breaks = set(pair.breaks())
    for place, (value, matchup) in enumerate(zip(values, pair.matchups, strict=True)):
        mark = "• " if place in breaks else "  "
        lines.append(f"  {mark}{shown(value):<{room(NAME) - 2}}{_hits(matchup)}   {_seconds(matchup)}".rstrip())
    return lines


def _hits(matchup: Matchup) -> str:
    return "{:>8}{:>6}{:>6}".format(*matchup.hits) if matchup.hits else f"{'never':>20}"


def _seconds(matchup: Matchup) -> str:
    return "".join(f"{number(value, 1):>8}" for value in matchup.seconds) if matchup.seconds else f"{'–':>8}{'–':>8}"


def _map(curves: MatchupCurves, pair: PairCurve) -> list[str]:
    """The median hits, rows over the first dial, columns over the second, some columns at a time."""
    (first, rows), (second, columns) = curves.dials
    lines = []
    for begin in range(0, len(columns), 8):
        some = range(begin, min(begin + 8, len(columns)))
        corner = f"{first} \\ {second}"
        corner = corner if len(corner) <= room(NAME) else corner[: room(NAME) - 1] + "…"
        lines.append(f"  {corner:<{room(NAME)}}" + "".join(f"{shown(columns[column]):>6}" for column in some))
        for row, value in enumerate(rows):
            hits = [pair.matchups[row * len(columns) + column].hits for column in some]
            cells = "".join(f"{known[1] if known else '–':>6}" for known in hits)
            lines.append(f"  {shown(value):<{room(NAME)}}{cells}")
    return [*lines, "  (mid hits)"]
