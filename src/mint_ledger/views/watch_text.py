"""What `watch` says: how a game stands, and what a save moved."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.journal.wording import shown
from mint_ledger.views.balance_text import told, wanted
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.shares_text import shares_sentence
from mint_ledger.views.study_text import digits_for, fixed
from mint_ledger.views.text_table import TextTable, left_column, name_column

if TYPE_CHECKING:
    from mint_ledger.balance.targets import Judged
    from mint_ledger.watching.change import Change, MovedEstimate
    from mint_ledger.watching.look import GameSummary, Way

MOST_DIALS = 6


def look_text(look: GameSummary) -> Page:
    """Return how a game stands: wins by way of playing, targets, playtests, findings."""
    table = _table()
    for way, study in look.studies.items():
        table.add(_way("wins", way), told("rate(win)", study.rate("win")))
    return Page(table, *_standing(look))


def _table() -> TextTable:
    return TextTable(name_column("", 34), left_column("", before=1), heads=False)


def change_text(change: Change, look: GameSummary) -> Page:
    """Return what a save moved; where nothing moved it says so."""
    lines: Parts = _dials(change) if change.dials else []
    unit = next(iter(look.studies.values())).unit
    table = _table()
    for moved in change.moved:
        table.add(*_moved(moved, unit))
    lines += [table] if change.moved else []
    for way, shares in change.shares:
        how = f" ({', '.join(filter(None, way))})" if len(change.shares) > 1 else ""
        sentence = shares_sentence(shares)
        lines += _wrapped(f"why{how}: {sentence[0].lower()}{sentence[1:]}")
    for old, new in change.targets:
        lines += _wrapped(_side(old, new))
    for result in change.playtests:
        lines += _wrapped(f"playtest '{result.name}' {'passes again' if result.passed else 'FAILS now'}")
    for finding in change.new:
        lines += _wrapped(
            f"new: {finding.place.told(look.game.source.file)} {finding.check.name}: {finding.caught.what}"
        )
    for finding in change.gone:
        lines += _wrapped(f"gone: {finding.check.name}: {finding.caught.what}")
    if not lines:
        lines = ["  nothing moved"]
    return Page(*lines, *_standing(look))


def _dials(change: Change) -> Parts:
    moved = [
        f"{name} {'new' if a is None else shown(a)} → {'gone' if b is None else shown(b)}"
        for name, a, b in change.dials[:MOST_DIALS]
    ]
    left = len(change.dials) - MOST_DIALS
    more = f" and {left} dials more" if left > 0 else ""
    rest = "" if change.only_numbers else "; and not only numbers"
    return _wrapped(", ".join(moved) + more + rest)


def _moved(moved: MovedEstimate, time_unit: str) -> tuple[str, str]:
    difference = moved.difference
    factor, unit = (100.0, " %") if difference.is_share else (1.0, f" {time_unit}" if difference.name == "time" else "")
    one, other, gap = (factor * e.value for e in (difference.one, difference.other, difference.difference))
    half = factor * difference.difference.half_width
    digits = 1 if difference.is_share else digits_for(difference.other)
    sign = "+" if gap >= 0 else ""
    noise = "" if difference.is_certain else ("  no change" if difference.is_nothing else "  noise?")
    gained = f"({sign}{fixed(gap, digits)} ± {fixed(half, digits)}){noise}"
    return _way(difference.name, moved.way), f"{fixed(one, digits)} → {fixed(other, digits)}{unit} {gained}"


def _way(name: str, way: Way) -> str:
    how = ", ".join(filter(None, way))
    return f"{name}, {how}" if how else name


def _side(old: Judged | None, new: Judged) -> str:
    target = new.target
    was = "new" if old is None else old.verdict
    how = f" ({new.habit})" if new.habit and target.habit is None else ""
    line = f"{target.measure} is {told(target.measure, new.estimate)}, target {wanted(target.measure, target.want)}"
    return f"target '{target.name}'{how}: {was} → {new.verdict}; {line}"


def _standing(look: GameSummary) -> Parts:
    """One line: how many targets are met, playtests pass, findings are open."""
    parts = []
    if look.judged:
        parts.append(f"targets {sum(result.verdict == 'met' for result in look.judged)} of {len(look.judged)} met")
    if look.playtests:
        parts.append(f"playtests {sum(r.passed for r in look.playtests)} of {len(look.playtests)} passed")
    parts.append(f"{len(look.findings) or 'no'} finding{'' if len(look.findings) == 1 else 's'}")
    return ["  " + " · ".join(parts)]


def _wrapped(text: str) -> Parts:
    # A number is not torn from its unit.
    return [Sentence(text, 2, tied=(" %",))]
