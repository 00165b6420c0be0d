"""Mistakes with limits: caps, floors, starts, waste, counters and bands."""

from __future__ import annotations

import math
from collections import Counter, defaultdict
from collections.abc import Iterator
from itertools import pairwise

from mint_ledger.audit.facts import Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.subject import Subject
from mint_ledger.game.stat import Stat
from mint_ledger.journal.wording import number
from mint_ledger.lowering.defense import struck_through
from mint_ledger.program.handle import Path

MUCH = 0.5
ENOUGH = 20


def _numbers(facts: Facts) -> Iterator[tuple[str, str, Path, Stat]]:
    """All stats that hold numbers and are written in the file."""
    for (owner, stat), (path, model) in facts.stats.items():
        if model.value_type == "number" and model.is_account and path[-1] == stat:
            yield owner, stat, path, model


def gain_without_cap(subject: Subject) -> Iterator[Caught]:
    """A stat that drains and is refilled has no max, so that pickups and healing add up without end."""
    facts = subject.facts
    for owner, stat, path, model in _numbers(facts):
        drains = (owner, stat) in facts.layers or model.fade is not None
        gains = [c for c in facts.changes_of(owner, stat) if c.mode == "add" and facts.direction(c) > 0]
        full = model.start is not None and (model.start.number is None or model.start.number > 0.0)
        if not drains or not gains or not full or model.max is not None:
            continue
        name = facts.account(owner, stat)
        what = f"{name} can be raised far above its start of {model.start or 0}: nothing caps it."
        by = [(facts.name(gain.path[:-2]) or "a rule", facts.amount_text(gain)) for gain in gains[:3]]
        lines = [f"raised by '{cause}' ({amount})" for cause, amount in by]
        yield Caught(path, name, what, tuple(lines))


def no_floor(subject: Subject) -> Iterator[Caught]:
    """A stat is lowered, has no min, and nothing watches how low it gets."""
    facts = subject.facts
    watched = {stat for site in facts.conditions for _, stat in site.reads}
    for owner, stat, path, model in _numbers(facts):
        taken = [c for c in facts.changes_of(owner, stat) if c.mode == "subtract" and facts.direction(c) < 0]
        lowered = taken or (owner, stat) in facts.layers
        if not lowered or model.min is not None or stat in watched or model.at_limit == "wrap":
            continue
        name = facts.account(owner, stat)
        yield Caught(path, name, f"{name} goes below 0 and on: it has no min, and no condition reads it.")


def nothing_at_floor(subject: Subject) -> Iterator[Caught]:
    """What damage is taken from last can be empty, and no condition of the game looks at it."""
    facts = subject.facts
    watched = {stat for site in facts.conditions for _, stat in site.reads}
    for (owner, stat), attacks in facts.layers.items():
        member = facts.cast.members[owner]
        layers = struck_through(member)
        path, model = facts.stats[owner, stat]
        if stat != layers[-1] or stat in watched or model.min is None:
            continue
        name = facts.account(owner, stat)
        what = f"{name} can be beaten down to {model.min}, and then nothing happens."
        yield Caught(path, name, what, (f"taken from by {', '.join(attacks)}",))


def start_outside_limits(subject: Subject) -> Iterator[Caught]:
    """A stat would start outside of its own limits, so it opens with another value than the file says."""
    facts, engine = subject.facts, subject.opening
    for account in engine.program.accounts:
        for first, count, _ in account.specs:
            for entity in range(first, first + count):
                member = facts.cast.member_of(entity)
                owner = member.name if member is not None else ""
                path, model = facts.stats.get((owner, account.stat), ((), Stat()))
                start = _written_start(subject, owner, account.stat, entity, model)
                low, high = engine.limits(account.column, entity)
                if not path or start is None or low <= start <= high:
                    continue
                name = facts.account(facts.cast.entity_name(entity), account.stat)
                opened = min(max(start, low), high)
                what = f"{name} says that it starts with {number(start)}, and opens with {number(opened)}."
                yield Caught(path, name, what, (f"its limits are {number(low)} to {number(high)} as the game opens",))


