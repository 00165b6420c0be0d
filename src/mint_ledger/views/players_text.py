"""The range of play, as text."""

from __future__ import annotations

import textwrap
from collections.abc import Iterator
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number
from mint_ledger.players.range import NEAR
from mint_ledger.players.skill import SkillCurve, reaction_of, slips_of
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.short import short
from mint_ledger.views.study_text import fixed
from mint_ledger.views.width import line_width, room

if TYPE_CHECKING:
    from mint_ledger.players.range import PlayRange

NAME = 28
BAR = 24
MOST_BESIDE = 3
# At a skill below the one half of it is had: easy; above the other: slow.
EASY, SLOW_TO_LEARN = 0.4, 0.7


def players_text(play: PlayRange) -> str:
    """Return who wins how often, from chance to the best found; that habit; what its acts are worth, in sentences."""
    wide = room(NAME, play.habits)
    lines = [f"{play.title} · timing of {play.like} · {play.runs:,} runs each · seed {play.seed}", ""]
    lines += [*textwrap.wrap(_answer(play), line_width()), ""]
    lines.append(f"  {'player':<{wide}}{'wins':>8}   {sure_words(play.sure)} interval")
    rows = [("does nothing", play.idle), ("acts at random", play.at_random), *play.habits.items()]
    rows.sort(key=lambda row: row[1].value)
    lines += [_row(name, wins, wide) for name, wins in (*rows, ("the best found", play.best))]
    if play.ceiling.optimum is not None:
        most = play.ceiling.optimum.wins
        bar = "█" * round(BAR * most)
        lines.append(f"  {'at most, knowing all':<{wide}}{100 * most:>6.1f} %   {'exact':<15}{bar}".rstrip())
    lines += ["", "  the best found, the first that can be done:"]
    for text in list(_acts(play)) or ["nothing at all"]:
        lines += textwrap.wrap(text, line_width() - 2, initial_indent="    ", subsequent_indent="      ")
    if play.only:
        lines += ["", f"  {'the best found with':<{wide}}{'wins':>8}   {sure_words(play.sure)} interval"]
        lines += [_row(f"only {action}", wins, wide) for action, wins in play.only.items()]
        lines += [_row(f"all but {action}", wins, wide) for action, wins in play.without.items()]
    if play.most_only:
        lines += ["", f"  {'at most with':<{wide}}{'wins':>8}   exact"]
        lines += [f"  {short(f'only {a}', wide):<{wide}}{100 * most:>6.1f} %" for a, most in play.most_only.items()]
        lines += [
            f"  {short(f'all but {a}', wide):<{wide}}{100 * most:>6.1f} %" for a, most in play.most_without.items()
        ]
    if play.skill is not None:
        lines += ["", *_skill(play.skill)]
    lines.append("")
    for sentence in players_sentences(play):
        lines += textwrap.wrap(sentence, line_width() - 2, initial_indent="  ", subsequent_indent="    ")
    return "\n".join(lines)


def _answer(play: PlayRange) -> str:
    """Return how well it can be played, and how well the file's habits do."""
    text = f"The best that was found wins {_share(play.best)}, acting at random {_share(play.at_random)}"
    if play.habits:
        name, wins = max(play.habits.items(), key=lambda one: one[1].value)
        text += f", the best habit of the file, {name}, {_share(wins)}"
    return text + "."


def _share(wins: Estimate) -> str:
    return f"{100 * wins.value:.1f} %"


def _row(name: str, wins: Estimate, wide: int) -> str:
    low, high = fixed(100 * wins.low, 1), fixed(100 * wins.high, 1)
    bar = "█" * round(BAR * wins.value)
    return f"  {short(name, wide):<{wide}}{100 * wins.value:>6.1f} %   {low + ' to ' + high:<15}{bar}".rstrip()


def _skill(curve: SkillCurve) -> list[str]:
    """Wins at each skill: of the best found, with a bar, and of the others."""
    others = list(curve.wins)[1 : 1 + MOST_BESIDE]
    heads = "".join(f"{short(name, 10):>11}" for name in others)
    lines = [f"  {'skill':>5}{'reaction':>10}{'slips':>8}{'the best found':>16}{heads}"]
    for place, skill in enumerate(curve.skills):
        reaction = "–" if curve.in_turns else f"{number(reaction_of(skill), 2)} s"
        beside = "".join(f"{100 * curve.wins[name][place].value:>9.1f} %" for name in others)
        best = f"{100 * curve.first[place].value:>14.1f} %"
        lines.append(f"  {number(skill, 2):>5}{reaction:>10}{100 * slips_of(skill):>6.0f} %{best}{beside}")
    return lines


