"""A change marks the parts of a step that look at it: they are to be looked at again."""

from __future__ import annotations

from collections.abc import Iterable, Sequence

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.answers import answer_address
from mint_ledger.engines.native.assembly import number, wake_address
from mint_ledger.engines.native.looks import ANYBODY, MOST_THRESHOLDS, Answers, Look, Threshold, concerning
from mint_ledger.engines.native.module import Body, is_digits
from mint_ledger.program import expressions as ex
from mint_ledger.program.state import Column

MOST_RUNS = 3


def mark(body: Body, keys: Iterable[int], index: str) -> None:
    """A column has changed for an entity: the parts that look at it are to be looked at again."""
    looks: dict[int, set[Look]] = {}
    for key in keys:
        for part, some in body.module.lookers.get(key, {}).items():
            looks.setdefault(part, set()).update(some)
    _mark(body, looks, index)


def mark_posting(body: Body, column: Column, index: str, before: str, after: str) -> None:
    """The account at hand has changed for an entity: the parts that look at it are to be looked at again, those that
    only compare it where a comparison turns.
    """
    alike: dict[frozenset[Threshold], dict[int, set[Look]]] = {}
    for part, all_looks in body.module.lookers.get(column.base, {}).items():
        looks = concerning(body.owners, all_looks)
        if not looks:
            continue
        thresholds = {look.threshold for look in looks}
        few = frozenset(threshold for threshold in thresholds if threshold is not None)
        key = few if None not in thresholds and len(few) <= MOST_THRESHOLDS else frozenset[Threshold]()
        alike.setdefault(key, {})[part] = looks
    _mark(body, alike.pop(frozenset(), {}), index)
    for few, of_parts in alike.items():
        if set(of_parts) - {body.piece} or any(look.answers for some in of_parts.values() for look in some):
            with body.r.when(_turns(body, sorted(few, key=str), before, after)):
                _mark(body, of_parts, index)


def _turns(body: Body, thresholds: Sequence[Threshold], before: str, after: str) -> str:
    """Return whether one of some comparisons turns."""
    r, turns = body.r, "false"
    for threshold in thresholds:
        value = threshold.value
        goal = number(value.value) if isinstance(value, ex.Constant) else body.dial(value.index)
        was, is_now = (op.compared(r, threshold.op, amount, goal) for amount in (before, after))
        turns = r.let(f"or i1 {turns}, {r.let(f'xor i1 {was}, {is_now}')}")
    return turns


def _mark(body: Body, looks: dict[int, set[Look]], index: str) -> None:
    r = body.r
    _forget(body, {(look.answers, look.own) for some in looks.values() for look in some}, index)
    certain, possible = 0, ["0"]
    for part in sorted(looks):
        if part == body.piece:
            continue
        runs = {(look.first, look.count) for look in looks[part]}
        may_be_any = ANYBODY in runs or len(runs) > MOST_RUNS
        if is_digits(index) and not may_be_any:
            if not any(0 <= int(index) - first < count for first, count in runs):
                continue
            may_be_any = True
        address = wake_address(r, part)
        wake = "0"
        bit = body.module.mark_bits[part]
        if may_be_any:
            certain |= bit
        else:
            concerned = "false"
            for first, count in sorted(runs):
                concerned = r.let(f"or i1 {concerned}, {body.inside(index, first, count)}")
            old = r.let(f"load i64, ptr {address}")
            wake = r.let(f"select i1 {concerned}, i64 0, i64 {old}")
            if bit:
                possible.append(r.let(f"select i1 {concerned}, i64 {bit}, i64 0"))
        r.do(f"store i64 {wake}, ptr {address}")
    if certain or len(possible) > 1:
        address = wake_address(r, body.module.marked)
        bits = r.let(f"or i64 {r.let(f'load i64, ptr {address}')}, {certain}")
        for some in possible[1:]:
            bits = r.let(f"or i64 {bits}, {some}")
        r.do(f"store i64 {bits}, ptr {address}")


def _forget(body: Body, resting: set[tuple[Answers | None, bool]], index: str) -> None:
    """What rests on what has changed is no longer known: the answer of the entity, or those of all."""
    r = body.r
    for answers in sorted({answers for answers, _ in resting if answers is not None}, key=lambda a: a.place):
        if (answers, False) in resting:
            r.do(f"store i64 0, ptr {wake_address(r, answers.place)}")
        else:
            with r.when(body.inside(index, answers.first, answers.count)):
                r.do(f"store i64 0, ptr {answer_address(r, answers, index)}")
