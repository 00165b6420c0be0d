"""Mistakes with fairness and flow: unequal seats, fights and games without an end, early deaths, what fires twice."""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterator

from mint_ledger.audit.conditions import read_alone, values_to_try
from mint_ledger.audit.facts import Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.plays import Play
from mint_ledger.audit.subject import Subject
from mint_ledger.journal.wording import number
from mint_ledger.lowering.sites import RuleSite
from mint_ledger.playing.setting import Setting
from mint_ledger.program.handle import Path
from mint_ledger.program.row import WHATS, Row
from mint_ledger.studies.seats import seats_of
from mint_ledger.studies.studying import study_game

EARLY = 5.0
SOME = 0.05
SEAT_RUNS = 1_600


def run_stops(subject: Subject) -> Iterator[Caught]:
    """A run that could not go on."""
    plays = subject.plays
    told: set[str] = set()
    for stop in plays.stops:
        if stop.reason not in told and len(told) < 5:
            told.add(stop.reason)
            yield Caught((), "a run", "A run cannot go on to its end.", (stop.message,), plays.replay(stop))


def seats_unfair(subject: Subject) -> Iterator[Caught]:
    """Players of one kind win more or less often by the seat that they have."""
    habit = next(iter(subject.game.habits), None)
    if not any("[" in play.winner for play in subject.plays.runs):
        return
    study = study_game(subject.game, max(subject.runs, SEAT_RUNS), Setting(subject.seed, habit))
    for seats in seats_of(subject.game.lowered.program, study.outcomes.wins()):
        kind = subject.game.kinds[seats.kind]
        if isinstance(kind.copies, list) and any(copy for copy in kind.copies):
            continue
        subject.chances.tests += len(seats.wins)
        subject.chances.seats.append(seats)
        shares = ", ".join(f"{seat} {100 * count / seats.runs:.0f} %" for seat, count in seats.wins.items())
        what = f"The seats of {seats.kind} are not equal, although nothing in the file sets them apart: {shares}."
        evidence = f"{seats.runs} runs with a winner; equal seats differ so much in less than one of a hundred audits"
        yield Caught(("kinds", seats.kind), seats.kind, what, (evidence,), chance=seats.chance)


def fight_cannot_end(subject: Subject) -> Iterator[Caught]:
    """What recovers a stat outruns all that can be taken from it."""
    facts = subject.facts
    for (owner, stat), attacks in facts.layers.items():
        path, model = facts.stats[owner, stat]
        flow = model.recover
        rate = flow.rate.number if flow is not None and flow.rate is not None else None
        if flow is None or rate is None or flow.if_ is not None:
            continue
        dealt, shortest = _most_damage(facts, owner, attacks)
        waits = flow.after.number if flow.after is not None else 0.0
        if waits is None or waits >= shortest or dealt >= rate or not math.isfinite(dealt):
            continue
        others = any(facts.direction(c) < 0 for c in facts.changes_of(owner, stat))
        if others:
            continue
        name = facts.account(owner, stat)
        what = f"{name} recovers {number(rate)} a second, more than all attacks together can take: it can never fall."
        yield Caught(path, name, what, (f"at most {number(dealt)} a second by {', '.join(attacks)}",))


def _most_damage(facts: Facts, owner: str, attacks: list[str]) -> tuple[float, float]:
    """The most damage a second that attacks can do to a kind, and the shortest time between two of them."""
    total, shortest = 0.0, math.inf
    for name in attacks:
        attack = facts.sites.attacks[name]
        assert attack.damage is not None
        path: Path = ("attacks", name)
        spaced = attack.every or attack.cooldown
        place = (*path, "when", "every") if attack.every is not None else (*path, "cooldown")
        period = facts.between(place, spaced).low if spaced is not None else 0.0
        if not 0.0 < period < math.inf:
            return math.inf, 0.0
        high = facts.between((*path, "damage"), attack.damage).high
        times = facts.between((*path, "crit", "times"), attack.crit).high if attack.crit is not None else 1.0
        strikers = sum(facts.cast.members[kind].room for kind in attack.strikers)
        total += high * times * strikers / period
        shortest = min(shortest, period / max(strikers, 1))
    return total, shortest


def no_way_to_win(subject: Subject) -> Iterator[Caught]:
    """A game that can be lost and has no ending that wins."""
    results = _results(subject)
    if "lose" in results and "win" not in results and "draw" not in results:
        yield Caught(("endings",), "endings", "The game can be lost, and no ending wins it.")