def skill_sentences(curve: SkillCurve) -> Iterator[str]:
    """Return whether it is easy to learn, and what is left to master."""
    half = curve.half_at
    if half is None:
        yield "Skill brings nothing for certain: quick and sure players do not win more often than slow and clumsy."
        return
    timing = f"{number(100 * slips_of(half), 0)} % slips"
    if not curve.in_turns:
        timing = f"a reaction of {number(reaction_of(half), 2)} s, {timing}"
    how = "Easy to learn" if half < EASY else "Slow to learn" if half > SLOW_TO_LEARN else "Learned bit by bit"
    yield f"{how}: half of what skill brings is had at a skill of {number(half, 2)} ({timing})."
    left = curve.left_to_master
    span = f"{fixed(100 * left.value, 1)} points ({fixed(100 * left.low, 1)} to {fixed(100 * left.high, 1)})"
    last = "hard to master" if left.low > NEAR else "little is left to master" if left.high < 5 * NEAR else "at the top"
    yield f"{last[0].upper()}{last[1:]}: the last quarter of skill brings {span} more."


def _acts(play: PlayRange) -> Iterator[str]:
    for place, slot in enumerate(play.found):
        terms = []
        for count, term in enumerate(slot.terms):
            low, high = play.spans.get((place, count), (term.threshold, term.threshold))
            flat = f" ({number(low, 2)} to {number(high, 2)} are as good)" if low < high else ""
            terms.append(f"{term.words}{flat}")
        yield slot.action + (f" if {' and '.join(terms)}" if terms else "")


def players_sentences(play: PlayRange) -> Iterator[str]:
    """Return what it comes to."""
    if play.skill is not None:
        yield from skill_sentences(play.skill)
    if play.interrupted:
        yield "It was stopped before it was done; this is the best so far, and nothing is said of what acts are worth."
        return
    if not play.acts_matter:
        yield "Acts do not matter, as far as was seen: run by run, nobody who acts differs from one who does nothing."
        return
    top = max(play.habits.values(), key=lambda wins: wins.value, default=None)
    if top is not None:
        gap = 100 * (play.best.value - top.value)
        if play.best.low > top.high:
            yield f"The best found wins {fixed(gap, 1)} points more than the best habit of the file."
        elif play.best.high < top.low:
            less = f"{fixed(-gap, 1)} points less than the best habit of the file"
            yield f"The search came to {less}: give it more time or runs."
        elif gap <= 100 * NEAR:
            yield "The best habit of the file is about as good as the best found."
        else:
            told = f"{fixed(gap, 1)} points more than the best habit of the file"
            yield f"The best found won {told}, which {play.runs:,} runs do not tell from chance."
    for name in play.worse_than_chance:
        yield f"{name} plays worse than one who acts at random."
    if play.enough:
        proved = ", as all states show" if play.most_only else ""
        yield f"One act is enough: {', '.join(play.enough)} alone does as well, within a point{proved}."
    elif play.most_only or (play.most is None and len(play.only) > 1):
        yield "No act suffices alone."
    if not play.only:
        yield "There was no time, or too few runs, to look for what each act is worth."
    if play.needed and len(play.needed) == len(play.without):
        yield "All acts are needed: without any of them the best found is lower by more than a point."
    for action in play.unused:
        yield f"The best found never tries {action}."
    yield from _at_most(play)
    yield f"{play.searched:,} runs were searched; what is told was played with luck of its own."


def _at_most(play: PlayRange) -> Iterator[str]:
    """Return what could be won at most, or that it is not known."""
    optimum = play.ceiling.optimum
    if optimum is None:
        yield "The best that was found, not the best there is: others may play better."
        why = f": {play.ceiling.why_not}" if play.ceiling.why_not else ""
        yield f"What could be won at most is not proved{why}."
        return
    most = fixed(100 * optimum.wins, 1)
    gap, least, largest = (
        fixed(100 * (optimum.wins - wins), 1) for wins in (play.best.value, play.best.high, play.best.low)
    )
    walked = f"all {optimum.states:,} states were walked"
    if play.best.value > optimum.wins:
        more = fixed(100 * (play.best.value - optimum.wins), 1)
        yield (
            f"These {play.runs:,} runs were lucky: the best found won {more} points more than can be on average. "
            "All rows share that luck, so what differs between them holds."
        )
    yield f"Nobody with this timing wins more than {most} %, whatever they know: {walked}."
    if play.best.high >= optimum.wins:
        yield "The best found is as good as that, as far as can be seen."
    else:
        yield f"The simple rules that were found come within {gap} points of that ({least} to {largest})."
