"""Mistakes with what is counted: a defeat that counts not at all, twice, or is not what is counted.

All look at what happened in plays: which gains came in the step in which somebody went, and by what.
"""

from __future__ import annotations

from collections import Counter, defaultdict
from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mint_ledger.audit.facts import WORLD, Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.plays import AuditRuns, Play
from mint_ledger.audit.subject import Subject
from mint_ledger.journal.wording import number
from mint_ledger.program.handle import Path
from mint_ledger.program.row import WHATS, Row

# What gives for a defeat: whatever happens, and no flow.
GIVES = ("rule", "branch", "attack", "action", "cue")
ENOUGH = 10
NEARLY_ALL = 0.9
# What comes so often where nobody goes is not given for a defeat.
BESIDE = 0.25
# Counted twice in so many defeats, and never once.
TWICE = 5


@dataclass(frozen=True, slots=True)
class _Defeat:
    """One that went, alone in its step: in which way, by which kind (the game: none), and what others were given."""

    play: Play
    kind: str
    way: str
    by: str
    gains: tuple[Row, ...]


def _defeats(subject: Subject) -> list[_Defeat]:
    """All that went, of each run; a step in which several go does not say whom a gain was for."""
    plays, defeats = subject.plays, []
    for play in plays.runs:
        steps = Counter(row.step for row in play.rows if WHATS[int(row.what)] == "gone")
        for index, row in enumerate(play.rows):
            if WHATS[int(row.what)] != "gone" or steps[row.step] != 1:
                continue
            same = _same_step(play.rows, index)
            losses = [r for r in same if _is_posting(r) and r.entity == row.entity and r.after < r.before]
            way = losses[-1] if losses else row
            gains = [r for r in same if _gives(plays, r) and r.entity != row.entity]
            kind, by = _kind(plays, row.entity), _kind(plays, row.by if row.by > 0 else way.by)
            defeats.append(_Defeat(play, kind, plays.words.cause(way.cause), by, tuple(gains)))
    return defeats


def _kind(plays: AuditRuns, entity: float) -> str:
    member = plays.program.cast.member_of(int(entity)) if entity > 0 else None
    return member.name if member is not None else WORLD


def _same_step(rows: Sequence[Row], index: int) -> list[Row]:
    step, first, last = rows[index].step, index, index
    while first > 0 and rows[first - 1].step == step:
        first -= 1
    while last + 1 < len(rows) and rows[last + 1].step == step:
        last += 1
    return list(rows[first : last + 1])


def _is_posting(row: Row) -> bool:
    return row.what == 0.0 and row.cause >= 0


def _gives(plays: AuditRuns, row: Row) -> bool:
    return _is_posting(row) and row.after > row.before and plays.program.causes[int(row.cause)].sort in GIVES


def defeat_not_counted(subject: Subject) -> Iterator[Caught]:
    """Defeat by one way is rewarded, by another way never."""
    plays = subject.plays
    defeats, beside = subject.once(_defeats), subject.once(_given_beside)
    ways: dict[str, dict[str, list[_Defeat]]] = defaultdict(lambda: defaultdict(list))
    for defeat in defeats:
        ways[defeat.kind][defeat.way].append(defeat)
    for kind, by_way in ways.items():
        rewarded = {
            way: [any((row.stat, row.cause) not in beside for row in one.gains) for one in some]
            for way, some in by_way.items()
            if len(some) >= ENOUGH
        }
        always = [way for way, some in rewarded.items() if sum(some) >= NEARLY_ALL * len(some)]
        never = [way for way, some in rewarded.items() if sum(some) <= (1 - NEARLY_ALL) * len(some)]
        if always and never:
            what = f"{kind} that goes by {', '.join(always)} is counted, by {', '.join(never)} it is not."
            evidence = tuple(f"by {way}: {sum(some)} of {len(some)} counted" for way, some in rewarded.items())
            # One that leaves by itself, or goes by what nobody did, need not be a defeat.
            by = [{one.by for way in some for one in by_way[way]} - {WORLD, kind} for some in (always, never)]
            replay = plays.replay(by_way[never[0]][0].play)
            yield Caught(("kinds", kind), kind, what, evidence, replay, None if by[0] & by[1] else "maybe")


def _given_beside(subject: Subject) -> set[tuple[float, float]]:
    """The (stat, cause) of gains that mostly come where nobody goes: each hit gives them, not the defeat."""
    plays, defeats = subject.plays, subject.once(_defeats)
    steps = {id(play): {row.step for row in play.rows if WHATS[int(row.what)] == "gone"} for play in plays.runs}
    inside: Counter[tuple[float, float]] = Counter()
    outside: Counter[tuple[float, float]] = Counter()
    asked = {(row.stat, row.cause) for defeat in defeats for row in defeat.gains}
    for play in plays.runs:
        for row in play.rows:
            if (row.stat, row.cause) in asked and row.what == 0.0 and row.after > row.before:
                (inside if row.step in steps[id(play)] else outside)[row.stat, row.cause] += 1
    return {key for key in asked if outside[key] > BESIDE * inside[key]}


