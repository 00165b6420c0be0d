"""Who gets what: an award that goes to one copy whoever earns it, and counts that copies share by mistake."""

from __future__ import annotations

from collections import Counter
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from itertools import pairwise

from mint_ledger.audit.facts import WORLD, Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.plays import Play
from mint_ledger.audit.subject import Subject
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Cause
from mint_ledger.program.row import WHATS, Row

# So often at least, and for two copies at least, before it is no accident that one gets it all.
OFTEN = 4
MOST_SEATS = 12


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
    felled: list[tuple[float, float]] = []
    for row in play.rows:
        what = WHATS[int(row.what)]
        if what in ("gone", "hit", "contact") and row.by > 0:
            last[row.entity] = (row.step, row.by)
            if what == "gone":
                felled = [*(one for one in felled if one[0] == row.step), (row.step, row.by)]
        elif what == "posting" and row.cause >= 0 and row.after > row.before:
            step, by = last.get(row.by, (-1.0, row.by)) if row.by > 0 else (-1.0, 0.0)
            # A rule of the game gives it: for whoever felled one, if that was one alone.
            game_gives = [one for one in felled if one[0] == row.step] if row.by <= 0 else []
            if row.by > 0 or len(game_gives) == 1:
                yield row, int(by if step == row.step else row.by if row.by > 0 else game_gives[0][1])


def done_for_all_who_tie(subject: Subject) -> Iterator[Caught]:
    """A step for the one with the highest or lowest value was done for several, since these tied; mostly it was one."""
    facts, plays = subject.facts, subject.plays
    for site in facts.sites.extremes.values():
        rule = facts.rule_at(site.path)
        owner = rule.path if rule is not None else site.path[:2]
        inside = [one for one in facts.sites.postings.values() if one.path[: len(site.path)] == site.path]
        stats = {(owner, one.stat) for one in inside}
        attacks = {("attacks", name) for name in site.attacks}
        times, tied = 0, 0
        example: tuple[Play, set[int]] | None = None
        for play in plays.runs:
            struck: dict[tuple[float, float], set[int]] = {}
            for row in play.rows:
                member = facts.cast.member_of(int(row.entity))
                if member is None or member.name not in site.kinds or row.cause < 0:
                    continue
                what, cause = WHATS[int(row.what)], plays.program.causes[int(row.cause)].path
                if (what == "hit" and cause in attacks) or (
                    what == "posting" and (cause, plays.words.stat(row.stat)) in stats
                ):
                    struck.setdefault((row.step, row.by), set()).add(int(row.entity))
            several = [who for who in struck.values() if len(who) > 1]
            times, tied = times + len(struck), tied + len(several)
            example = example or ((play, several[0]) if several else None)
        # Where all tie mostly, it is meant for all of them.
        if example is not None and 2 * tied <= times:
            play, who = example
            names = " and ".join(sorted(plays.words.entity(entity) for entity in who))
            what = f"{names} had the same value, so '{facts.name(site.path)}' was done for each of them."
            yield Caught(site.path, facts.name(site.path), what, (f"{tied:,} of {times:,} times",), plays.replay(play))


def shared_by_copies(subject: Subject) -> Iterator[Caught]:
    """Copies that count into one account of the game, and each of which goes by that alone."""
    facts = subject.facts
    for site in facts.conditions:
        kinds = [kind for kind in site.selves if len(facts.cast.members[kind].entities) > 1]
        if not kinds or not _removes_itself(facts, site.path):
            continue
        for owner, stat in sorted(site.reads):
            # What wears off is no count.
            if owner != WORLD or facts.stats[WORLD, stat][1].flow is not None:
                continue
            counts = [c for c in facts.changes_of(WORLD, stat) if set(kinds) & {*c.selves, *c.others}]
            if counts:
                what = f"Each {kinds[0]} counts into {stat} of the game and goes as '{site.formula}': they share it."
                evidence = (f"'{facts.name(counts[0].path)}' changes {stat}",)
                yield Caught(site.path, facts.name(site.path), what, evidence)


