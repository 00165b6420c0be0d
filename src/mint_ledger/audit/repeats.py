"""What comes again and again where once is meant: in every step, or at each crossing of a line.

Both look at what happened in plays, so it does not matter how the file spells it.
"""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from mint_ledger.audit.contact import STEP, contact_drains
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.plays import Play
from mint_ledger.audit.subject import Subject
from mint_ledger.engines.native.engine import CannotGoOn, NativePlayer, native_code
from mint_ledger.journal.wording import Words, number
from mint_ledger.lowering.lower import lower
from mint_ledger.playing.setting import Setting, habit_starts
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Cause, Program
from mint_ledger.program.row import Row

# So many steps one after the other, each with the same amount, are no accident; fewer, if they are so many with
# steps half as long.
IN_A_ROW = 3
# What comes by chance in each step: so often at least, and more often by such a factor with steps half as long.
OFTEN = 40
TWICE = (1.6, 2.5)
UNBROKEN = 0.6
HALVED_RUNS = 5
# Where a step is as long as this, a designer may well mean it as the beat of the game.
BEAT = 0.5
POSTING = 0.0
# A line that is crossed so often within so many seconds flickers.
CROSSINGS = 4
SPAN = 1.0

# The account, the cause, who did it, and whether it gains.
Key = tuple[str, Cause, str, bool]


@dataclass(slots=True)
class _RepeatCounts:
    """What some runs show of postings: the longest rows of equal ones, how many there were at all, in how long."""

    rows: dict[Key, _Row] = field(default_factory=dict)
    counts: Counter[Key] = field(default_factory=Counter)
    next_to: Counter[Key] = field(default_factory=Counter)
    seconds: float = 0.0

    def is_unbroken(self, key: Key) -> bool:
        """Return whether postings mostly follow one another step by step, as those by chance do not."""
        return self.next_to[key] > UNBROKEN * self.counts[key]


@dataclass(frozen=True, slots=True)
class _Row:
    """Equal postings in steps one after the other: how many, by how much, and from which step on."""

    count: int
    amount: float
    step: int


def once_in_every_step(subject: Subject) -> Iterator[Caught]:
    """A posting that comes in every step, by the same amount however short the step is."""
    if subject.game.clock.unit == "turn":
        return
    plays = subject.plays
    usual: dict[Key, tuple[_Row, str]] = {}
    for play in plays.runs:
        for key, found in _in_a_row(plays.program, plays.words, play.rows).items():
            if key not in usual or found.count > usual[key][0].count:
                usual[key] = (found, plays.replay(play))
    if not usual:
        return
    halved = subject.once(_with_half_the_step)
    drained = {path for caught in contact_drains(subject) for path in (caught.path, caught.path[:-2])}
    told: set[tuple[Path, str, str]] = set()
    for key, (found, replay) in usual.items():
        account, cause, by, gains = key
        again = halved.rows.get(key)
        if again is None or abs(again.amount - found.amount) > 1e-9 or cause.path in drained:
            continue
        if max(found.count, again.count) < IN_A_ROW or not halved.is_unbroken(key):
            continue
        name, place = cause.name, (cause.path, account.partition("[")[0], by.partition("[")[0])
        if place in told:
            continue
        told.add(place)
        way = "adds to" if gains else "takes from"
        what = f"'{name}' {way} {account} in every step while it lasts: {number(abs(found.amount))} each time."
        start = plays.words.seconds(float(found.step))
        times = "once" if found.count == 1 else f"{found.count} times in {found.count} steps"
        many = f" ({found.count} of them, now {again.count})" if found.count < IN_A_ROW else ""
        evidence = (
            f"{times}, from {number(start)} s on ({number(1 / subject.step)} steps a second)",
            f"with steps half as long it is as much in each of them{many}, so twice as much a second",
        )
        yield Caught(cause.path, name, what, evidence, replay, "maybe" if subject.step >= BEAT else None)


