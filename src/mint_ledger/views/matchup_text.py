"""Matchups and breakpoints as text."""

from __future__ import annotations

import textwrap
from collections.abc import Sequence

from mint_ledger.balance.matchup import Breakpoint, Matchup, Matchups
from mint_ledger.journal.wording import number
from mint_ledger.views.short import short
from mint_ledger.views.study_text import fixed
from mint_ledger.views.width import USUAL, line_width


def matchup_text(matchups: Matchups) -> str:
    """One line a pair: damage, hits and seconds to defeat; then what was not worked out, and why."""
    if not matchups.pairs and not matchups.left_out:
        return f"{matchups.title}: no attack does damage"
    return "\n".join([matchup_head(matchups.title), *map(matchup_line, matchups.pairs), matchup_foot(matchups)])


def matchup_head(title: str) -> str:
    """Return what stands above the lines."""
    wide = _name_width()
    lines = [
        *textwrap.wrap(
            f"{title}: hits to defeat, one against one, as the game plays it without its rules", line_width()
        ),
        "",
        f"  {'attack':<{wide + 5}}{'by':<{wide}}{'against':<{wide}}"
        f"{'damage':>7}{'lands':>7}{'hits':>14}{'seconds':>12}",
        f"  {'':<{3 * wide + 5}}{'a hit':>7}{'':>7}{'least mid late':>14}{'mid  late':>12}",
    ]
    return "\n".join(lines)


def matchup_foot(matchups: Matchups) -> str:
    """Return what stands below them: what the columns mean, how sure each line is, and what is missing."""
    lines = ["", "  mid: half of the fights are over; late: nineteen of twenty"]
    fought = [pair for pair in matchups.pairs if pair.fights]
    if fought:
        lines += _wrapped(f"* fought {fought[0].fights} times; these intervals hold in 95 of 100 cases:")
        lines += [line for pair in fought for line in _wrapped(_how_sure(pair), deeper=2)]
        for because in dict.fromkeys(pair.because for pair in fought):
            attacks = ", ".join(dict.fromkeys(pair.attack for pair in fought if pair.because == because))
            lines += _wrapped(f"not worked out ({attacks}): {because}", deeper=2)
    for because in dict.fromkeys(p.because for p in matchups.pairs if not p.fights and p.because):
        names = ", ".join(f"{p.attack} against {p.target}" for p in matchups.pairs if p.because == because)
        lines += _wrapped(f"{names}: {because}")
    if matchups.left_out:
        lines += _wrapped(f"no time was left for {', '.join(matchups.left_out)}")
    return "\n".join(lines)


def _wrapped(text: str, deeper: int = 0) -> list[str]:
    indent = " " * (2 + deeper)
    return textwrap.wrap(text, line_width(), initial_indent=indent, subsequent_indent=indent + "  ")


def _how_sure(pair: Matchup) -> str:
    low, high = (f"{100 * share:.1f}" for share in pair.lands_between)
    mid = ""
    if pair.median_between:
        least, most = pair.median_between
        mid = f"mid {least} hits, " if least == most else f"mid {least} to {most} hits, "
    return f"{pair.attack} of {pair.attacker} against {pair.target}: {mid}lands {low} to {high} %"


def matchup_line(pair: Matchup) -> str:
    """One pair."""
    hits = "{:>4} {:>3} {:>4}".format(*pair.hits) if pair.hits else "never"
    seconds = "–"
    if pair.seconds:
        seconds = f"{number(pair.seconds[0], 1)} {number(pair.seconds[1], 1):>5}"
    lands = f"{100 * pair.lands:.0f} %"
    wide = _name_width()
    attack = short(pair.attack, wide + 3) + ("*" if pair.fights else "")
    by, against = (short(name, wide - 1) for name in (pair.attacker, pair.target))
    return (
        f"  {attack:<{wide + 5}}{by:<{wide}}{against:<{wide}}"
        f"{fixed(pair.damage, 1):>7}{lands:>7} {hits:>13}{seconds:>12}"
    )


def _name_width() -> int:
    """How wide the columns of names are; lines are shown as they come, so that nobody knows how long the others are."""
    return 11 + max(line_width() - USUAL, 0) // 3


def breakpoints_text(dial: str, pair: tuple[str, str], points: Sequence[Breakpoint]) -> str:
    """From which values of a dial on the hits to defeat are others."""
    attack, target = pair
    lines = [f"{attack} against {target}: the hits to defeat change", f"at these values of {dial}", ""]
    lines.append(f"  {'from':>10}{'least':>8}{'mid':>8}")
    for point in points:
        least, median = (str(count) if count is not None else "never" for count in (point.least, point.median))
        lines.append(f"  {number(point.value, 4):>10}{least:>8}{median:>8}")
    return "\n".join(lines)
