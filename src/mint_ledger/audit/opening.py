"""Mistakes with the opening: what holds from the start and so never becomes true, and what that leaves undone."""

from __future__ import annotations

from collections.abc import Iterator

from mint_ledger.audit.facts import WORLD, Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.subject import Subject
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import RunStopped
from mint_ledger.formula import Formula
from mint_ledger.journal.books import all_accounts
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.rule import VALUES, rule_procedure
from mint_ledger.lowering.sites import RuleSite
from mint_ledger.program.handle import Path

# Rules that set things right at the start have done so by then.
FIRST_STEPS = 3


def true_from_the_start(subject: Subject) -> Iterator[Caught]:
    """What should become true already holds as the game opens, and so does not become true."""
    facts = subject.facts
    for rule, site in facts.edges:
        if not rule.hears_any("becomes") or _come_later(facts, rule) or _fires_later(subject, rule):
            continue
        for owner in rule.selves or (WORLD,):
            if subject.holds_at_opening(site.formula, owner):
                what = f"'{site.formula}' already holds as the game opens, so it does not become true."
                yield Caught(site.path, rule.title, what)
                break


def _fires_later(subject: Subject, rule: RuleSite) -> bool:
    """Return whether runs show that the rule rightly waits for the next time."""
    if subject.play is None:
        return False
    try:
        return subject.plays.rule_count(rule.path) > 0
    except StopIteration:
        return False  # its kind has no entities


def _come_later(facts: Facts, rule: RuleSite) -> bool:
    """Return whether none of those that have a rule is there as the game opens."""
    members = facts.cast.members
    return bool(rule.selves) and all(not members[owner].kind.copy_count for owner in rule.selves)


def opened_inside(subject: Subject) -> Iterator[Caught]:
    """A rule of an edge sets how something stands; the game opens past the edge, and with another value."""
    facts = subject.facts
    for rule, site in facts.edges:
        if rule.comes_once or _come_later(facts, rule):
            continue
        for owner in rule.selves or (WORLD,):
            if subject.holds_at_opening(site.formula, owner):
                left = _left_undone(subject, rule.path, site.formula, owner)
                if left is not None:
                    account, is_now, would_be = left
                    condition = str(site.formula).replace("'", "")
                    what = (
                        f"'{condition}' holds as the game opens, so '{rule.title}' has not come yet: {account} is "
                        f"{is_now}, and once it has come it would be {would_be}."
                    )
                    yield Caught(rule.path, rule.title, what)
                    break


def _left_undone(subject: Subject, path: Path, formula: Formula, owner: str) -> tuple[str, str, str] | None:
    """The account that a rule would set otherwise than it stands as the game has opened, and both values.

    None where carrying it out a second time changes something again: what counts up, or is given each time, rightly
    waits for its edge; how something stands does not.
    """
    engine = subject.opening
    moment = engine.snapshot()
    try:
        for _ in range(FIRST_STEPS):
            if not engine.is_over:
                engine.step()
        entity = next(iter(subject.there(owner)), None)
        if engine.is_over or entity is None or not subject.holds_at_opening(formula, owner):
            return None
        before = _standing(engine)
        arguments = (float(entity), -1.0, float(entity), *[0.0] * len(VALUES))
        engine.ask(rule_procedure(path), *arguments)
        once, over = _standing(engine), engine.is_over
        engine.ask(rule_procedure(path), *arguments)
        twice = _standing(engine)
    except RunStopped:
        return None
    finally:
        engine.restore(moment)
    changed = [name for name, value in once.items() if value != before[name]]
    if over or once != twice or not changed:
        return None
    return changed[0], before[changed[0]], once[changed[0]]


def _standing(engine: ReferenceEngine) -> dict[str, str]:
    """Return how everything stands: accounts, and who has which status."""
    program, state = engine.program, engine.state
    words = Words(program)
    standing = {}
    for key in all_accounts(program):
        value = state[program.accounts[key.stat].column.offset + key.entity]
        standing[words.account(key.entity, key.stat)] = words.value(key.entity, key.stat, value)
    for status in program.statuses:
        for entity in range(1, program.cast.size):
            has = state[status.has.offset + entity] != 0.0
            standing[f"'{status.name}' of {words.entity(entity)}"] = "there" if has else "missing"
    return standing


CHECKS = (
    Check(
        "C302",
        "true-from-the-start",
        "conditions",
        "A 'becomes' that holds from the start",
        "A condition becomes true when it was false before. This one holds as the game opens, so the rule waits until "
        "it has been false once.",
        "Change the start, or the condition; for what should happen at once use 'when: start'.",
        true_from_the_start,
    ),
    Check(
        "C316",
        "opened-inside",
        "conditions",
        "Starts beyond its trigger, so the rule never fires",
        "A rule sets something when a band is entered or a condition becomes true. The game starts inside, so the "
        "rule does not fire, and what it sets is wrong from the first step.",
        "Open with what the rule would set (the stat's start), or set it in a rule with 'when: start' as well.",
        opened_inside,
    ),
)
