"""Which steps may be skipped: for each piece of a step the first later one in which it might do anything.

A quiet routine goes the way of the piece's own statements, as things stand. It changes nothing: where a statement
would, the next step matters. On its way it asks of each condition when it may turn (`turning`), and gives the least
of those steps. The answer holds until a column changes that the routine has read; the store of a column marks the
pieces that look at it.
"""

from __future__ import annotations

import math
from contextlib import contextmanager
from dataclasses import replace
from typing import Any, assert_never

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.accounts import flow_end, flow_goes, flow_rate, flow_wait, is_ready, limits_of
from mint_ledger.engines.native.answers import FEW_ASKED, answers_of, ask_each
from mint_ledger.engines.native.assembly import MACHINE_ARGUMENTS, PASSED_ON, Routine, number
from mint_ledger.engines.native.context import load, store
from mint_ledger.engines.native.expressions import condition, entity_number, expression, safe_place, worth
from mint_ledger.engines.native.looks import Answers, Looks
from mint_ledger.engines.native.module import Module, flow_key
from mint_ledger.engines.native.statements import is_concerned
from mint_ledger.engines.native.turning import (
    NEVER,
    UNKNOWN,
    Meaning,
    Quiet,
    Unknown,
    due_turns,
    earliest_due,
    first_step,
    steps_to,
    turns,
)
from mint_ledger.facts.apart import rounds_stand_apart
from mint_ledger.facts.pieces import assigned_locals, leaves
from mint_ledger.program import expressions as ex
from mint_ledger.program import parts
from mint_ledger.program import statements as st
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Account, FlowSpec
from mint_ledger.program.walking import nodes

# Asking costs as much as doing: a part whose question is longer than this is carried out in each step.
LONGEST_QUESTION = 3_000
# What cannot be foreseen may matter in the next step.
STAY = "call void @set_step(ptr %s, ptr %x, i64 %start)\n%next = add i64 %start, 1\nret i64 %next"


def quiet_routine(module: Module, name: Handle, looked_at: Looks, *, now_only: bool = False) -> str:
    """The quiet routine of a procedure."""
    routine = f"@{'n' if now_only else 'q'}{module.number(name)}"
    procedure = module.program.procedures[name]
    if now_only:
        return module.want(
            routine,
            lambda: quiet_text(module, routine, procedure.parameters, procedure.body, {}, procedure, now_only=True),
        )
    looks = module.quiet_looks.setdefault(routine, {})
    module.want(routine, lambda: quiet_text(module, routine, procedure.parameters, procedure.body, looks, procedure))
    module.make_wanted()
    for key, some in looks.items():
        looked_at.setdefault(key, set()).update(some)
    return routine


def quiet_text(
    module: Module,
    routine: str,
    parameters: int,
    statements: st.Block,
    looked_at: Looks,
    procedure: st.Procedure | None = None,
    *,
    now_only: bool = False,
) -> str:
    """The text of a quiet routine; with `now_only` it says the next step or `NEVER`."""
    given = "".join(f", double %a{i}" for i in range(parameters))
    # Apart from the steps, which have few registers to spare.
    apart = "" if now_only else " noinline"
    r = Routine(f"i64 {routine}({MACHINE_ARGUMENTS}, i64 %start{given}){apart}", STAY)
    q = Quiet(module, r, looked_at=looked_at, now_only=now_only)
    q.least = q.outermost = r.cell("i64", NEVER)
    q.due = r.cell("double", number(math.inf))
    for index in range(parameters):
        q.cells[index] = r.cell("double", f"%a{index}")
    end = r.label()
    quiet_block(q, statements, end, end)
    r.place(end)
    if procedure is not None and procedure.result is not None:
        store(r, "result", expression(q, procedure.result))
    earliest_due(q, "%start")
    r.leave(f"i64 {r.let(f'load i64, ptr {q.least}')}")
    if r.length > LONGEST_QUESTION:
        module.too_long.add(routine)
        looked_at.clear()
        always = Routine(r.head, "unreachable")
        always.leave(f"i64 {always.let('add i64 %start, 1')}")
        return always.text()
    return r.text()


