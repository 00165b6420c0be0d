"""The statements of a program in machine code, in the order of `engines/statements.py`.

A routine gives 0 to go on, 1 where the run has ended, 2 where it cannot go on; then the reference engine plays the
run again and says why.
"""

from __future__ import annotations

from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Any

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.accounts import account_number, look_at_one, spend, write_row
from mint_ledger.engines.native.answers import sleeps
from mint_ledger.engines.native.assembly import MACHINE_ARGUMENTS, PASSED_ON, Routine, number, wake_address
from mint_ledger.engines.native.chance import draw_ahead
from mint_ledger.engines.native.context import EVENT_SIZE, EVENT_VALUES, item, load, store
from mint_ledger.engines.native.expressions import (
    call_procedure,
    condition,
    entity_number,
    expression,
    has_ended,
    is_plain,
    leave_unless_going,
    plain_flag,
    safe_place,
    whole_of,
)
from mint_ledger.engines.native.marking import mark
from mint_ledger.engines.native.module import Body, Library, Module, Whole, arithmetic_routine
from mint_ledger.engines.reference import PHASES
from mint_ledger.engines.statements import MAX_EVENTS
from mint_ledger.engines.work import POSTING_WORK
from mint_ledger.facts.appearing import lets_appear
from mint_ledger.facts.pieces import assigned_locals, cut
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.arithmetic import functions
from mint_ledger.program.expressions import Ranges
from mint_ledger.program.row import MAX_VALUES
from mint_ledger.program.walking import STATEMENTS, check_complete, nodes

MANY_PARTS = 40


@dataclass(frozen=True)
class Exits:
    """Where `leave` goes to: the end of the innermost loop, the end of the procedure."""

    loop: str
    procedure: str

    def within(self, loop: str) -> Exits:
        """The exits inside a loop."""
        return Exits(loop, self.procedure)


def arithmetic_text() -> str:
    """The functions of `program/arithmetic.py` in LLVM's assembly language."""
    library = Library(lower_procedure)
    return "\n".join(
        lower_procedure(library, procedure, arithmetic_routine(name)).replace("define internal", "define", 1)
        for name, procedure in functions().items()
    )


def lower_procedure(module: Any, procedure: st.Procedure, routine: str) -> str:
    """The text of a procedure's routine."""
    given = "".join(f", double %a{i}" for i in range(procedure.parameters))
    r = Routine(f"i32 {routine}({MACHINE_ARGUMENTS}{given})", "ret i32 2")
    body = Body(module, r, piece=module.piece_of(procedure))
    for index in range(procedure.parameters):
        body.cells[index] = r.cell("double", f"%a{index}")
    end = r.label()
    parts = _parts(procedure)
    for place, part in enumerate(parts):
        given = "".join(f", double %a{i}" for i in range(procedure.parameters))
        leave_unless_going(r, r.let(f"call i32 {_part(module, part, f'{routine}part{place}')}({PASSED_ON}{given})"))
    if not parts:
        block(body, procedure.body, Exits(end, end))
    r.place(end)
    if procedure.result is not None:
        store(r, "result", expression(body, procedure.result))
    r.leave("i32 0")
    return r.text()


def _parts(procedure: st.Procedure) -> list[st.Procedure]:
    """A long procedure in parts that share no local but what it is handed: the time to compile a routine grows faster
    than its length.
    """
    given = set(range(procedure.parameters))
    is_short = len(procedure.body) <= MANY_PARTS
    if is_short or procedure.result is not None or given & assigned_locals(procedure.body):
        return []
    cuts = cut(procedure.body, given)
    return [replace(procedure, body=statements) for statements in cuts] if len(cuts) > MANY_PARTS else []


def _part(module: Library, part: st.Procedure, routine: str) -> str:
    return module.want(routine, lambda: lower_procedure(module, part, routine))


def block(body: Body, statements: Iterable[st.Statement], exits: Exits) -> None:
    """Statements one after another; what nothing leads to is left out."""
    for statement in statements:
        if not body.r.is_open:
            return
        _LOWERING[type(statement)](body, statement, exits)


