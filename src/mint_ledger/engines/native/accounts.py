"""Postings and flows in machine code, in the order of `engines/accounts.py`; a routine of each for every account."""

from __future__ import annotations

import sys
from collections.abc import Iterator
from contextlib import contextmanager
from functools import partial

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.assembly import MACHINE_ARGUMENTS, PASSED_ON, Routine, number
from mint_ledger.engines.native.context import ROW_SIZE, item, load, store
from mint_ledger.engines.native.expressions import (
    expression,
    flow_amount,
    leave_unless_going,
    worth,
)
from mint_ledger.engines.native.marking import mark, mark_posting
from mint_ledger.engines.native.module import Body, Module, flow_key
from mint_ledger.engines.tally import TALLY_HEAD, TALLY_OF_CAUSE
from mint_ledger.engines.work import MOST_WORK, POSTING_WORK
from mint_ledger.program import expressions as ex
from mint_ledger.program.program import Account, AccountSpec, FlowSpec
from mint_ledger.program.row import WHAT_CODES
from mint_ledger.program.state import Column

INFINITE = float("inf")
LARGEST = sys.float_info.max


def of_entity(body: Body, e: ex.Expr, index: str) -> str:
    """An expression of an account's spec, which sees the entity as local 0."""
    kept, entities = body.cells, body.entities
    body.cells, body.entities = {}, {0: (index, body.owners)} if body.owners else {}
    body.store(body.r.let(f"sitofp i64 {index} to double"), body.local(0))
    value = expression(body, e)
    body.cells, body.entities = kept, entities
    return value


def limits_of(body: Body, spec: AccountSpec, index: str) -> tuple[str, str]:
    """The least and the most that an account may hold; a whole stat takes them rounded inward."""
    low, high = number(-INFINITE), number(INFINITE)
    if spec.low is not None:
        low = of_entity(body, spec.low, index)
        if spec.whole:
            low = op.ceil_limit(body.r, low)
    if spec.high is not None:
        high = of_entity(body, spec.high, index)
        if spec.whole:
            high = op.floor_limit(body.r, high)
    return low, high


@contextmanager
def _routine(module: Module, head: str) -> Iterator[Body]:
    body = Body(module, Routine(head, "ret i32 2"))
    yield body
    body.r.leave("i32 0")
    module.routines.append(body.r.text())


def _each_spec(body: Body, account: Account, index: str) -> Iterator[AccountSpec]:
    """The specs of an account, each where the entity is one of its own."""
    for first, count, spec in account.specs:
        with body.r.when(body.inside(index, first, count)):
            with body.of_owners(first, count):
                yield spec


def spend(body: Body, work: str) -> None:
    """Count what a step does, and stop where it is too much; what functions of arithmetic do is not counted."""
    if isinstance(body.module, Module):
        done = body.r.let(f"add i64 {load(body.r, 'work')}, {work}")
        store(body.r, "work", done)
        body.r.fail_unless(body.r.let(f"icmp sle i64 {done}, {MOST_WORK}"))


def account_number(module: Module, column: Column) -> int:
    """An account's number."""
    return module.accounts[column.base]


def account_routines(module: Module, account: Account) -> None:
    """Make the routines of an account."""
    i = account_number(module, account.column)
    _open_routine(module, account, i)
    if account.flow_columns is not None:
        _book_routine(module, account, i)
        _look_routine(module, account, i)
    _post_routine(module, account, i)


def _post_routine(module: Module, account: Account, i: int) -> None:
    head = f"i32 @post{i}({MACHINE_ARGUMENTS}, i64 %e, double %amount, double %cause, double %by, i1 %sets)"
    with _routine(module, head) as body:
        for spec in _each_spec(body, account, "%e"):
            _post(body, account, spec)