def _written_start(subject: Subject, owner: str, stat: str, entity: int, model: Stat) -> float | None:
    if model.value_type != "number" or model.start is None:
        return None
    kind = subject.game.kinds.get(owner)
    if kind is not None and isinstance(kind.copies, list):
        copy = entity - subject.facts.cast.members[owner].first
        if copy < len(kind.copies) and stat in kind.copies[copy]:
            return kind.copies[copy][stat].number
    return model.start.number


def much_waste(subject: Subject) -> Iterator[Caught]:
    """Half or more of what a cause gives to a stat is lost above its cap."""
    asked: dict[tuple[float, float], float] = defaultdict(float)
    lost: dict[tuple[float, float], float] = defaultdict(float)
    times: Counter[tuple[float, float]] = Counter()
    plays = subject.plays
    for _, row in plays.postings():
        if (
            row.asked > 0.0
            and row.cause >= 0
            and plays.program.causes[int(row.cause)].sort in ("rule", "branch", "action")
        ):
            key = (row.stat, row.cause)
            asked[key] += row.asked
            lost[key] += row.waste
            times[key] += 1
    for (stat, cause), total in asked.items():
        share = lost[stat, cause] / total
        if share < MUCH or times[stat, cause] < ENOUGH:
            continue
        source = plays.program.causes[int(cause)]
        name = plays.words.stat(stat)
        what = f"'{source.name}' gives {name}, and {100 * share:.0f} % of it is lost above the cap."
        evidence = f"{number(lost[stat, cause])} of {number(total)} in {times[stat, cause]} times"
        yield Caught(source.path, source.name, what, (evidence,), plays.replay(plays.runs[0]))


def counter_runs_full(subject: Subject) -> Iterator[Caught]:
    """A counter that only goes up reached the most that it can hold, and what came later was lost or began again."""
    plays, facts = subject.plays, subject.facts
    for key, postings in plays.by_account.items():
        path, model = facts.stats.get(key, ((), Stat()))
        if not path or not model.whole or model.flow is not None or any(row.asked < 0.0 for _, row in postings):
            continue
        full = [play for play, row in postings if row.wrapped or (row.waste > 0.0 and row.asked > 0.0)]
        if full:
            name = facts.account(*key)
            then = "begins again at its min" if model.at_limit == "wrap" else "counts no further"
            what = f"{name} reaches {model.max}, the most it can hold, and {then}."
            evidence = (f"in {plays.share(len({id(play) for play in full}))}",)
            yield Caught(path, name, what, evidence, plays.replay(full[0]))


def bands_with_gaps(subject: Subject) -> Iterator[Caught]:
    """Between two bands of a stat lie values that are in none."""
    for (owner, stat), (path, model) in subject.facts.stats.items():
        ordered = sorted((model.bands or {}).items(), key=lambda item: item[1].low)
        for (name, span), (later, after) in pairwise(ordered):
            if after.low - span.high > 1.0:
                account = subject.facts.account(owner, stat)
                what = f"With {account} between {number(span.high)} and {number(after.low)} no band holds."
                yield Caught(
                    (*path, "bands"), account, what, (f"'{name}' ends at {span.high:g}, '{later}' begins later",)
                )


def value_between_bands(subject: Subject) -> Iterator[Caught]:
    """A value fell between two bands that look as if they were next to one another (9.5 between ..9 and 10..)."""
    plays, facts = subject.plays, subject.facts
    for key, (path, model) in facts.stats.items():
        spans = sorted((model.bands or {}).values(), key=lambda span: span.low)
        gaps = [(one.high, two.low) for one, two in pairwise(spans) if one.high < two.low <= one.high + 1.0]
        postings = plays.by_account.get(key, []) if gaps else []
        between = next(((p, r) for p, r in postings if any(low < r.after < high for low, high in gaps)), None)
        if between is not None:
            play, row = between
            name = plays.words.account(row.entity, row.stat)
            what = f"{name} came to {number(row.after)}, which is between two bands, so it was in none."
            yield Caught((*path, "bands"), facts.account(*key), what, (), plays.replay(play))