def quiet_block(q: Quiet, statements: st.Block, loop: str, procedure: str) -> None:
    """Go through statements without doing anything."""
    if surely_does(q, statements):
        q.now()
        return
    for statement in statements:
        if not q.r.is_open:
            return
        match statement:
            case st.Let():
                _let(q, statement)
            case st.If():
                _if(q, statement, loop, procedure)
            case st.Each():
                _each(q, statement, procedure)
            case st.Set():
                _set(q, statement)
            case st.Flow():
                _flow(q, statement)
            case st.Call():
                _call(q, statement)
            case st.Leave():
                q.r.go(loop if statement.what == "each" else procedure)
            case st.Guard():
                q.r.fail_unless(condition(q, statement.condition))
                turns(q, statement.condition)
            case st.Settle():
                if statement.always:
                    for name in (parts.WATCH, parts.WATCH_GONE):
                        _pass_on(q, name, [op.ZERO])
            case st.Post() | st.Open() | st.Draw() | st.Note() | st.Raise() | st.Finish():
                q.now()
            case _:
                assert_never(statement)


def surely_does(q: Quiet, statements: st.Block) -> bool:
    """Return whether statements do something whenever they are reached; then nothing more has to be asked."""
    with _branch(q):
        return _surely_does(q, statements)


def _surely_does(q: Quiet, statements: st.Block) -> bool:
    for statement in statements:
        match statement:
            case st.Post() | st.Open() | st.Draw() | st.Note() | st.Raise() | st.Finish():
                return True
            case st.Set() if q.moves(statement.value):
                return True
            case st.Call() if surely_does(q, q.module.program.procedures[statement.procedure].body):
                return True
            case st.If() if surely_does(q, statement.then) and surely_does(q, statement.other):
                return True
            case st.Let():
                if q.moves(statement.value):
                    q.meanings[statement.local] = UNKNOWN
                else:
                    q.meanings.pop(statement.local, None)
            case st.Set() | st.Call() | st.If() | st.Each() | st.Flow() | st.Guard():
                pass
            case st.Leave() | st.Settle():
                pass
            case _:
                assert_never(statement)
        if leaves(statement):
            return False
    return False


def _forget(q: Quiet, local: int) -> None:
    """A local has another value now: what was explained by it is no longer known."""
    q.meanings.pop(local, None)
    for other, meaning in q.meanings.items():
        if not isinstance(meaning, Unknown) and ex.Local(local) in set(nodes(meaning)):
            q.meanings[other] = UNKNOWN


def _let(q: Quiet, s: st.Let) -> None:
    moves = q.moves(s.value)
    meaning = q.explained(s.value) if moves else None
    q.store_local(s.local, expression(q, s.value))
    if not q.now_only and moves and any(isinstance(part, (ex.Only, ex.Apply)) for part in nodes(s.value)):
        # It may stop the run in a later step.
        q.now()
        return
    _forget(q, s.local)
    if moves:
        q.meanings[s.local] = UNKNOWN if meaning is None else meaning


@contextmanager
def _branch(q: Quiet) -> Any:
    kept = dict(q.meanings)
    yield
    q.meanings = kept


def _if(q: Quiet, s: st.If, loop: str, procedure: str) -> None:
    r = q.r
    flag = condition(q, s.condition)
    turns(q, s.condition)
    if not r.is_open:
        return
    then, other, after = r.label(), r.label(), r.label()
    r.fork(flag, then, other)
    known: list[dict[int, Meaning]] = []
    for label, statements in ((then, s.then), (other, s.other)):
        r.place(label)
        with _branch(q):
            q.conditions += 1
            quiet_block(q, statements, loop, procedure)
            q.conditions -= 1
            if r.is_open:
                known.append(dict(q.meanings))
        r.go(after)
    r.place(after)
    # Where the branches that lead on differ in what a local stands for, it is not known.
    moved = set().union(*(set(meanings) for meanings in known)) if known else set()
    q.meanings = {
        local: known[0][local] if all(m.get(local) is known[0].get(local) for m in known) else UNKNOWN
        for local in moved
    }