def every_step(subject: Subject) -> Iterator[Caught]:
    """What comes in every step, or in each by chance."""
    told = set()
    for caught in once_in_every_step(subject):
        told.add(caught.path)
        yield caught
    yield from (caught for caught in by_chance_in_every_step(subject) if caught.path not in told)


def _in_a_row(program: Program, words: Words, rows: Sequence[Row]) -> dict[Key, _Row]:
    """For each account, cause, and who did it to whom: the longest row of equal postings, a step apart each."""
    now: dict[Key, _Row] = {}
    longest: dict[Key, _Row] = {}
    for row in rows:
        if row.what != POSTING or row.cause < 0 or row.after == row.before:
            continue
        cause = program.causes[int(row.cause)]
        if cause.sort not in ("rule", "branch", "attack", "cue", "status"):
            continue
        amount = row.after - row.before
        key = (words.account(row.entity, row.stat), cause, words.entity(row.by), amount > 0)
        step, before = int(row.step), now.get(key)
        if before is not None and step == before.step + before.count and abs(amount - before.amount) < 1e-9:
            now[key] = _Row(before.count + 1, amount, before.step)
        elif before is None or step >= before.step + before.count:
            now[key] = _Row(1, amount, step)
        if now[key].count > (longest[key].count if key in longest else 0):
            longest[key] = now[key]
    return longest


def _with_half_the_step(subject: Subject) -> _RepeatCounts:
    """The same of a few runs of each habit with steps half as long."""
    game = Setting(dials={STEP: subject.step / 2}).of(subject.game)
    lowered = lower(game)
    program, words = lowered.program, Words(lowered.program)
    code = native_code(program)
    found = _RepeatCounts()
    habits: list[str | None] = [*subject.game.habits] or [None]
    for habit in habits:
        starts = habit_starts(lowered, habit)
        player = NativePlayer(code, program.dials.numbers, seed=subject.seed, starts=starts)
        for run in range(min(subject.runs, HALVED_RUNS)):
            try:
                rows = player.journal(run)
            except CannotGoOn:
                continue
            for key, row in _in_a_row(program, words, rows).items():
                if key not in found.rows or row.count > found.rows[key].count:
                    found.rows[key] = row
            counts, next_to = _counted(program, words, rows)
            found.counts += counts
            found.next_to += next_to
            found.seconds += words.seconds(player.state[program.columns.step.base])
    return found


def by_chance_in_every_step(subject: Subject) -> Iterator[Caught]:
    """A posting that a rule makes in some steps by chance, and twice as often where steps are half as long."""
    if subject.game.clock.unit == "turn":
        return
    plays, facts = subject.plays, subject.facts
    rules = {rule.path for rule in facts.rules if not rule.cools_down}
    each = {
        plays.program.causes[number].path
        for effect in facts.effects.postings
        for number in effect.causes
        if {trigger.sort for trigger in effect.triggers} & {"step", "contact"}
    }
    usual, seconds = Counter[Key](), 0.0
    shown: dict[Key, Play] = {}
    for play in plays.runs:
        if play.variant is None and play.run < HALVED_RUNS:
            counts, _ = _counted(plays.program, plays.words, play.rows)
            shown |= dict.fromkeys(counts, play)
            usual += counts
            seconds += play.time
    often = {key: count for key, count in usual.items() if count >= OFTEN and key[1].path in rules & each}
    if not often or not seconds:
        return
    # Imported late: it takes as long as all of this.
    from scipy.special import bdtrc

    halved = subject.once(_with_half_the_step)
    told: set[Path] = set()
    for key, count in often.items():
        account, cause, _, gains = key
        again = halved.counts[key]
        share = halved.seconds / (seconds + halved.seconds)
        factor = again / halved.seconds / (count / seconds) if halved.seconds else 0.0
        if cause.path in told or halved.is_unbroken(key):
            continue
        subject.chances.tests += 1
        chance = float(bdtrc(again - 1, again + count, share)) if again else 1.0
        if TWICE[0] < factor < TWICE[1]:
            told.add(cause.path)
            way = "adds to" if gains else "takes from"
            what = f"'{cause.name}' {way} {account} by chance in each step: so much the oftener, the shorter the step."
            evidence = (
                f"{number(count / seconds, 2)} times a second; with steps half as long "
                f"{number(again / halved.seconds, 2)} times",
            )
            yield Caught(cause.path, cause.name, what, evidence, plays.replay(shown[key]), chance=chance)