def _post(body: Body, s: st.Post, _: Exits) -> None:
    index = entity_number(body, s.entity)
    amount, cause, by = (expression(body, e) for e in (s.amount, s.cause, s.by))
    i = account_number(body.module, s.column)
    sets = "true" if s.mode == "set" else "false"
    given = f"i64 {index}, double {amount}, double {cause}, double {by}, i1 {sets}"
    leave_unless_going(body.r, body.r.let(f"call i32 @post{i}({PASSED_ON}, {given})"))


def _open(body: Body, s: st.Open, _: Exits) -> None:
    index = entity_number(body, s.entity)
    value, cause, by = (expression(body, e) for e in (s.value, s.cause, s.by))
    i = account_number(body.module, s.column)
    given = f"i64 {index}, double {value}, double {cause}, double {by}"
    leave_unless_going(body.r, body.r.let(f"call i32 @open{i}({PASSED_ON}, {given})"))


def _flow(body: Body, s: st.Flow, _: Exits) -> None:
    index = entity_number(body, s.entity)
    account = body.module.account(s.column)
    if account.flow_columns is not None:
        one = look_at_one(body, account, body.known_runs(s.entity))
        routine = one or f"@look{account_number(body.module, s.column)}"
        leave_unless_going(body.r, body.r.let(f"call i32 {routine}({PASSED_ON}, i64 {index})"))


def _set(body: Body, s: st.Set, _: Exits) -> None:
    r = body.r
    index, known = safe_place(body, s.column, s.entity)
    after = r.label()
    if known is not None:
        inside = r.label()
        r.fork(known, inside, after)
        r.place(inside)
    value = expression(body, s.value)
    if s.column.role == "flag":
        value = op.plus_zero(r, value)
    address = body.slot_at(s.column.offset, index)
    keys = {s.column.base, body.module.key_of(s.column)}
    if any(body.module.lookers.get(key) for key in keys):
        with r.when(op.compared(r, "!=", body.load(address), value)):
            mark(body, keys, index)
    body.store(value, address)
    if s.column.base == body.module.present.base:
        _take_seat(body, s.entity, index, value)
    if s.column.role in ("flag", "value"):
        store(r, "dirty", "1")
    r.place(after)


def _take_seat(body: Body, e: ex.Expr, index: str, value: str) -> None:
    """Note that an entity was present in this run."""
    r = body.r
    runs = body.known_runs(e)
    with r.when(op.is_true(r, value)):
        for (first, count), place in body.module.empty_seats.items():
            if runs is not None and not any(low < first + count and first < low + n for low, n in runs):
                continue
            with r.when(body.inside(index, first, count)):
                address = wake_address(r, place)
                known = r.let(f"load i64, ptr {address}")
                behind = r.let(f"sub i64 {first + count - 1}, {index}")
                fewer = r.let(f"icmp slt i64 {behind}, {known}")
                r.do(f"store i64 {r.let(f'select i1 {fewer}, i64 {behind}, i64 {known}')}, ptr {address}")


def _let(body: Body, s: st.Let, _: Exits) -> None:
    whole = whole_of(body, s.value) if isinstance(s.value, (ex.Binary, ex.Local)) else None
    body.store_local(s.local, expression(body, s.value))
    if whole is not None:
        body.wholes[s.local] = whole


def _if(body: Body, s: st.If, exits: Exits) -> None:
    r = body.r
    then, other, after = r.label(), r.label(), r.label()
    r.fork(condition(body, s.condition), then, other if s.other else after)
    r.place(then)
    with body.inner():
        block(body, s.then, exits)
    r.go(after)
    if s.other:
        r.place(other)
        with body.inner():
            block(body, s.other, exits)
    r.place(after)


def _each(body: Body, s: st.Each, exits: Exits) -> None:
    for local in (s.local, *assigned_locals(s.body)):
        body.wholes.pop(local, None)  # it may come from the round before
    with body.inner():
        _rounds(body, s, exits)


