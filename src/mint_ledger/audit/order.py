"""Mistakes with order: endings in one step, rules that undo one another, long chains of reactions."""

from __future__ import annotations

import copy
from collections import Counter
from collections.abc import Iterator
from itertools import pairwise

from mint_ledger.audit.facts import WORLD, Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.plays import Play
from mint_ledger.audit.subject import Subject
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import GameError
from mint_ledger.facts import between
from mint_ledger.game.writing import yaml_of
from mint_ledger.lowering.additions import Additions
from mint_ledger.lowering.playable import PlayableGame, game_in
from mint_ledger.lowering.sites import RuleSite, StatOf
from mint_ledger.playing.setting import Setting
from mint_ledger.program.handle import Path
from mint_ledger.studies.studying import study_game

MOST_PAIRS = 6
DEEP = 8
POLLED = {"every", "while", "becomes", "cue", "act", "meets", "in_contact"}


def two_endings_at_once(subject: Subject) -> Iterator[Caught]:
    """Two endings with different results held in the step that ended a run."""
    game, plays = subject.game, subject.plays
    guarded = {name: ending for name, ending in game.endings.items() if ending.if_ is not None}
    pairs: Counter[tuple[str, str]] = Counter()
    first: dict[tuple[str, str], Play] = {}
    additions = Additions(game)
    questions = {n: additions.question(e.if_, WORLD) for n, e in guarded.items() if e.if_ is not None}
    engine = ReferenceEngine(additions.program, journal=False)
    names = {column.handle: column for column in plays.program.layout.columns}
    for play in plays.runs:
        if play.ending not in guarded:
            continue
        for column in additions.program.layout.columns:
            if column.handle in names:
                base = names[column.handle].base
                engine.state[column.base : column.base + column.count] = play.state[base : base + column.count]
        for name, question in questions.items():
            differs = guarded[name].result != guarded[play.ending].result
            if name != play.ending and differs and question is not None and engine.ask(question, 0.0):
                pairs[play.ending, name] += 1
                first.setdefault((play.ending, name), play)
    for (chosen, other), count in pairs.items():
        one, two = game.endings[chosen].result, game.endings[other].result
        what = (
            f"'{chosen}' ({one}) and '{other}' ({two}) held in the same step; "
            f"'{chosen}' counts, because it stands first."
        )
        play = first[chosen, other]
        yield Caught(("endings", chosen), f"{chosen}, {other}", what, (f"in {plays.share(count)}",), plays.replay(play))


def order_of_rules_matters(subject: Subject) -> Iterator[Caught]:
    """Two rules, of which one changes what the other reads or sets, play out differently the other way round."""
    game = subject.game
    habit = next(iter(game.habits), None)
    usual = None
    for where, one, other in list(_pairs(subject.facts))[:MOST_PAIRS]:
        swapped = _swapped(game, where, one, other)
        if swapped is None:
            continue
        usual = usual or study_game(game, subject.runs, Setting(subject.seed, habit))
        turned = study_game(swapped, subject.runs, Setting(subject.seed, habit))
        before, after = usual.measures, turned.measures
        changed = int(((before["ending"] != after["ending"]) | (before["winner"] != after["winner"])).sum())
        if changed < max(5, 0.02 * subject.runs):
            continue
        titles = tuple(subject.facts.sites.rules[*where, at].title for at in (one, other))
        what = (
            f"'{titles[0]}' happens before '{titles[1]}'; the other way round "
            f"{changed} of {subject.runs} runs end otherwise."
        )
        evidence = tuple(
            f"{result}: {100 * usual.rate(result).value:.0f} % as it is, "
            f"{100 * turned.rate(result).value:.0f} % the other way round"
            for result in ("win", "lose")
        )
        yield Caught((*where, one), f"{titles[0]}, {titles[1]}", what, evidence)


def _pairs(facts: Facts) -> Iterator[tuple[Path, int, int]]:
    """Rules of one list that can come in one step, of which one changes what the other reads or changes."""
    for first, second in pairwise(facts.rules):
        where, one, other = first.path[:-1], first.path[-1], second.path[-1]
        if where != second.path[:-1] or not isinstance(one, int) or not isinstance(other, int):
            continue
        writes, also = _writes(facts, first.path), _writes(facts, second.path)
        together = writes & _touches(facts, second.path) or also & _touches(facts, first.path)
        if together and _triggers(first) & _triggers(second):
            yield where, one, other


def _triggers(rule: RuleSite) -> set[str]:
    """Return what can set a rule off, so that two with something in common can come in one step."""
    polled = ((trigger, item) for trigger, item in rule.hears if trigger in POLLED)
    return {"a step" if trigger in ("every", "while") else f"{trigger} {item}" for trigger, item in polled}


