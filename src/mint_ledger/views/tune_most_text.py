"""The best setting of some dials, as text."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.journal.wording import shown
from mint_ledger.studies.estimate import Estimate, is_share, sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.study_text import digits_for, fixed, span_text
from mint_ledger.views.text_table import TextTable, left_column, name_column

if TYPE_CHECKING:
    from mint_ledger.balance.tune_most import TunedMost

MOST_AS_GOOD = 12


def most_text(tuned: TunedMost) -> Page:
    """The best, what it costs, what is as good, and what all settings gave."""
    word = "most" if tuned.most else "least"
    lines: Parts = [
        tuned.title,
        f"the {word} {tuned.measure} of {len(tuned.seen)} settings, {tuned.runs:,} runs each",
        "",
    ]
    names = [name for name, _ in tuned.dials]
    lines.append(f"  best   {_values(names, tuned.best)}: {_told(tuned, tuned.estimate)}")
    today = _values(names, tuple(value for _, value in tuned.dials))
    lines.append(f"  today  {today}: {_told(tuned, tuned.today)}")
    if not tuned.changed:
        lines.append("  nothing is to be changed")
    elif tuned.gain is not None:
        changes = "1 change" if len(tuned.changed) == 1 else f"{len(tuned.changed)} changes"
        lines.append(f"  {_gain(tuned, tuned.gain)} for {changes}, run by run")
    sure = sure_words(tuned.sure)
    lines += ["", *_wrapped(f"best and today played with a separate seed, {2 * tuned.runs:,} runs; {sure} intervals")]
    others = [values for values in tuned.as_good if values != tuned.best]
    if others:
        some = ", ".join(_values(names, values) for values in others[:MOST_AS_GOOD])
        more = f" and {len(others) - MOST_AS_GOOD} more" if len(others) > MOST_AS_GOOD else ""
        lines += _wrapped(f"not certainly worse, nearest to today first: {some}{more}")
    else:
        lines += _wrapped(f"all others are worse: {sure}, all together")
    rows = [(f"{'*' if values == tuned.best else ' '} {', '.join(map(shown, values))}", e) for values, e in tuned.seen]
    wide = max(32, *(len(name) + 2 for name, _ in rows))
    table = TextTable(name_column("", wide), left_column(""), heads=False)
    for name, estimate in rows:
        table.add(name, _told(tuned, estimate))
    return Page(*lines, "", f"  {', '.join(names)}", table)


def _values(names: list[str], values: tuple[float | str, ...]) -> str:
    return ", ".join(f"{name}={shown(value)}" for name, value in zip(names, values, strict=True))


def _told(tuned: TunedMost, estimate: Estimate) -> str:
    share = is_share(tuned.measure)
    estimate = estimate.scaled(100.0) if share else estimate
    digits = digits_for(estimate)
    unit = " %" if share else ""
    return f"{fixed(estimate.value, digits)}{unit} ({span_text(estimate.low, estimate.high, digits)})"


def _gain(tuned: TunedMost, gain: Estimate) -> str:
    share = is_share(tuned.measure)
    gain = gain.scaled(100.0) if share else gain
    digits = digits_for(gain)
    sign = "+" if gain.value > 0 else ""
    unit = " points" if share else ""
    return f"{sign}{fixed(gain.value, digits)}{unit} ({span_text(gain.low, gain.high, digits)})"


def _wrapped(text: str) -> Parts:
    return [Sentence(text, 2)]
