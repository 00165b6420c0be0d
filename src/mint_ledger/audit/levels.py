"""Mistakes with levels: what is lost or given back as one opens, and a change of levels that never comes.

What opens again is seen in plays, so it does not matter whether the stat, the level or a rule does it.
"""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from mint_ledger.audit.facts import WORLD, Facts
from mint_ledger.audit.finding import Caught, Check, Grade
from mint_ledger.audit.order import award_lost_with_the_level
from mint_ledger.audit.plays import AuditRuns, Play
from mint_ledger.audit.subject import Subject
from mint_ledger.journal.wording import number
from mint_ledger.lowering.context import WAITING, AskedLevel
from mint_ledger.lowering.sites import StatOf
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Cause
from mint_ledger.program.row import WHATS, Row

# What gives as something happens; flows and openings are not earned.
EARNED = ("rule", "branch", "attack", "action", "cue", "contact")
# So often at least, before it is no accident.
TWICE = 2

Account = tuple[int, int]


@dataclass(frozen=True, slots=True)
class _Reset:
    """An account that goes back to what it opened with as a level opens, and what it was given before."""

    play: Play
    account: Account
    by: Cause
    before: float
    after: float
    step: int
    gains: list[Row]


@dataclass(slots=True)
class _Opened:
    """What plays show of one stat of a kind: when levels reset it, all that it was given, and whether any was taken."""

    resets: list[_Reset] = field(default_factory=list)
    given: list[Row] = field(default_factory=list)
    taken: bool = False


def _opened_anew(subject: Subject) -> dict[tuple[str, str], _Opened]:
    """By (kind, stat)."""
    plays = subject.plays
    opened: dict[tuple[str, str], _Opened] = {}
    for play in plays.runs:
        for account, item in _of_a_run(plays.program.causes, play):
            member = plays.program.cast.member_of(account[0])
            name = member.name if member is not None else WORLD
            known = opened.setdefault((name, plays.words.stat(account[1])), _Opened())
            if isinstance(item, _Reset):
                known.resets.append(item)
            elif item.after > item.before:
                known.given.append(item)
            else:
                known.taken = True
    return opened


def _of_a_run(causes: tuple[Cause, ...], play: Play) -> Iterator[tuple[Account, _Reset | Row]]:
    first: dict[Account, float] = {}
    gains: dict[Account, list[Row]] = {}
    gone: dict[int, int] = {}
    same: dict[tuple[int, int], bool] = {}
    opened = -1
    for row in play.rows:
        what, entity = WHATS[int(row.what)], int(row.entity)
        if what == "level" and row.step > 0.0:
            opened = int(row.step)
        elif what == "gone":
            gone[entity] = int(row.step)
        elif what == "posting" and row.cause >= 0:
            account, cause = (entity, int(row.stat)), causes[int(row.cause)]
            start = first.setdefault(account, row.after if cause.sort == "level" else row.before)
            back = cause.sort in ("level", "spawn") or (cause.sort == "rule" and row.after == start)
            if opened == int(row.step) and back:
                gained = gains.pop(account, [])
                # Who had gone before is another one now.
                if (entity, opened) not in same:
                    same[entity, opened] = gone.pop(entity, opened) == opened
                if same[entity, opened] and row.before != row.after:
                    yield account, _Reset(play, account, cause, row.before, row.after, opened, gained)
            elif cause.sort in EARNED and row.after != row.before:
                if row.after > row.before:
                    gains.setdefault(account, []).append(row)
                yield account, row


def lost_with_the_level(subject: Subject) -> Iterator[Caught]:
    """What was earned of a stat that somebody looks at is gone as the next level opens."""
    plays, facts = subject.plays, subject.facts
    if not plays.lowered.levels:
        return
    told = {caught.where for caught in award_lost_with_the_level(subject)}
    for (owner, stat), opened in subject.once(_opened_anew).items():
        name = facts.account(owner, stat)
        lost = [reset for reset in opened.resets if reset.gains and reset.before > reset.after]
        # A supply that is used up and begins again is meant so, where the stat says that it resets.
        supply = facts.stats[owner, stat][1].resets == "level" and opened.taken
        wanted = lost and not supply and name not in told and facts.looked_at((owner, stat))
        if not wanted or _counts_for_levels(facts, (owner, stat)):
            continue
        at_once = [row.cause for reset in lost for row in reset.gains if int(row.step) == reset.step]
        given = [row.cause for row in opened.given]
        for cause in dict.fromkeys(at_once):
            times = given.count(cause)
            if times >= TWICE and at_once.count(cause) == times:
                award = plays.program.causes[int(cause)]
                what = f"'{award.name}' adds to {name} just as a level opens, and {name} starts again: it is lost."
                evidence = (f"{times} times in {len(plays.runs)} runs, and lost each time",)
                yield Caught(award.path, name, what, evidence, plays.replay(lost[0].play), "wrong")
                break
        else:
            worst = max(lost, key=lambda reset: reset.before - reset.after)
            at, how = _opens(facts, owner, stat, worst)
            what = f"What was earned of {name} is gone as the level opens: {how}."
            evidence = (
                f"{number(worst.before)} before, {number(worst.after)} after, in one run; in {_runs(plays, lost)}",
            )
            yield Caught(at, name, what, evidence, plays.replay(worst.play))


