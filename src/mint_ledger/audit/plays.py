"""Plays a game for an audit: every habit in every variant, some runs each, with the journal of each run."""

from __future__ import annotations

import contextlib
import math
import time
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, field
from functools import cached_property

from mint_ledger.audit.others import Others, play_others
from mint_ledger.engines.native.engine import CannotGoOn, NativePlayer, native_code
from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import BadRequest, Fault, GameError, RunStopped
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.lower import open_lowering
from mint_ledger.lowering.lowered import Lowered
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.lowering.rule import rule_count
from mint_ledger.playing.session import Session
from mint_ledger.playing.setting import Setting, habit_starts
from mint_ledger.program.handle import Path
from mint_ledger.program.program import Program
from mint_ledger.program.row import WHATS, Row
from mint_ledger.studies.budget import Progress

# The reference engine, which tells how deep reactions go, plays these in half a second.
WATCHED_STEPS = 2_000
OTHERS = "players other than the habits"


@dataclass(frozen=True, slots=True)
class Play:
    """One run: how it was played, its journal, and how it ended."""

    habit: str | None
    variant: str | None
    run: int
    rows: Sequence[Row] = field(repr=False)
    state: Sequence[float] = field(repr=False)
    time: float
    result: str
    ending: str
    winner: str


@dataclass(frozen=True, slots=True)
class Stop:
    """A run that could not go on, and why; the reason is the same for all that stop for it, whatever they read."""

    habit: str | None
    variant: str | None
    run: int
    message: str
    reason: str


@dataclass(frozen=True)
class AuditRuns:
    """The runs of an audit. The programs of all variants have the same causes, accounts and columns.

    `unplayed` says which runs there was no time for; it is empty where there was.
    """

    lowered: Lowered
    seed: int
    runs: tuple[Play, ...]
    stops: tuple[Stop, ...]
    deepest: tuple[float, ...] = ()
    others: Others = field(default_factory=Others)
    unplayed: str = ""

    @property
    def program(self) -> Program:
        """The program, whose numbers the rows use."""
        return self.lowered.program

    @cached_property
    def words(self) -> Words:
        """Return what the numbers of rows are called."""
        return Words(self.program)

    def rule_count(self, path: Path) -> int:
        """Return how often a rule was carried out, in all runs."""
        column = self.program.layout.column(rule_count(path))
        return int(sum(play.state[column.base] for play in self.runs))

    def postings(self) -> Iterator[tuple[Play, Row]]:
        """All postings of all runs."""
        return ((play, row) for play in self.runs for row in play.rows if row.what == 0.0)

    @cached_property
    def by_account(self) -> dict[tuple[str, str], list[tuple[Play, Row]]]:
        """The postings of all runs, by (kind, stat); the kind of the world's own accounts is empty."""
        single: dict[tuple[float, float], list[tuple[Play, Row]]] = {}
        for play in self.runs:
            for row in play.rows:
                if row.what == 0.0:
                    single.setdefault((row.entity, row.stat), []).append((play, row))
        by_kind: dict[tuple[str, str], list[tuple[Play, Row]]] = {}
        for (entity, stat), rows in single.items():
            member = self.program.cast.member_of(int(entity))
            by_kind.setdefault((member.name if member is not None else "", self.words.stat(stat)), []).extend(rows)
        return by_kind

    @cached_property
    def seen(self) -> frozenset[tuple[str, str]]:
        """Return what happened in any run: (hit, attack), (act, action), (status, name) and more."""
        pairs = {(int(row.what), int(row.cause)) for play in self.runs for row in play.rows}
        return frozenset((WHATS[what], self.program.causes[cause].name) for what, cause in pairs if cause >= 0)

    def replay(self, play: Play | Stop) -> str:
        """The options of `mint-ledger run` that play a run again."""
        parts = [f"--seed {self.seed}", f"--run {play.run}" if play.run else ""]
        parts += [f"--habit {play.habit}" if play.habit else "", f"--variant {play.variant}" if play.variant else ""]
        return " ".join(part for part in parts if part)

    def share(self, runs: int) -> str:
        """A number of runs as `12 of 80 runs`."""
        return f"{runs} of {len(self.runs)} runs"


