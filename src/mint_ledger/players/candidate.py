"""Habits that a search may try: acts in an order, each with conditions on what the player can see.

All of them are one program: which act stands in which place, what it looks at, which way and where, are dials. So a
candidate is played without being lowered or compiled.
"""

from __future__ import annotations

import copy
import json
import math
from collections.abc import Iterable, Iterator, Mapping
from dataclasses import dataclass
from itertools import groupby
from typing import Any, NamedTuple

import numpy as np

from mint_ledger.engines.native.engine import CannotGoOn, NativePlayer, make_code
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.facts.bounds import bounds_of
from mint_ledger.game.source import Source
from mint_ledger.journal.wording import number
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.playing.setting import Setting
from mint_ledger.program.expressions import Constant, Dial
from mint_ledger.program.program import scripts_of
from mint_ledger.studies.request import StudyRequest, prepare_game
from mint_ledger.studies.studying import Asked, study_game

SEARCHED, RANDOM = "searched", "searched at random"
# So many acts at most, each with so many conditions; thresholds are sixteenths of the range.
SLOTS, TERMS, PARTS = 6, 2, 16
MOST_FEATURES = 16
MOST_COUNTED = 4
ROOM, SAMPLED = 4_000, 200
# Where in what is taken of a run it stands how it ended, and in which step.
ENDED, LASTED = 0, 2
# A threshold that is not to be met by what stands on it exactly.
BELOW = 1e-6

Flags = np.ndarray[Any, np.dtype[np.bool_]]


@dataclass(frozen=True, slots=True, order=True)
class Term:
    """A condition: what is looked at, whether it has to lie below the threshold (or not), and the threshold."""

    feature: str
    below: bool
    threshold: float

    @property
    def words(self) -> str:
        """As it stands in a file."""
        return f"{self.feature} {'<' if self.below else '>='} {number(self.threshold, 4)}"


@dataclass(frozen=True, slots=True)
class Slot:
    """An act with its conditions."""

    action: str
    terms: tuple[Term, ...] = ()

    @property
    def words(self) -> str:
        """`sip if health < 45`."""
        return self.action + (f" if {' and '.join(term.words for term in self.terms)}" if self.terms else "")


Candidate = tuple[Slot, ...]


def tidy(slots: Iterable[Slot]) -> Candidate:
    """Without what can never be come to, or changes nothing: an act again behind its own without a condition, or right
    before it.
    """
    kept: list[Slot] = []
    always: set[str] = set()
    for slot in map(_in_order, slots):
        if slot.action not in always:
            while not slot.terms and kept and kept[-1].action == slot.action:
                kept.pop()
            kept.append(slot)
            if not slot.terms:
                always.add(slot.action)
    # Conditions of the same act next to each other may stand in any order.
    groups = (
        sorted(set(group), key=lambda slot: slot.terms) for _, group in groupby(kept, key=lambda slot: slot.action)
    )
    return tuple(slot for group in groups for slot in group)[:SLOTS]


def _in_order(slot: Slot) -> Slot:
    """With its conditions in order, and of those that look at the same in the same way the narrower alone."""
    if len(slot.terms) < 2:
        return slot
    narrow: dict[tuple[str, bool], Term] = {}
    for term in slot.terms:
        known = narrow.get((term.feature, term.below))
        if known is None or (term.threshold < known.threshold) == term.below:
            narrow[term.feature, term.below] = term
    return Slot(slot.action, tuple(sorted(narrow.values())))


@dataclass(frozen=True)
class CandidateSpace:
    """What candidates are made of.

    Attributes:
        actions: the acts.
        features: what is looked at → the thresholds that it may have, going up.
        base: what the habit has in addition to its acts.
    """

    actions: tuple[str, ...]
    features: Mapping[str, tuple[float, ...]]
    base: Mapping[str, Any]

    def without(self, action: str) -> CandidateSpace:
        """The same without one act."""
        return CandidateSpace(tuple(a for a in self.actions if a != action), self.features, self.base)

    def alone(self, action: str) -> CandidateSpace:
        """The same with one act alone."""
        return CandidateSpace((action,), self.features, self.base)


