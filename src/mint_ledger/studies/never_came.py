"""Means of accounts that a cause may change which came in no run: how much of it may be unseen.

Eight hits in a row are rare though no single draw is, so they show at no place of the program (`studies.raised`).
Where the facts know that a cause may change an account, and it did so in none of n runs, it comes in at most
1 - 0.05^(1/n) of all runs, and the mean may be off by that share of its amount. Its other effects stay unseen.
"""

from __future__ import annotations

import math
from collections.abc import Iterator, Sequence
from dataclasses import dataclass, replace
from functools import lru_cache
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger.engines.native.engine import CannotGoOn
from mint_ledger.facts.effects import Effect, Effects, effects_of
from mint_ledger.journal.wording import number
from mint_ledger.lowering.measure import Calculation, Reading, Value
from mint_ledger.program.program import Program
from mint_ledger.studies.limits import ByIdentity
from mint_ledger.studies.playing import taken_again
from mint_ledger.studies.taking import changes_slots, make_taking

if TYPE_CHECKING:
    from mint_ledger.studies.raised import RunsAgain
    from mint_ledger.studies.request import Prepared

# Amounts that move an interval by less than this share of its half are left out.
MATTERS = 0.25


@dataclass(frozen=True)
class NeverCame:
    """Causes that may change a measure and came in no run: what one of them may take (0 or less) and give at most."""

    takes: float
    gives: float
    causes: tuple[str, ...]

    def words(self, measure: str, runs: int, sure: float) -> str:
        """Return what may be unseen of the mean of a measure."""
        share = 1.0 - (1.0 - sure) ** (1.0 / runs)
        ways = [
            f"{number(float(f'{share * amount:.2g}'))} {way}"
            for amount, way in ((self.gives, "higher"), (-self.takes, "lower"))
            if amount > 0.0
        ]
        shown = ", ".join(self.causes[:3]) + (" …" if len(self.causes) > 3 else "")
        return f"{shown} may change {measure}, and came in none of {runs:,} runs: its mean may be {' or '.join(ways)}"


@lru_cache(maxsize=8)
def _effects(key: ByIdentity) -> Effects:
    return effects_of(key.program)


@dataclass(frozen=True)
class _May:
    """What a cause may do to a measure by way of one account."""

    slot: int
    cause: int
    takes: float
    gives: float


def never_came(prepared: Prepared, value: Value, played: Sequence[RunsAgain], half_width: float) -> NeverCame | None:
    """Return what may change a measure and came in none of a study's runs; none where it would not matter.

    Args:
        prepared: the study, made ready.
        value: what the measure works out.
        played: the study's runs; behind them those in which rare outcomes came more often, if there are any.
        half_width: half the interval's length as the runs give it.
    """
    weights = _weights(value)
    program, runs = prepared.lowered.program, played[0].count
    if not weights or not math.isfinite(half_width):
        return None
    share = 1.0 - 0.05 ** (1.0 / runs)
    may = [each for slot, weight in weights.items() for each in _may_change(program, slot, weight)]
    if not any(share * max(each.gives, -each.takes) > MATTERS * half_width for each in may):
        return None
    try:
        came = _changes(prepared, sorted({each.slot for each in may}), played)
    except CannotGoOn:
        return None  # a run that stops is told by who plays it
    unseen = [each for each in may if not came[each.slot][each.cause]]
    takes = sum(min((e.takes for e in unseen if e.slot == slot), default=0.0) for slot in weights)
    gives = sum(max((e.gives for e in unseen if e.slot == slot), default=0.0) for slot in weights)
    if share * max(gives, -takes) <= MATTERS * half_width:
        return None
    names = dict.fromkeys(program.cause_labels[each.cause] for each in unseen)
    return NeverCame(takes, gives, tuple(names))


def _weights(value: Value) -> dict[int, float]:
    """How much of each account's closing amount a measure adds up, by slot; empty where it does anything else."""
    try:
        return dict(_summed(value, 1.0))
    except _NoSum:
        return {}


class _NoSum(Exception):
    """A measure that is no sum of closing amounts."""


def _summed(value: Value, weight: float) -> Iterator[tuple[int, float]]:
    match value:
        case Reading(sort="closing", slot=slot):
            yield slot, weight
        case Calculation("+", (left, right)):
            yield from (*_summed(left, weight), *_summed(right, weight))
        case Calculation("-", (left, right)):
            yield from (*_summed(left, weight), *_summed(right, -weight))
        case Calculation("*", (float() as factor, other)) | Calculation("*", (other, float() as factor)):
            yield from _summed(other, weight * factor)
        case float():
            return
        case _:
            raise _NoSum


def _may_change(program: Program, slot: int, weight: float) -> Iterator[_May]:
    """Return what each cause may take from an account and give it at once, where that is bounded."""
    effects = _effects(ByIdentity(program))
    for account in program.accounts:
        entity = slot - account.column.offset
        if not account.column.base <= slot < account.column.base + account.column.count:
            continue
        known = effects.bounds.account(account.stat, entity)
        if known is None:
            continue
        for effect in effects.of(account.stat, entity):
            ends = [weight * end for end in _change(effect, known.low, known.high)]
            if effect.mode != "open" and all(map(math.isfinite, ends)):
                for cause in effect.causes:
                    yield _May(slot, cause, min(*ends, 0.0), max(*ends, 0.0))


def _change(effect: Effect, low: float, high: float) -> tuple[float, float]:
    """Between which values a posting may move an account that lies between two others."""
    if effect.mode == "set":
        return max(effect.amount.low, low) - high, min(effect.amount.high, high) - low
    return max(effect.amount.low, low - high), min(effect.amount.high, high - low)


def _changes(prepared: Prepared, slots: list[int], played: Sequence[RunsAgain]) -> dict[int, Any]:
    """Whether each cause changed some accounts in any of some runs, which are played again with a tally of these."""
    program = prepared.lowered.program
    taking = make_taking(prepared.lowered, slots)
    asked = [changes_slots(program, taking.tallied, slot) for slot in slots]
    columns = np.array([slot for each in asked for slot in each], dtype=np.int64)
    again = replace(prepared, taking=taking, accounts=tuple(slots))
    came = np.zeros(len(columns), dtype=bool)
    for runs in played:
        taken = taken_again(again, runs.program, runs.seed, columns, runs.first, runs.count)
        came |= taken.sum(axis=0) > 0.0
    changes = came.reshape(len(slots), len(program.causes))
    return dict(zip(slots, changes, strict=True))