def _post(body: Body, account: Account, spec: AccountSpec) -> None:
    r, module = body.r, body.module
    address = body.slot_at(account.column.offset, "%e")
    gone, there = r.label(), r.label()
    present = body.load_flag(body.slot_at(module.present.offset, "%e"))
    r.fork(op.compared(r, "==", present, op.ZERO), gone, there)
    r.place(gone)
    value = body.load(address)
    nothing = [op.ZERO] * 4
    write_row(body, "refused", _entity(r), _stat(module, account), (value, *nothing, value), "%cause", "%by")
    r.leave("i32 0")
    r.place(there)
    spend(body, str(POSTING_WORK))
    _book(body, account)
    before = body.load(address)
    asked = op.chosen(r, "%sets", op.sub(r, "%amount", before), "%amount")
    r.fail_unless(op.is_finite(r, asked))
    whole = op.rounded(r, asked, spec.round) if spec.whole else asked
    low, high = limits_of(body, spec, "%e")
    wanted = op.plus_zero(r, op.add(r, before, whole))
    wrapped = waste = op.ZERO
    if spec.wrap:
        after = _wrapped_over(body, wanted, low, high)
        wrapped = op.plus_zero(r, op.sub(r, op.sub(r, after, before), whole))
    else:
        up = op.lower(r, wanted, op.higher(r, high, before))
        down = op.higher(r, wanted, op.lower(r, low, before))
        falls = op.chosen(r, op.compared(r, "<", whole, op.ZERO), down, wanted)
        after = op.chosen(r, op.compared(r, ">", whole, op.ZERO), up, falls)
        cut = op.compared(r, "!=", after, wanted)
        waste = op.chosen(r, cut, op.sub(r, whole, op.sub(r, after, before)), op.ZERO)
    r.fail_unless(op.is_finite(r, after))
    body.store(after, address)
    store(r, "dirty", "1")
    rounding = op.plus_zero(r, op.sub(r, whole, asked))
    amounts = (before, op.plus_zero(r, asked), rounding, wrapped, waste, after)
    write_row(body, "posting", _entity(r), _stat(module, account), amounts, "%cause", "%by")
    with r.when(op.compared(r, "!=", after, before)):
        mark_posting(body, account.column, "%e", before, after)
        if account.touched is not None:
            body.store(body.load(body.slot(module.step)), body.slot_at(account.touched.offset, "%e"))
            mark(body, (account.touched.base,), "%e")
    if spec.flow is not None:
        _after_posting(body, account, spec, spec.flow, asked, after, (low, high))


def _entity(r: Routine) -> str:
    return r.let("sitofp i64 %e to double")


def _stat(module: Module, account: Account) -> str:
    return number(float(account_number(module, account.column)))


def _wrapped_over(body: Body, value: str, low: str, high: str) -> str:
    r = body.r
    size = op.add(r, op.sub(r, high, low), op.ONE)
    cell = r.cell("double", None)
    body.store(low, cell)
    with r.when(op.compared(r, ">", size, op.ZERO)):
        modulo = body.module.routine("modulo")
        rest = op.sub(r, value, low)
        leave_unless_going(r, r.let(f"call i32 {modulo}({PASSED_ON}, double {rest}, double {size})"))
        body.store(op.add(r, low, load(r, "result")), cell)
    return body.load(cell)


def write_row(
    body: Body,
    what: str,
    entity: str,
    stat: str,
    amounts: tuple[str, ...],
    cause: str,
    by: str,
    *,
    since: str | None = None,
    text: int = -1,
    values: tuple[str, ...] = (),
) -> None:
    """Write a row, and count it, where somebody listens."""
    r = body.r
    with r.when(r.let(f"icmp ne i64 {load(r, 'listens')}, 0")):
        step = body.load(body.slot(body.module.step))
        numbers = [step, since or step, entity, stat, *amounts, cause, by, number(float(text)), number(len(values))]
        given = ", ".join(f"double {value}" for value in numbers)
        row = r.let(f"call ptr @row(ptr %x, i64 {int(WHAT_CODES[what])}, {given})")
        for position, value in enumerate(values):
            r.do(f"store double {value}, ptr {r.let(f'getelementptr double, ptr {row}, i64 {15 + position}')}")


ROW_NAMES = (
    "step",
    "since",
    "e",
    "stat",
    "b",
    "asked",
    "rounded",
    "wrapped",
    "waste",
    "after",
    "cause",
    "by",
    "text",
    "n",
)