def _removes_itself(facts: Facts, path: Path) -> bool:
    """Return whether whoever a condition is asked of goes, or spends a life, when it holds."""
    rule = facts.rule_at(path)
    return bool(facts.steps("remove self", below=path if rule is None else rule.path)) or "lives" in path[2:3]


def award_after_the_turn(subject: Subject) -> Iterator[Caught]:
    """An award that asks whose turn it is once the turn has passed, so that the next player gets it."""
    plays = subject.plays
    if subject.game.clock.unit != "turn":
        return
    for name, marks in _turn_marks(subject).items():
        after: Counter[tuple[int, float]] = Counter()
        apart: set[tuple[int, float]] = set()
        turns = sum(len(steps) for steps in marks)
        for play, steps in zip(plays.runs, marks, strict=True):
            for index, row in enumerate(play.rows):
                if row.what != 0.0 or row.cause < 0 or row.after <= row.before:
                    continue
                if row.entity == 0.0 and plays.words.stat(row.stat) == name:
                    continue
                if steps.get(row.step, len(play.rows)) < index:
                    after[int(row.cause), row.stat] += 1
                else:
                    apart.add((int(row.cause), row.stat))
        for (cause, stat), count in after.items():
            award = plays.program.causes[cause]
            # What comes with nearly every turn is given for the turn that begins.
            if (cause, stat) in apart or not OFTEN <= count < 0.9 * turns or not _asks(subject.facts, award, name):
                continue
            passes = "the turn has passed" if name == "whose" else f"{name} has moved on"
            what = (
                f"'{award.name}' asks whose turn it is once {passes} in that step, so the next one gets what it gives."
            )
            evidence = (f"{count:,} times in {len(plays.runs)} runs, and never before",)
            yield Caught(award.path, award.name, what, evidence, plays.replay(plays.runs[0]))


def _turn_marks(subject: Subject) -> dict[str, list[dict[float, int]]]:
    """Where in each run the turn passes: the row, by its step. A stat that goes round and round is a turn as well."""
    plays = subject.plays
    marks: dict[str, list[dict[float, int]]] = {}
    courses: dict[float, list[dict[float, int]]] = {}
    values: dict[float, list[list[float]]] = {}
    for number, play in enumerate(plays.runs):
        for index, row in enumerate(play.rows):
            what = WHATS[int(row.what)]
            # A step that begins with it is played by whose turn it is from then on.
            inside = index > 0 and play.rows[index - 1].step == row.step
            if what == "turn" and inside:
                marks.setdefault("whose", [{} for _ in plays.runs])[number].setdefault(row.step, index)
            elif what == "posting" and row.entity == 0.0 and row.cause >= 0:
                known = courses.setdefault(row.stat, [{} for _ in plays.runs])
                if inside:
                    known[number].setdefault(row.step, index)
                values.setdefault(row.stat, [[] for _ in plays.runs])[number].append(row.after)
    for stat, course in courses.items():
        if all(_goes_round(run) for run in values[stat]):
            marks[plays.words.stat(stat)] = course
    return marks


def _goes_round(values: list[float]) -> bool:
    """Return whether values come in the same order again and again: 1, 0, 1, 0 and more."""
    places = sorted(set(values))
    size = len(places)
    return (
        2 <= size <= MOST_SEATS
        and len(values) >= 2 * size
        and all(places.index(two) == (places.index(one) + 1) % size for one, two in pairwise(values))
    )


def _asks(facts: Facts, cause: Cause, name: str) -> bool:
    """Return whether what stands at a cause's place asks for a name, or posts to whom it means."""
    if name == "whose":
        return any(path[: len(cause.path)] == cause.path for path in facts.sites.turns)
    return any(stat == name for _, stat in facts.read_by(cause.path))