def no_way_to_lose(subject: Subject) -> Iterator[Caught]:
    """A game that can be won and has no ending that loses, and no second player to win it instead."""
    results = _results(subject)
    rivals = any(kind.endings for kind in subject.game.kinds.values())
    if "win" in results and "lose" not in results and not rivals:
        what = "The game can be won, and no ending loses it: it is only a matter of time."
        yield Caught(("endings",), "endings", what)


def _results(subject: Subject) -> set[str]:
    endings = [*subject.game.endings.values()]
    for kind in subject.game.kinds.values():
        endings += kind.endings.values()
    return {str(ending.result) for ending in endings}


def reaches_the_limit(subject: Subject) -> Iterator[Caught]:
    """Many runs go on until the clock's limit."""
    plays = subject.plays
    for habit, runs in _by_habit(subject).items():
        late = [play for play in runs if play.result == "unfinished"]
        if len(late) <= SOME * len(runs):
            continue
        who = f"'{habit}' players" if habit else "Runs"
        limit = f"{number(subject.game.clock.limit)} {subject.unit}"
        what = f"{who} reach the clock's limit of {limit} without an end."
        yield Caught(
            ("clock", "limit"), "clock.limit", what, (f"{len(late)} of {len(runs)} runs",), plays.replay(late[0])
        )


def early_death(subject: Subject) -> Iterator[Caught]:
    """Runs are lost in the first seconds."""
    plays = subject.plays
    if subject.unit == "turns":
        return
    for habit, runs in _by_habit(subject).items():
        early = [play for play in runs if play.result == "lose" and play.time < EARLY]
        if len(early) <= SOME * len(runs):
            continue
        who = f"'{habit}' players" if habit else "Players"
        what = f"{who} lose in the first {number(EARLY)} seconds, before they can have understood the game."
        first = min(early, key=lambda play: play.time)
        evidence = (f"{len(early)} of {len(runs)} runs", f"the quickest after {number(first.time)} s: {first.ending}")
        yield Caught(("endings", first.ending), first.ending, what, evidence, plays.replay(first))


def _by_habit(subject: Subject) -> dict[str | None, list[Play]]:
    """The runs of the game as it is, by habit; variants are there to be harder or easier."""
    by_habit: dict[str | None, list[Play]] = defaultdict(list)
    for play in subject.plays.runs:
        if play.variant is None:
            by_habit[play.habit].append(play)
    return by_habit


def kinds_alike(subject: Subject) -> Iterator[Caught]:
    """Two kinds that differ in nothing but their name."""
    seen: dict[str, str] = {}
    for name, member in subject.facts.cast.members.items():
        kind = member.kind
        # What is left out is what it would be; what is taken over from another kind is written out.
        content = kind.model_dump(by_alias=True, exclude_defaults=True, exclude={"label", "about", "like"})
        key = repr(sorted(content.items(), key=lambda item: item[0]))
        if not member.room or (not kind.stats and not kind.rules):
            continue
        meant = len(member.family) > 1 and key in seen and _are_told_apart(subject.facts, name, seen[key])
        if key in seen and not meant:
            what = f"'{name}' is '{seen[key]}' by another name: the two have the same stats and rules."
            yield Caught(("kinds", name), name, what)
        seen.setdefault(key, name)


def _are_told_apart(facts: Facts, one: str, other: str) -> bool:
    """Return whether anything of the game means one of two kinds and not the other."""
    sites = facts.sites
    meant = [kinds for attack in sites.attacks.values() for kinds in (attack.strikers, attack.targets)]
    meant += [(what,) for rule in facts.rules for _, what in rule.hears]
    meant += [(what,) for _, what in facts.steps("spawn")]
    meant += [site.owners for site in facts.changes] + [site.selves for site in sites.formulas.values()]
    return any((one in kinds) != (other in kinds) for kinds in meant)


def fires_twice(subject: Subject) -> Iterator[Caught]:
    """A rule meant for one happening is carried out on the way up and again on the way down."""
    plays, facts = subject.plays, subject.facts
    for rule in facts.rules:
        stat = _watched_in_the_middle(subject, rule)
        if stat is None:
            continue
        paths = facts.carried_out_with(rule.path)
        causes = {index for index, cause in enumerate(plays.program.causes) if cause.path in paths}
        both = [play for play in plays.runs if _ways_through(subject, play, causes, stat) == {1, -1}]
        if len(both) > SOME * len(plays.runs) and not _sets_how_it_stands(subject, causes):
            what = f"'{rule.title}' is carried out as {stat} rises through the value, and again as it falls back."
            yield Caught(rule.path, rule.title, what, (f"in {plays.share(len(both))}",), plays.replay(both[0]))


