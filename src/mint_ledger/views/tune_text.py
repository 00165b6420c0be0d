"""What tuning found, as text."""

from __future__ import annotations

from collections.abc import Mapping

from mint_ledger.balance.tune import Tuned
from mint_ledger.balance.tune_habits import TunedHabits
from mint_ledger.balance.tune_many import Answer, TunedMany
from mint_ledger.balance.tune_words import TunedWords
from mint_ledger.journal.wording import number
from mint_ledger.views.balance_text import targets_text, told, wanted
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.text_table import TextTable, left_column, name_column

MOST_PARTS = 4


def tune_text(tuned: Tuned) -> Page:
    """The answer: which values meet the target, how sure that is, and what a fresh study says of the best."""
    want = wanted(tuned.measure, tuned.want)
    low, high = (number(bound, 6) for bound in tuned.bounds)
    lines: Parts = [
        f"{tuned.title}: {tuned.measure} of {want}, by {tuned.dial} from {low} to {high}",
        f"  today {tuned.dial} is {number(tuned.today, 6)}",
        "",
        *_wrapped(_answer(tuned)),
    ]
    if tuned.confirmed is not None:
        sentence = told(tuned.measure, tuned.confirmed)
        lines += _wrapped(
            f"Confirmed with a separate seed: at {number(tuned.best, 6)} it is {sentence} in "
            f"{tuned.confirmed.runs:,} runs: {tuned.verdict}."
        )
    table = TextTable(name_column("", 10), left_column("", before=3), heads=False)
    for tried in tuned.tried:
        estimate = told(tuned.measure, tried.estimate)
        runs = "" if " runs (" in estimate else f", {tried.estimate.runs:,} runs"
        table.add(f"{number(tried.value, 6):>10}", f"{estimate}{runs}")
    lines += ["", table, ""]
    more = " They were used up before every value was decided." if tuned.used_up else ""
    lines += _wrapped(f"{tuned.runs:,} runs were played.{more}")
    return Page(*lines)


def tune_many_text(tuned: TunedMany) -> Page:
    """The answers to choose from, or what is in the way."""
    lines: Parts = [f"{tuned.title}: {_count(len(tuned.targets), 'target')}, by {_count(len(tuned.bounds), 'dial')}"]
    for name, (low, high, _) in tuned.bounds.items():
        today, ends = number(tuned.today[name], 6), f"{number(low, 6)} to {number(high, 6)}"
        lines.append(f"  {name}: today {today}, to lie in {ends}")
    if tuned.interrupted:
        lines += ["", "  Stopped before it was done; this is the best so far."]
    elif not tuned.answers:
        lines += ["", *_obstacles(tuned)]
    for position, answer in enumerate(tuned.answers, start=1):
        lines += ["", f"Answer {position}: {_setting(answer)}", targets_text(answer.judged)]
    if not tuned.answers and tuned.nearest is not None:
        lines += ["", f"Nearest: {_setting(tuned.nearest)}", targets_text(tuned.nearest.judged)]
    lines += ["", *_wrapped(f"{_count(tuned.settings, 'setting')} and {tuned.runs:,} runs were tried. {_luck(tuned)}")]
    return Page(*lines)


def tune_habits_text(tuned: TunedHabits) -> Page:
    """A variant for each habit, and what its players come to."""
    lines: Parts = [f"{tuned.title}: a variant for each of {_count(len(tuned.habits), 'habit')}"]
    for habit, tuned_habit in tuned.habits.items():
        answer = tuned_habit.answers[0] if tuned_habit.answers else tuned_habit.nearest
        lines.append("")
        if tuned_habit.interrupted and not tuned_habit.answers:
            lines.append(f"{habit}: not done")
        elif not tuned_habit.answers:
            lines += [f"{habit}: no variant", *_obstacles(tuned_habit)]
        if answer is not None:
            word = "" if tuned_habit.answers else "Nearest: "
            lines += [f"{word or habit + ': '}{_setting(answer)}", targets_text(answer.judged)]
    runs = sum(tuned_habit.runs for tuned_habit in tuned.habits.values())
    if tuned.interrupted:
        lines += ["", "  Stopped before it was done; these are the best so far."]
    return Page(*lines, "", *_wrapped(f"{runs:,} runs were tried."))


def _obstacles(tuned: TunedMany) -> Parts:
    lines = [f"'{name}' could not be met with these dials, even by itself." for name in tuned.alone]
    for names in tuned.conflicts:
        quoted = " and ".join(f"'{name}'" for name in names)
        lines.append(f"{quoted} contradict: each can be met, but no setting was found that meets {_all(names)}.")
    if not lines:
        lines.append("No setting was found that meets all targets.")
    if tuned.stopped_by:
        lines.append(f"The nearest setting stands at a bound of {', '.join(tuned.stopped_by)}.")
    return [part for line in lines for part in _wrapped(line)]


def _all(names: tuple[str, ...]) -> str:
    return "both" if len(names) == 2 else "all of them"


