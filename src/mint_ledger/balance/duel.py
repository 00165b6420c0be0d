"""Fights duels: exactly where every draw can be counted, else many times.

Exactly: the reference engine plays the duel; where a step draws, each way that it can turn out is followed with its
chance, and states that are alike in the same step are one. So nothing is decided here of what a hit does.
"""

from __future__ import annotations

import heapq
import math
from array import array
from collections import defaultdict
from dataclasses import dataclass, field, replace
from itertools import pairwise
from typing import Any

import numpy as np

from mint_ledger.engines.reference import ReferenceEngine
from mint_ledger.errors import MintError
from mint_ledger.exact.luck import Branching, NotCountable
from mint_ledger.facts.states import columns_read, procedures
from mint_ledger.lowering.duel import LIMIT, Duel, Duels
from mint_ledger.lowering.handles import spawn
from mint_ledger.lowering.measure import Measure, Reading
from mint_ledger.program import statements as st
from mint_ledger.program.expressions import Constant, Fold, Ranges
from mint_ledger.program.program import Program
from mint_ledger.program.row import WHAT_CODES
from mint_ledger.program.state import Start
from mint_ledger.program.walking import Node, rebuilt
from mint_ledger.studies.estimate import Estimate, ratio
from mint_ledger.studies.making import make_study
from mint_ledger.studies.request import Prepared, StudyRequest
from mint_ledger.studies.taking import make_taking

MOST_STEPS = 15_000
# How many steps may still lie ahead for the states that wait, as far as can be foreseen: some rounds on, where they
# grew in number as steadily in as many rounds before. The first states of a round foretell the rest of it.
MOST_AHEAD = 4_000
ROUNDS_AHEAD = 3
FIRST = 6
FIGHTS = 400
# Endless ones last half an hour each.
ENDLESS = 20
AT_FIRST = 10.0
NOTHING = 1e-13
SPAWN = spawn("").use
HIT, MISS, DODGE = (WHAT_CODES[what] for what in ("hit", "miss", "dodge"))


class NotExact(Exception):
    """What cannot be worked out, in words."""


@dataclass
class Fought:
    """What came of a duel.

    Attributes:
        ends: for each (time, hits that landed) the chance that the target is beaten then.
        hits: how many hits land in a fight on average, `swings` how many are tried, `dealt` and `rolled` their damage.
        time: how long a fight takes on average.
        pool: what the target's layers hold above their floors as it begins.
        fights: how many were fought; 0 where all was worked out.
        each: the damage of each fight that was fought, and how long it took, shape (fights, 2).
    """

    ends: dict[tuple[float, int], float] = field(default_factory=lambda: defaultdict(float))
    hits: float = 0.0
    swings: float = 0.0
    dealt: float = 0.0
    rolled: float = 0.0
    time: float = 0.0
    pool: float = 0.0
    fights: int = 0
    each: Any = None


def work_out(duels: Duels, pair: Duel, dials: tuple[float, ...]) -> Fought:
    """All ways that a duel can go.

    Raises:
        NotExact: a draw has endlessly many outcomes, or there are too many ways.
    """
    try:
        return _Ways(duels, pair, dials).follow()
    except NotCountable:
        raise NotExact("a draw in it has endlessly many values") from None
    except MintError as error:
        raise NotExact(str(error).splitlines()[0]) from None


def _foreseen(known: list[int]) -> float:
    """Return how many states will wait, from how many waited after each round."""
    growth = min((after / max(before, 1) for before, after in pairwise(known[-ROUNDS_AHEAD - 1 :])), default=1.0)
    return known[-1] * (max(growth, 1.0) ** ROUNDS_AHEAD if len(known) > ROUNDS_AHEAD else 1.0)


