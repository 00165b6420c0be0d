"""The range of play, as text."""

from __future__ import annotations

from collections.abc import Iterator
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import number
from mint_ledger.players.range import NEAR
from mint_ledger.players.skill import SkillCurve, reaction_of, slips_of
from mint_ledger.studies.estimate import Estimate, sure_words
from mint_ledger.views.page import Page, Parts, Sentence
from mint_ledger.views.short import short
from mint_ledger.views.study_text import fixed
from mint_ledger.views.text_table import TextTable, bar_column, interval_column, left_column, name_column, right_column
from mint_ledger.views.width import room

if TYPE_CHECKING:
    from mint_ledger.players.range import PlayRange

NAME = 28
BAR = 24
MOST_BESIDE = 3
# At a skill below the one half of it is had: easy; above the other: slow.
EASY, SLOW_TO_LEARN = 0.4, 0.7


def players_text(play: PlayRange) -> Page:
    """Return who wins how often, from chance to the best found; that habit; what its acts are worth, in sentences."""
    head = f"{play.title} · timing of {play.like} · {play.runs:,} runs each · seed {play.seed}"
    lines: Parts = [head, "", Sentence(_answer(play), hanging=0), ""]
    table = _table(play, "player")
    rows = [("does nothing", play.idle), ("acts at random", play.at_random), *play.habits.items()]
    rows.sort(key=lambda row: row[1].value)
    for name, wins in (*rows, ("the best found", play.best)):
        table.add(*_row(name, wins))
    if play.ceiling.optimum is not None:
        most = play.ceiling.optimum.wins
        table.add("with perfect information", f"{100 * most:.1f} %", "exact", "█" * round(BAR * most))
    lines += [table, "", "  the best habit found; of its lines the first that is possible is done:"]
    lines += [Sentence(text, 4) for text in list(_acts(play)) or ["nothing at all"]]
    if play.only:
        table = _table(play, "the best found with")
        for action, wins in play.only.items():
            table.add(*_row(f"only {action}", wins))
        for action, wins in play.without.items():
            table.add(*_row(f"all but {action}", wins))
        lines += ["", table]
    if play.most_only:
        exact = TextTable(name_column("at most with", _wide(play)), right_column("wins", 8), left_column("", before=3))
        for word, some in (("only", play.most_only), ("all but", play.most_without)):
            for action, most in some.items():
                exact.add(f"{word} {action}", f"{100 * most:.1f} %", "exact")
        lines += ["", exact]
    if play.skill is not None:
        lines += ["", _skill(play.skill)]
    return Page(*lines, "", *(Sentence(sentence, 2) for sentence in players_sentences(play)))


def _wide(play: PlayRange) -> int:
    return room(NAME, play.habits)


def _table(play: PlayRange, head: str) -> TextTable:
    interval = interval_column(f"{sure_words(play.sure)} interval", 15)
    return TextTable(name_column(head, _wide(play)), right_column("wins", 8), interval, bar_column())


def _answer(play: PlayRange) -> str:
    """Return how well it can be played, and how well the file's habits do."""
    text = f"The best habit found wins {_share(play.best)}, acting at random {_share(play.at_random)}"
    if play.habits:
        name, wins = max(play.habits.items(), key=lambda one: one[1].value)
        text += f", the best habit of the file, {name}, {_share(wins)}"
    return text + "."


def _share(wins: Estimate) -> str:
    return f"{100 * wins.value:.1f} %"


def _row(name: str, wins: Estimate) -> tuple[str, ...]:
    low, high = fixed(100 * wins.low, 1), fixed(100 * wins.high, 1)
    return name, f"{100 * wins.value:.1f} %", f"{low} to {high}", "█" * round(BAR * wins.value)


def _skill(curve: SkillCurve) -> TextTable:
    """Return a table of wins at each skill: of the best found, and of the others."""
    others = list(curve.wins)[1 : 1 + MOST_BESIDE]
    table = TextTable(
        name_column("skill", 5),
        *(right_column("reaction", 10), right_column("slips", 8), right_column("the best found", 16)),
        *(right_column(short(name, 10), 11) for name in others),
    )
    for place, skill in enumerate(curve.skills):
        reaction = "–" if curve.in_turns else f"{number(reaction_of(skill), 2)} s"
        beside = (f"{100 * curve.wins[name][place].value:.1f} %" for name in others)
        slips, best = f"{100 * slips_of(skill):.0f} %", f"{100 * curve.first[place].value:.1f} %"
        table.add(f"{number(skill, 2):>5}", reaction, slips, best, *beside)
    return table