def counted_twice(subject: Subject) -> Iterator[Caught]:
    """Every defeat adds the same to one account twice, by two causes or by the rules of two copies."""
    plays = subject.plays
    by_kind: dict[str, list[_Defeat]] = defaultdict(list)
    defeats, beside = subject.once(_defeats), subject.once(_given_beside)
    for defeat in defeats:
        by_kind[defeat.kind].append(defeat)
    for kind, some in by_kind.items():
        seen: dict[tuple[float, float], list[tuple[Play, Row, Row]]] = defaultdict(list)
        once: set[tuple[float, float]] = set()
        for defeat in some:
            rows: dict[tuple[float, float], list[Row]] = defaultdict(list)
            for row in defeat.gains:
                if (row.stat, row.cause) not in beside:
                    rows[row.entity, row.stat].append(row)
            for account, gains in rows.items():
                if len(gains) == 2 and gains[0].asked == gains[1].asked:
                    seen[account].append((defeat.play, gains[0], gains[1]))
                else:
                    once.add(account)
        for account, twice in seen.items():
            if len(twice) < TWICE or account in once:
                continue
            play, one, two = twice[0]
            name, causes = plays.words.account(*account), [plays.words.cause(row.cause) for row in (one, two)]
            by = " and ".join(f"'{cause}'" for cause in dict.fromkeys(causes))
            each = "add {0} each" if causes[0] != causes[1] else "adds {0} two times"
            what = f"Each {kind} that goes counts twice in {name}: {by} {each.format(number(one.asked))}."
            evidence = (f"of {len(twice)} in {len(plays.runs)} runs none counted once",)
            place = plays.program.causes[int(two.cause)].path
            yield Caught(place, ", ".join(dict.fromkeys(causes)), what, evidence, plays.replay(play))


def hits_for_defeats(subject: Subject) -> Iterator[Caught]:
    """An ending waits for as many as there are of a kind, and counts the hits on them."""
    plays, facts = subject.plays, subject.facts
    for name in subject.game.endings:
        for stat, wanted in _counted_to(facts, ("endings", name, "if")):
            some = [play for play in plays.runs if play.ending == name]
            for kind in _struck_for(plays, some, stat):
                short = [(play, *_lives(subject, play, kind)) for play in some]
                short = [(play, lived, gone) for play, lived, gone in short if gone < lived == wanted]
                if len(short) >= NEARLY_ALL * len(some):
                    play, lived, gone = short[0]
                    what = (
                        f"'{name}' waits for {stat} to come to {number(wanted)}, and there are {lived} of {kind}; but "
                        f"it counts hits, and the run ends with {lived - gone} of them still there."
                    )
                    yield Caught(("endings", name), name, what, (f"in {plays.share(len(short))}",), plays.replay(play))


def _counted_to(facts: Facts, path: Path) -> Iterator[tuple[str, float]]:
    """The counters that a condition waits for, and to which number: `downs >= 5`."""
    for compared in facts.compared(path):
        if not compared.size and compared.value is not None:
            yield compared.stat, compared.value + (compared.op in ("<", ">"))


def _struck_for(plays: AuditRuns, some: list[Play], stat: str) -> list[str]:
    """The kinds that a hit was on whenever a counter went up."""
    kinds: set[str] | None = None
    for play in some:
        struck: dict[float, set[str]] = defaultdict(set)
        for row in play.rows:
            if WHATS[int(row.what)] == "hit":
                struck[row.step].add(_kind(plays, row.entity))
        for row in play.rows:
            if _is_posting(row) and row.after > row.before and plays.words.stat(row.stat) == stat:
                kinds = struck[row.step] if kinds is None else kinds & struck[row.step]
    return sorted(kinds or ())


def _lives(subject: Subject, play: Play, kind: str) -> tuple[int, int]:
    """Return how many of a kind there were in a run, and how many of them went."""
    entities = set(subject.facts.cast.members[kind].entities)
    present = subject.opening.program.columns.present.offset
    lived = sum(subject.opening.state[present + entity] != 0.0 for entity in entities)
    whats = [WHATS[int(row.what)] for row in play.rows if int(row.entity) in entities]
    return lived + whats.count("spawn"), whats.count("gone")


CHECKS = (
    Check(
        "F508",
        "defeat-not-counted",
        "fairness and flow",
        "A defeat that is not counted",
        "An entity that leaves in one way is counted or rewarded; one that leaves in another way is not.",
        "Put the reward under 'when: gone', which happens however the entity leaves.",
        defeat_not_counted,
        plays=True,
        grade="wrong",
    ),
    Check(
        "F517",
        "counted-twice",
        "fairness and flow",
        "A defeat that counts twice",
        "Each time that one goes the same account is given the same amount twice: by two rules, by a rule and what a "
        "hit does also, or by the rule of each of two copies.",
        "Leave one of the two, under the kind that goes ('when: gone'); if both are meant, add up to one amount.",
        counted_twice,
        plays=True,
    ),
    Check(
        "F518",
        "hits-for-defeats",
        "fairness and flow",
        "Hits counted where defeats are meant",
        "An ending waits for as many as there are of a kind, and what it counts rises with each hit, so that it comes "
        "while some are still there.",
        "Count in a rule of the kind that goes ('when: gone'), or ask for count(kind) == 0.",
        hits_for_defeats,
        plays=True,
    ),
)