def _rounds(body: Body, s: st.Each, exits: Exits) -> None:
    r = body.r
    if s.repeat is not None:
        count = op.whole_part(r, expression(body, s.repeat))
        bounded = op.lower(r, op.higher(r, op.ZERO, count), number(2.0**31))
        with body.loop(r.let(f"fptosi double {bounded} to i64")) as (now, _, end):
            spend(body, "1")
            body.store_local(s.local, r.let(f"sitofp i64 {now} to double"))
            body.wholes[s.local] = Whole(now, 0, 2**31)
            block(body, s.body, exits.within(end))
        return
    total = sum(count for _, count in s.ranges)
    if total == 0:
        return
    spend(body, str(total))
    there = r.cell(f"[{total} x i8]", None) if total > 1 and _lets_appear(body.module, s.body) else None
    if there is not None:
        # Those present when the loop begins are visited, and no others.
        with body.each(s.ranges, s.local, present=True) as (entity, _, _):
            seat = _seat(body, s, there, entity)
            r.do(f"store i8 {r.let(f'zext i1 {is_present(body, entity, s.ranges)} to i8')}, ptr {seat}")
    answers = body.module.answers_of(s) if isinstance(body.module, Module) else None
    sleeps_yet = sleeps(body, answers) if answers is not None else None
    with body.each(s.ranges, s.local, present=True) as (entity, after, end):
        now = r.label()
        if sleeps_yet is not None:
            awake = r.label()
            r.fork(sleeps_yet(entity), after, awake)
            r.place(awake)
        if there is None:
            r.fork(is_concerned(body, s, entity), now, after)
        else:
            was = r.let(f"trunc i8 {r.let(f'load i8, ptr {_seat(body, s, there, entity)}')} to i1")
            r.fork(r.let(f"and i1 {was}, {is_present(body, entity, s.ranges)}"), now, after)
        r.place(now)
        block(body, s.body, exits.within(end))


def _lets_appear(module: Library, statements: st.Block) -> bool:
    return isinstance(module, Module) and lets_appear(module.program, statements, settling=module.settling_lets_appear)


def _seat(body: Body, s: st.Each, there: str, entity: str) -> str:
    place, passed = "0", 0
    for position, (first, count) in enumerate(s.ranges):
        moved = body.r.let(f"sub i64 {entity}, {first - passed}")
        if position == 0:
            place = moved
        else:
            mine = body.inside(entity, first, count)
            place = body.r.let(f"select i1 {mine}, i64 {moved}, i64 {place}")
        passed += count
    return body.r.let(f"getelementptr i8, ptr {there}, i64 {place}")


def is_present(body: Body, entity: str, ranges: Ranges) -> str:
    """Return whether an entity, one of some runs, is there."""
    column = body.module.present
    body.look_at(column.base, ranges, entity)
    return op.is_true(body.r, body.load_flag(body.slot_at(column.offset, entity)))


def is_concerned(body: Body, s: st.Each, entity: str) -> str:
    """Return whether an entity of a loop is there, and what its round asks first holds: it does nothing else."""
    flag = is_present(body, entity, s.ranges)
    if len(s.body) == 1 and isinstance(s.body[0], st.If) and not s.body[0].other:
        first = s.body[0].condition
        while isinstance(first, ex.And) and first.items and not is_plain(body, first):
            first = first.items[0]
        # Other locals may move with time, which a quiet routine has to ask for.
        stands = all(node.index == s.local for node in nodes(first) if isinstance(node, ex.Local))
        if stands and is_plain(body, first):
            # Asked before who is there: it holds for few of them, and so is easy to guess.
            flag = body.r.let(f"and i1 {plain_flag(body, first)}, {flag}")
    return flag


def _draw(body: Body, s: st.Draw, _: Exits) -> None:
    r = body.r
    who = entity_number(body, s.entity)
    ahead = body.module.draws_ahead.get(s.count.base) if s.part == ex.ZERO else None
    part = r.let(f"fptosi double {expression(body, s.part)} to i64")
    body.store_local(s.local, op.ZERO)
    after = r.label()
    for first, count, place in s.places:
        mine, next_ = r.label(), r.label()
        r.fork(body.inside(who, first, count), mine, next_)
        r.place(mine)
        address = body.slot_at(s.count.offset, who)
        with r.when(r.let(f"icmp eq i64 {part}, 0")):
            body.store(op.add(r, body.load(address), op.ONE), address)
        signed = place - 2**64 if place >= 2**63 else place
        key = r.let(f"xor i64 {load(r, 'seed')}, {signed}")
        copy = r.let(f"sub i64 {who}, {first - 1}")
        drawn = r.let(f"fptosi double {body.load(address)} to i64")
        if ahead is not None:
            slot = r.let(f"sub i64 {who}, {s.count.first}")
            body.store(draw_ahead(r, ahead, slot, (key, load(r, "run"), copy, drawn)), body.local(s.local))
        else:
            words = [r.let(f"trunc i64 {word} to i32") for word in (load(r, "run"), copy, drawn, part)]
            given = ", ".join(f"i32 {word}" for word in words)
            body.store(r.let(f"call double @uniform(i64 {key}, {given})"), body.local(s.local))
        r.go(after)
        r.place(next_)
    r.place(after)