def _sets_how_it_stands(subject: Subject, causes: set[int]) -> bool:
    """Return whether some causes only set accounts, to the same values each time: that is right from either side."""
    values: dict[tuple[float, float], set[float]] = defaultdict(set)
    for play in subject.plays.runs:
        for row in play.rows:
            if int(row.cause) in causes:
                if WHATS[int(row.what)] not in ("posting", "cue"):
                    return False
                if row.what != 0.0:
                    continue
                values[row.entity, row.stat].add(row.after)
    return bool(values) and all(len(after) == 1 for after in values.values())


def _watched_in_the_middle(subject: Subject, rule: RuleSite) -> str | None:
    """The stat whose band, range or single value a rule waits for, if it can come to it from both sides."""
    facts = subject.facts
    for _, site in (edge for edge in facts.edges if edge[0] is rule):
        for owner, stat in read_alone(facts, site):
            sizes, reach = values_to_try(facts, owner, stat), facts.account_between(owner, stat)
            values = [value for value in (*(-size for size in reversed(sizes)), 0.0, *sizes) if value in reach]
            holds = subject.holds_over(site, owner, stat, values)
            if holds and rule.hears_any("leaves"):
                holds = [not inside for inside in holds]
            if holds and any(holds) and not holds[0] and not holds[-1]:
                return stat
    return None


def _ways_through(subject: Subject, play: Play, causes: set[int], stat: str) -> set[int]:
    """From which sides a stat came each time that a rule was carried out in a run."""
    words, ways = subject.plays.words, set()
    last: Row | None = None
    for row in play.rows:
        if int(row.cause) in causes:
            if last is not None and last.step == row.step:
                ways.add(1 if last.after > last.before else -1)
        elif row.what == 0.0 and words.stat(row.stat) == stat and row.after != row.before:
            last = row
    return ways


CHECKS = (
    Check(
        "F500",
        "run-stops",
        "fairness and flow",
        "A run that cannot go on",
        "A formula has no result, or reactions go round without an end: the game stops there.",
        "Guard the division, the root or the circle that the message names.",
        run_stops,
        plays=True,
        grade="wrong",
    ),
    Check(
        "F501",
        "seats-unfair",
        "fairness and flow",
        "Seats that should be equal and are not",
        "Players of one kind with one habit win by the seat that they have: the first moves first, or strikes first.",
        "Let the order change from round to round, or give the later seats something for it.",
        seats_unfair,
        plays=True,
        tries=True,
    ),
    Check(
        "F502",
        "fight-cannot-end",
        "fairness and flow",
        "A fight that cannot end",
        "The stat recovers faster than all attacks together can take from it.",
        "Lower the rate, or let recovering wait ('after') for longer than the time between two hits.",
        fight_cannot_end,
        grade="wrong",
    ),
    Check(
        "F503",
        "no-way-to-win",
        "fairness and flow",
        "No possible win",
        "There are endings that lose, and none that wins.",
        "Add an ending that wins; for a game that is played for a score, allow this finding.",
        no_way_to_win,
    ),
    Check(
        "F504",
        "no-way-to-lose",
        "fairness and flow",
        "No possible loss",
        "There are endings that win, and none that loses.",
        "Add an ending that loses; for a game that is only played through, allow this finding.",
        no_way_to_lose,
        grade="note",
    ),
    Check(
        "F505",
        "reaches-the-limit",
        "fairness and flow",
        "Runs that reach the time limit",
        "Nobody wins and nobody loses: the clock ends the run.",
        "Make the game go on to an ending sooner, or make the limit longer, or make its end an ending (time >= …).",
        reaches_the_limit,
        plays=True,
    ),
    Check(
        "F506",
        "early-death",
        "fairness and flow",
        "Lost in the first seconds",
        "More than one run in twenty is lost before five seconds are over.",
        "Let the first attacks come later ('first'), or start with a safe time.",
        early_death,
        plays=True,
    ),
    Check(
        "F507",
        "kinds-alike",
        "fairness and flow",
        "Kinds that differ in name only",
        "Two kinds have the same stats and rules. A change to one will be forgotten in the other.",
        "Make them copies of one kind, or let one be like the other.",
        kinds_alike,
        grade="note",
    ),
    Check(
        "F509",
        "fires-twice",
        "fairness and flow",
        "A rule that fires on the way up and on the way down",
        "The rule waits for a value or a band in the middle, and the stat comes through it from both sides.",
        "Compare with >= or <=, or let the rule happen once ('at_most: 1').",
        fires_twice,
        plays=True,
        grade="wrong",
    ),
)