def _each(q: Quiet, s: st.Each, procedure: str) -> None:
    r = q.r
    if _asks_one_by_one(q, s):
        return
    for local in assigned_locals(s.body):
        q.meanings[local] = UNKNOWN
    with _branch(q):
        if s.repeat is not None:
            turns(q, s.repeat)
            if not r.is_open:
                return
            count = op.whole_part(r, expression(q, s.repeat))
            bounded = op.lower(r, op.higher(r, op.ZERO, count), op.TWO_TO_52)
            with q.loop(r.let(f"fptosi double {bounded} to i64")) as (now, _, end):
                q.store(r.let(f"sitofp i64 {now} to double"), q.local(s.local))
                quiet_block(q, s.body, end, procedure)
        else:
            with q.each(s.ranges, s.local, present=True) as (entity, after, end):
                there = r.label()
                r.fork(is_concerned(q, s, entity), there, after)
                r.place(there)
                quiet_block(q, s.body, end, procedure)


def _asks_one_by_one(q: Quiet, s: st.Each) -> bool:
    """Ask the entities of a loop one by one, and keep their answers, where they are many and nothing goes from one to
    another.
    """
    module = q.module
    many = s.repeat is None and sum(count for _, count in s.ranges) > FEW_ASKED
    if q.now_only or q.answers_for[0] is not None or not many or not rounds_stand_apart(s):
        return False
    assert q.looked_at is not None
    routine = f"@ask{len(module.asked)}"
    answers, looks = answers_of(s, module.next_answers), Looks()
    text = _ask_text(q, s, routine, answers, looks)
    if text is None:
        return False
    module.ask(s, answers)
    module.routines.append(text)
    for key, some in looks.items():
        q.looked_at.setdefault(key, set()).update(some)
    for local in assigned_locals(s.body):
        q.meanings[local] = UNKNOWN
    ask_each(q, s, routine, answers)
    return True


def _ask_text(q: Quiet, s: st.Each, routine: str, answers: Answers, looks: Looks) -> str | None:
    """The text of a routine that says when one entity of a loop matters next; none where it rests on more."""
    r = Routine(f"i64 {routine}({MACHINE_ARGUMENTS}, i64 %start, i64 %e) noinline", STAY)
    one = Quiet(q.module, r, looked_at=looks, conditions=q.conditions, answers_for=(answers, "%e"))
    one.least = one.outermost = r.cell("i64", NEVER)
    one.due = r.cell("double", number(math.inf))
    one.entities[s.local] = ("%e", s.ranges)
    one.store(r.let("sitofp i64 %e to double"), one.local(s.local))
    there, end = r.label(), r.label()
    r.fork(is_concerned(one, s, "%e"), there, end)
    r.place(there)
    quiet_block(one, s.body, end, end)
    r.place(end)
    earliest_due(one, "%start")
    r.leave(f"i64 {r.let(f'load i64, ptr {one.least}')}")
    inside = {node.local for node in nodes(s.body) if isinstance(node, (ex.Fold, ex.With))}
    given = set(one.cells) - inside - assigned_locals(s.body) - {s.local}
    return None if given or r.length > LONGEST_QUESTION else r.text()


def _set(q: Quiet, s: st.Set) -> None:
    r = q.r
    turns(q, s.entity)
    if not r.is_open:
        return
    index, known = safe_place(q, s.column, s.entity)
    after = r.label()
    if known is not None:
        inside = r.label()
        r.fork(known, inside, after)
        r.place(inside)
    q.look(q.module.key_of(s.column), s.entity)
    value = expression(q, s.value)
    q.now_if(op.compared(r, "!=", q.load(q.slot_at(s.column.offset, index)), value))
    turns(q, s.value)
    r.place(after)


def _call(q: Quiet, s: st.Call) -> None:
    # What is called under a condition is what the condition is for: no need to ask what it would do.
    if not q.now_only and (q.conditions or any(q.moves(argument) for argument in s.arguments)):
        q.now()
        return
    _pass_on(q, s.procedure, [expression(q, argument) for argument in s.arguments])
    if s.into is not None and q.r.is_open:
        q.store_local(s.into, load(q.r, "result"))
        _forget(q, s.into)
        q.meanings[s.into] = UNKNOWN


