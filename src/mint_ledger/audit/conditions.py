"""Mistakes with conditions: values that are stepped over, edges that never come, and what never happens."""

from __future__ import annotations

import math
import re
from collections.abc import Iterator

from mint_ledger.audit.facts import WORLD, Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.subject import Subject
from mint_ledger.facts.between import Between
from mint_ledger.facts.comparisons import moves
from mint_ledger.game.readout import Bar
from mint_ledger.journal.wording import number
from mint_ledger.lowering.readout import ReadoutLine
from mint_ledger.lowering.sites import FormulaSite
from mint_ledger.program.handle import Path

# A number that a line names as a value: `Lives: 3`, `Level 1 of 3`.
_MEANT = re.compile(r"[:=] ?(\d+)\b|^\w+ (\d+)(?: (?:of|/) \d+)?$")
# Values at which a condition is asked, and those among them that lie evenly up to a limit.
MOST_TRIED = 400
# Parts of one in which doubles add up without an error.
WHOLE_PARTS = 1024.0
EVENLY = 48


def equality_stepped_over(subject: Subject) -> Iterator[Caught]:
    """A watched condition asks whether an account equals a number that it can step over."""
    facts = subject.facts
    for site in facts.conditions:
        for compared in facts.compared(site.path) if site.watched else []:
            if compared.op == "==" and compared.value is not None and not compared.size:
                yield from _stepped_over(subject, site, compared.stat, compared.value)


def _stepped_over(subject: Subject, site: FormulaSite, stat: str, wanted: float) -> Iterator[Caught]:
    facts = subject.facts
    for owner in (owner for owner, read in sorted(site.reads) if read == stat):
        if (owner, stat) not in facts.stats:
            continue
        model = facts.stats[owner, stat][1]
        if model.value_type != "number" or not facts.is_changed(owner, stat):
            continue
        known = facts.account_between(owner, stat)
        if wanted in (known.low, known.high):
            continue  # a limit holds it there exactly
        if model.flow is None and _comes_to_it(subject, owner, stat, wanted):
            continue
        name = facts.account(owner, stat)
        steps = sorted({facts.amount_text(c) for c in facts.changes_of(owner, stat) if c.amount is not None})[:3]
        what = f"{name} can step over {number(wanted)} without being equal to it; then '{site.formula}' never holds."
        evidence = (f"it changes by {', '.join(steps)}",) if steps else ()
        yield Caught(site.path, facts.name(site.path), what, evidence)
        return


def _comes_to_it(subject: Subject, owner: str, stat: str, wanted: float) -> bool:
    """Whether an account goes by steps of one size, among whose values is the wanted one: it cannot be stepped over."""
    facts = subject.facts
    effects = facts.effects_on(owner, stat)
    if any(effect.amount.named is None for effect in effects):
        return False
    added = {value for effect in effects if effect.mode == "add" for value in effect.amount.named or ()}
    values = {value for effect in effects if effect.mode == "set" for value in effect.amount.named or ()}
    sizes = {abs(value) for value in added} - {0.0}
    values |= set(subject.opened_with(owner, stat))
    if min(added, default=0.0) < 0.0 < max(added, default=0.0):
        room = facts.room(owner, stat)
        values |= {end for end in (room.low, room.high) if math.isfinite(end)}
    if len(sizes) != 1:
        return not sizes
    [size] = sizes
    # Other fractions add up to a hair beside.
    plain = (size * WHOLE_PARTS).is_integer()
    return plain and all(((value - wanted) / size).is_integer() for value in values)


def never_holds(subject: Subject) -> Iterator[Caught]:
    """A condition cannot hold, whatever happens within the limits of the file."""
    for fact, known in _bounded(subject):
        if known.never:
            name = subject.facts.name(fact.path)
            yield Caught(fact.path, name, f"'{fact.formula}' can never hold within the limits of the file.")


def always_holds(subject: Subject) -> Iterator[Caught]:
    """A condition always holds, whatever happens within the limits of the file."""
    for fact, known in _bounded(subject):
        if known.always:
            name = subject.facts.name(fact.path)
            yield Caught(fact.path, name, f"'{fact.formula}' always holds within the limits of the file.")


def _bounded(subject: Subject) -> Iterator[tuple[FormulaSite, Between]]:
    for site in subject.facts.conditions:
        if site.formula.number is None:
            yield site, subject.facts.between(site.path, site.formula)


def never_happened(subject: Subject) -> Iterator[Caught]:
    """A rule, attack, action, status, band or ending that no run came to."""
    yield from _rules_never(subject)
    yield from _causes_never(subject)
    yield from _bands_never(subject)


def _never(subject: Subject, path: Path, name: str, what: str, *, nobody: bool = False) -> Caught:
    runs = len(subject.plays.runs)
    often = f"in any of {runs} runs" if nobody else f"in none of {runs} runs"
    return Caught(path, name, f"{what} {often}, by any habit in any variant.", ())


