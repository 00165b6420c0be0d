"""What is without effect: players who never act, statuses that change nothing, playtests that ask after the end."""

from __future__ import annotations

from collections.abc import Iterator

from mint_ledger.audit.acts import gave_with_none
from mint_ledger.audit.facts import Facts
from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.subject import Subject
from mint_ledger.balance.playtest_study import play_tests
from mint_ledger.errors import MintError
from mint_ledger.lowering.sites import ActSite
from mint_ledger.program.row import WHATS


def nobody_plays(subject: Subject) -> Iterator[Caught]:
    """A game with actions and without a habit: in its runs nothing is ever done."""
    game = subject.game
    if game.actions and not game.habits:
        names = ", ".join(list(game.actions)[:4])
        what = f"The game has actions ({names}) and no habit, so nobody does any of them in a run or a study."
        yield Caught(("actions",), "actions", what)


def habit_never_acts(subject: Subject) -> Iterator[Caught]:
    """A habit that has acts and did none of them in any run."""
    plays = subject.plays
    players = subject.game.lowered.habit_players
    for name, acts in subject.facts.sites.acts.items():
        runs = [play for play in plays.runs if play.habit == name]
        if not acts or not runs:
            continue
        acting = {act.action for act in acts}
        if any(
            WHATS[int(row.what)] in ("act", "slip")
            and int(row.entity) in players[name]
            and plays.words.cause(row.cause) in acting
            for play in runs
            for row in play.rows
        ):
            continue
        what = f"Players of the habit '{name}' did nothing in any of {len(runs)} runs."
        certain = all(_cannot(subject.facts, act) for act in acts)
        yield Caught(("habits", name), name, what, (), plays.replay(runs[0]), "wrong" if certain else None)


def _cannot(facts: Facts, act: ActSite) -> bool:
    """Return whether an act was never done though nothing holds it back, or is held back by what can never hold."""
    action = facts.sites.actions[act.action]
    asked = [guard for path in ((*act.path, "if"), ("actions", act.action, "needs")) for guard in facts.asked_at(path)]
    if any(facts.between(guard.path, guard.formula).never for guard in asked):
        return True
    for stat, price in action.prices:
        least = facts.between(("actions", act.action, "costs", stat), price).low
        if all(least > facts.account_between(kind, stat).high for kind in action.doers):
            return True
    return not asked and not action.prices


def status_without_effect(subject: Subject) -> Iterator[Caught]:
    """A status that only changes stats, given to somebody who has none of them."""
    plays, cast = subject.plays, subject.facts.cast
    told: set[tuple[str, str]] = set()
    for play in plays.runs:
        for row in play.rows:
            if WHATS[int(row.what)] != "status":
                continue
            name, member = plays.words.cause(row.cause), cast.member_of(int(row.entity))
            status = subject.game.statuses.get(name)
            if status is None or member is None or (name, member.name) in told or not status.changes:
                continue
            if status.blocks or status.do or set(status.changes) & set(member.kind.stats):
                continue
            told.add((name, member.name))
            lacks = " and ".join(status.changes)
            what = f"{member.name} is given '{name}', which changes {lacks} alone, and {member.name} has no such stat."
            yield Caught(("statuses", name), name, what, (), plays.replay(play))


def asks_after_the_end(subject: Subject) -> Iterator[Caught]:
    """A playtest that expects something at a time that its run never comes to."""
    if not subject.game.playtests:
        return
    try:
        results = play_tests(subject.game)
    except MintError:
        return
    for result in results:
        for found in result.found:
            if found.over_at is not None:
                what = f"The playtest '{result.name}' asks {found.at}, and its run is over at {found.over_at}."
                yield Caught(("playtests", result.name), result.name, what, (f"expected: {found.expected}",))
                break


def gives_with_none(subject: Subject) -> Iterator[Caught]:
    """An action that takes from an account in which nothing is left, and still has its effect."""
    plays = subject.plays
    told = set(subject.plays.others.gave_with_none)
    for action, account, given in sorted(told):
        yield _gave(action, account, given, "")
    done = {(action, account) for action, account, _ in told}
    for play in plays.runs:
        for action, account, given in sorted(gave_with_none(plays.words, play.rows)):
            if (action, account) not in done:
                done.add((action, account))
                yield _gave(action, account, given, plays.replay(play))


def _gave(action: str, account: str, given: str, replay: str) -> Caught:
    what = f"{action} is done with no {account} left, which it takes, and still {given}."
    return Caught(("actions", action), action, what, (), replay)


CHECKS = (
    Check(
        "F513",
        "gives-with-none",
        "fairness and flow",
        "An action that gives with nothing to take from",
        "The action takes something in its 'do'; with none left the taking is cut at the limit and the rest happens "
        "all the same, so it costs nothing.",
        "Write what it takes as its cost, or ask for it in 'needs'.",
        gives_with_none,
        plays=True,
    ),
    Check(
        "F511",
        "nobody-plays",
        "fairness and flow",
        "Actions, and nobody to do them",
        "Simulated players do what their habit says. Without a habit nobody acts, and runs and studies show a game in"
        " which nothing is done.",
        "Write a habit for those who act; 'mint-ledger try' lets you play by hand meanwhile.",
        nobody_plays,
    ),
    Check(
        "F512",
        "habit-never-acts",
        "fairness and flow",
        "A habit that never acts",
        "None of its acts could ever be done, or their conditions never held: its players stand still.",
        "Check what its acts need, their 'if', and who the habit is for ('by').",
        habit_never_acts,
        plays=True,
    ),
    Check(
        "C312",
        "status-without-effect",
        "conditions",
        "A status that changes what its bearer lacks",
        "All that the status does is to change a stat, and whoever was given it has no such stat.",
        "Give it to those who have the stat, or name the stat that is meant.",
        status_without_effect,
        plays=True,
        grade="wrong",
    ),
    Check(
        "C313",
        "asks-after-the-end",
        "conditions",
        "A playtest that asks after the end",
        "The run has ended before the time at which something is expected; the expectation is checked against how it "
        "ended.",
        "Ask earlier or 'at: end', or let the game start so that it goes on for longer.",
        asks_after_the_end,
        plays=True,
        grade="wrong",
    ),
)
