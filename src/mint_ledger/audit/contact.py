"""Mistakes with contact and time: drains, safe times, the length of a step, durations and periods."""

from __future__ import annotations

import math
from collections.abc import Iterator

from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.subject import Subject
from mint_ledger.journal.wording import number
from mint_ledger.lowering.sites import RuleSite
from mint_ledger.lowering.timer import MOST_IN_A_STEP
from mint_ledger.playing.setting import Setting
from mint_ledger.program.handle import Path
from mint_ledger.studies.student import normal_quantile
from mint_ledger.studies.study import Study
from mint_ledger.studies.studying import study_game

STEP = "clock.step"
PARTS = ("kinds", "stats", "attacks", "actions", "statuses", "rules")
DURATIONS = ("every", "first", "lasts", "cooldown", "safe_for", "after", "after_limit", "for")
# A difference that two studies show for certain, and that is large enough to matter.
MATTERS = 0.05
SHARE = 0.25


def contact_drains(subject: Subject) -> Iterator[Caught]:
    """A held contact posts in each step, with nothing that spaces the hits."""
    yield from _draining_attacks(subject)
    for rule in subject.facts.rules:
        if rule.hears_any("in_contact", "while") and not rule.spaced:
            yield from _draining_postings(subject, rule)


def _draining_attacks(subject: Subject) -> Iterator[Caught]:
    facts = subject.facts
    for name, attack in facts.sites.attacks.items():
        if not attack.in_contact or attack.cooldown is not None or attack.damage is None:
            continue
        for (owner, stat), attacks in facts.layers.items():
            safe = owner in facts.sites.safe_after_hits and not attack.skips_safety
            if name not in attacks or safe:
                continue
            high = facts.between(("attacks", name, "damage"), attack.damage).high
            yield from _drain(subject, ("attacks", name), name, owner, stat, high)


def _draining_postings(subject: Subject, rule: RuleSite) -> Iterator[Caught]:
    facts = subject.facts
    for change in facts.changes:
        # What stands under an `if` of the `do` need not come in each step.
        if change.path[:-1] != (*rule.path, "do") or change.mode != "subtract" or change.amount is None:
            continue
        high = facts.between(change.path, change.amount).high
        for owner in change.owners[:1]:
            yield from _drain(subject, change.path, rule.title, owner, change.stat, high)


def _drain(subject: Subject, path: Path, name: str, owner: str, stat: str, each: float) -> Iterator[Caught]:
    _, model = subject.facts.stats[owner, stat]
    full = model.start.number if model.start is not None else None
    account = subject.facts.account(owner, stat)
    if full is None or not 0.0 < each < math.inf or full <= 0.0:
        return
    steps = math.ceil(full / each)
    seconds = steps * subject.step
    if seconds >= 5.0 and steps > 20:
        return
    time = f"{steps} step{'s' if steps != 1 else ''}"
    span = "" if subject.unit == "turns" else f" ({number(seconds)} s)"
    what = f"'{name}' takes from {account} in every step of a held contact: {number(full)} are gone in {time}{span}."
    yield Caught(path, name, what, (f"{number(each)} a step, {number(1 / subject.step)} steps a second",))


def safe_time_too_short(subject: Subject) -> Iterator[Caught]:
    """A safe time that is shorter than a step ends before the next hit can come."""
    for path, seconds in _durations(subject):
        if path[-1] == "safe_for" and 0.0 < seconds < subject.step:
            name = subject.facts.name(path[:-1])
            what = f"A safe time of {number(seconds)} s is over before the next step: it keeps no hit off."
            yield Caught(path, name, what, (f"a step is {number(subject.step, 4)} s long",))


def uneven_duration(subject: Subject) -> Iterator[Caught]:
    """A duration that is no whole number of steps lasts longer than the file says."""
    for path, seconds in _durations(subject):
        steps = seconds / subject.step
        if seconds < subject.step or abs(steps - round(steps)) < 1e-6:
            continue
        played = math.ceil(steps - 1e-6) * subject.step
        name = subject.facts.name(path)
        unit = subject.unit
        said, length = number(seconds, 4), number(played, 4)
        what = f"{name} says {said} {unit} and is played as {length} {unit}: things happen at steps."
        yield Caught(path, name, what, (f"a step is {number(subject.step, 4)} {unit}: {number(steps)} steps",))


def period_too_short(subject: Subject) -> Iterator[Caught]:
    """A period that is shorter than a step cannot be kept."""
    for path, seconds in _durations(subject):
        if path[-1] == "every" and 0.0 < seconds < subject.step:
            name = subject.facts.name(path[:-2] if path[-2] == "when" else path[:-1])
            each = subject.step / seconds
            what = f"{name} wants to happen every {seconds:.4g} {subject.unit}, {each:,.4g} times in each step."
            seen = [f"a step is {number(subject.step, 4)} {subject.unit} long"]
            if each > MOST_IN_A_STEP:
                seen.append(f"a run stops where something is due more than {MOST_IN_A_STEP:,} times in one step")
            yield Caught(path, name, what, tuple(seen))