def _rules_never(subject: Subject) -> Iterator[Caught]:
    given = {cue for path, cue in subject.facts.steps("cue") if path[0] != "playtests"}
    for rule in subject.facts.rules:
        heard = {cue for trigger, cue in rule.hears if trigger == "cue"}
        if heard and not heard & given:
            continue  # a cue that only scripts give
        try:
            count = subject.plays.rule_count(rule.path)
        except StopIteration:
            continue  # its kind has no entities
        if not count and rule.path not in subject.plays.others.rules:
            yield _never(subject, rule.path, rule.title, f"The rule '{rule.title}' was carried out")


def _causes_never(subject: Subject) -> Iterator[Caught]:
    game, others = subject.game, subject.plays.others
    seen = subject.plays.seen | others.seen
    struck = {name for what, name in seen if what in ("hit", "miss", "dodge", "blocked")}
    for name in game.attacks:
        if name not in struck:
            yield _never(subject, ("attacks", name), name, f"Nobody struck with {name}", nobody=True)
    done = {name for what, name in seen if what == "act"}
    chosen = {act.do for habit in game.habits.values() for act in habit.acts}
    for name in game.actions:
        if name not in done and (name in chosen or not game.habits):
            yield _never(subject, ("actions", name), name, f"Nobody came to do {name}", nobody=True)
        elif name not in chosen and game.habits:
            what = f"No habit ever chooses {name}, so simulated players never do it."
            yield Caught(("actions", name), name, what, grade="note" if name in done else None)
    given = {name for what, name in seen if what == "status"}
    for name in game.statuses:
        if name not in given and name in subject.facts.given_statuses:
            yield _never(subject, ("statuses", name), name, f"Nobody was given {name}", nobody=True)
    ended = {play.ending for play in subject.plays.runs}
    for name in game.endings:
        if name not in ended:
            runs = len(subject.plays.runs)
            what = f"The run ended with '{name}' in none of {runs} runs, by any habit in any variant."
            rare = f"so by these players it is rarer than 1 in {max(runs // 3, 1)} (95 % confidence)"
            reached = dict(others.endings).get(name)
            if reached is not None:
                yield Caught(("endings", name), name, what, (rare, f"{reached} came to it"), grade="note")
            else:
                tried = ", ".join(others.players)
                more = (f"nor in {others.runs} runs by {tried}",) if others.runs else ()
                yield Caught(("endings", name), name, what, (rare, *more), grade="maybe" if more else "note")


def _bands_never(subject: Subject) -> Iterator[Caught]:
    plays, facts = subject.plays, subject.facts
    for key, (path, model) in facts.stats.items():
        for name, span in (model.bands or {}).items():
            values = {value for _, row in plays.by_account.get(key, ()) for value in (row.before, row.after)}
            # A flow passes through what lies between two of its values.
            crossed = model.flow is not None and values and min(values) <= span.high and max(values) >= span.low
            if values and not crossed and not any(span.low <= value <= span.high for value in values):
                account = facts.account(*key)
                yield _never(subject, (*path, "bands", name), f"{account} {name}", f"{account} came to be {name}")


def status_never_given(subject: Subject) -> Iterator[Caught]:
    """A status that no rule, attack or action gives."""
    for name in subject.game.statuses:
        if name not in subject.facts.given_statuses:
            yield Caught(("statuses", name), name, f"Nothing in the file gives '{name}', so nobody ever has it.")


def stat_never_read(subject: Subject) -> Iterator[Caught]:
    """A stat that nothing reads: no formula, no damage, no readout."""
    facts = subject.facts
    # What is written once for several kinds is read where one of them is.
    read = {facts.stats[account][0] for account in facts.read_at_all if account in facts.stats}
    for (owner, stat), (path, _) in facts.stats.items():
        used = path in read or (owner, stat) in facts.layers or facts.is_paid_with(owner, stat)
        if used or path[-1] != stat:
            continue
        name = facts.account(owner, stat)
        what = f"{name} is kept, but no rule, ending, readout or measure ever looks at it."
        yield Caught(path, name, what)


def stat_never_changed(subject: Subject) -> Iterator[Caught]:
    """A stat with limits that nothing changes."""
    facts = subject.facts
    for (owner, stat), (path, model) in facts.stats.items():
        if path[-1] != stat or not model.is_account or facts.is_changed(owner, stat):
            continue
        if any(stat in status.changes for status in subject.game.statuses.values()):
            continue
        if model.min is not None or model.max is not None or model.bands:
            name = facts.account(owner, stat)
            yield Caught(path, name, f"{name} has limits, but nothing in the file ever changes it.")


