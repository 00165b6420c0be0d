"""What comes again and again where once is meant: in every step, or at each crossing of a line.

Both look at what happened in plays, so it does not matter how the file spells it.
"""

from __future__ import annotations

from collections.abc import Iterator, Sequence
from dataclasses import dataclass

from mint_ledger.audit.contact import STEP, contact_drains
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.subject import Subject
from mint_ledger.engines.native.engine import CannotGoOn, NativePlayer, native_code
from mint_ledger.game.rule import Rule
from mint_ledger.journal.wording import Words, number
from mint_ledger.lowering.lower import lower
from mint_ledger.playing.setting import Setting, habit_starts
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Cause, Program
from mint_ledger.program.row import Row

# So many steps one after the other, each with the same amount, are no accident.
IN_A_ROW = 3
HALVED_RUNS = 5
# Where a step is as long as this, a designer may well mean it as the beat of the game.
BEAT = 0.5
POSTING = 0.0
# A line that is crossed so often within so many seconds flickers.
CROSSINGS = 4
SPAN = 1.0

# The account, the cause, who did it, and whether it gains.
Key = tuple[str, Cause, str, bool]


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
    halved = _with_half_the_step(subject)
    drained = {path for caught in contact_drains(subject) for path in (caught.path, caught.path[:-2])}
    told: set[tuple[Path, str, str]] = set()
    for key, (found, replay) in usual.items():
        account, cause, by, gains = key
        again = halved.get(key)
        if again is None or abs(again.amount - found.amount) > 1e-9 or cause.path in drained:
            continue
        name, place = cause.name, (cause.path, account.partition("[")[0], by.partition("[")[0])
        if place in told:
            continue
        told.add(place)
        way = "adds to" if gains else "takes from"
        what = f"'{name}' {way} {account} in every step while it lasts: {number(abs(found.amount))} each time."
        start = plays.words.seconds(float(found.step))
        evidence = (
            f"{found.count} times in {found.count} steps, from {number(start)} s on "
            f"({number(1 / subject.step)} steps a second)",
            "with steps half as long it is as much in each of them, so twice as much a second",
        )
        yield Caught(cause.path, name, what, evidence, replay, "maybe" if subject.step >= BEAT else None)


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
        if now[key].count >= IN_A_ROW and now[key].count > (longest[key].count if key in longest else 0):
            longest[key] = now[key]
    return longest


def _with_half_the_step(subject: Subject) -> dict[Key, _Row]:
    """The same of a few runs of each habit with steps half as long."""
    game = Setting(dials={STEP: subject.step / 2}).of(subject.game)
    lowered = lower(game)
    program, words = lowered.program, Words(lowered.program)
    code = native_code(program)
    found: dict[Key, _Row] = {}
    habits: list[str | None] = [*subject.game.habits] or [None]
    for habit in habits:
        starts = habit_starts(lowered, habit)
        player = NativePlayer(code, program.dials.values, seed=subject.seed, starts=starts)
        for run in range(min(subject.runs, HALVED_RUNS)):
            try:
                rows = player.journal(run)
            except CannotGoOn:
                continue
            for key, row in _in_a_row(program, words, rows).items():
                if key not in found or row.count > found[key].count:
                    found[key] = row
    return found


def flickers(subject: Subject) -> Iterator[Caught]:
    """A rule of a line that is crossed, which changes something at each of many crossings in a moment."""
    if subject.game.clock.unit == "turn":
        return
    plays, facts = subject.plays, subject.facts
    edges = {
        path: part
        for path, part in facts.parts
        if isinstance(part, Rule) and part.cooldown is None and {when.key for when in part.when} & {"becomes", "enters"}
    }
    told: set[int] = set()
    for play in plays.runs:
        steps: dict[tuple[int, float, float, float], list[int]] = {}
        for row in play.rows:
            if row.what == POSTING and row.cause >= 0 and row.after != row.before:
                steps.setdefault((int(row.cause), row.entity, row.stat, row.by), []).append(int(row.step))
        for (cause, entity, stat, _), at in steps.items():
            rule = edges.get(plays.program.causes[cause].path)
            if rule is None or cause in told:
                continue
            for first, last in zip(at, at[CROSSINGS - 1 :], strict=False):
                if last - first >= CROSSINGS - 1 and (last - first) * subject.step <= SPAN:
                    told.add(cause)
                    span = number((last - first) * subject.step)
                    account = plays.words.account(entity, stat)
                    what = f"'{rule.title()}' comes {CROSSINGS} times within {span} s, and changes {account} each time."
                    start = number(plays.words.seconds(float(first)))
                    evidence = (f"from {start} s on: its line is crossed to and fro",)
                    yield Caught(plays.program.causes[cause].path, rule.title(), what, evidence, plays.replay(play))
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
        once_in_every_step,
        plays=True,
        tries=True,
        grade="wrong",
    ),
    Check(
        "T207",
        "line-is-crossed-again",
        "contact and time",
        "A line that is crossed to and fro",
        "A value trembles about a threshold or the edge of a band, and the rule changes something at every crossing.",
        "Leave the band at another value than the one that enters it, or give the rule a cooldown or at_most.",
        flickers,
        plays=True,
    ),
)