def find_space(game: PlayableGame, like: str) -> CandidateSpace:
    """What the players of a habit can do, and see: their own stats (how full they are, where that is something else),
    those of the game and of single others, the time, which acts are ready again, how many there are of each kind.

    Where the habit says what it `sees`, it is that alone.

    Raises:
        NotFound: there is no such habit.
        BadRequest: its players have no actions.
    """
    if like not in game.habits:
        raise NotFound(f"there is no habit '{like}'{nearest(like, game.habits)}")
    lowered = game.lowered
    entities = lowered.habit_players[like]
    player = lowered.program.cast.member_of(entities[0]) if entities else None
    actions = [s.name for s in lowered.sites.actions.values() if player is not None and player.name in s.doers]
    if player is None or not actions:
        raise BadRequest(f"the players of '{like}' have no actions to choose from")
    sees = game.habits[like].sees
    wanted = None if sees is None else {stat.rpartition(".")[2] for stat in sees}
    features: dict[str, tuple[float, ...]] = {}
    facts = bounds_of(lowered.program)
    for entity, stats in ((player.first, player.kind.stats), (0, lowered.program.world_stats)):
        for name, stat in stats.items():
            if stat.value_type != "number" or not stat.is_account or (wanted is not None and name not in wanted):
                continue
            between = facts.account(name, entity)
            if between is not None:
                features.setdefault(name, _thresholds(between.low, between.high, whole=bool(stat.whole)))
            spec = next(a.spec(entity) for a in lowered.program.accounts if a.stat == name)
            if spec is not None and spec.high is not None and not isinstance(spec.high, (Constant, Dial)):
                # How full it is says something else where what it can hold goes up and down.
                features[f"{name}.share"] = _thresholds(0.0, 1.0, whole=False)
    clock, cast = lowered.program.clock, lowered.program.cast
    if wanted is None and clock.limit is not None:
        # Near the end it may pay to dare more, or less.
        parts = _thresholds(0.0, clock.limit, whole=False)
        features["time"] = tuple(sorted({float(round(part)) for part in parts} - {0.0})) or parts
    if wanted is None and len(actions) > 1:
        cooling = [name for name in actions if lowered.sites.actions[name].cools_down]
        features |= {f"ready({name})": (1.0,) for name in cooling[:MOST_COUNTED]}
    for member in cast.members.values():
        # Of one foe it is known which is meant; of many only how many there are.
        for name, stat in member.kind.stats.items() if member.is_single and member.name != player.name else ():
            is_seen = sees is None or f"{member.name}.{name}" in sees
            between = facts.account(name, member.first) if stat.value_type == "number" and stat.is_account else None
            if is_seen and between is not None:
                known_ = _thresholds(between.low, between.high, whole=bool(stat.whole))
                features.setdefault(f"{member.name}.{name}", known_)
    if wanted is None:
        struck = [k for a in lowered.sites.attacks.values() if player.name in a.strikers for k in a.targets]
        # What several struck kinds are like is counted first: all of them together.
        above = [name for kind in struck for name in reversed(cast.members[kind].family)]
        others = [member.name for member in cast.members.values() if member.room and member.name != player.name]
        for kind in list(dict.fromkeys([*above, *struck, *others]))[:MOST_COUNTED]:
            features[f"count({kind})"] = (1.0, 2.0, 3.0, 4.0)
    known = {name: values for name, values in features.items() if values}
    base = {
        key: value for key, value in game.source.data["habits"][like].items() if key not in ("acts", "about", "choose")
    }
    return CandidateSpace(tuple(actions), dict(list(known.items())[:MOST_FEATURES]), base)


def _thresholds(low: float, high: float, *, whole: bool) -> tuple[float, ...]:
    """Sixteenths of a range; whole numbers where it is whole; none where it has no ends."""
    if not (math.isfinite(low) and math.isfinite(high)) or high <= low:
        return ()
    if whole and high - low <= PARTS:
        return tuple(low + step for step in range(1, int(high - low) + 1))
    return tuple(low + (high - low) * part / PARTS for part in range(1, PARTS))


def habit_of(base: Mapping[str, Any], candidate: Candidate) -> dict[str, Any]:
    """A candidate as a habit of a game file, with what such habits have in addition to their acts."""
    acts = [
        {"do": slot.action, **({"if": " and ".join(term.words for term in slot.terms)} if slot.terms else {})}
        for slot in candidate
    ]
    return {**base, "acts": acts}


class RunOutcomes(NamedTuple):
    """How some runs went: which are won, flags of shape (runs,); the steps of all together; and a mark that
    is the same for those who play alike.
    """

    won: Flags
    time: float
    marks: int