def band_with_an_end(subject: Subject) -> Iterator[Caught]:
    """The outermost band has an end, and the stat can go past it."""
    facts = subject.facts
    for (owner, stat), (path, model) in facts.stats.items():
        if not model.bands or not facts.is_changed(owner, stat):
            continue
        bounds = facts.account_between(owner, stat)
        low, high = bounds.low, bounds.high
        last = max(model.bands.items(), key=lambda item: item[1].high)
        first = min(model.bands.items(), key=lambda item: item[1].low)
        name = facts.account(owner, stat)
        raised = any(facts.direction(c) >= 0 for c in facts.changes_of(owner, stat))
        if last[1].high < high and raised:
            top = "without end" if math.isinf(high) else f"to {number(high)}"
            what = f"The band '{last[0]}' ends at {number(last[1].high)}, but {name} can go on {top}."
            yield Caught((*path, "bands"), name, what)
        if first[1].low > low and facts.is_lowered(owner, stat):
            bottom = "without end" if math.isinf(low) else f"to {number(low)}"
            what = f"The band '{first[0]}' begins at {number(first[1].low)}, but {name} can go down {bottom}."
            yield Caught((*path, "bands"), name, what)


CHECKS = (
    Check(
        "L101",
        "gain-without-cap",
        "limits",
        "Healing or pickups without a cap",
        "A stat that damage or time takes from, and that pickups or healing give to, has no max. Whoever plays it safe "
        "for a while cannot be beaten any more.",
        "Give the stat a max, or let the gain stop somewhere.",
        gain_without_cap,
    ),
    Check(
        "L102",
        "no-floor",
        "limits",
        "A stat that is lowered has no floor",
        "The stat falls below zero and on, and no condition reads it. It has to be raised by all of that before it "
        "means anything again.",
        "Give the stat a min, or a condition that reads it.",
        no_floor,
    ),
    Check(
        "L103",
        "nothing-at-the-floor",
        "limits",
        "Nothing happens at the floor",
        "Hits empty the stat, and no rule, ending or gone_if reads it: whoever is beaten goes on as if nothing "
        "had happened.",
        "Add gone_if, a rule that becomes true at the floor, or an ending.",
        nothing_at_floor,
    ),
    Check(
        "L104",
        "start-outside-limits",
        "limits",
        "A start outside the limits",
        "The limits are formulas, and when the game starts the start lies outside of them, so that the stat opens with "
        "another value than the file says.",
        "Change the start or the limit, or write 'start' as the formula of the limit.",
        start_outside_limits,
        grade="wrong",
    ),
    Check(
        "L105",
        "much-waste",
        "limits",
        "Most of a gain is lost above the cap",
        "Players get the gain when they hardly need it: half of it or more is wasted.",
        "Make the gain smaller, let it wait until it is needed (needs, if), or raise the cap.",
        much_waste,
        plays=True,
        grade="note",
    ),
    Check(
        "L106",
        "counter-runs-full",
        "limits",
        "A counter reaches the most that it can hold",
        "A score or count that only goes up reached its max in play; from there on nothing counts, or it starts again.",
        "Raise the max, or end the game or level there.",
        counter_runs_full,
        plays=True,
    ),
    Check(
        "L107",
        "bands-with-gaps",
        "limits",
        "Bands with gaps",
        "Between two bands lie values that are in none: rules that ask for the band do nothing there.",
        "Let the next band begin where the last one ends.",
        bands_with_gaps,
    ),
    Check(
        "L108",
        "value-between-bands",
        "limits",
        "A value between two bands",
        "Bands such as ..9 and 10.. fit whole numbers; a value such as 9.5 came up in play and was in neither.",
        "Write 'whole: true' for the stat, or let the bands meet (..10 and 10..; the first that holds counts).",
        value_between_bands,
        plays=True,
    ),
    Check(
        "L109",
        "band-with-an-end",
        "limits",
        "The last band has an end, and the stat passes it",
        "Beyond the outermost band the stat is in none, so the best players lose what the band gave them.",
        "Leave the outer end open (10..), or give the stat a limit there.",
        band_with_an_end,
    ),
)
