"""Gathers what a report shows: studies, targets, what would fix them, ends, the course, income, matchups, findings."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from pathlib import Path
from typing import TYPE_CHECKING, Any

from mint_ledger.audit.audit import make_audit
from mint_ledger.balance.matchup import Breakpoint, Matchup, Matchups, breakpoints, make_matchups
from mint_ledger.balance.matchup_curve import MatchupCurves, make_curves
from mint_ledger.balance.sweep import PATIENCE, Point, Sweep, sweep_ranges
from mint_ledger.balance.targets import Judged, judge_targets
from mint_ledger.errors import MintError
from mint_ledger.game.dials import plain_value
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.run import play_run
from mint_ledger.playing.setting import Setting, titled
from mint_ledger.report.fixing import Fix, find_fix, most_missed
from mint_ledger.studies.budget import Budget, Progress
from mint_ledger.studies.course import Course, find_course
from mint_ledger.studies.ends import Ends, find_ends
from mint_ledger.studies.estimate import CONFIDENCE, checked_sure
from mint_ledger.studies.income import Income, find_income
from mint_ledger.studies.store import Store
from mint_ledger.studies.studying import Asked, study_game
from mint_ledger.versions import versions

if TYPE_CHECKING:
    from mint_ledger.audit.audit import Audit
    from mint_ledger.playing.run import Run
    from mint_ledger.studies.study import Study

GRID = 80
MOST_STUDIES = 12
MOST_FIGHTS = 60
MOST_BREAKPOINTS = 6
AUDIT_RUNS = 20
LOOKED = 10_000
CURVE_POINTS = 12


@dataclass(frozen=True)
class ReportPart:
    """One way of playing the game, with one set of dials."""

    habit: str | None
    variant: str | None
    study: Study

    @property
    def name(self) -> str:
        """The habit and the variant."""
        return " · ".join(filter(None, (self.habit, self.variant))) or "as it is"


@dataclass(frozen=True)
class Edge:
    """Where over the range of a dial the hits to defeat change."""

    dial: str
    today: float
    attack: str
    target: str
    found: tuple[Breakpoint, ...]


@dataclass(frozen=True)
class Report:
    """What a report shows.

    Attributes:
        parts: the habits as the file has them first, then with each variant.
        typical: a run near the middle of the first habit's.
        worst: its worst, by the lowest value of what players live by, or the earliest loss.
        fix: what would fix the target that is missed most; none where none is missed, or nothing was found.
        ends: where and why runs end, of each habit as the file has it.
        courses: the course by level, of each habit, in games that have several levels.
        income: what comes in and goes out of an account that players pay with; none where there is none.
        curves: hits to defeat over a dial, where there is an edge.
        command: what makes the report again.
        versions: of what its numbers depend on.
    """

    game: PlayableGame
    runs: int
    seed: int
    sure: float
    parts: tuple[ReportPart, ...]
    judged: tuple[Judged, ...]
    matchups: Matchups
    edges: tuple[Edge, ...]
    audit: Audit
    typical: Run
    worst: Run
    worst_by: str
    sweeps: tuple[Sweep, ...]
    fix: Fix | None
    ends: tuple[Ends, ...]
    courses: tuple[Course, ...]
    income: Income | None
    curves: MatchupCurves | None
    command: str
    versions: Mapping[str, str]


def gather(
    game: PlayableGame,
    *,
    runs: int = 2_000,
    seed: int = 1,
    sure: float = CONFIDENCE,
    dials: Mapping[str, str] | None = None,
    store: str | Path | None = None,
    command: str = "",
    progress: Progress | None = None,
) -> Report:
    """Play all that a report shows.

    Args:
        game: the game.
        runs: how many runs of each habit and variant, and at each point of a sweep.
        seed: the seed of all.
        sure: the chance with which each interval and verdict holds.
        dials: ranges of dials to sweep, like {"crab.bite": "8..16"}, each by itself.
        store: an SQLite file; sweeps that it keeps of this game are shown too.
        command: what makes the report again, as it is told.
        progress: called with (steps done, steps in all).

    Raises:
        NotFound: there is no such dial.
        BadRequest: a range is none, the number of runs or `sure` makes no sense, or the store cannot be used.
        RunStopped: a run of the game could not go on.
    """
    checked_sure(sure)
    ways = _ways(game)
    wanted = [*(dials or {})]
    habits = [habit for habit, variant in ways if variant is None]
    total = len(ways) + 5 + 2 * len(habits) + len(wanted)
    done = 0

    def step() -> None:
        nonlocal done
        done += 1
        if progress is not None:
            progress(done, total)

    parts = []
    for habit, variant in ways:
        parts.append(ReportPart(habit, variant, _study(game, runs, Setting(seed, habit, variant, sure=sure))))
        step()
    judged = judge_targets(game, runs, seed, sure=sure) if game.all_targets else []
    step()
    worst_target = most_missed(judged)
    fix = find_fix(game, worst_target, seed, sure) if worst_target is not None else None
    step()
    ends, courses = [], []
    looked, several = min(runs, LOOKED), len(game.lowered.levels) > 1
    for habit in habits:
        ends.append(find_ends(game, looked, Setting(seed, habit, sure=sure)))
        step()
        if several:
            courses.append(find_course(game, looked, Setting(seed, habit, sure=sure), "level"))
        step()
    income = _income(game, looked, Setting(seed, habits[0], sure=sure))
    matchups = make_matchups(game, most=MOST_FIGHTS)
    edges = _edges(game, matchups)
    step()
    audit = make_audit(game, runs=AUDIT_RUNS)
    step()
    typical, worst, worst_by = _runs(game, parts[0])
    step()
    sweeps = []
    for name in wanted:
        sweeps.append(_sweep(game, name, (dials or {})[name], runs, Setting(seed, parts[0].habit, sure=sure), store))
        step()
    if store is not None:
        sweeps += stored_sweeps(game, store, leave_out=wanted)
    return Report(
        game=game,
        runs=runs,
        seed=seed,
        sure=sure,
        parts=tuple(parts),
        judged=tuple(judged),
        matchups=matchups,
        edges=tuple(edges),
        audit=audit,
        typical=typical,
        worst=worst,
        worst_by=worst_by,
        sweeps=tuple(sweeps),
        fix=fix,
        ends=tuple(ends),
        courses=tuple(courses),
        income=income,
        curves=_curves(game, edges),
        command=command,
        versions=versions(),
    )


def _income(game: PlayableGame, runs: int, setting: Setting) -> Income | None:
    """Return what players pay with: the first stat that an action costs whoever plays."""
    lowered = game.lowered
    players = [lowered.program.cast.member_of(entity) for some in lowered.habit_players.values() for entity in some]
    for member in dict.fromkeys(player.name for player in players if player is not None):
        for action in lowered.sites.actions.values():
            if member in action.doers and action.costs:
                account = f"{lowered.program.cast.entity_name(lowered.program.cast.members[member].first)}"
                return find_income(game, f"{account}.{action.costs[0]}", runs, setting)
    return None


def _curves(game: PlayableGame, edges: Sequence[Edge]) -> MatchupCurves | None:
    """Hits and seconds over the dial of the first edge, where all its settings make a game."""
    if not edges:
        return None
    top = max(2.0 * edges[0].today, 4.0)
    values = [plain_value(top * place / CURVE_POINTS) for place in range(CURVE_POINTS + 1)]
    try:
        return make_curves(game, {edges[0].dial: values}, f"{edges[0].attack}:{edges[0].target.partition('[')[0]}")
    except MintError:
        return None


def _ways(game: PlayableGame) -> list[tuple[str | None, str | None]]:
    habits: list[str | None] = [*game.habits] or [None]
    turned: list[str | None] = [None, *game.variants]
    return [(habit, variant) for variant in turned for habit in habits][:MOST_STUDIES]


def _study(game: PlayableGame, runs: int, setting: Setting) -> Study:
    clock = game.clock
    steps = max(1, round(clock.limit / clock.step))
    every = max(1, steps // GRID)
    times = [step * clock.step for step in range(0, steps + 1, every)] if setting.variant is None else []
    return study_game(game, runs, setting, Asked(times=times))


def _sweep(game: PlayableGame, name: str, values: str, runs: int, setting: Setting, store: str | Path | None) -> Sweep:
    texts = list(dict.fromkeys(["rate(win)", *(t.measure for t in game.all_targets if t.variant is None)]))
    return sweep_ranges(game, {name: values}, texts, Budget(runs, PATIENCE), setting, store=store)


def _edges(game: PlayableGame, matchups: Matchups) -> list[Edge]:
    """For each pair that can be worked out the armor of its target, or the damage of its attack."""
    edges: dict[tuple[str, str, str], Edge] = {}
    for pair in matchups.pairs:
        dial = _dial_of(game, pair)
        if not pair.exact or pair.hits is None or dial is None or len(edges) == MOST_BREAKPOINTS:
            continue
        today = game.dials.value(dial)
        # From nothing (of damage: from the first step) to twice as much, in whole steps where it is whole.
        top = max(2 * today, 4.0)
        step = 1.0 if today == int(today) and top <= 60 else top / 24
        values = [round(step * index, 12) for index in range(int(top / step + 1e-9) + 1)]
        values = values[1:] if dial.endswith(".damage") else values
        points = breakpoints(game, dial, values, pair.attack, pair.target)
        edges[dial, pair.attack, pair.target] = Edge(dial, today, pair.attack, pair.target, tuple(points))
    return list(edges.values())


def _dial_of(game: PlayableGame, pair: Matchup) -> str | None:
    names = set(game.dials.names)
    target = pair.target.partition("[")[0]
    options = (f"{target}.when_hit.armor", f"{pair.attack}.damage")
    return next((name for name in options if name in names), None)


def _runs(game: PlayableGame, part: ReportPart) -> tuple[Run, Run, str]:
    """A typical run, the worst run, and by what it is the worst."""
    import numpy as np

    study, setting = part.study, Setting(part.study.seed, part.habit)
    table = study.measures
    alike = (table["ending"] == table["ending"].value_counts().index[0]).to_numpy()
    times = table["time"].to_numpy()
    typical = int(np.where(alike, abs(times - np.median(times[alike])), np.inf).argmin())
    lost = (table["result"] == "lose").to_numpy()
    if lost.any():
        worst, by = int(np.where(lost, times, np.inf).argmin()), "the earliest loss"
    else:
        worst, by = int(times.argmax()), "the longest"
    return (
        play_run(game, setting, typical),
        play_run(game, setting, worst),
        by,
    )


def stored_sweeps(game: PlayableGame, store: str | Path, leave_out: Sequence[str] = ()) -> list[Sweep]:
    """The sweeps over one dial that a store keeps of a game as it is now: studies that differ in that dial alone.

    Raises:
        BadRequest: the store cannot be used.
    """
    text = game.to_yaml()
    groups: dict[tuple[str, str | None, int], dict[float, Any]] = {}
    with Store(store) as opened:
        for entry in opened.entries():
            request = entry.request
            if request.text == text and len(request.dials) == 1 and request.dials[0][0] not in leave_out:
                name, value = request.dials[0]
                if isinstance(value, str) or name in game.dials.formulas:
                    continue
                known = groups.setdefault((name, request.habit, request.seed), {})
                if value not in known or known[value].runs < entry.runs:
                    known[value] = entry
        sweeps = []
        for (name, habit, seed), entries in groups.items():
            if len(entries) < 3:
                continue
            points = []
            for value in sorted(entries):
                study = opened.show(entries[value].number)
                points.append(Point({name: value}, {"rate(win)": study.rate("win")}, ()))
            title = titled(game.title, game.lowered, habit)
            least = min(entry.runs for entry in entries.values())
            today = {name: game.dials.value(name)}
            sweeps.append(Sweep(title, seed, least, (name,), ("rate(win)",), today, tuple(points)))
    return sweeps
