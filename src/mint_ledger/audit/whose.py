"""Who gets what: an award that goes to one copy whoever earns it, and counts that copies share by mistake."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field

from mint_ledger.audit.facts import WORLD, Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.plays import Play
from mint_ledger.audit.subject import Subject
from mint_ledger.game.do import RemoveDo
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Cause
from mint_ledger.program.row import WHATS, Row

# So often at least, and for two copies at least, before it is no accident that one gets it all.
OFTEN = 4


@dataclass(slots=True)
class _Award:
    """Who got what a cause gives to a kind, and who had earned it."""

    play: Play
    got: set[int] = field(default_factory=set)
    earned: set[int] = field(default_factory=set)
    count: int = 0


def goes_to_one_copy(subject: Subject) -> Iterator[Caught]:
    """A gain that several copies earn and that the same one of them always gets."""
    plays, cast = subject.plays, subject.facts.cast
    awards: dict[tuple[Cause, str, str], _Award] = {}
    for play in plays.runs:
        for row, earner in _gains(play):
            member, by = cast.member_of(int(row.entity)), cast.member_of(earner)
            if member is None or by is None or member.name != by.name or len(member.entities) < 2:
                continue
            key = (plays.program.causes[int(row.cause)], member.name, plays.words.stat(row.stat))
            award = awards.setdefault(key, _Award(play))
            award.got.add(int(row.entity))
            award.earned.add(earner)
            award.count += 1
    for (cause, _, stat), award in awards.items():
        if len(award.got) == 1 and len(award.earned) > 1 and award.count >= OFTEN:
            [one] = award.got
            name = f"{plays.words.entity(one)}.{stat}"
            who = " and ".join(sorted(plays.words.entity(entity) for entity in award.earned))
            what = f"'{cause.name}' adds to {name} whoever earns it: {who} did."
            evidence = (f"{award.count:,} times in {len(plays.runs)} runs, always to {plays.words.entity(one)}",)
            yield Caught(cause.path, cause.name, what, evidence, plays.replay(award.play))


def _gains(play: Play) -> Iterator[tuple[Row, int]]:
    """Each gain that something gives, and who earned it: who did it, or who struck down or met whoever gives it."""
    last: dict[float, tuple[float, float]] = {}
    for row in play.rows:
        what = WHATS[int(row.what)]
        if what in ("gone", "hit", "contact") and row.by > 0:
            last[row.entity] = (row.step, row.by)
        elif what == "posting" and row.cause >= 0 and row.by > 0 and row.after > row.before:
            step, by = last.get(row.by, (-1.0, row.by))
            yield row, int(by if step == row.step else row.by)


def shared_by_copies(subject: Subject) -> Iterator[Caught]:
    """Copies that count into one account of the game, and each of which goes by that alone."""
    facts = subject.facts
    for fact in facts.conditions:
        kinds = [kind for kind in fact.owners if len(facts.cast.members[kind].entities) > 1]
        if not kinds or not _removes_itself(facts, fact.path):
            continue
        for stat in sorted(facts.names_in(fact.formula)):
            if (WORLD, stat) not in facts.stats or any((kind, stat) in facts.stats for kind in kinds):
                continue
            counts = [change for change in facts.changes_of(WORLD, stat) if change.path[:2] == fact.path[:2]]
            if counts:
                what = f"Each {kinds[0]} counts into {stat} of the game and goes as '{fact.formula}': they share it."
                evidence = (f"'{facts.name(counts[0].path)}' changes {stat}",)
                yield Caught(fact.path, facts.name(fact.path), what, evidence)


def _removes_itself(facts: Facts, path: Path) -> bool:
    """Whether whoever a condition is asked of goes when it holds."""
    if path[-1] in ("gone_if", "spent_if"):
        return True
    rule = facts.rule_at(path)
    return rule is not None and any(isinstance(item, RemoveDo) and item.remove == "self" for item in rule.do)


CHECKS = (
    Check(
        "F514",
        "goes-to-one-copy",
        "fairness and flow",
        "What several earn goes to one of them",
        "Several copies do what is rewarded, and the reward is always booked to the same one.",
        "Name whoever did it (other, or self), not a copy by its number.",
        goes_to_one_copy,
        plays=True,
    ),
    Check(
        "F515",
        "shared-by-copies",
        "fairness and flow",
        "One count for all copies",
        "Each copy is judged by an account of the game into which all of them count, so it goes for what others did.",
        "Move the stat under the kind, so that each copy has its own.",
        shared_by_copies,
    ),
)