def _durations(subject: Subject) -> Iterator[tuple[Path, float]]:
    """The numbers of the file that are seconds (or turns), each once."""
    dials = subject.game.lowered.program.dials
    for path, value, follows in zip(dials.paths, dials.numbers, dials.follows, strict=True):
        taken_over = dials.paths[follows] != path
        if path[-1] in DURATIONS and path[0] in PARTS and not taken_over:
            yield path, value


def step_length_matters(subject: Subject) -> Iterator[Caught]:
    """With twice as many steps a second the game has another outcome; half as many are told beside it."""
    if subject.game.clock.unit == "turn":
        return
    step = subject.step
    setting = Setting(subject.seed, next(iter(subject.game.habits), None))
    usual = study_game(subject.game, subject.runs, setting)

    def stepped(length: float) -> list[tuple[str, float]]:
        return _differences(
            subject, usual, study_game(subject.game, subject.runs, setting.with_dials({STEP: length})), length
        )

    finer = stepped(step / 2)
    if not finer:
        return  # shorter steps change nothing, so the step is short enough
    coarser = stepped(step * 2)
    options = f"{'--habit ' + setting.habit if setting.habit else ''} --set {STEP}={step / 2:g}".strip()
    what = f"With another number of steps a second the game plays out differently; now a step is {number(step, 4)} s."
    shown = (*(line for line, _ in finer[:3]), *(line for line, _ in coarser[:2]))
    chance = min(chance for _, chance in finer)
    yield Caught(("clock",), STEP, what, shown, f"--seed {subject.seed} {options}", chance=chance)


def _differences(subject: Subject, usual: Study, other: Study, length: float) -> list[tuple[str, float]]:
    """What studies with steps of two lengths differ in by so much that it matters, and how likely chance does that."""
    lines = []
    for result in ("win", "lose"):
        one, two = usual.rate(result), other.rate(result)
        subject.chances.tests += 1
        if (one.low > two.high or two.low > one.high) and abs(one.value - two.value) > MATTERS:
            line = (
                f"{result}: {100 * one.value:.0f} % ({100 * one.low:.0f} to {100 * one.high:.0f}), with steps of "
                f"{number(length, 4)} s {100 * two.value:.0f} % ({100 * two.low:.0f} to {100 * two.high:.0f})"
            )
            both = (one.value + two.value) / 2.0
            error = math.sqrt(2.0 * both * (1.0 - both) / one.runs)
            lines.append((line, _two_sided(one.value - two.value, error)))
    for account in usual.accounts:
        one_by, two_by = (study.by_cause(account).set_index("cause") for study in (usual, other))
        for cause in one_by.index.intersection(two_by.index):
            a, b = one_by.loc[cause], two_by.loc[cause]
            subject.chances.tests += 1
            apart = a["low"] > b["high"] or b["low"] > a["high"]
            if apart and abs(a["total"] - b["total"]) > SHARE * max(abs(a["total"]), abs(b["total"])):
                line = (
                    f"'{cause}' changes {account} by {number(a['total'])} a run, with steps of {number(length, 4)} s "
                    f"by {number(b['total'])}"
                )
                halves = [(row["high"] - row["low"]) / 2.0 / _normal(usual.sure) for row in (a, b)]
                lines.append((line, _two_sided(a["total"] - b["total"], math.hypot(*halves))))
    return lines


def _two_sided(difference: float, error: float) -> float:
    """Return how likely a difference as large is by chance."""
    return math.erfc(abs(difference) / error / math.sqrt(2.0)) if error else 0.0


def _normal(sure: float) -> float:
    return normal_quantile((1.0 + sure) / 2.0)


CHECKS = (
    Check(
        "T201",
        "contact-drains",
        "contact and time",
        "Contact takes from the stat in every step",
        "Whoever keeps touching, or for as long as the condition holds, pays in each step, twenty or sixty times a "
        "second: the stat is gone at once.",
        "Give the attack a cooldown or the target a safe time; for a rule use 'cooldown', 'every', or 'meets'.",
        contact_drains,
        grade="wrong",
    ),
    Check(
        "T202",
        "safe-time-too-short",
        "contact and time",
        "A safe time shorter than a step",
        "The safe time is over before the next step begins, so that nobody is ever safe.",
        "Make the safe time a few steps long at least.",
        safe_time_too_short,
    ),
    Check(
        "T203",
        "step-length-matters",
        "contact and time",
        "The result changes with the length of a step",
        "Something is written per step and not per second, or is so quick that steps are too long for it: on another "
        "machine, or with another clock, it is another game.",
        "Write rates as recover or fade, or with 'every', or make the step shorter until it no longer matters.",
        step_length_matters,
        plays=True,
        tries=True,
    ),
    Check(
        "T204",
        "uneven-duration",
        "contact and time",
        "A duration that is no whole number of steps",
        "Things happen at steps, so the duration is played as the next longer number of steps.",
        "Write a multiple of the step.",
        uneven_duration,
        grade="note",
    ),
    Check(
        "T205",
        "period-too-short",
        "contact and time",
        "A period shorter than a step",
        "What should happen several times in a step comes in lumps, or only once a step.",
        "Make the period a step long at least, and the amount larger; or use recover and fade.",
        period_too_short,
    ),
)