def row_function(module: Module) -> str:
    """`row`: writes a row's first fifteen numbers and adds it to the tallies; gives where the row is.

    A row that finds no room is only counted, and what is written for it goes to a place of its own (the first
    row of the buffer is never read), so that a run always goes on to its end.
    """
    arguments = ", ".join(f"double %{name}" for name in ROW_NAMES)
    r = Routine(f"ptr @row(ptr noalias %x, i64 %what, {arguments}) noinline", "unreachable")
    _tally(r, module)
    count = r.let(f"add i64 {load(r, 'row_count')}, 1")
    store(r, "row_count", count)
    fits = r.let(f"icmp slt i64 {count}, {load(r, 'row_room')}")
    place = r.let(f"mul i64 {r.let(f'select i1 {fits}, i64 {count}, i64 0')}, {ROW_SIZE}")
    row = item(r, "rows", "double", place)
    for position, value in enumerate([r.let("sitofp i64 %what to double"), *(f"%{name}" for name in ROW_NAMES)]):
        r.do(f"store double {value}, ptr {r.let(f'getelementptr double, ptr {row}, i64 {position}')}")
    r.leave(f"ptr {row}")
    return r.text()


def _tally(r: Routine, module: Module) -> None:
    causes = len(module.program.causes)
    with r.when(r.let(f"icmp ne ptr {load(r, 'tallied')}, null")):
        cause = op.index_of(r, "%cause")
        named = r.let(f"icmp ult i64 {cause}, {max(causes, 1)}")
        posting, other, after = r.label(), r.label(), r.label()
        r.fork(r.let("icmp eq i64 %what, 0"), posting, other)
        r.place(other)
        with r.when(named):
            place = r.let(f"add i64 {r.let(f'mul i64 %what, {causes}')}, {cause}")
            _add_to(r, item(r, "counts", "double", place), op.ONE)
        r.go(after)
        r.place(posting)
        offsets = tuple(account.column.offset for account in module.program.accounts)
        table = module.table(offsets)
        entry = r.let(f"getelementptr i64, ptr {table}, i64 {op.index_of(r, '%stat')}")
        offset = r.let(f"load i64, ptr {entry}")
        slot = r.let(f"add i64 {offset}, {op.index_of(r, '%e')}")
        tally = r.let(f"load i64, ptr {item(r, 'tallied', 'i64', slot)}")
        with r.when(r.let(f"icmp sge i64 {tally}, 0")):
            head = item(r, "tallies", "double", r.let(f"mul i64 {tally}, {TALLY_HEAD + causes * TALLY_OF_CAUSE}"))
            highest = r.let(f"getelementptr double, ptr {head}, i64 1")
            for address, pick in ((head, op.lower), (highest, op.higher)):
                r.do(f"store double {pick(r, r.let(f'load double, ptr {address}'), '%after')}, ptr {address}")
            with r.when(named):
                first = r.let(f"add i64 {r.let(f'mul i64 {cause}, {TALLY_OF_CAUSE}')}, {TALLY_HEAD}")
                for position, value in enumerate((op.sub(r, "%after", "%b"), "%waste", op.ONE)):
                    place = r.let(f"add i64 {first}, {position}")
                    _add_to(r, r.let(f"getelementptr double, ptr {head}, i64 {place}"), value)
        r.place(after)


def _add_to(r: Routine, address: str, value: str) -> None:
    r.do(f"store double {op.add(r, r.let(f'load double, ptr {address}'), value)}, ptr {address}")


def _write_change(
    body: Body, account: Account, before: str, after: str, cause: str, by: str, since: str | None = None
) -> None:
    asked = op.plus_zero(body.r, op.sub(body.r, after, before))
    amounts = (before, asked, op.ZERO, op.ZERO, op.ZERO, after)
    stat = _stat(body.module, account)
    write_row(body, "posting", _entity(body.r), stat, amounts, cause, by, since=since)


def _open_routine(module: Module, account: Account, i: int) -> None:
    with _routine(
        module, f"i32 @open{i}({MACHINE_ARGUMENTS}, i64 %e, double %value, double %cause, double %by)"
    ) as body:
        r = body.r
        for spec in _each_spec(body, account, "%e"):
            low, high = limits_of(body, spec, "%e")
            value = op.rounded(r, "%value", spec.round) if spec.whole else "%value"
            value = op.plus_zero(r, op.lower(r, op.higher(r, value, low), high))
            address = body.slot_at(account.column.offset, "%e")
            before = body.load(address)
            body.store(value, address)
            store(r, "dirty", "1")
            with r.when(op.compared(r, ">=", "%cause", op.ZERO)):
                _write_change(body, account, before, value, "%cause", "%by")
            mark(body, (account.column.base,), "%e")
            if account.touched is not None:
                body.store(body.load(body.slot(module.step)), body.slot_at(account.touched.offset, "%e"))
                mark(body, (account.touched.base,), "%e")
            open_flow(body, account, "%e", value)