def play_all(
    game: PlayableGame,
    runs: int,
    seed: int,
    progress: Progress | None = None,
    ends: float = math.inf,
    *,
    quick: bool = False,
) -> AuditRuns:
    """Play a game by every habit in every variant.

    Args:
        game: the game.
        runs: how many runs of each habit and variant.
        seed: the seed of all of them.
        progress: is told how many runs are done, and how many there are to be.
        ends: no further run is begun after this moment of the monotonic clock; each habit in the game as it is plays
            one at least.
        quick: look only briefly for chains of reactions, and play the habits alone.
    """
    variants: list[str | None] = [None, *game.variants]
    habits: list[str | None] = [*game.habits] or [None]
    plays: list[Play] = []
    stops: list[Stop] = []
    first: Lowered | None = None
    for variant in variants:
        if variant is not None and time.monotonic() > ends:
            break
        lowered = _counting(game.with_variant(variant) if variant else game)
        first = first or lowered
        code = native_code(lowered.program)
        for habit in habits:
            starts = habit_starts(lowered, habit)
            player = NativePlayer(code, lowered.program.dials.numbers, seed=seed, starts=starts)
            for run in range(runs):
                if time.monotonic() > ends and (run or variant is not None):
                    break
                try:
                    rows = player.journal(run)
                except CannotGoOn:
                    engine = ReferenceEngine(lowered.program, seed=seed, run=run, starts=starts)
                    stops.append(Stop(habit, variant, run, *_why(engine)))
                    continue
                plays.append(_play(lowered, habit, variant, run, rows, player.state.tolist()))
                if progress is not None:
                    progress(len(plays) + len(stops), runs * len(variants) * len(habits))
    assert first is not None
    wanted, played = runs * len(variants) * len(habits), len(plays) + len(stops)
    if time.monotonic() > ends:
        unplayed = f"{wanted - played} of {wanted} runs, {OTHERS}"
        return AuditRuns(first, seed, tuple(plays), tuple(stops), unplayed=unplayed)
    others = Others() if quick else play_others(game, _counting, runs, seed)
    longest = _longest_chain(first, habits, seed, WATCHED_STEPS // 10 if quick else WATCHED_STEPS)
    return AuditRuns(first, seed, tuple(plays), (*stops, *_stress(game)), longest, others, OTHERS if quick else "")


def _longest_chain(lowered: Lowered, habits: Sequence[str | None], seed: int, steps: int) -> tuple[float, ...]:
    """The causes of the longest chain of reactions in the first steps of a run by each habit."""
    longest: tuple[float, ...] = ()
    for habit in habits:
        engine = ReferenceEngine(lowered.program, seed=seed, journal=False, starts=habit_starts(lowered, habit))
        with contextlib.suppress(RunStopped):
            engine.open()
            while not engine.is_over and engine.step_number < steps:
                engine.step()
        longest = max(longest, engine.deepest, key=len)
    return longest


def _counting(game: PlayableGame) -> Lowered:
    lowering, lowered = open_lowering(game, counts_rules=True)
    if isinstance(lowering, Fault):
        raise GameError([lowering])
    if lowering.faults or lowered is None:
        raise GameError(lowering.faults)
    return lowered


def _why(engine: ReferenceEngine) -> tuple[str, str]:
    """Return the message with which a run stops, and the reason without its time and values."""
    try:
        engine.play()
    except RunStopped as stop:
        return str(stop), stop.reason
    return "it could not go on", ""


def _play(
    lowered: Lowered, habit: str | None, variant: str | None, run: int, rows: Sequence[Row], state: list[float]
) -> Play:
    program = lowered.program
    number = int(state[program.columns.ending.base])
    ended = 0 <= number < len(program.endings)
    return Play(
        habit,
        variant,
        run,
        rows,
        state,
        Words(program).seconds(state[program.columns.step.base]),
        program.endings[number].result if ended else "unfinished",
        program.endings[number].name if ended else "",
        program.cast.entity_name(int(state[program.columns.winner.base])),
    )


def _stress(game: PlayableGame) -> Iterator[Stop]:
    """Let each attack, action, status and cue happen by itself, so that one that stops the run is found."""
    session = Session(game, Setting(), only_script=True)
    cast = session.lowered.program.cast
    happenings: list[dict[str, object]] = [{"cue": cue} for cue in session.cues]
    for name, action in game.actions.items():
        happenings += [{"act": name, "by": cast.entity_name(m.first)} for m in cast.families(action.by) if m.room]
    for name, attack in game.attacks.items():
        strikers = [cast.entity_name(m.first) for m in cast.families(attack.from_) if m.room]
        targets = [cast.entity_name(m.first) for m in cast.families(attack.to) if m.room]
        happenings += [{"hit": t, "with": name, "by": s, "sure": True} for s in strikers for t in targets]
    for status in game.statuses:
        happenings += [{"give": status, "to": cast.entity_name(m.first)} for m in cast.members.values() if m.room]
    for happening in happenings:
        if session.is_over:
            session.undo()
        try:
            session.do(happening)
        except BadRequest:
            continue
        except RunStopped as stop:
            yield Stop(None, None, 0, f"as {' '.join(map(str, happening.values()))} is tried: {stop}", stop.reason)