def readout_never_changes(subject: Subject) -> Iterator[Caught]:
    """A line of the readout that shows the same all the time."""
    plays = subject.plays
    postings = (row for rows in plays.by_account.values() for _, row in rows)
    ids = {(row.entity, row.stat) for row in postings if row.after != row.before}
    moved = {plays.words.account(entity, stat) for entity, stat in ids}
    stats = {name.rpartition(".")[2] for name in moved}
    shown: set[str] = set()
    for index, (item, line) in enumerate(zip(subject.game.readout, plays.lowered.readout, strict=True)):
        if isinstance(item, Bar):
            if item.bar in shown:
                yield Caught(("readout", index), item.bar, f"The bar of {item.bar} is shown a second time.")
            elif item.bar not in moved:
                yield Caught(("readout", index), item.bar, f"The bar of {item.bar} never moves in any run.")
            shown.add(item.bar)
        elif isinstance(line, ReadoutLine):
            values = [plays.program.procedures[handle].result for handle, _ in line.values]
            if values and not any(moves(plays.program, value, stats) for value in values):
                what = f"The line '{item.line}' shows the same in every run, all the time."
                yield Caught(("readout", index), item.line, what)
            elif not values and (told := _MEANT.search(line.pieces[0])):
                what = f"The line '{item.line}' is a plain text: the {told[1] or told[2]} in it never changes."
                yield Caught(("readout", index), item.line, what)
    yield from _copies_left_out(subject, shown, moved)


def _copies_left_out(subject: Subject, shown: set[str], moved: set[str]) -> Iterator[Caught]:
    """Copies whose account moves like that of one that has a bar, and who have none."""
    for bar in sorted(shown):
        kind, bracket, _ = bar.partition("[")
        stat = bar.rpartition(".")[2]
        alike = sorted(name for name in moved if bracket and name.startswith(f"{kind}[") and name.endswith(f"].{stat}"))
        left = [name for name in alike if name not in shown]
        if left and bar in moved and bar == min(name for name in shown if name in alike or name == bar):
            index = next(i for i, item in enumerate(subject.game.readout) if isinstance(item, Bar) and item.bar == bar)
            more = f" and {len(left) - 4} more" if len(left) > 4 else ""
            change, have = ("changes", "has") if len(left) == 1 else ("change", "have")
            what = f"{bar} has a bar; {', '.join(left[:4])}{more} {change} as well and {have} none."
            yield Caught(("readout", index), bar, what, (), "", "note" if len(left) > 8 else None)


def counter_is_stuck(subject: Subject) -> Iterator[Caught]:
    """A counter that is posted to again and again and never leaves two values."""
    plays, facts = subject.plays, subject.facts
    for key, postings in plays.by_account.items():
        path, model = facts.stats.get(key, ((), None))
        if model is None or not model.whole or model.value_type != "number" or len(postings) < 10:
            continue
        values = {value for _, row in postings for value in (row.before, row.after)}
        room = facts.room(*key)
        changes = facts.changes_of(*key)
        if len(values) > 2 or room.high - room.low <= 1.0 or not any(change.mode == "set" for change in changes):
            continue
        name = facts.account(*key)
        seen = " and ".join(number(value) for value in sorted(values))
        what = f"{name} never holds anything but {seen}: it is set, and never added to."
        yield Caught(path, name, what, (f"{len(postings):,} changes in {len(plays.runs)} runs",))


def either_way(subject: Subject) -> Iterator[Caught]:
    """A condition that asks how far one account is from 0 and that holds above as well as below."""
    facts = subject.facts
    for site in facts.conditions:
        if facts.rule_at(site.path) is None:
            continue
        for owner, stat in _far_from_zero(subject, site):
            known = facts.account_between(owner, stat)
            account = facts.account(owner, stat)
            verb = "becomes true" if site.watched else "holds"
            what = f"'{site.formula}' {verb} below 0 as well as above: {account} goes both ways."
            evidence = (f"it is between {number(known.low)} and {number(known.high)}",)
            yield Caught(site.path, facts.name(site.path), what, evidence if math.isfinite(known.low) else ())
            break


def _far_from_zero(subject: Subject, site: FormulaSite) -> Iterator[tuple[str, str]]:
    """The accounts that go both ways, of which a condition asks the size."""
    facts = subject.facts
    for compared in facts.compared(site.path):
        if compared.size and compared.op in (">", ">="):
            accounts = [(owner, stat) for owner, stat in sorted(site.reads) if stat == compared.stat]
            yield from (account for account in accounts if _goes_both_ways(facts, *account))
    # Two sides that are written out are meant.
    if site.either:
        return
    for owner, stat in read_alone(facts, site):
        if _goes_both_ways(facts, owner, stat):
            values = values_to_try(facts, owner, stat)
            below = subject.holds_over(site, owner, stat, [-value for value in values])
            above = subject.holds_over(site, owner, stat, [0.0, *values])
            if below and above and not above[0] and above[-1] and below == above[1:]:
                yield owner, stat