def _note(body: Body, s: st.Note, _: Exits) -> None:
    values = tuple(expression(body, value) for value in s.values)
    assert len(values) <= MAX_VALUES
    r = body.r
    entity, by, cause = r.cell("double", None), r.cell("double", None), r.cell("double", None)
    with r.when(r.let(f"icmp ne i64 {load(r, 'listens')}, 0")):
        for cell, e in ((entity, s.entity), (by, s.by), (cause, s.cause)):
            body.store(expression(body, e), cell)
        none = (op.ZERO,) * 6
        who, doer, why = (body.load(cell) for cell in (entity, by, cause))
        write_row(body, s.what, who, number(-1.0), none, why, doer, text=s.text, values=values)


def _call(body: Body, s: st.Call, _: Exits) -> None:
    result = call_procedure(body, s.procedure, s.arguments)
    if s.into is not None:
        body.store_local(s.into, result)


def _leave(body: Body, s: st.Leave, exits: Exits) -> None:
    body.r.go(exits.loop if s.what == "each" else exits.procedure)


def _raise(body: Body, s: st.Raise, _: Exits) -> None:
    r = body.r
    spend(body, str(POSTING_WORK))
    count = load(r, "event_count")
    r.fail_unless(r.let(f"icmp slt i64 {count}, {MAX_EVENTS}"))
    entity, other = expression(body, s.entity), expression(body, s.other)
    values = [expression(body, value) for value in s.values][:EVENT_VALUES]
    values += [op.ZERO] * (EVENT_VALUES - len(values))
    # The values may have raised things themselves, in a procedure that they call.
    count = load(r, "event_count")
    record = item(r, "events", "double", r.let(f"mul i64 {count}, {EVENT_SIZE}"))
    happened = body.module.program.events[s.event]
    event = r.let(f"sitofp i64 {s.event} to double")
    # No more than its handler is handed.
    wanted = body.module.procedure(happened.handler).parameters if happened.handler else 0
    for position, value in enumerate((event, entity, other, *values)[: 1 + wanted]):
        body.store(value, r.let(f"getelementptr double, ptr {record}, i64 {position}"))
    store(r, "event_count", r.let(f"add i64 {count}, 1"))
    if happened.handler:
        store(r, "phases", r.let(f"or i64 {load(r, 'phases')}, {1 << PHASES.index(happened.phase)}"))


def _settle(body: Body, s: st.Settle, _: Exits) -> None:
    cause, actor = expression(body, s.cause), expression(body, s.actor)
    always = "true" if s.always else "false"
    given = f"double {cause}, double {actor}, i1 {always}"
    leave_unless_going(body.r, body.r.let(f"call i32 @settle({PASSED_ON}, {given})"))


def _guard(body: Body, s: st.Guard, _: Exits) -> None:
    body.r.fail_unless(condition(body, s.condition))


def _finish(body: Body, s: st.Finish, _: Exits) -> None:
    r = body.r
    ending = body.slot(body.module.ending)
    with r.when(r.let(f"xor i1 {has_ended(body)}, true")):
        body.store(r.let(f"sitofp i64 {s.ending} to double"), ending)
        body.store(expression(body, s.winner), body.slot(body.module.winner))


_LOWERING: dict[type, Callable[[Body, Any, Exits], None]] = {
    st.Post: _post,
    st.Open: _open,
    st.Flow: _flow,
    st.Set: _set,
    st.Let: _let,
    st.If: _if,
    st.Each: _each,
    st.Draw: _draw,
    st.Note: _note,
    st.Call: _call,
    st.Leave: _leave,
    st.Raise: _raise,
    st.Settle: _settle,
    st.Guard: _guard,
    st.Finish: _finish,
}
check_complete("engines/native/statements.py", _LOWERING, STATEMENTS)

__all__ = ["Exits", "arithmetic_text", "block", "is_concerned", "lower_procedure"]