def full_again(subject: Subject) -> Iterator[Caught]:
    """What a player had lost is given back as a level opens."""
    plays, facts = subject.plays, subject.facts
    players = {entity for entities in plays.lowered.habit_players.values() for entity in entities}
    if not plays.lowered.levels or not players:
        return
    for (owner, stat), opened in subject.once(_opened_anew).items():
        filled = [reset for reset in opened.resets if reset.account[0] in players and reset.before < reset.after]
        if not filled or (owner, stat) not in facts.layers:
            continue
        name = facts.account(owner, stat)
        at, how = _opens(facts, owner, stat, filled[0])
        mean = sum(reset.after - reset.before for reset in filled) / len(filled)
        what = f"{name} is at its start again as the level opens, whatever was lost before: {how}."
        evidence = (f"{number(round(mean, 1))} given back on average, in {_runs(plays, filled)}",)
        # Where nothing is said of the stat it may be by accident.
        grade: Grade = "maybe" if at[0] == "levels" else "note"
        yield Caught(at, name, what, evidence, plays.replay(filled[0].play), grade)


def _runs(plays: AuditRuns, resets: list[_Reset]) -> str:
    return plays.share(len({id(item.play) for item in resets}))


def _opens(facts: Facts, owner: str, stat: str, reset: _Reset) -> tuple[Path, str]:
    """Return where it stands that an account opens again, and how it does."""
    path, model = facts.stats[owner, stat]
    if reset.by.sort == "rule":
        return reset.by.path, f"the rule '{reset.by.name}' does that"
    if model.resets == "level":
        return (*path, "resets"), "it resets with the level"
    level = facts.game.levels[str(reset.by.path[1])]
    if owner in level.present:
        there = f"{owner} stands in 'present' of '{reset.by.name}', so it is placed again"
        return (*reset.by.path, "present", owner), there
    return (*reset.by.path, "start"), f"'start' of '{reset.by.name}' sets it"


def _counts_for_levels(facts: Facts, account: StatOf) -> bool:
    """Return whether levels go by a stat, or it is booked on elsewhere: then it may well begin again in each."""
    going = [("levels",), *(rule.path for rule in facts.rules if facts.steps("go", below=rule.path))]
    if any(account in facts.read_by(path) for path in going):
        return True
    return any(change.stat != account[1] and account in facts.read_by(change.path) for change in facts.changes)


def restart_never_comes(subject: Subject) -> Iterator[Caught]:
    """What begins again in a step in which the run ends, or another level comes first, each time."""
    yield from _changes_that_never_come(subject)
    yield from _begun_again_at_the_end(subject)


def _changes_that_never_come(subject: Subject) -> Iterator[Caught]:
    plays, facts = subject.plays, subject.facts
    for number_, site in enumerate(plays.lowered.asked_levels):
        if site.path[0] == "levels":
            continue
        asked = [_asked(plays, play, number_, site) for play in plays.runs]
        times, came = sum(one for one, _ in asked), sum(one for _, one in asked)
        if times < TWICE or came:
            continue
        play = next(play for play, one in zip(plays.runs, asked, strict=True) if one[0])
        rule = facts.rule_at(site.path)
        name = rule.title if rule is not None else facts.name(site.path)
        ended = f"the run ends in that step ('{play.ending}')" if play.ending else "another change comes first"
        what = f"'{name}' goes to '{site.goal}', and that never comes: {ended}."
        evidence = (f"asked for {times} times in {len(plays.runs)} runs, and came in none",)
        yield Caught(site.path, name, what, evidence, plays.replay(play))