def open_flow(body: Body, account: Account, index: str, value: str) -> None:
    """An account opens: its flow, if it has one, waits from now."""
    flows = account.flow_columns
    if flows is None:
        return
    step = body.load(body.slot(body.module.step))
    settings = (
        (flows.rate, op.ZERO),
        (flows.booked, value),
        (flows.anchor, step),
        (flows.since, step),
        (flows.waits_from, load(body.r, "time")),
        (flows.at_limit, op.ZERO),
    )
    for column, setting in settings:
        body.store(setting, body.slot_at(column.offset, index))
    mark(body, (flow_key(account.column),), index)


def _book(body: Body, account: Account) -> None:
    if account.flow_columns is not None:
        i = account_number(body.module, account.column)
        leave_unless_going(body.r, body.r.let(f"call i32 @book{i}({PASSED_ON}, i64 %e)"))


def _book_routine(module: Module, account: Account, i: int) -> None:
    """Write what a flow has done so far as one row, and anchor it again at this step."""
    flows = account.flow_columns
    assert flows is not None
    with _routine(module, f"i32 @book{i}({MACHINE_ARGUMENTS}, i64 %e)") as body:
        r = body.r
        rate = body.load(body.slot_at(flows.rate.offset, "%e"))
        rests, runs = r.label(), r.label()
        r.fork(op.compared(r, "==", rate, op.ZERO), rests, runs)
        r.place(rests)
        r.leave("i32 0")
        r.place(runs)
        value = worth(body, account, "%e")
        moved = flow_amount(body, account, "%e")
        booked = body.slot_at(flows.booked.offset, "%e")
        since = body.slot_at(flows.since.offset, "%e")
        anchor = body.slot_at(flows.anchor.offset, "%e")
        step = body.load(body.slot(module.step))
        before = body.load(booked)
        for spec in _each_spec(body, account, "%e"):
            if spec.flow is not None:
                with r.when(op.compared(r, "!=", value, before)):
                    cause = number(float(spec.flow.cause))
                    _write_change(body, account, before, value, cause, op.ZERO, body.load(since))
            if spec.whole:
                ends = op.compared(r, "==", value, body.load(body.slot_at(flows.to.offset, "%e")))
                r.fail_unless(op.compared(r, "!=", rate, op.ZERO))
                seconds = r.let(f"fdiv double {moved}, {rate}")
                kept = op.add(r, body.load(anchor), _steps_of(r, seconds))
                body.store(op.chosen(r, ends, step, kept), anchor)
            else:
                body.store(step, anchor)
        body.store(value, body.slot_at(account.column.offset, "%e"))
        body.store(value, booked)
        body.store(step, since)
        mark(body, (flow_key(account.column),), "%e")


def _steps_of(r: Routine, seconds: str) -> str:
    whole = r.let(f"icmp ne i64 {load(r, 'is_whole')}, 0")
    steps = op.mul(r, seconds, load(r, "steps_per_second"))
    return op.chosen(r, whole, steps, r.let(f"fdiv double {seconds}, {load(r, 'step_length')}"))


def _after_posting(
    body: Body,
    account: Account,
    spec: AccountSpec,
    flow: FlowSpec,
    asked: str,
    after: str,
    limits: tuple[str, str],
) -> None:
    """Restart the wait after any change that was tried, one that a limit swallowed included; then read the flow."""
    r = body.r
    flows = account.flow_columns
    assert flows is not None
    body.store(after, body.slot_at(flows.booked.offset, "%e"))
    body.store(body.load(body.slot(body.module.step)), body.slot_at(flows.since.offset, "%e"))
    rate_slot = body.slot_at(flows.rate.offset, "%e")
    rate, to = body.load(rate_slot), body.load(body.slot_at(flows.to.offset, "%e"))
    above = r.let(f"and i1 {op.compared(r, '>', rate, op.ZERO)}, {op.compared(r, '>', after, to)}")
    below = r.let(f"and i1 {op.compared(r, '<', rate, op.ZERO)}, {op.compared(r, '<', after, to)}")
    with r.when(r.let(f"or i1 {above}, {below}")):
        body.store(op.ZERO, rate_slot)
    end = flow_end(body, flow, "%e", limits)
    with r.when(op.compared(r, "!=", asked, op.ZERO)):
        body.store(load(r, "time"), body.slot_at(flows.waits_from.offset, "%e"))
        away = op.chosen(r, op.compared(r, "<", after, end), limits[0], limits[1])
        body.store(op.flag_value(r, op.compared(r, "==", after, away)), body.slot_at(flows.at_limit.offset, "%e"))
    mark(body, (flow_key(account.column),), "%e")
    i = account_number(body.module, account.column)
    leave_unless_going(r, r.let(f"call i32 @look{i}({PASSED_ON}, i64 %e)"))