class Played:
    """A game in which any candidate can be played: its places, features, ways and thresholds are dials."""

    def __init__(self, game: PlayableGame, space: CandidateSpace) -> None:
        self.space = space
        self.names, self.random = list(space.features), RANDOM
        data = copy.deepcopy(game.source.data)
        habits = data.setdefault("habits", {})
        habits[SEARCHED] = {**space.base, "acts": list(self._acts(data))}
        habits[RANDOM] = {**space.base, "choose": "random", "acts": [{"do": action} for action in space.actions]}
        # What is asked of the game says nothing of how it is played.
        for section in ("playtests", "targets", "allow", "variants", "readout"):
            data.pop(section, None)
        self.game = game.remade(Source(game.file, data, json.dumps(data)))
        program = self.game.lowered.program
        request = StudyRequest(text="", name="", seed=1, habit=SEARCHED, engine="native")
        self.prepared = prepare_game(self.game, request)
        self.code = make_code(program, scripts_of(self.prepared.script), thorough=True)
        self.index = {name: program.dials.find(name) for name in program.dials.names if name.startswith(f"{SEARCHED}_")}
        self.winning = np.array([ending.result == "win" for ending in program.endings] + [False])
        self.runs = 0
        self._players: dict[int, NativePlayer] = {}

    def _acts(self, data: dict[str, Any]) -> Iterator[dict[str, str]]:
        numbers = data.setdefault("numbers", {})
        for slot in range(SLOTS):
            numbers[f"{SEARCHED}_{slot}_act"] = 0
            tests = []
            for term in range(TERMS):
                f, way, at = (f"{SEARCHED}_{slot}_{part}{term}" for part in ("sees", "way", "at"))
                numbers |= {f: 0, way: 0, at: 0}
                seen = "".join(f"({name}) if {f} == {n} else " for n, name in enumerate(self.names, 1)) + "0"
                tests.append(f"({f} == 0 or {way} * (({seen}) - {at}) >= 0)")
            for place, action in enumerate(self.space.actions, 1):
                yield {"do": action, "if": " and ".join([f"{SEARCHED}_{slot}_act == {place}", *tests])}

    def steps(self, seed: int) -> float:
        """Return how many steps a run takes on average, of players who act at random."""
        study = study_game(self.game, SAMPLED, Setting(seed, self.random), Asked((), ()))
        return max(float(study.columns.time.mean()) / self.game.lowered.program.clock.step, 1.0)

    def _dials(self, candidate: Candidate) -> dict[str, float]:
        values: dict[str, float] = {}
        for place in range(SLOTS):
            slot = candidate[place] if place < len(candidate) else None
            values[f"{SEARCHED}_{place}_act"] = self.space.actions.index(slot.action) + 1 if slot is not None else 0
            for number_ in range(TERMS):
                term = slot.terms[number_] if slot is not None and number_ < len(slot.terms) else None
                sees, way, at = (f"{SEARCHED}_{place}_{part}{number_}" for part in ("sees", "way", "at"))
                values[sees] = self.names.index(term.feature) + 1 if term is not None else 0
                values[way] = -1.0 if term is None or term.below else 1.0
                values[at] = 0.0 if term is None else term.threshold - (BELOW if term.below else 0.0)
        return values

    def wins(self, candidate: Candidate, runs: int, seed: int, first: int = 0) -> Flags:
        """Which of some runs are won; flags of shape (runs,)."""
        return self.play(candidate, runs, seed, first).won

    def play(self, candidate: Candidate, runs: int, seed: int, first: int = 0) -> RunOutcomes:
        """Return how some runs go."""
        player = self._players.get(seed)
        if player is None:
            player = NativePlayer(self.code, seed=seed, starts=self.prepared.starts, script=self.prepared.script)
            player.take(self.prepared.taking.slots, self.prepared.taking.tallied, ROOM)
            self._players = {seed: player}
        for name, value in self._dials(candidate).items():
            player.dials[self.index[name]] = value
        taken = []
        for begin in range(first, first + runs, ROOM):
            count = min(ROOM, first + runs - begin)
            try:
                player.batch(begin, count)
            except CannotGoOn:
                # Who makes a game stop plays it badly.
                return RunOutcomes(np.zeros(runs, dtype=bool), 0.0, 0)
            taken.append(player.taken[:count].copy())
        self.runs += runs
        rows = np.concatenate(taken)
        return RunOutcomes(self.winning[rows[:, ENDED].astype(int)], float(rows[:, LASTED].sum()), hash(rows.tobytes()))