def skill_sentences(curve: SkillCurve) -> Iterator[str]:
    """Return whether it is easy to learn, and what is left to master."""
    half = curve.half_at
    if half is None:
        yield "No effect of skill was found: quick, accurate players do not win more often than slow, clumsy ones."
        return
    timing = f"{number(100 * slips_of(half), 0)} % errors"
    if not curve.in_turns:
        timing = f"a reaction time of {number(reaction_of(half), 2)} s, {timing}"
    how = "Easy to learn" if half < EASY else "Slow to learn" if half > SLOW_TO_LEARN else "Learned bit by bit"
    yield f"{how}: half of the possible gain is reached at skill {number(half, 2)} ({timing})."
    left = curve.left_to_master
    span = f"{fixed(100 * left.value, 1)} points ({fixed(100 * left.low, 1)} to {fixed(100 * left.high, 1)})"
    last = "hard to master" if left.low > NEAR else "little is left to master" if left.high < 5 * NEAR else "at the top"
    yield f"{last[0].upper()}{last[1:]}: the last quarter of the skill range adds {span}."


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
        yield "Stopped early: this is the best habit so far, and the worth of each action was not measured."
        return
    if not play.acts_matter:
        yield "Actions do not matter, as far as these runs show: no player who acts differs from one who does nothing."
        return
    top = max(play.habits.values(), key=lambda wins: wins.value, default=None)
    if top is not None:
        gap = 100 * (play.best.value - top.value)
        if play.best.low > top.high:
            yield f"The best found wins {fixed(gap, 1)} points more than the best habit of the file."
        elif play.best.high < top.low:
            less = f"{fixed(-gap, 1)} points less than the best habit of the file"
            yield f"The search found {less}: give it more runs."
        elif gap <= 100 * NEAR:
            yield "The best habit of the file is about as good as the best found."
        else:
            told = f"{fixed(gap, 1)} points more than the best habit of the file"
            yield f"The best found won {told}; with {play.runs:,} runs that may be chance."
    for name in play.worse_than_chance:
        yield f"{name} plays worse than a player who acts at random."
    if play.enough:
        proved = ", as all states show" if play.most_only else ""
        yield f"One action is enough: {', '.join(play.enough)} alone wins as often, within a point{proved}."
    elif play.most_only or (play.most is None and len(play.only) > 1):
        yield "No action is enough alone."
    if not play.only:
        yield "Too few runs were left to measure what each action is worth."
    if play.needed and len(play.needed) == len(play.without):
        yield "Every action is needed: without any one of them the best found wins over a point less."
    for action in play.unused:
        yield f"The best found never uses {action}."
    yield from _at_most(play)
    yield f"The search played {play.searched:,} runs; the numbers above come from a separate seed."


def _at_most(play: PlayRange) -> Iterator[str]:
    """Return what could be won at most, or that it is not known."""
    optimum = play.ceiling.optimum
    if optimum is None:
        yield "The best that was found, not the best there is: others may play better."
        why = f": {play.ceiling.why_not}" if play.ceiling.why_not else ""
        yield f"The highest possible win rate is not known{why}."
        return
    most = fixed(100 * optimum.wins, 1)
    gap, least, largest = (
        fixed(100 * (optimum.wins - wins), 1) for wins in (play.best.value, play.best.high, play.best.low)
    )
    walked = f"all {optimum.states:,} states were checked"
    if play.best.value > optimum.wins:
        more = fixed(100 * (play.best.value - optimum.wins), 1)
        yield (
            f"These {play.runs:,} runs were lucky: the best found won {more} points more than can be on average. "
            "All rows share that luck, so what differs between them holds."
        )
    yield f"No player with this timing wins more than {most} %, even with perfect information: {walked}."
    if play.best.high >= optimum.wins:
        yield "The best found is as good, as far as these runs show."
    else:
        yield f"The simple rules found are within {gap} points of that ({least} to {largest})."