def _begun_again_at_the_end(subject: Subject) -> Iterator[Caught]:
    """Rules that set back what was lost, or let somebody appear, and only ever in the last step of a run."""
    plays = subject.plays
    last: dict[int, list[Play]] = {}
    before: set[int] = set()
    for play in plays.runs:
        end = max((int(row.step) for row in play.rows if WHATS[int(row.what)] == "ending"), default=-1)
        first: dict[Account, float] = {}
        for row in play.rows:
            what, account = WHATS[int(row.what)], (int(row.entity), int(row.stat))
            start = first.setdefault(account, row.before) if what == "posting" else 0.0
            if row.cause < 0 or plays.program.causes[int(row.cause)].sort != "rule":
                continue
            again = what == "spawn" or (what == "posting" and row.before < row.after == start)
            if int(row.step) < end or end < 0:
                before.add(int(row.cause))
            elif again and play not in last.get(int(row.cause), [])[-1:]:
                last.setdefault(int(row.cause), []).append(play)
    for number_, ended in last.items():
        if number_ in before or len(ended) < TWICE:
            continue
        cause = plays.program.causes[number_]
        what = f"'{cause.name}' begins something again only in the step in which the run ends ('{ended[0].ending}')."
        evidence = (f"in {plays.share(len(ended))}, and never before that step",)
        yield Caught(cause.path, cause.name, what, evidence, plays.replay(ended[0]), "maybe")


def filled_at_the_end(subject: Subject) -> Iterator[Caught]:
    """What spends a life fills up again, also as the last one is spent and the run is over."""
    plays, facts = subject.plays, subject.facts
    reads = {name: {stat for _, stat in facts.read_by(("endings", name))} for name in subject.game.endings}
    seen: dict[tuple[int, str, str, str], list[Play]] = {}
    for play in plays.runs:
        first: dict[Account, float] = {}
        spent: dict[float, Row] = {}
        end = max((row.step for row in play.rows if WHATS[int(row.what)] == "ending"), default=-1.0)
        for row in play.rows:
            if WHATS[int(row.what)] != "posting":
                continue
            start = first.setdefault((int(row.entity), int(row.stat)), row.before)
            if row.step != end or row.cause < 0 or plays.program.causes[int(row.cause)].sort != "rule":
                continue
            if row.after < row.before and plays.words.stat(row.stat) in reads.get(play.ending, ()):
                spent[row.cause] = row
            elif row.before < row.after == start and row.cause in spent:
                taken = spent[row.cause]
                life, filled = (plays.words.account(one.entity, one.stat) for one in (taken, row))
                seen.setdefault((int(row.cause), life, filled, play.ending), []).append(play)
    for (number_, life, filled, ending), some in seen.items():
        if len(some) < TWICE:
            continue
        cause = plays.program.causes[number_]
        what = f"As '{cause.name}' takes the last of {life}, it fills {filled}: the run ends with it as it began."
        evidence = (f"in {plays.share(len(some))}, which end with '{ending}'",)
        yield Caught(cause.path, cause.name, what, evidence, plays.replay(some[0]))


def _asked(plays: AuditRuns, play: Play, number_: int, site: AskedLevel) -> tuple[int, int]:
    """Return how often a change was asked for in a run, and how often it came."""
    layout = plays.program.layout
    times, first = (int(play.state[layout.column(handle).base]) for handle in (site.times, site.first))
    waits = play.state[layout.column(WAITING).base] == number_
    return times, first - int(waits)


CHECKS = (
    Check(
        "O406",
        "lost-with-the-level",
        "order",
        "What was earned is lost with the level",
        "A score, a key or a count that players earn starts again as the next level opens, though the readout, an "
        "ending or a measure reads it at the end.",
        "Take 'resets: level', the rule or the kind in 'present' away, so that it is carried on; or give it in the new "
        "level.",
        lost_with_the_level,
        plays=True,
    ),
    Check(
        "O407",
        "full-again-with-the-level",
        "order",
        "Health is full again after each level",
        "What hits took from a player is given back as a level opens, so what happened before costs nothing.",
        "Name the kind in no level's 'present', so that it is carried on as it is; or write 'resets: level' for the "
        "stat if that is meant.",
        full_again,
        plays=True,
        grade="note",
    ),
    Check(
        "O408",
        "restart-never-comes",
        "order",
        "A restart that never comes",
        "Something begins again (goes to a level; fills what was lost), and in the same step the run ends or "
        "another level comes first, each time.",
        "Let the ending or the other change wait for what is meant to come first: add to its condition.",
        restart_never_comes,
        plays=True,
        grade="wrong",
    ),
    Check(
        "O409",
        "filled-with-the-last-life",
        "order",
        "Filled as the last life is spent",
        "The rule that takes a life and fills health does so for the last one too: the end shows a player "
        "in full health who is beaten.",
        "Fill only while some are left ('if: lives > 0'); 'lives:' with 'fill' does this for you.",
        filled_at_the_end,
        plays=True,
    ),
)
