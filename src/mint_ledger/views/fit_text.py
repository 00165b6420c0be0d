"""Which numbers of a habit fit recorded plays, and what a change would do for those who play so, as text."""

from __future__ import annotations

from collections.abc import Iterator
from pathlib import PurePath

from mint_ledger.journal.wording import number
from mint_ledger.players.change import Changed
from mint_ledger.players.fit import Fit, FittedDial
from mint_ledger.players.mixture import Mixture
from mint_ledger.players.recorded import RESULTS
from mint_ledger.studies.estimate import Estimate
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.plays_text import side_table
from mint_ledger.views.study_text import digits_for, fixed
from mint_ledger.views.text_table import (
    TextTable,
    bar_column,
    change_column,
    interval_column,
    left_column,
    name_column,
    right_column,
)
from mint_ledger.views.width import room

NAME = 20
BAR = 12


def fit_text(fit: Fit) -> Page:
    """Each dial, how well it is told; the plays beside the fitted habit; how far to trust it."""
    head = f"{fit.title} · fitted to {fit.plays:,} plays ({PurePath(fit.source).name}) · seed {fit.seed}"
    lines: Parts = [Sentence(head), ""]
    wide = room(NAME, (dial.name for dial in fit.dials))
    table = TextTable(
        name_column("dial", wide),
        *(right_column("file", 8), right_column("fits", 8), interval_column("90 % interval", 16)),
        *(left_column("of its range", BAR + 2, sort="bar"), left_column("")),
    )
    for dial in fit.dials:
        table.add(*_dial(dial))
    lines += [table, ""]
    for sentence in fit_sentences(fit):
        lines.append(Sentence(sentence, 2))
    lines += ["", f"  the plays compared with habits that fit ({fit.likeness.runs:,} runs):", side_table(fit.likeness)]
    lines.append("")
    for note in fit.likeness.notes:
        lines += _wrapped(f"{note[0].upper()}{note[1:]}.")
    for sentence in _trust(fit):
        lines += _wrapped(sentence)
    return Page(*lines)


def _dial(dial: FittedDial) -> tuple[str, ...]:
    value = dial.value
    digits = min(digits_for(value), 3)
    span = f"{fixed(value.low, digits)} to {fixed(value.high, digits)}"
    first, last = (round(BAR * (end - dial.low) / (dial.high - dial.low)) for end in (value.low, value.high))
    bar = "·" * first + "█" * max(last - first, 1) + "·" * (BAR - max(last, first + 1))
    return dial.name, number(dial.today, 3), fixed(value.value, digits), span, bar[:BAR], dial.how_told


def fit_sentences(fit: Fit) -> Iterator[str]:
    """Return what it comes to."""
    if not fit.fits:
        differs = fit.likeness.differs
        what = (
            f"{', '.join(differs[:4])} differ{'s' if len(differs) == 1 else ''}" if differs else "they lie too far off"
        )
        yield f"No setting of these dials plays like the recorded plays: {what}. Fit other dials, or another habit."
    elif fit.likeness.is_alike:
        yield "The fitted habit plays like the recorded plays, in all that was recorded."
    else:
        yield "No difference was found between the fitted habit and the recorded plays."
    told = [dial.name for dial in fit.dials if dial.how_told == "told"]
    if told:
        yield f"Determined by these plays: {', '.join(told)}."
    for one, other, correlation in fit.tied:
        more = "less" if correlation < 0 else "more"
        yield f"These plays cannot separate {one} and {other}: more of the one with {more} of the other plays the same."
    tied = {name for pair in fit.tied for name in pair[:2]}
    for dial in fit.dials:
        if dial.how_told == "not told" and dial.name not in tied:
            yield f"These plays do not determine {dial.name}: they are as likely almost anywhere in its range."
    for warning in fit.warnings:
        yield f"{warning[0].upper()}{warning[1:]}."


def _trust(fit: Fit) -> Iterator[str]:
    wider = f", so that they were made {number(fit.widened, 1)} times as wide" if fit.widened >= 1.05 else ""
    yield (
        f"Checked on {fit.tried} habits whose dials are known, of as many plays each: 90 % intervals made so held them "
        f"in {fit.held} of {fit.tried}{wider}."
    )
    yield (
        "Not covered: players who change as they play, and whatever no column shows. The prior is uniform over each "
        "range."
    )


def mixture_text(mixture: Mixture) -> Page:
    """The share of each habit; the plays compared with the mixture."""
    head = f"{mixture.title} · {mixture.plays:,} plays ({PurePath(mixture.source).name}) · seed {mixture.seed}"
    lines: Parts = [Sentence(head), ""]
    wide = room(NAME, mixture.shares)
    bars = interval_column("90 % interval", 16), bar_column()
    table = TextTable(name_column("played by", wide), right_column("share", 8), *bars)
    for habit, share in mixture.shares.items():
        span = f"{100 * share.low:.0f} to {100 * share.high:.0f} %"
        table.add(habit, f"{100 * share.value:.0f} %", span, "█" * round(BAR * share.value))
    lines.append(table)
    differs = mixture.likeness.differs
    verdict = "No difference was found between the plays and this mixture."
    if differs:
        verb = "differs" if len(differs) == 1 else "differ"
        verdict = f"No mixture of these habits plays like the recorded plays: {', '.join(differs[:4])} {verb}."
    lines += ["", *_wrapped(verdict), "", f"  the plays compared with the mixture ({mixture.likeness.runs:,} runs):"]
    lines.append(side_table(mixture.likeness))
    lines += [line for note in mixture.likeness.notes for line in _wrapped(f"{note[0].upper()}{note[1:]}.")]
    return Page(*lines)


def changed_text(changed: Changed) -> Page:
    """Before, after, and the difference."""
    what = ", ".join(f"{name}={value}" for name, value in changed.changes.items())
    head = f"with {what}, for players who play as was fitted ({changed.settings} settings that fit):"
    lines: Parts = [Sentence(head), ""]
    heads = right_column("before", 10), right_column("after", 10), change_column("change", 10)
    table = TextTable(name_column("", NAME), *heads, interval_column("90 % interval"))
    for name, (before, after, gap) in changed.measures.items():
        table.add(*_change(name, before, after, gap))
    lines.append(table)
    if not changed.fits:
        lines += ["", *_wrapped("The fitted habit does not play like the recorded plays: take this for it alone.")]
    lines += ["", *_wrapped("Under the same luck before and after; the intervals hold what the plays leave open.")]
    return Page(*lines)


def _change(name: str, before: Estimate, after: Estimate, gap: Estimate) -> tuple[str, ...]:
    factor, unit = (100.0, " %") if name in RESULTS else (1.0, "")
    scaled = gap.scaled(factor)
    digits = digits_for(scaled)
    sign = "+" if gap.value > 0 else ""
    shown = f"{name}, {unit.strip()}" if name in RESULTS else name
    cells = [fixed(factor * e.value, digits) for e in (before, after)]
    span = f"{fixed(scaled.low, digits)} to {fixed(scaled.high, digits)}"
    return shown, *cells, sign + fixed(scaled.value, digits), span


def _wrapped(text: str) -> Parts:
    return [Sentence(text, 2)]