class _Ways:
    def __init__(self, duels: Duels, pair: Duel, dials: tuple[float, ...]) -> None:
        program = alone(duels, pair)
        self.pair, self.program = pair, program
        self.branching = Branching()
        self.engine = ReferenceEngine(
            program,
            dials,
            starts=duels.starts(pair),
            draw=self.branching.draw,  # type: ignore[arg-type]
        )
        read = columns_read(program, procedures(program))
        kept = (program.columns.ending.base, pair.hits.base)
        self.slots = [
            slot
            for c in program.layout.columns
            if c.base in kept or (c.base in read and c.role not in ("draws", "measure") and not c.memo)
            for slot in range(c.base, c.base + c.count)
        ]
        self.fought = Fought()
        self.steps = 0
        # In each step the states with their chances, by what tells them apart.
        self.waiting: dict[int, dict[tuple[bytes, bool], list[Any]]] = {}
        self.times: list[int] = []

    def follow(self) -> Fought:
        """Go every way to its end."""
        self._ways(None, 1.0)
        self.fought.pool = _pool(self.engine, self.pair)
        followed = 0
        known: list[int] = []
        while self.times:
            step = heapq.heappop(self.times)
            states = self.waiting.pop(step).values()
            others = self._ahead()
            for done, (state, dirty, chance) in enumerate(states, 1):
                self._go_on(state, dirty, chance)
                followed += 1
                # What the first of a round come to, the rest of it is taken to come to as well.
                if done in (FIRST, len(states)):
                    ahead = others + (self._ahead() - others) * len(states) // done
                    if _foreseen([*known, ahead]) * self.steps / followed > MOST_AHEAD:
                        waits = f"{self._ahead():,} ways after {self._moment(step)}"
                        raise NotExact(f"it can stand in {waits}, and more later")
            known.append(self._ahead())
        return self.fought

    def _ahead(self) -> int:
        """Return how many states wait."""
        return sum(len(states) for states in self.waiting.values())

    def _moment(self, step: int) -> str:
        unit = "s" if self.program.clock.unit == "second" else "turns"
        return f"{self.engine.time_of(step):g} {unit}"

    def _go_on(self, state: list[float], dirty: bool, chance: float) -> None:
        """Play on until a draw parts the ways, or to the end."""
        engine = self.engine
        engine.take_up(state, dirty)
        while True:
            before, was_dirty = engine.state[:], engine.is_dirty
            if not self._ways((before, was_dirty), chance):
                return

    def _ways(self, before: tuple[list[float], bool] | None, chance: float) -> bool:
        """Each way of a step from a state, or of the opening; whether there was one alone that goes on.

        Then the engine stands behind it.
        """
        engine = self.engine
        first = True
        while True:
            self.branching.begin()
            engine.rows.clear()
            if before is None:
                engine.open()
            else:
                if not first:
                    engine.take_up(*before)
                engine.step()
            self.steps += 1
            if self.steps > MOST_STEPS:
                raise NotExact("it goes on for too long to follow all ways")
            share = chance * self.branching.chance
            self._count(share)
            more = self.branching.advance()
            if first and not more and before is not None and not engine.is_over:
                return True
            self._arrive(share)
            first = False
            if not more:
                return False

    def _count(self, share: float) -> None:
        fought = self.fought
        for row in self.engine.rows:
            if row.cause != self.pair.cause or row.what not in (HIT, MISS, DODGE):
                continue
            fought.swings += share
            if row.what == HIT:
                fought.hits += share
                fought.dealt += share * float(row.values[5])
                fought.rolled += share * float(row.values[0]) * float(row.values[1]) * float(row.values[2])

    def _arrive(self, share: float) -> None:
        engine = self.engine
        if engine.is_over or share < NOTHING:
            self.fought.time += share * engine.time
            if engine.ending == 0:
                self.fought.ends[round(engine.time, 9), engine.winner] += share
            return
        step = engine.step_number
        if step not in self.waiting:
            self.waiting[step] = {}
            heapq.heappush(self.times, step)
        key = (array("d", [engine.state[slot] for slot in self.slots]).tobytes(), engine.is_dirty)
        known = self.waiting[step].get(key)
        if known is None:
            self.waiting[step][key] = [engine.state[:], engine.is_dirty, share]
        else:
            known[2] += share