def _writes(facts: Facts, path: Path) -> set[StatOf]:
    changes = (change for change in facts.changes if change.path[: len(path)] == path)
    return {(owner, change.stat) for change in changes for owner in change.owners}


def _touches(facts: Facts, path: Path) -> set[StatOf]:
    """Return what a rule reads or sets."""
    return facts.read_by(path) | _writes(facts, path)


def _swapped(game: PlayableGame, where: Path, one: int, other: int) -> PlayableGame | None:
    """The game with two rules of a list in the other order; their luck stays with them."""
    data = copy.deepcopy(game.source.data)
    node = data
    for key in where:
        if key not in node:
            return None
        node = node[key]
    node[one], node[other] = node[other], node[one]
    try:
        return game_in(yaml_of(data), game.title, PlayableGame)
    except GameError:
        return None


def chain_too_deep(subject: Subject) -> Iterator[Caught]:
    """One happening sets off the next, and that the next: a chain of reactions more than eight deep."""
    plays = subject.plays
    causes = [plays.program.causes[int(cause)] for cause in plays.deepest if cause >= 0.0]
    if len(plays.deepest) <= DEEP or not causes:
        return
    shown = " → ".join([cause.name for cause in causes[:DEEP]] + ["…"] * (len(causes) > DEEP))
    what = f"'{causes[0].name}' sets off a chain of {len(plays.deepest)} reactions, one in the other; 64 stop the run."
    yield Caught(causes[0].path, causes[0].name, what, (shown,))


def award_lost_with_the_level(subject: Subject) -> Iterator[Caught]:
    """A stat that starts again in each level is changed just before the level changes."""
    facts = subject.facts
    for rule in facts.rules:
        done = (*rule.path, "do")
        if not any(path[:-1] == done for path, _ in facts.steps("go", below=done)):
            continue
        for change in facts.changes:
            owners = change.owners if change.path[:-1] == done else ()
            lost = [o for o in owners if facts.stats[o, change.stat][1].resets == "level"]
            if lost:
                name = facts.account(lost[0], change.stat)
                what = f"'{change.text}' is lost at once: the rule goes to a level, and {name} starts again there."
                yield Caught(change.path, name, what)


def carried_and_set_anew(subject: Subject) -> Iterator[Caught]:
    """A stat is carried from level to level, and set to its start again as each opens."""
    facts = subject.facts
    for change in facts.changes:
        rule = facts.rule_at(change.path)
        if rule is None or change.mode != "set" or not rule.hears_any("level"):
            continue
        for owner in change.owners:
            model = facts.stats[owner, change.stat][1] if (owner, change.stat) in facts.stats else None
            if model is None or model.resets is not None or model.start is None or change.amount is None:
                continue
            sets = facts.between(change.path, change.amount)
            if model.start.number is not None and sets == between.one(model.start.number):
                name = facts.account(owner, change.stat)
                what = f"{name} is set to its start as a level opens; where this rule leaves one out it is carried on."
                yield Caught(change.path, name, what)


CHECKS = (
    Check(
        "O401",
        "two-endings-at-once",
        "order",
        "Two endings in one step",
        "The run was won and lost in the same step, and the order of the file decided which of the two counts.",
        "Put the ending first that should count, or let one exclude the other.",
        two_endings_at_once,
        plays=True,
    ),
    Check(
        "O402",
        "order-of-rules-matters",
        "order",
        "The result depends on the order of two rules",
        "Two rules that can come in one step change what the other reads; the other way round the game ends otherwise. "
        "An award that comes after the turn has passed goes to the wrong player.",
        "Make sure that the order is the one that you want, or put both into one rule.",
        order_of_rules_matters,
        plays=True,
        tries=True,
    ),
    Check(
        "O403",
        "chain-too-deep",
        "order",
        "A long chain of reactions",
        "One happening sets off the next, more than eight deep; a chain of 64 stops the run.",
        "Let one rule do the whole, or break the circle.",
        chain_too_deep,
        plays=True,
        grade="wrong",
    ),
    Check(
        "O404",
        "award-lost-with-the-level",
        "order",
        "An award that is lost with the level",
        "A stat that resets with the level is changed in the rule that changes the level.",
        "Give it in the new level ('when: {level: …}'), or do not reset the stat.",
        award_lost_with_the_level,
        grade="wrong",
    ),
    Check(
        "O405",
        "carried-and-set-anew",
        "order",
        "A rule resets a stat that can reset itself",
        "A rule sets the stat to its start as a level opens, instead of the stat doing that by itself.",
        "Write 'resets: level' for the stat and take the posting out.",
        carried_and_set_anew,
    ),
)