def _setting(answer: Answer) -> str:
    changed = ", ".join(_dial_change(answer.today, name, value) for name, value in answer.changed.items())
    kept = [name for name in answer.dials if name not in answer.changed]
    left = f"; {', '.join(kept)} as today" if kept else ""
    return (changed or "as today, nothing changed") + (left if changed else "")


def _dial_change(today: Mapping[str, float], name: str, value: float) -> str:
    return f"{name} {number(today[name], 6)} → {number(value, 6)}"


def _luck(tuned: TunedMany) -> str:
    shown = tuned.answers or ((tuned.nearest,) if tuned.nearest is not None else ())
    if all(answer.is_confirmed for answer in shown):
        return "Each setting was confirmed with a separate seed."
    return "Not confirmed with a separate seed."


def _count(number_of: int, noun: str) -> str:
    return f"{number_of:,} {noun}{'' if number_of == 1 else 's'}"


def _answer(tuned: Tuned) -> str:
    best = f"{tuned.dial} = {number(tuned.best, 6)}"
    if tuned.interrupted:
        return f"Stopped before it was done; the best so far is {best}."
    sentences = []
    grid = f"in steps of {number(tuned.step, 6)}"
    if tuned.looks:
        sentences.append(f"{best}. {_met(tuned)}")
        if tuned.unsettled:
            sentences.append(f"With {_parts(tuned.unsettled)} it may be met.")
    elif tuned.open:
        sentences.append(f"{best}. It may be met with {_parts(tuned.open)}; more runs will decide.")
    elif tuned.jumps:
        jump = tuned.jumps[0]
        below, above = (
            f"{number(side.value, 6)} ({told(tuned.measure, side.estimate)})" for side in (jump.below, jump.above)
        )
        finest = f", {grid}" if tuned.finest >= tuned.step else ""
        sentences.append(
            f"Between {below} and {above} it jumps; no value between was found{finest}. The nearest is {best}."
        )
    else:
        sentences.append(f"It was met at none of {_count(len(tuned.tried), 'value')}; the nearest is {best}.")
        if tuned.stopped_by:
            word = "rises" if tuned.way == "rises" else "falls"
            sentences.append(f"It only {word} as {tuned.dial} goes up, and {tuned.stopped_by} is in the way.")
        elif tuned.still:
            sentences.append(f"No value from {_span(tuned.still)} changes it: try another dial.")
    if tuned.constant:
        sentences.append(f"Nothing in the game reads {tuned.dial}, so every value gives the same.")
    elif tuned.unseen > tuned.step:
        sentences.append(f"A gap narrower than {number(tuned.unseen, 6)} could hide between two of them ({grid}).")
    if tuned.turns:
        sentences.append("It is not monotone: it both rises and falls along the dial.")
    return " ".join(sentences)


def _met(tuned: Tuned) -> str:
    """Which settings meet the target: those that were played for certain, those between them by the looks of it."""
    if tuned.met and _covered(tuned.looks, tuned.met):
        why = "" if tuned.constant else " (each was played)"
        return f"It is certainly met with {_parts(tuned.met)}{why}."
    played = [one.value for one in tuned.tried if _within((one.value, one.value), tuned.looks)]
    certain = f", certainly met at {_parts(tuned.met)}" if tuned.met else ""
    word = "from" if any(low < high for low, high in tuned.looks) else "at"
    return f"It looks met {word} {_parts(tuned.looks)}, tested at {_count(len(played), 'value')}{certain}."


def _covered(regions: tuple[tuple[float, float], ...], by: tuple[tuple[float, float], ...]) -> bool:
    return all(_within(region, by) for region in regions)


def _within(region: tuple[float, float], regions: tuple[tuple[float, float], ...]) -> bool:
    return any(low <= region[0] and region[1] <= high for low, high in regions)


def _parts(regions: tuple[tuple[float, float], ...]) -> str:
    spans = [_span(region) for region in regions]
    shown = [*spans[:MOST_PARTS], f"{len(spans) - MOST_PARTS} parts more"] if len(spans) > MOST_PARTS + 1 else spans
    return shown[0] if len(shown) == 1 else f"{', '.join(shown[:-1])} and {shown[-1]}"


def _span(ends: tuple[float, float]) -> str:
    low, high = (number(end, 6) for end in ends)
    return low if low == high else f"{low} to {high}"


def _wrapped(text: str) -> Parts:
    return [Sentence(text, 2)]


def tuned_words_text(tuned: TunedWords) -> Page:
    """Each word with what it comes to, and which of them meet what is wanted."""
    words = [*tuned.judged, *tuned.tuned]
    meet = f"all targets are met with {', '.join(tuned.reached)}" if tuned.reached else "none of them meets all targets"
    head = f"{tuned.title}: {len(words)} words of {tuned.dial} (today {tuned.today}); {meet}"
    lines: Parts = [Sentence(head)]
    for word, judged in tuned.judged.items():
        lines += ["", f"{tuned.dial} = {word}", targets_text(judged)]
    for word, many in tuned.tuned.items():
        lines += ["", f"{tuned.dial} = {word}", many.summary()]
    return Page(*lines)