def fight(duels: Duels, pair: Duel, dials: tuple[float, ...], fights: int = FIGHTS) -> Fought:
    """Fight a duel many times, with machine code.

    Raises:
        RunStopped: a fight could not go on.
    """
    engine = ReferenceEngine(duels.lowered.program, dials, starts=duels.starts(pair))
    engine.open()
    pool = _pool(engine, pair)
    rows = {"hits": "hit", "misses": "miss", "dodges": "dodge"}
    readings = {name: Reading("rows", -1, (pair.cause,), int(WHAT_CODES[what])) for name, what in rows.items()}
    for layer in pair.layers:
        slot = _layer(duels.lowered.program, layer).offset + pair.target
        readings |= {f"{sort} {layer}": Reading(sort, slot, (pair.cause,)) for sort in ("total", "waste")}
    measures = tuple(Measure(name, name, reading) for name, reading in readings.items())
    program = replace(duels.lowered.program, dials=replace(duels.lowered.program.dials, numbers=dials))
    duels.lowered.program.hand_on(program)
    lowered = replace(duels.lowered, program=program, measures=measures)
    prepared = Prepared(lowered, 1, tuple(duels.starts(pair)), make_taking(lowered, ()), ())
    study = make_study(prepared, StudyRequest(text="", name="duels", seed=1, engine="native"), fights)
    fought = Fought(pool=pool, fights=fights)
    columns = study.columns
    taken = sum(values for name, values in columns.measures.items() if name.startswith(("total ", "waste ")))
    for ending, time, hits in zip(columns.ending, columns.time, columns.measures["hits"], strict=True):
        if ending == 0:
            fought.ends[round(float(time), 9), int(hits)] += 1.0 / fights
    fought.hits = float(columns.measures["hits"].mean())
    fought.swings = fought.hits + sum(float(columns.measures[what].mean()) for what in ("misses", "dodges"))
    fought.dealt = -float(taken.mean())
    fought.rolled = math.nan
    fought.time = float(columns.time.mean())
    fought.each = np.column_stack([-taken, columns.time])
    return fought


def endless_rates(duels: Duels, pair: Duel) -> tuple[Estimate, Estimate] | None:
    """The damage a second of an endless duel (`lower_duels(endless=True)`), in its first ten seconds and for long.

    None where nothing says when it strikes.

    Raises:
        RunStopped: a fight could not go on.
    """
    if pair.cannot or not pair.keeps_time:
        return None
    rates = []
    for limit, fights in ((AT_FIRST, FIGHTS), (LIMIT, ENDLESS)):
        program = replace(duels.lowered.program, clock_limit=Constant(limit))
        limited = replace(duels, lowered=replace(duels.lowered, program=program))
        each = fight(limited, pair, program.dials.numbers, fights).each
        rates.append(ratio(each[:, 0].tolist(), each[:, 1].tolist()))
    return rates[0], rates[1]


def alone(duels: Duels, pair: Duel) -> Program:
    """The program without what it would do for entities that are not there: they never are, in a duel of two."""
    program, carried_out, read = duels.lowered.program, duels.carried_out, duels.columns_read
    if any(not isinstance(handle, str) and handle.use == SPAWN for handle in carried_out):
        return program
    both = sorted({pair.striker, pair.target})

    def ranges(given: Ranges) -> Ranges:
        return tuple((e, 1) for e in both for first, count in given if first <= e < first + count)

    def change(node: Node) -> Node:
        node = rebuilt(node, change)
        if isinstance(node, st.Each) and node.repeat is None:
            return replace(node, ranges=ranges(node.ranges))
        if isinstance(node, Fold):
            return replace(node, ranges=ranges(node.ranges))
        return node

    def is_idle(statement: Node) -> bool:
        """A flow of what nothing in a duel asks about."""
        return isinstance(statement, st.Flow) and statement.column.base not in read

    def pruned(block: st.Block) -> st.Block:
        kept: list[st.Statement] = []
        for statement in block:
            match statement:
                case st.Each():
                    body = pruned(statement.body)
                    if body and (statement.ranges or statement.repeat is not None):
                        kept.append(replace(statement, body=body))
                case st.If():
                    kept.append(replace(statement, then=pruned(statement.then), other=pruned(statement.other)))
                case _ if not is_idle(statement):
                    kept.append(statement)
        return tuple(kept)

    kept_procedures = {
        handle: replace(p, body=pruned(tuple(change(s) for s in p.body)), result=change(p.result) if p.result else None)
        for handle, p in program.procedures.items()
        if handle in carried_out
    }
    return replace(program, procedures={**program.procedures, **kept_procedures})


def _layer(program: Program, stat: str) -> Any:
    return next(account.column for account in program.accounts if account.stat == stat)


def _pool(engine: ReferenceEngine, pair: Duel) -> float:
    """Return what has to be taken until the last layer is at its floor."""
    total = 0.0
    for stat in pair.layers:
        column = _layer(engine.program, stat)
        low, _ = engine.limits(column, pair.target)
        total += engine.value(column, pair.target) - (low if math.isfinite(low) else 0.0)
    return total


__all__ = ["FIGHTS", "LIMIT", "Fought", "NotExact", "Start", "alone", "fight", "work_out"]