def _pass_on(q: Quiet, name: Handle, values: list[str]) -> None:
    r = q.r
    assert q.looked_at is not None
    parameters = q.module.program.procedures[name].parameters
    looks = Looks()
    routine = quiet_routine(q.module, name, looks, now_only=q.now_only)
    for key, some in looks.items():
        q.looked_at.setdefault(key, set()).update(some)
        if q.answers_for[0] is not None:
            resting = (replace(look, answers=q.answers_for[0], own=False) for look in some)
            q.looked_at[key].update(resting)
    values = [*values[:parameters], *[op.ZERO] * (parameters - len(values))]
    given = "".join(f", double {value}" for value in values)
    q.at_most(r.let(f"call i64 {routine}({PASSED_ON}, i64 %start{given})"))


def _flow(q: Quiet, s: st.Flow) -> None:
    account = q.module.account(s.column)
    if account.flow_columns is None:
        return
    r = q.r
    for key in (flow_key(account.column), account.column.base, q.module.present.base):
        q.look(key, s.entity)
    if q.moves(s.entity):
        q.now()
        return
    index = entity_number(q, s.entity)
    known = q.entities[s.entity.index][1] if isinstance(s.entity, ex.Local) and s.entity.index in q.entities else None
    for first, count, spec in account.specs:
        if spec.flow is None or (known is not None and not _overlap(known, first, count)):
            continue
        with r.when(q.inside(index, first, count)), q.of_owners(first, count):
            parts = (spec.low, spec.high, spec.flow.to, spec.flow.rate, spec.flow.after, spec.flow.after_limit)
            if any(part is not None and q.moves(part) for part in parts):
                q.now()
            else:
                end = flow_end(q, spec.flow, index, limits_of(q, spec, index))
                _flow_turns(q, account, spec.flow, index, end)


def _overlap(ranges: ex.Ranges, first: int, count: int) -> bool:
    return any(low < first + count and first < low + n for low, n in ranges)


def _flow_turns(q: Quiet, account: Account, flow: FlowSpec, index: str, end: str) -> None:
    """When a flow begins, ends, or has to be looked at for another reason."""
    r = q.r
    flows = account.flow_columns
    assert flows is not None
    there, waits, over, after = (r.label() for _ in range(4))
    r.fork(op.is_true(r, q.load_flag(q.slot_at(q.module.present.offset, index))), there, after)
    r.place(there)
    waited, ready = is_ready(q, account, flow, index)
    r.fork(r.let(f"load i1, ptr {waited}"), over, waits)
    r.place(waits)
    rate = q.load(q.slot_at(flows.rate.offset, index))
    value = worth(q, account, index)
    q.now_if(op.is_true(r, rate))
    with r.when(flow_goes(r, flow, value, end)):
        due_turns(q, flow_wait(q, account, flow, index))
    r.go(after)
    r.place(over)
    rate = q.load(q.slot_at(flows.rate.offset, index))
    value = worth(q, account, index)
    moving, still = r.label(), r.label()
    r.fork(op.is_true(r, rate), moving, still)
    r.place(still)
    with r.when(flow_goes(r, flow, value, end)):
        if flow.gate is not None:
            _gate_turns(q, flow.gate, index)
        with r.when(r.let(f"load i1, ptr {ready}")):
            if flow.at_once:
                q.now()
            else:
                q.now_if(op.is_true(r, flow_rate(q, flow, index, value, end)))
    r.go(after)
    r.place(moving)
    if flow.gate is not None:
        _gate_turns(q, flow.gate, index)
    r.fail_unless(r.let(f"load i1, ptr {ready}"))
    r.fail_unless(op.compared(r, "==", end, q.load(q.slot_at(flows.to.offset, index))))
    r.fail_unless(flow_goes(r, flow, value, end))
    r.fail_unless(op.compared(r, "==", rate, flow_rate(q, flow, index, value, end)))
    guess = steps_to(q, account, index, end)
    first_step(q, lambda: op.compared(r, "==", worth(q, account, index), end), guess)
    r.place(after)


def _gate_turns(q: Quiet, gate: ex.Expr, index: str) -> None:
    kept, entities, meanings = q.cells, q.entities, q.meanings
    q.cells, q.entities, q.meanings = {}, {0: (index, q.owners)} if q.owners else {}, {}
    q.store(q.r.let(f"sitofp i64 {index} to double"), q.local(0))
    turns(q, gate)
    q.cells, q.entities, q.meanings = kept, entities, meanings