def flow_end(body: Body, flow: FlowSpec, index: str, limits: tuple[str, str]) -> str:
    """Return where a flow goes to, within the limits."""
    end = of_entity(body, flow.to, index)
    return op.lower(body.r, op.higher(body.r, end, limits[0]), limits[1])


def flow_wait(body: Body, account: Account, flow: FlowSpec, index: str) -> str:
    """Return when a flow may begin: since its account was last moved away, and its wait."""
    r = body.r
    flows = account.flow_columns
    assert flows is not None
    wait = r.cell("double", None)
    if flow.after_limit is None:
        body.store(of_entity(body, flow.after, index), wait)
    else:
        limited, other, after = r.label(), r.label(), r.label()
        r.fork(op.is_true(r, body.load(body.slot_at(flows.at_limit.offset, index))), limited, other)
        r.place(limited)
        body.store(of_entity(body, flow.after_limit, index), wait)
        r.go(after)
        r.place(other)
        body.store(of_entity(body, flow.after, index), wait)
        r.place(after)
    return op.add(r, body.load(body.slot_at(flows.waits_from.offset, index)), body.load(wait))


def _look_routine(module: Module, account: Account, i: int) -> None:
    """Begin, end or change a flow as its wait, its gate, its rate and its end now say."""
    with _routine(module, f"i32 @look{i}({MACHINE_ARGUMENTS}, i64 %e)") as body:
        for spec in _each_spec(body, account, "%e"):
            if spec.flow is not None:
                _look(body, account, spec, spec.flow)


def look_at_one(body: Body, account: Account, runs: ex.Ranges | None) -> str | None:
    """The routine that looks at an account of one kind alone, to be put in place; none where several may be meant."""
    module, piece = body.module, body.piece
    for position, (first, count, spec) in enumerate(account.specs):
        if runs and spec.flow is not None and all(first <= low and low + n <= first + count for low, n in runs):
            name = f"@look{account_number(module, account.column)}_{position}_{'any' if piece is None else piece}"
            return module.want(name, partial(_look_at_one, module, account, position, name, piece))
    return None


def _look_at_one(module: Module, account: Account, position: int, name: str, piece: int | None) -> str:
    first, count, spec = account.specs[position]
    assert spec.flow is not None
    body = Body(module, Routine(f"i32 {name}({MACHINE_ARGUMENTS}, i64 %e) alwaysinline", "ret i32 2"), piece=piece)
    with body.of_owners(first, count):
        _look(body, account, spec, spec.flow)
    if body.r.is_open:
        body.r.leave("i32 0")
    return body.r.text()


def is_ready(body: Body, account: Account, flow: FlowSpec, index: str) -> tuple[str, str]:
    """Cells that hold whether a flow's wait is over (and its entity there), and whether its gate is open as well."""
    r, module = body.r, body.module
    waited, ready = r.cell("i1", None), r.cell("i1", None)
    over = op.is_true(r, body.load_flag(body.slot_at(module.present.offset, index)))
    if flow.after != ex.ZERO or flow.after_limit is not None:
        # Without a wait, whatever it is counted from is over.
        late = op.sub(r, load(r, "time"), flow_wait(body, account, flow, index))
        over = r.let(f"and i1 {over}, {op.compared(r, '>=', late, load(r, 'tolerance'))}")
    r.do(f"store i1 {over}, ptr {waited}")
    r.do(f"store i1 {over}, ptr {ready}")
    if flow.gate is not None:
        with r.when(over):
            r.do(f"store i1 {op.is_true(r, of_entity(body, flow.gate, index))}, ptr {ready}")
    return waited, ready


