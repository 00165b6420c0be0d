"""The range of play: what chance comes to, what each habit of the file does, what the best that is found does.

Three seeds are apart: one searches, one chooses among searches and prunes, one confirms; only the last is told, as a
search is always too pleased with what it found.
"""

from __future__ import annotations

import math
import time
from collections.abc import Mapping, Sequence
from dataclasses import dataclass, field, replace
from functools import cache
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.habit import NO_HABIT
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.players.candidate import Candidate, CandidateSpace, Played, find_space, habit_of
from mint_ledger.players.ceiling import NOT_ASKED, STOPPED, Ceiling, find_ceiling
from mint_ledger.players.search import JUDGED, HabitSearch, costs_little, least_runs
from mint_ledger.players.skill import SkillCurve, find_skill_curve
from mint_ledger.playing.setting import Setting
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, plain, rate, turned_rate
from mint_ledger.studies.studying import Asked, study_game

if TYPE_CHECKING:
    import pandas as pd

    from mint_ledger.studies.study import Study

CONFIRM = 10_000
# So many runs of so many steps may be searched; more of shorter ones, which take as long, up to so many times more.
SEARCHED_RUNS, STEPS_OF_A_RUN, MOST_MORE = 160_000, 4_000, 75
# Runs of fewer steps are short: then there is time to begin again, once for each so many runs, and so often at most.
SHORT, RUNS_A_RESTART, MOST_RESTARTS = 1_000, 100_000, 6
# Of the runs so much looks for the best; the rest for what each act is worth, which begins from the best.
LOOKING = 0.6
# Nor is any more climbed once so much of them was played.
CLIMBED = 0.75
# To look at all pairs of acts takes as many runs as it takes; where that were so many times those allowed, it is not
# asked what each act is worth: half a search would say that an act is needed that is not.
MOST_BEYOND = 1.25
# So many of what they found are climbed on from, where runs are short; and what is better is judged by more of them.
CLIMBERS, CARE, RUNS_A_CARE = 3, 5, 600_000
# Apart from the seed of all studies: for the search, for the choice, and for what is told.
CHOICE, TOLD = 500_000, 700_000
# What lies as near as this to another rate is as good.
NEAR = 0.01
BEST = "the best found"


