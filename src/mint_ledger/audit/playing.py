"""What a search for the best habit shows of a game's acts: useless ones, one that is enough, and waiting that is.

It takes long, so it is looked for only where that is asked.
"""

from __future__ import annotations

from collections.abc import Iterator

from mint_ledger.audit.finding import Caught, Check
from mint_ledger.audit.subject import Subject
from mint_ledger.errors import MintError
from mint_ledger.players.range import NEAR, PlayRange, find_range
from mint_ledger.playing.setting import Setting
from mint_ledger.studies.estimate import Estimate

SEARCHED_RUNS, RUNS = 60_000, 4_000
# Below it nothing is said of what acts are worth: a game that is hardly ever won may be lost by other things.
OFTEN = 0.1


def _ranges(subject: Subject) -> list[PlayRange]:
    """The range of play of each sort of player, with the timing of the first of its habits."""
    players = subject.game.lowered.habit_players
    first = {entities: name for name, entities in reversed(list(players.items())) if entities}
    found = []
    for habit in sorted(first.values(), key=list(players).index):
        try:
            found.append(find_range(subject.game, habit, Setting(subject.seed, habit), RUNS, SEARCHED_RUNS))
        except MintError:
            # Players without actions, and games that stop, are told of elsewhere.
            continue
    return found


def _told(wins: Estimate) -> str:
    return f"{100 * wins.value:.1f} % ({100 * wins.low:.1f} to {100 * wins.high:.1f})"


def act_never_used(subject: Subject) -> Iterator[Caught]:
    """An action that the best that is found never tries, and without which it is as good."""
    for play in subject.once(_ranges):
        if not play.acts_matter or play.best.value < OFTEN:
            continue
        for action in play.unused:
            without = play.without.get(action)
            if without is None or without.value < play.best.value - NEAR or action in play.needed:
                continue
            what = f"The best that was found never does '{action}', and without it wins as often: {_told(without)}."
            evidence = f"timing of '{play.like}'; the best found wins {_told(play.best)}"
            yield Caught(("actions", action), action, what, (evidence,))


def one_act_suffices(subject: Subject) -> Iterator[Caught]:
    """An action that alone comes to as much as the best that is found with all."""
    for play in subject.once(_ranges):
        if not play.acts_matter or play.best.value < OFTEN or len(play.only) < 2:
            continue
        for action in play.enough:
            if play.most is not None and action in play.most_only:
                alone, all_of = 100 * play.most_only[action], 100 * play.most
                what = (
                    f"'{action}' alone wins {alone:.1f} % at most, all actions together {all_of:.1f} %, in all states."
                )
            else:
                what = f"'{action}' alone wins {_told(play.only[action])}; with all actions it is {_told(play.best)}."
            evidence = f"timing of '{play.like}'; the others: {', '.join(a for a in play.only if a != action)}"
            yield Caught(("actions", action), action, what, (evidence,))


def waiting_suffices(subject: Subject) -> Iterator[Caught]:
    """Doing nothing at all wins as often as the best that is found."""
    for play in subject.once(_ranges):
        if play.idle.value >= OFTEN and play.idle.low >= play.best.value - NEAR:
            what = f"Who does nothing wins {_told(play.idle)}, and the best that was found {_told(play.best)}."
            yield Caught(("habits", play.like), play.like, what, (f"timing of '{play.like}'",))


def worse_than_chance(subject: Subject) -> Iterator[Caught]:
    """A habit that wins less often than acts at random."""
    for play in subject.once(_ranges):
        for name in play.worse_than_chance:
            wins = _told(play.habits[name])
            what = f"Players of '{name}' win {wins}; who acts at random wins {_told(play.at_random)}."
            yield Caught(("habits", name), name, what, (f"at random with the timing of '{play.like}'",))


CHECKS = (
    Check(
        "F520",
        "act-never-used",
        "fairness and flow",
        "An action that nobody needs",
        "The best player found never does it, and loses nothing without it: it has no use.",
        "Let it do what nothing else does, or make it cheaper; or take it out.",
        act_never_used,
        plays=True,
        tries=True,
        searches=True,
    ),
    Check(
        "F521",
        "one-act-suffices",
        "fairness and flow",
        "One action that is enough",
        "A player who repeats this one action wins as often as one who chooses among all: there is no choice to make.",
        "Let it cost more or do less, or let the others answer what it cannot.",
        one_act_suffices,
        plays=True,
        tries=True,
        searches=True,
    ),
    Check(
        "F522",
        "waiting-suffices",
        "fairness and flow",
        "Waiting that is enough",
        "A player who does nothing wins as often as one who plays well: the game is decided without its player.",
        "Let something be lost by waiting, or only be won by acting.",
        waiting_suffices,
        plays=True,
        tries=True,
        searches=True,
    ),
    Check(
        "F523",
        "worse-than-chance",
        "fairness and flow",
        "A habit that plays worse than chance",
        "Results for this habit describe players who would do better by acting at random.",
        "Check the order of its acts and their conditions; 'mint-ledger players' shows what would be better.",
        worse_than_chance,
        plays=True,
        tries=True,
        searches=True,
    ),
)
