"""Matchups and breakpoints as text."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

from mint_ledger.balance.matchup import Breakpoint, Matchup, Matchups
from mint_ledger.journal.wording import number
from mint_ledger.views.study_text import fixed

WIDTH = 80


def matchup_text(found: Matchups) -> str:
    """One line a pair: damage, hits and seconds to defeat; then what was not worked out, and why."""
    if not found.pairs:
        return f"{found.title}: no attack does damage"
    lines = [
        f"{found.title}: hits to defeat, one against one, with nothing that recovers",
        "",
        f"  {'attack':<16}{'by':<11}{'against':<11}{'damage':>7}{'lands':>7}{'hits':>14}{'seconds':>12}",
        f"  {'':<16}{'':<11}{'':<11}{'a hit':>7}{'':>7}{'least mid late':>14}{'mid  late':>12}",
    ]
    lines += [_line(pair) for pair in found.pairs]
    lines += ["", "  mid: half of the fights are over; late: nineteen of twenty"]
    for because in dict.fromkeys(pair.because for pair in found.pairs if not pair.exact):
        names = ", ".join(dict.fromkeys(pair.attack for pair in found.pairs if pair.because == because))
        text = f"* measured, not worked out: {names} ({because})"
        lines += textwrap.wrap(text, WIDTH, initial_indent="  ", subsequent_indent="    ")
    return "\n".join(lines)


def _line(pair: Matchup) -> str:
    hits = "{:>5} {:>3} {:>4}".format(*pair.hits) if pair.hits else "never"
    seconds = "–"
    if pair.seconds:
        seconds = f"{number(pair.seconds[0], 1)} {number(pair.seconds[1], 1):>5}"
    lands = f"{100 * pair.lands:.0f} %"
    name = pair.attack if len(pair.attack) <= 14 else pair.attack[:13] + "…"
    star = "" if pair.exact else "*"
    return (
        f"  {name + star:<16}{_short(pair.attacker):<11}{_short(pair.target):<11}"
        f"{fixed(pair.damage, 1):>7}{lands:>7}{hits:>14}{seconds:>12}"
    )


def _short(name: str) -> str:
    return name if len(name) <= 10 else name[:9] + "…"


def breakpoints_text(dial: str, pair: tuple[str, str], found: Sequence[Breakpoint]) -> str:
    """From which values of a dial on the hits to defeat are others."""
    attack, target = pair
    lines = [f"{attack} against {target}: the hits to defeat change", f"at these values of {dial}", ""]
    lines.append(f"  {'from':>10}{'least':>8}{'mid':>8}")
    for one in found:
        least, median = (str(count) if count is not None else "never" for count in (one.least, one.median))
        lines.append(f"  {number(one.value, 4):>10}{least:>8}{median:>8}")
    return "\n".join(lines)