@dataclass(frozen=True, repr=False)
class PlayRange(Result):
    """The range of play.

    Attributes:
        like: the habit whose timing, slips and finds all of these players have.
        idle: the wins of one who does nothing, and `at_random` of one who acts at random among what is possible.
        habits: habit of the file → its wins, of those that play the same entities.
        best: the wins of the best habit that was found, with a separate seed: a lower bound of what can be done.
        found: that habit, act by act; `spans` for each of its conditions (act, condition) which thresholds are as good.
        only: act → the wins of the best that was found with it alone; `without`: of the best without it.
        searched: how many runs the search took.
        interrupted: whether it was stopped before it was done.
        ceiling: what can be won at most with this timing, proved where all states can be walked.
        skill: what skill is worth, if that was asked.
        gaps: how many more runs each player wins than one who does nothing, run by run.
        most_only: act → what can be won at most with it alone, `most_without` without it, where all states were walked.
    """

    title: str
    like: str
    runs: int
    seed: int
    sure: float
    idle: Estimate
    at_random: Estimate
    habits: Mapping[str, Estimate]
    best: Estimate
    found: Candidate
    spans: Mapping[tuple[int, int], tuple[float, float]]
    only: Mapping[str, Estimate]
    without: Mapping[str, Estimate]
    searched: int
    base: Mapping[str, Any]
    interrupted: bool = False
    ceiling: Ceiling = NOT_ASKED
    skill: SkillCurve | None = None
    gaps: Mapping[str, Estimate] = field(default_factory=dict)
    most_only: Mapping[str, float] = field(default_factory=dict)
    most_without: Mapping[str, float] = field(default_factory=dict)

    @property
    def unused(self) -> list[str]:
        """The acts that the best that was found never tries."""
        used = {slot.action for slot in self.found}
        return [action for action in self.only if action not in used]

    @property
    def enough(self) -> list[str]:
        """The acts that alone come to within a point of the best: of what can be won at most, where that is proved."""
        if self.most is not None and self.most_only:
            return [action for action, wins in self.most_only.items() if wins >= self.most - NEAR]
        if self.most is not None and self.best.high < self.most - NEAR:
            return []  # the search has not come near to what is possible, so it says nothing of single acts
        return [action for action, wins in self.only.items() if wins.value >= self.best.value - NEAR]

    @property
    def most(self) -> float | None:
        """Return what can be won at most, where that is proved."""
        return self.ceiling.optimum.wins if self.ceiling.optimum is not None else None

    @property
    def needed(self) -> list[str]:
        """The acts without which less can be won, by a point at least: at most where that is proved, else as found."""
        if self.most is not None and self.most_without:
            return [action for action, wins in self.most_without.items() if wins < self.most - NEAR]
        return [action for action, wins in self.without.items() if wins.high < self.best.low - NEAR]

    @property
    def acts_matter(self) -> bool:
        """Return whether anybody who acts certainly wins more, or fewer, than one who does nothing."""
        return any(gap.low > 0.0 or gap.high < 0.0 for gap in self.gaps.values())

    @property
    def worse_than_chance(self) -> list[str]:
        """The habits that certainly win less often than one who acts at random."""
        return [name for name, wins in self.habits.items() if wins.high < self.at_random.low]

    def habit(self) -> dict[str, Any]:
        """The best that was found, as a habit of a game file."""
        wins = f"{100 * self.best.value:.1f} %"
        about = f"the best found with the timing of {self.like}: wins {wins} of {self.runs:,} runs"
        return {"about": about, **habit_of(self.base, self.found)}

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a player: player, wins, low, high."""
        import pandas as pd

        rows = [("idle", self.idle), ("at random", self.at_random), *self.habits.items(), ("best found", self.best)]
        rows += [(f"only {action}", wins) for action, wins in self.only.items()]
        rows += [(f"without {action}", wins) for action, wins in self.without.items()]
        return pd.DataFrame([(n, e.value, e.low, e.high) for n, e in rows], columns=["player", "wins", "low", "high"])

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("players_text.players_text", self)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "like": self.like,
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "idle": plain(self.idle),
            "at_random": plain(self.at_random),
            "habits": {name: plain(wins) for name, wins in self.habits.items()},
            "best": plain(self.best),
            "found": self.habit(),
            "flat": [
                {"act": act, "condition": condition, "low": low, "high": high}
                for (act, condition), (low, high) in self.spans.items()
            ],
            "only": {name: plain(wins) for name, wins in self.only.items()},
            "without": {name: plain(wins) for name, wins in self.without.items()},
            "needed": self.needed,
            "enough": self.enough,
            "unused": self.unused,
            "acts_matter": self.acts_matter,
            "worse_than_chance": self.worse_than_chance,
            "searched_runs": self.searched,
            "at_most": self.ceiling.as_json(),
            "at_most_only": dict(self.most_only),
            "at_most_without": dict(self.most_without),
            "gaps": {name: plain(gap) for name, gap in self.gaps.items()},
            "interrupted": self.interrupted,
            "skill": self.skill.as_json() if self.skill else None,
        }


def _walked_parts(
    game: PlayableGame, space: CandidateSpace, ceiling: Ceiling
) -> tuple[dict[str, float], dict[str, float]]:
    """What can be won at most with each act alone and without it, where all states were walked with all of them."""
    if ceiling.optimum is None or len(space.actions) < 2:
        return {}, {}
    known: dict[tuple[str, ...], Ceiling] = {}

    def most(part: CandidateSpace) -> float | None:
        if part.actions not in known:
            known[part.actions] = find_ceiling(game, part)
        optimum = known[part.actions].optimum
        return optimum.wins if optimum is not None else None

    only = {action: most(space.alone(action)) for action in space.actions}
    without = {action: most(space.without(action)) for action in space.actions}
    return tuple({a: wins for a, wins in part.items() if wins is not None} for part in (only, without))  # type: ignore[return-value]


def _fewer(one: Candidate, other: Candidate) -> bool:
    """Return whether the one makes do with fewer acts."""
    return len({slot.action for slot in one}) < len({slot.action for slot in other})


def _best_apart(played: Played, found: Sequence[Candidate], seed: int, care: int) -> list[Candidate]:
    """Those that play each in its own way, the best first, with a separate seed."""
    courses = {candidate: played.play(candidate, JUDGED * care, seed + CHOICE) for candidate in found}
    apart = {course.marks: candidate for candidate, course in reversed(courses.items())}
    return sorted(apart.values(), key=lambda candidate: -float(courses[candidate].won.mean()))


def find_range(
    game: PlayableGame,
    like: str,
    setting: Setting,
    runs: int = CONFIRM,
    most_runs: int | None = None,
    seconds: float = math.inf,
    progress: Progress | None = None,
    *,
    skill: bool = False,
) -> PlayRange:
    """Find the floor and the ceiling of play; see `Game.play_range`."""
    if runs < 100:
        raise BadRequest(f"what is found is confirmed with 100 runs at least, not with {runs:,}")
    turned = setting.of(game)
    space = find_space(turned, like)
    played = Played(turned, space)
    steps = played.steps(setting.seed)
    if most_runs is None:
        most_runs = round(SEARCHED_RUNS * min(max(STEPS_OF_A_RUN / steps, 1.0), MOST_MORE))
    restarts = min(most_runs // RUNS_A_RESTART, MOST_RESTARTS)
    began = time.monotonic()
    until, looks_until = began + seconds, began + seconds * LOOKING
    interrupted = False
    best: Candidate = ()
    parts = [(("only", action), space.alone(action)) for action in space.actions]
    if len(space.actions) > 1:
        parts += [(("without", action), space.without(action)) for action in space.actions]
    # Of two acts, one alone is the best without the other.
    distinct = {part.actions for _, part in parts}
    is_short = steps < SHORT and restarts > 1
    searches = restarts if is_short else 1
    # Of short runs half of the looking is climbing.
    looking = most_runs * LOOKING / (2 * searches if is_short else 1)
    shares = round(looking), round(most_runs * (1 - LOOKING) / max(len(distinct), 1))
    tried: list[Candidate] = []
    care = min(CARE, max(most_runs // RUNS_A_CARE, 1)) if is_short else 1
    last = HabitSearch(played, setting.seed, shares[0], looks_until, progress, care=care)

    def looked_enough() -> bool:
        return played.runs >= most_runs * LOOKING or time.monotonic() >= looks_until

    others: dict[tuple[str, str], Candidate] = {}
    try:
        tried.append(last.built(()))
        for restart in range(1, searches):
            if looked_enough():
                break
            last = HabitSearch(played, setting.seed + 10_000 * restart, shares[0], looks_until, progress, care=care)
            tried.append(last.built([last.run(())]))
        if is_short and not looked_enough():
            # And again from what all of them found.
            last = HabitSearch(played, setting.seed + 10_000 * restarts, shares[0], looks_until, progress, care=care)
            tried.append(last.built([last.run(tried)]))
            # Then from the best of them to whatever is higher among all neighbors; those that play alike count as one.
            begins = _best_apart(played, tried, setting.seed, care)[:CLIMBERS]
            tried = [last.climbed(candidate, round(most_runs * CLIMBED)) for candidate in begins]
        if len(tried) > 1:
            tried = _best_apart(played, tried, setting.seed, care)
        best = last.polished(last.pruned(tried[0]))
        by_acts: dict[tuple[str, ...], Candidate] = {}
        wanted = sum(least_runs(part) for part in {part.actions: part for _, part in parts}.values())
        if played.runs + wanted > MOST_BEYOND * most_runs:
            parts = []
        for what, part in parts:
            if part.actions not in by_acts and time.monotonic() >= until:
                others.clear()  # what some acts are worth says nothing of the others
                break
            if part.actions not in by_acts:
                begin = tuple(slot for slot in best if slot.action in part.actions)
                search = HabitSearch(played, setting.seed + 20_000, shares[1], until, progress, care=care)
                by_acts[part.actions] = search.built([begin], part)
            others[what] = by_acts[part.actions]
        # What was found with fewer acts is a habit like any other, and the better one where it costs nothing.
        judge = last.judge(best, setting.seed + CHOICE)
        gaps = {one: judge.gap(one) for one in by_acts.values()}
        higher = [
            one for one, (gap, half) in gaps.items() if gap > 0.0 or (_fewer(one, best) and costs_little(gap, half))
        ]
        if higher:
            best = last.polished(last.pruned(max(higher, key=lambda one: gaps[one][0])))
    except KeyboardInterrupt:
        interrupted = True
        # The search that was under way may not have come far yet.
        best = best or _best_apart(played, [*tried, last.best], setting.seed, care)[0]
    spans = {} if interrupted or time.monotonic() >= until else last.flat(best)
    ceiling = NOT_ASKED
    if not interrupted and time.monotonic() < until:
        try:
            ceiling = find_ceiling(turned, space, seconds=until - time.monotonic())
        except KeyboardInterrupt:
            ceiling = STOPPED

    @cache
    def won_by(candidate: Candidate) -> Any:
        return played.wins(candidate, runs, setting.seed + TOLD)

    def told(candidate: Candidate) -> Estimate:
        return rate(int(won_by(candidate).sum()), runs, setting.sure)

    @cache
    def study_of(habit: str) -> Study:
        fresh = Setting(setting.seed + TOLD, habit, sure=setting.sure)
        game_ = played.game if habit == played.random else turned
        return study_game(game_, runs, fresh, Asked((), ()))

    def of_habit(habit: str) -> Estimate:
        return study_of(habit).rate("win")

    def gap_to_idle(won: Any) -> Estimate:
        """All of them have the same luck, so what differs is seen run by run."""
        idle = study_of(NO_HABIT).has("win")
        return turned_rate(int((won & ~idle).sum()), int((idle & ~won).sum()), runs, setting.sure)

    entities = turned.lowered.habit_players[like]
    players = turned.lowered.habit_players
    same = [name for name in game.habits if players.get(name) == entities]
    searched, confirmed = played.runs, told(best)
    leads = {habit: gap_to_idle(study_of(habit).has("win")) for habit in (played.random, *same)}
    leads[BEST] = gap_to_idle(won_by(best) > 0)
    most_only, most_without = _walked_parts(turned, space, ceiling)
    found = PlayRange(
        title=setting.title(turned),
        like=like,
        runs=runs,
        seed=setting.seed,
        sure=setting.sure,
        idle=of_habit(NO_HABIT),
        at_random=of_habit(played.random),
        habits={name: of_habit(name) for name in same},
        best=confirmed,
        found=best,
        spans=spans,
        only={action: told(candidate) for (how, action), candidate in others.items() if how == "only"},
        without={action: told(candidate) for (how, action), candidate in others.items() if how == "without"},
        searched=searched,
        base=space.base,
        interrupted=interrupted,
        ceiling=ceiling,
        gaps=leads,
        most_only=most_only,
        most_without=most_without,
    )
    if not skill or interrupted:
        return found
    habits = {BEST: found.habit(), **{name: turned.source.data["habits"][name] for name in same}}
    fresh = Setting(setting.seed + TOLD, like, sure=setting.sure)
    return replace(
        found, skill=find_skill_curve(turned, habits, (found.at_random, found.idle), fresh, progress=progress)
    )