def flow_goes(r: Routine, flow: FlowSpec, value: str, end: str) -> str:
    """Return whether a flow moves a value: `recover` only gives and `fade` only takes."""
    operator: ex.CompareOp = "<" if flow.way == "up" else ">" if flow.way == "down" else "!="
    return op.compared(r, operator, value, end)


def flow_rate(body: Body, flow: FlowSpec, index: str, value: str, end: str) -> str:
    """A flow's rate, with its sign; the run stops if it is less than 0 or infinite."""
    r = body.r
    size = of_entity(body, flow.rate, index)
    # Not "less than infinite": LLVM makes a dozen instructions of that.
    good = r.let(f"and i1 {op.compared(r, '>=', size, op.ZERO)}, {op.compared(r, '<=', size, number(LARGEST))}")
    r.fail_unless(good)
    return op.chosen(r, op.compared(r, ">", end, value), size, op.sub(r, op.ZERO, size))


def _look(body: Body, account: Account, spec: AccountSpec, flow: FlowSpec) -> None:
    r, module = body.r, body.module
    flows = account.flow_columns
    assert flows is not None
    limits = limits_of(body, spec, "%e")
    end = flow_end(body, flow, "%e", limits)
    value = worth(body, account, "%e")
    _, ready = is_ready(body, account, flow, "%e")
    rate = r.cell("double", None)
    body.store(op.ZERO, rate)
    moves = r.let(f"and i1 {r.let(f'load i1, ptr {ready}')}, {flow_goes(r, flow, value, end)}")
    with r.when(moves):
        if flow.at_once:
            _move_at_once(body, account, flow, end)
            r.leave("i32 0")
            r.place(r.label())
        else:
            body.store(flow_rate(body, flow, "%e", value, end), rate)
    now = body.load(rate)
    rate_slot, to_slot = body.slot_at(flows.rate.offset, "%e"), body.slot_at(flows.to.offset, "%e")
    old = body.load(rate_slot)
    rests = op.compared(r, "==", now, op.ZERO)
    same_end = r.let(f"or i1 {rests}, {op.compared(r, '==', end, body.load(to_slot))}")
    same, other = r.label(), r.label()
    r.fork(r.let(f"and i1 {op.compared(r, '==', now, old)}, {same_end}"), same, other)
    r.place(same)
    r.leave("i32 0")
    r.place(other)
    step = body.load(body.slot(module.step))
    with r.when(r.let(f"or i1 {rests}, {op.compared(r, '==', old, op.ZERO)}")):
        _book(body, account)
        body.store(step, body.slot_at(flows.since.offset, "%e"))
        body.store(value, body.slot_at(flows.booked.offset, "%e"))
    body.store(value, body.slot_at(account.column.offset, "%e"))
    body.store(step, body.slot_at(flows.anchor.offset, "%e"))
    body.store(now, rate_slot)
    body.store(end, to_slot)
    mark(body, (flow_key(account.column),), "%e")


def _move_at_once(body: Body, account: Account, flow: FlowSpec, end: str) -> None:
    flows = account.flow_columns
    assert flows is not None
    address = body.slot_at(account.column.offset, "%e")
    before = body.load(address)
    body.store(end, address)
    store(body.r, "dirty", "1")
    _write_change(body, account, before, end, number(float(flow.cause)), op.ZERO)
    body.store(end, body.slot_at(flows.booked.offset, "%e"))
    mark(body, (account.column.base, flow_key(account.column)), "%e")


def book_flows_routine(module: Module) -> None:
    """Let every flow that is under way write its row, as at the end of a run."""
    with _routine(module, f"i32 @book_flows({MACHINE_ARGUMENTS})") as body:
        for i, account in enumerate(module.program.accounts):
            if account.flow_columns is None:
                continue
            for first, count, spec in account.specs:
                if spec.flow is None:
                    continue
                if count == 1:
                    leave_unless_going(body.r, body.r.let(f"call i32 @book{i}({PASSED_ON}, i64 {first})"))
                    continue
                with body.loop(str(count)) as (now, _, _):
                    entity = body.r.let(f"add i64 {now}, {first}")
                    leave_unless_going(body.r, body.r.let(f"call i32 @book{i}({PASSED_ON}, i64 {entity})"))