def _goes_both_ways(facts: Facts, owner: str, stat: str) -> bool:
    known = facts.account_between(owner, stat) if (owner, stat) in facts.stats else None
    return known is not None and known.low < 0.0 < known.high


def read_alone(facts: Facts, site: FormulaSite) -> list[tuple[str, str]]:
    """The account of numbers that a condition reads, as (kind, stat) for each kind it is asked of, if it is one."""
    alone = []
    for owner in site.selves or (WORLD,):
        read = [
            (holder, stat)
            for holder, stat in sorted(site.reads)
            if holder in (owner, WORLD) and (holder, stat) in facts.stats and facts.stats[holder, stat][1].is_account
        ]
        numbers = [account for account in read if facts.stats[account][1].value_type == "number"]
        alone += numbers if len(numbers) == 1 else []
    return alone


def values_to_try(facts: Facts, owner: str, stat: str) -> list[float]:
    """Sizes of a stat from small to large: about each number of the file that it may be held against, to its limits."""
    known = facts.account_between(owner, stat)
    ends = [abs(end) for end in (known.low, known.high) if math.isfinite(end)]
    bands = (facts.stats[owner, stat][1].bands or {}).values()
    edges = (end for span in bands for end in (span.low, span.high))
    known_numbers = (*facts.game.dials.numbers, *facts.comparisons.constants, *edges)
    numbers = {abs(value) for value in known_numbers if math.isfinite(value)}
    around = {value * factor for value in numbers | set(ends) | {1.0} for factor in (0.999, 1.0, 1.001)}
    most = max(ends, default=math.inf)
    around |= {most * part / EVENLY for part in range(1, EVENLY)} if math.isfinite(most) else set()
    return sorted(value for value in around if 0.0 < value <= most)[:MOST_TRIED]


CHECKS = (
    Check(
        "C315",
        "either-way",
        "conditions",
        "A rule for a rise that fires on a fall too",
        "The condition reads the size of a change, so what is meant for a rise also happens on a fall of the same "
        "size as well.",
        "Write the side that is meant (x > 5, or x < -5); accept it where both are.",
        either_way,
    ),
    Check(
        "C301",
        "equality-stepped-over",
        "conditions",
        "A value can jump past an == and never equal it",
        "The account changes by more than one at a time, or by fractions: it goes from below the number to above it "
        "without ever being equal, and the rule or ending never comes.",
        "Compare with <= or >=.",
        equality_stepped_over,
        grade="wrong",
    ),
    Check(
        "C303",
        "never-holds",
        "conditions",
        "A condition that can never hold",
        "Within the limits that the file declares the condition is always false, so what it guards never happens.",
        "Change the number, the limit, or the direction of the comparison.",
        never_holds,
        grade="wrong",
    ),
    Check(
        "C304",
        "always-holds",
        "conditions",
        "A condition that always holds",
        "Within the limits that the file declares the condition is always true, so it guards nothing.",
        "Change the number or the direction of the comparison, or leave the condition out.",
        always_holds,
    ),
    Check(
        "C305",
        "never-happened",
        "conditions",
        "Something that never happened",
        "A rule, attack, action, status, band or ending of the file was reached in no run.",
        "See whether something keeps it from happening; if it is only rare, play more runs.",
        never_happened,
        plays=True,
    ),
    Check(
        "C306",
        "status-never-given",
        "conditions",
        "A status that nobody gives",
        "No rule, attack or action gives the status.",
        "Give it ({give: …} or during: …), or take it out.",
        status_never_given,
    ),
    Check(
        "C307",
        "stat-never-read",
        "conditions",
        "A stat that nobody reads",
        "The stat is kept, and nothing depends on it: no formula, damage, cost, readout or measure.",
        "Show it in the readout, use it in a rule, or take it out.",
        stat_never_read,
        grade="note",
    ),
    Check(
        "C308",
        "stat-never-changed",
        "conditions",
        "A stat with limits that nobody changes",
        "The stat has limits or bands, so it should move; nothing in the file changes it.",
        "Add the rule or attack that is missing; a constant is written as a bare number.",
        stat_never_changed,
        grade="note",
    ),
    Check(
        "C309",
        "readout-never-changes",
        "conditions",
        "A line of the readout that never changes",
        "Players see the same number all the time: the readout shows another account than the rules change.",
        "Show the account that changes.",
        readout_never_changes,
        plays=True,
    ),
    Check(
        "C310",
        "counter-is-stuck",
        "conditions",
        "A counter that never leaves two values",
        "The counter is set to the same number again and again instead of being added to.",
        "Write += where = stands.",
        counter_is_stuck,
        plays=True,
    ),
)
