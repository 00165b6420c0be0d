"""Matchups and breakpoints as text."""

from __future__ import annotations

from collections.abc import Sequence

from mint_ledger.balance.matchup import Breakpoint, Matchup, Matchups
from mint_ledger.journal.wording import number
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.short import short
from mint_ledger.views.study_text import fixed
from mint_ledger.views.text_table import TextColumn, TextTable, name_column, right_column
from mint_ledger.views.width import USUAL, line_width


def matchup_text(matchups: Matchups) -> Page:
    """One line a pair: damage, hits and seconds to defeat; then what was not worked out, and why."""
    if not matchups.pairs and not matchups.left_out:
        return Page(f"{matchups.title}: no attack does damage")
    table = _table(heads=True)
    for pair in matchups.pairs:
        table.add(*_cells(pair))
    return Page(*_title(matchups.title), table, matchup_foot(matchups))


def matchup_head(title: str) -> Page:
    """Return what stands above the lines."""
    return Page(*_title(title), _table(heads=True))


def _title(title: str) -> Parts:
    return [
        Sentence(f"{title}: hits to defeat, one against one, as the game plays it without its rules", hanging=0),
        "",
    ]


def _table(*, heads: bool) -> TextTable:
    """Return the table, without a row; its columns are as wide as they were before, since rows come one by one."""
    wide = _name_width()
    return TextTable(
        TextColumn("", wide + 5, at_left=True, over="attack"),
        TextColumn("", wide, at_left=True, over="by"),
        TextColumn("", wide, at_left=True, over="against"),
        right_column("a hit", 7, over="damage"),
        right_column("", 7, over="lands"),
        right_column("least mid late", 15, over="hits"),
        right_column("mid  late", 11, over="seconds"),
        heads=heads,
    )


def matchup_foot(matchups: Matchups) -> Page:
    """Return what stands below them: what the columns mean, how sure each line is, and what is missing."""
    lines: Parts = ["", "  mid: half of the fights are over; late: nineteen of twenty"]
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
        lines += _wrapped(f"no time left for {', '.join(matchups.left_out)}")
    return Page(*lines)


def _wrapped(text: str, deeper: int = 0) -> Parts:
    return [Sentence(text, 2 + deeper)]


def _how_sure(pair: Matchup) -> str:
    low, high = (f"{100 * share:.1f}" for share in pair.lands_between)
    mid = ""
    if pair.median_between:
        least, most = pair.median_between
        mid = f"mid {least} hits, " if least == most else f"mid {least} to {most} hits, "
    return f"{pair.attack} of {pair.attacker} against {pair.target}: {mid}lands {low} to {high} %"


def matchup_line(pair: Matchup) -> Page:
    """One pair."""
    table = _table(heads=False)
    table.add(*_cells(pair))
    return Page(table)


def _cells(pair: Matchup) -> tuple[str, ...]:
    seconds = f"{number(pair.seconds[0], 1)} {number(pair.seconds[1], 1):>5}" if pair.seconds else "–"
    wide = _name_width()
    attack = short(pair.attack, wide + 3) + ("*" if pair.fights else "")
    by, against = (short(name, wide - 1) for name in (pair.attacker, pair.target))
    hits = "{:>4} {:>3} {:>4}".format(*pair.hits) if pair.hits else "never"
    return attack, by, against, fixed(pair.damage, 1), f"{100 * pair.lands:.0f} %", hits, seconds


def _name_width() -> int:
    """How wide the columns of names are; lines are shown as they come, so that nobody knows how long the others are."""
    return 11 + max(line_width() - USUAL, 0) // 3


def breakpoints_text(dial: str, pair: tuple[str, str], points: Sequence[Breakpoint]) -> Page:
    """From which values of a dial on the hits to defeat are others."""
    attack, target = pair
    table = TextTable(name_column(f"{'from':>10}", 10), right_column("least", 8), right_column("mid", 8))
    for point in points:
        least, median = (str(count) if count is not None else "never" for count in (point.least, point.median))
        table.add(f"{number(point.value, 4):>10}", least, median)
    head = f"{attack} against {target}: the hits to defeat change"
    return Page(head, f"at these values of {dial}", "", table)