def _counted(program: Program, words: Words, rows: Sequence[Row]) -> tuple[Counter[Key], Counter[Key]]:
    """How often each account was posted to, by cause, by whom, and whether it gained; and how often a step later."""
    steps: dict[tuple[float, float, float, float, bool], list[float]] = {}
    for row in rows:
        if row.what == POSTING and row.cause >= 0 and row.after != row.before:
            key = (row.entity, row.stat, row.cause, row.by, row.after > row.before)
            steps.setdefault(key, []).append(row.step)
    counts, next_to = Counter[Key](), Counter[Key]()
    for (entity, stat, cause, by, gains), at in steps.items():
        named = (words.account(entity, stat), program.causes[int(cause)], words.entity(by), gains)
        counts[named] += len(at)
        next_to[named] += sum(later - step <= 1.0 for step, later in pairwise(at))
    return counts, next_to


def flickers(subject: Subject) -> Iterator[Caught]:
    """A rule of a line that is crossed, which changes something at each of many crossings in a moment."""
    if subject.game.clock.unit == "turn":
        return
    plays, facts = subject.plays, subject.facts
    edges = {rule.path: rule for rule, _ in facts.edges if not rule.cools_down}
    rules: dict[int, Path] = {}
    for path in edges:
        with_it = facts.carried_out_with(path)
        rules |= {index: path for index, cause in enumerate(plays.program.causes) if cause.path in with_it}
    told: set[int] = set()
    for play in plays.runs:
        steps: dict[tuple[int, float, float, float], list[int]] = {}
        for row in play.rows:
            if row.what == POSTING and row.cause >= 0 and row.after != row.before:
                steps.setdefault((int(row.cause), row.entity, row.stat, row.by), []).append(int(row.step))
        for (cause, entity, stat, _), at in steps.items():
            if cause not in rules or cause in told:
                continue
            rule = edges[rules[cause]]
            for first, last in zip(at, at[CROSSINGS - 1 :], strict=False):
                if last - first >= CROSSINGS - 1 and (last - first) * subject.step <= SPAN:
                    told.add(cause)
                    span = number((last - first) * subject.step)
                    account = plays.words.account(entity, stat)
                    what = f"'{rule.title}' comes {CROSSINGS} times within {span} s, and changes {account} each time."
                    start = number(plays.words.seconds(float(first)))
                    evidence = (f"from {start} s on: its line is crossed to and fro",)
                    yield Caught(rules[cause], rule.title, what, evidence, plays.replay(play))
                    break


CHECKS = (
    Check(
        "T206",
        "once-in-every-step",
        "contact and time",
        "Once in every step instead of once",
        "For as long as the contact or the condition lasts the amount comes in each step, twenty or sixty times a "
        "second; with another length of step it is another game.",
        "Use 'meets', 'becomes', 'every' or a cooldown; for a rate use recover or fade.",
        every_step,
        plays=True,
        tries=True,
        grade="wrong",
    ),
    Check(
        "T207",
        "line-is-crossed-again",
        "contact and time",
        "A value that crosses a threshold back and forth",
        "A value moves back and forth across a threshold or the edge of a band, and the rule changes something at "
        "every crossing.",
        "Leave the band at another value than the one that enters it, or give the rule a cooldown or at_most.",
        flickers,
        plays=True,
    ),
)