def guarantee_by_each(subject: Subject) -> Iterator[Caught]:
    """A branch that is sure by so many drawings, which whoever draws never makes before it is gone."""
    plays = subject.plays
    numbered = enumerate(plays.program.causes)
    causes = {(cause.path[1], cause.path[3]): index for index, cause in numbered if _drawn(cause)}
    for lot in plays.lowered.lots:
        branches = {} if lot.shared else {causes[lot.name, name]: (name, by) for name, by in lot.sure_by.items()}
        seen = [(play, _drawings(play, lot.name, plays.program.causes)) for play in plays.runs] if branches else []
        for cause, (branch, sure_by) in branches.items():
            most = max((count for _, drawings in seen for count in drawings.lives.values()), default=0)
            play, drawings = max(seen, key=lambda pair: pair[1].longest_without(cause))
            without = drawings.longest_without(cause)
            if most < sure_by <= min(without, len(drawings.gone)):
                often = "once" if most == 1 else f"{most} times at most"
                what = (
                    f"'{branch}' of the lot '{lot.name}' is sure by drawing {sure_by}, but each one who draws counts "
                    f"for itself, draws {often} and is gone: it was sure in none of {len(plays.runs)} runs."
                )
                evidence = (f"{without:,} drawings without it, one after another, in one run",)
                yield Caught(("lots", lot.name, "of", branch, "sure_by"), lot.name, what, evidence, plays.replay(play))


def _drawn(cause: Cause) -> bool:
    return cause.sort == "branch" and cause.path[:1] == ("lots",) and len(cause.path) > 3


@dataclass(slots=True)
class _Drawings:
    """The drawings of a lot in a run: the branches that came, how often each drew in its life, and who is gone."""

    came: list[int] = field(default_factory=list)
    lives: dict[tuple[int, int], int] = field(default_factory=dict)
    gone: set[tuple[int, int]] = field(default_factory=set)

    def longest_without(self, cause: int) -> int:
        """The most drawings on end in which a branch did not come."""
        longest = now = 0
        for came in self.came:
            now = 0 if came == cause else now + 1
            longest = max(longest, now)
        return longest


def _drawings(play: Play, lot: str, causes: Sequence[Cause]) -> _Drawings:
    drawings, life, left = _Drawings(), Counter[int](), set[tuple[int, int]]()
    for row in play.rows:
        what, entity = WHATS[int(row.what)], int(row.entity)
        if what == "spawn":
            life[entity] += 1
        elif what == "gone":
            left.add((entity, life[entity]))
        elif what == "lot" and causes[int(row.cause)].path[1] == lot:
            drawings.came.append(int(row.cause))
            one = (entity, life[entity])
            drawings.lives[one] = drawings.lives.get(one, 0) + 1
    drawings.gone = left & set(drawings.lives)
    return drawings


CHECKS = (
    Check(
        "F524",
        "done-for-all-who-tie",
        "fairness and flow",
        "On a tie two are struck instead of one",
        "A step is done for each one whose value is the highest (or lowest) of all. Mostly that is one, but where two "
        "have the same value it is done for both.",
        "Choose one: {one: mason, most: other.noise, ties: random, do: […]}, or 'aims: {most: other.noise}'.",
        done_for_all_who_tie,
        plays=True,
    ),
    Check(
        "F514",
        "goes-to-one-copy",
        "fairness and flow",
        "What several copies earn goes to one of them",
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
        "Each copy is judged by an account of the game into which all of them count, so it reacts to what others did.",
        "Move the stat under the kind, so that each copy has its own.",
        shared_by_copies,
    ),
    Check(
        "F516",
        "guarantee-by-each",
        "fairness and flow",
        "A guarantee that never comes",
        "Each entity counts its own drawings, and leaves before there are enough of them.",
        "Let all drawings count as one: `shared: true` in the lot; or draw it for whoever stays.",
        guarantee_by_each,
        plays=True,
        grade="wrong",
    ),
    Check(
        "F519",
        "award-after-the-turn",
        "fairness and flow",
        "An award that comes after the turn has passed",
        "What a player earns is booked to whose turn it is, and by then it is the next one's turn.",
        "Let the turn pass last: give the cue that passes it after the award, in the rule or in a later one.",
        award_after_the_turn,
        plays=True,
    ),
)
