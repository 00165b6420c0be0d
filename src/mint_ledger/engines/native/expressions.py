"""The expressions of a program in machine code, in the order of `engines/expressions.py`."""

from __future__ import annotations

import operator
from collections.abc import Callable, Iterator
from contextlib import contextmanager
from typing import Any

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.assembly import FIRST_MOSTLY, PASSED_ON, Routine, number
from mint_ledger.engines.native.context import load
from mint_ledger.engines.native.looks import Threshold, thresholds_of
from mint_ledger.engines.native.module import Body, Module, Whole, flow_key
from mint_ledger.program import expressions as ex
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Account
from mint_ledger.program.state import Column
from mint_ledger.program.walking import EXPRESSIONS, check_complete

# Entities' numbers and places in columns lie far inside.
SMALL = 10**9
WHOLE_OPERATIONS = {"+": ("add", operator.add), "-": ("sub", operator.sub), "*": ("mul", operator.mul)}


def expression(body: Body, e: ex.Expr) -> str:
    """The value of an expression."""
    if isinstance(e, FLAGS):
        return op.flag_value(body.r, condition(body, e))
    return _LOWERING[type(e)](body, e)


def condition(body: Body, e: ex.Expr) -> str:
    """Return whether an expression holds, as a flag."""
    match e:
        case ex.Compare():
            left, right = (_side(body, *side) for side in zip((e.left, e.right), thresholds_of(e), strict=True))
            return op.compared(body.r, e.op, left, right)
        case ex.And():
            return _all(body, e.items, stop_at=False)
        case ex.Or():
            return _all(body, e.items, stop_at=True)
        case ex.Due():
            late = op.sub(body.r, load(body.r, "time"), expression(body, e.value))
            return op.compared(body.r, ">=", late, load(body.r, "tolerance"))
        case ex.Unary("not", value):
            return body.r.let(f"xor i1 {condition(body, value)}, true")
        case ex.Constant(value):
            return "true" if value != 0.0 else "false"
    return op.is_true(body.r, expression(body, e))


def _side(body: Body, e: ex.Expr, threshold: Threshold | None) -> str:
    """A side of a comparison; the other is a threshold only for an account that nothing but postings moves."""
    bare = e.value if isinstance(e, ex.Checked) else e
    moved_by_postings = (
        isinstance(bare, (ex.Read, ex.At))
        and bare.column.base in body.module.accounts
        and body.module.account(bare.column).flow_columns is None
        and isinstance(bare.entity, (ex.Local, ex.Constant))
    )
    kept, body.threshold = body.threshold, threshold if moved_by_postings else None
    value = expression(body, e)
    body.threshold = kept
    return value


def _all(body: Body, items: tuple[ex.Expr, ...], *, stop_at: bool) -> str:
    r = body.r
    cell = r.cell("i1", None)
    done = r.label()
    for position, item in enumerate(items):
        flag = condition(body, item)
        r.do(f"store i1 {flag}, ptr {cell}")
        if position < len(items) - 1:
            on = r.label()
            r.fork(flag, *((done, on) if stop_at else (on, done)))
            r.place(on)
    if not items:
        r.do(f"store i1 {'false' if stop_at else 'true'}, ptr {cell}")
    r.place(done)
    return r.let(f"load i1, ptr {cell}")


def is_plain(body: Body, e: ex.Expr) -> bool:
    """Return whether it takes less to work an expression out than to guess which way it goes; it cannot fail."""
    match e:
        case ex.Constant() | ex.Dial() | ex.Local():
            return True
        case ex.Compare() | ex.Binary("+" | "-" | "*"):
            return is_plain(body, e.left) and is_plain(body, e.right)
        case ex.And() | ex.Or():
            return all(is_plain(body, item) for item in e.items)
        case ex.Unary("not", value):
            return is_plain(body, value)
        case ex.Checked(value):
            # A flag is always finite.
            return isinstance(value, FLAGS) and is_plain(body, value)
        case ex.At():
            # The step moves, which a quiet routine has to ask for.
            return e.column.base != body.module.step and is_plain(body, e.entity)
        case ex.Read():
            return body.module.account(e.column).flow_columns is None and is_plain(body, e.entity)
        case _:
            return False


def plain_flag(body: Body, e: ex.Expr) -> str:
    """Return whether a plain expression holds, all parts of it asked."""
    r = body.r
    match e:
        case ex.And() | ex.Or():
            flags = [plain_flag(body, item) for item in e.items]
            word, flag = ("and", "true") if isinstance(e, ex.And) else ("or", "false")
            for other in flags:
                flag = r.let(f"{word} i1 {flag}, {other}")
            return flag
        case ex.Unary("not", value):
            return r.let(f"xor i1 {plain_flag(body, value)}, true")
        case ex.Checked(value):
            return plain_flag(body, value)
        case _:
            return condition(body, e)


def _constant(_: Body, e: ex.Constant) -> str:
    return number(e.value)


def _dial(body: Body, e: ex.Dial) -> str:
    return body.dial(e.index)


def _dial_of(body: Body, e: ex.DialOf) -> str:
    r = body.r
    table = body.module.table(e.table)
    place = r.let(f"sub i64 {entity_number(body, e.entity)}, {e.first}")
    known = r.let(f"icmp ult i64 {place}, {len(e.table)}")
    safe = r.let(f"select i1 {known}, i64 {place}, i64 0")
    index = r.let(f"load i64, ptr {r.let(f'getelementptr i64, ptr {table}, i64 {safe}')}")
    given = r.let(f"and i1 {known}, {r.let(f'icmp sge i64 {index}, 0')}")
    address = r.let(f"getelementptr double, ptr %d, i64 {r.let(f'select i1 {given}, i64 {index}, i64 0')}")
    return op.chosen(r, given, body.load(address), op.ZERO)


def entity_number(body: Body, e: ex.Expr) -> str:
    """An entity's number as an integer."""
    if isinstance(e, ex.Constant):
        return str(int(e.value))
    whole = whole_of(body, e)
    return whole.value if whole is not None else op.index_of(body.r, expression(body, e))


def whole_of(body: Body, e: ex.Expr) -> Whole | None:
    """An expression as an integer, where it is made of whole numbers so small that float64 says the same."""
    match e:
        case ex.Constant(value) if value.is_integer() and abs(value) < SMALL:
            return Whole(str(int(value)), int(value), int(value))
        case ex.Local(index) if index in body.entities:
            number_, runs = body.entities[index]
            return Whole(number_, min(first for first, _ in runs), max(first + n - 1 for first, n in runs))
        case ex.Local(index):
            return body.wholes.get(index)
        case ex.Binary("+" | "-" | "*" as sign, left, right):
            one, other = whole_of(body, left), whole_of(body, right)
            if one is None or other is None:
                return None
            word, apply = WHOLE_OPERATIONS[sign]
            ends = [apply(a, b) for a in (one.least, one.most) for b in (other.least, other.most)]
            if min(ends) <= -SMALL or max(ends) >= SMALL:
                return None
            return Whole(body.r.let(f"{word} i64 {one.value}, {other.value}"), min(ends), max(ends))
        case _:
            return None


def _is_inside(body: Body, e: ex.Expr, column: Column) -> bool:
    """Return whether an entity is known to be one of a column's."""
    last = column.first + column.count
    runs = body.known_runs(e)
    if runs is None:
        whole = whole_of(body, e)
        return whole is not None and column.first <= whole.least and whole.most < last
    return all(column.first <= first and first + n <= last for first, n in runs)


def safe_place(body: Body, column: Column, e: ex.Expr) -> tuple[str, str | None]:
    """An entity's number, made one of the column's, and a flag whether it was; no flag where it always is."""
    index = entity_number(body, e)
    if _is_inside(body, e, column):
        return index, None
    known = body.inside(index, column.first, column.count)
    return body.r.let(f"select i1 {known}, i64 {index}, i64 {column.first}"), known


def _at(body: Body, e: ex.At) -> str:
    body.look(body.module.key_of(e.column), e.entity)
    if e.column.base in body.module.accounts:
        body.look(flow_key(e.column), e.entity)
    index, known = safe_place(body, e.column, e.entity)
    address = body.slot_at(e.column.offset, index)
    value = body.load_flag(address) if e.column.role == "flag" else body.load(address)
    return value if known is None else op.chosen(body.r, known, value, op.ZERO)


def _read(body: Body, e: ex.Read) -> str:
    account = body.module.account(e.column)
    if account.flow_columns is None:
        return _at(body, ex.At(e.column, e.entity))
    body.look(e.column.base, e.entity)
    body.look(flow_key(e.column), e.entity)
    index, known = safe_place(body, e.column, e.entity)
    value = worth(body, account, index)
    return value if known is None else op.chosen(body.r, known, value, op.ZERO)


def worth(body: Body, account: Account, index: str) -> str:
    """Return what an account is worth at this moment, its flow included."""
    flows = account.flow_columns
    value = body.load(body.slot_at(account.column.offset, index))
    if flows is None:
        return value
    r = body.r
    rests = op.compared(r, "==", body.load(body.slot_at(flows.rate.offset, index)), op.ZERO)
    cell = r.cell("double", None)
    r.do(f"store double {value}, ptr {cell}")
    with r.when(r.let(f"xor i1 {rests}, true")):
        body.store(flowed(body, account, index), cell)
    return body.load(cell)


def flowed(body: Body, account: Account, index: str) -> str:
    """Return what an account is worth whose flow is under way."""
    name = f"@flowed{body.module.accounts[account.column.base]}"
    body.module.want(name, lambda: _flowed(body.module, account, name))
    return body.r.let(f"call double {name}(ptr %s, ptr %x, i64 {index})")


def _flowed(module: Module, account: Account, name: str) -> str:
    r = Routine(f"double {name}(ptr noalias %s, ptr noalias %x, i64 %e)", "unreachable")
    body = Body(module, r)
    flows = account.flow_columns
    assert flows is not None
    moved = flow_amount(body, account, "%e")
    rate = body.load(body.slot_at(flows.rate.offset, "%e"))
    end = body.load(body.slot_at(flows.to.offset, "%e"))
    value = op.add(r, body.load(body.slot_at(account.column.offset, "%e")), moved)
    up = op.chosen(r, op.compared(r, "<", value, end), value, end)
    down = op.chosen(r, op.compared(r, ">", value, end), value, end)
    r.leave(f"double {op.chosen(r, op.compared(r, '>', rate, op.ZERO), up, down)}")
    return r.text()


def flow_amount(body: Body, account: Account, index: str) -> str:
    """Return what a flow has made since its anchor; whole points for a whole stat."""
    r = body.r
    flows = account.flow_columns
    assert flows is not None
    now = body.load(body.slot(body.module.step))
    steps = op.sub(r, now, body.load(body.slot_at(flows.anchor.offset, index)))
    rate = body.load(body.slot_at(flows.rate.offset, index))
    moved = op.mul(r, rate, seconds_of(r, steps))
    whole = [(first, count) for first, count, spec in account.specs if spec.whole]
    if not whole:
        return moved
    nudge = r.let(f"call double @llvm.copysign.f64(double {number(1e-9)}, double {moved})")
    points = op.plus_zero(r, op.whole_part(r, op.add(r, moved, nudge)))
    if len(whole) == len(account.specs):
        return points
    counted = "false"
    for first, count in whole:
        counted = r.let(f"or i1 {counted}, {body.inside(index, first, count)}")
    return op.chosen(r, counted, points, moved)


def seconds_of(r: Routine, steps: str) -> str:
    """A number of steps in seconds (or turns)."""
    return r.let(f"call double @seconds(ptr %x, double {steps})")


def has_ended(body: Body) -> str:
    """Return whether the run has ended: its ending is no longer -1."""
    ending = body.load(body.slot(body.module.ending))
    return body.r.let(f"icmp sge i64 {body.r.let(f'bitcast double {ending} to i64')}, 0")


def seconds_function() -> str:
    """`seconds`: how long so many steps are.

    What moves again in each step asks for the time of one step or of none, again and again; divisions are dear.
    """
    r = Routine("double @seconds(ptr noalias %x, double %k)", "unreachable")
    one, more, none, many = (r.label() for _ in range(4))
    r.fork(op.compared(r, "==", "%k", op.ONE), one, more)
    r.place(one)
    r.leave(f"double {load(r, 'one_step')}")
    r.place(more)
    r.fork(op.compared(r, "==", "%k", op.ZERO), none, many)
    r.place(none)
    r.leave("double %k")
    r.place(many)
    r.leave(f"double {time_at(r, '%k')}")
    return r.text()


def time_at(r: Routine, step: str) -> str:
    """The time at a step: steps / n, or steps · step where n is not whole."""
    cell = r.cell("double", None)
    whole, other, after = r.label(), r.label(), r.label()
    r.fork(r.let(f"icmp ne i64 {load(r, 'is_whole')}, 0"), whole, other)
    r.place(whole)
    divided = r.let(f"fdiv double {step}, {load(r, 'steps_per_second')}")
    r.do(f"store double {divided}, ptr {cell}")
    r.go(after)
    r.place(other)
    r.do(f"store double {op.mul(r, step, load(r, 'step_length'))}, ptr {cell}")
    r.place(after)
    return r.let(f"load double, ptr {cell}")


def _local(body: Body, e: ex.Local) -> str:
    return body.load(body.local(e.index))


def _unary(body: Body, e: ex.Unary) -> str:
    return op.unary(body.r, e.op, expression(body, e.value))


def _binary(body: Body, e: ex.Binary) -> str:
    left = expression(body, e.left)
    return op.binary(body.r, e.op, left, expression(body, e.right))


def _choose(body: Body, e: ex.Choose) -> str:
    r = body.r
    cell = r.cell("double", None)
    then, other, after = r.label(), r.label(), r.label()
    r.fork(condition(body, e.condition), then, other)
    r.place(then)
    body.store(expression(body, e.then), cell)
    r.go(after)
    r.place(other)
    body.store(expression(body, e.other), cell)
    r.place(after)
    return body.load(cell)


def _fold(body: Body, e: ex.Fold) -> str:
    if e.op == "nth":
        return _nth(body, e)
    r = body.r
    if e.op in ("any", "all", "count"):
        counted = r.cell("i64", None)
        r.do(f"store i64 0, ptr {counted}")
        with _folded(body, e) as taken:
            flag = taken if e.op == "count" else condition(body, e.body)
            if e.op != "count":
                wanted = flag if e.op == "any" else r.let(f"xor i1 {flag}, true")
                flag = r.let(f"and i1 {taken}, {wanted}")
            more = r.let(f"zext i1 {flag} to i64")
            so_far = r.let(f"load i64, ptr {counted}")
            r.do(f"store i64 {r.let(f'add i64 {so_far}, {more}')}, ptr {counted}")
        total = r.let(f"load i64, ptr {counted}")
        if e.op == "count":
            return r.let(f"sitofp i64 {total} to double")
        return op.flag_value(r, r.let(f"icmp {'ne' if e.op == 'any' else 'eq'} i64 {total}, 0"))
    result, best, found = r.cell("double", None), r.cell("double", None), r.cell("i1", None)
    body.store(number(-1.0) if e.op in ("argmin", "argmax") else op.ZERO, result)
    body.store(op.ZERO, best)
    r.do(f"store i1 false, ptr {found}")
    with _folded(body, e) as taken:
        _fold_in(body, e, result, best, found, taken)
    return body.load(result)


@contextmanager
def _folded(body: Body, e: ex.Fold) -> Iterator[str]:
    """Go over the entities of a fold; gives a flag whether one counts, for whom all the same is done without a branch
    where that costs little: who is there is hard to guess.
    """
    r = body.r
    with body.each(e.ranges, e.local):
        if is_plain(body, e.where) and is_plain(body, e.body):
            yield plain_flag(body, e.where)
        else:
            with r.when(condition(body, e.where)):
                yield "true"


def _fold_in(body: Body, e: ex.Fold, result: str, best: str, found: str, taken: str) -> None:
    r = body.r
    so_far = body.load(result)
    value = expression(body, e.body)
    if e.op == "sum":
        body.store(op.chosen(r, taken, op.add(r, so_far, value), so_far), result)
        return
    sign = number(1.0 if e.op in ("min", "argmin") else -1.0)
    less = op.compared(r, "<", op.mul(r, value, sign), op.mul(r, body.load(best), sign))
    first = r.let(f"xor i1 {r.let(f'load i1, ptr {found}')}, true")
    better = r.let(f"and i1 {taken}, {r.let(f'or i1 {less}, {first}')}")
    known = r.let(f"or i1 {better}, {r.let(f'load i1, ptr {found}')}")
    r.do(f"store i1 {known}, ptr {found}")
    body.store(op.chosen(r, better, value, body.load(best)), best)
    chosen = value if e.op in ("min", "max") else body.load(body.local(e.local))
    body.store(op.chosen(r, better, chosen, so_far), result)


def _nth(body: Body, e: ex.Fold) -> str:
    r = body.r
    left = r.cell("i64", None)
    result = r.cell("double", None)
    r.do(f"store i64 {op.index_of(r, expression(body, e.body))}, ptr {left}")
    body.store(number(-1.0), result)
    with body.each(e.ranges, e.local) as (_, _, end):
        with r.when(condition(body, e.where)):
            now = r.let(f"load i64, ptr {left}")
            this, other = r.label(), r.label()
            r.fork(r.let(f"icmp eq i64 {now}, 0"), this, other)
            r.place(this)
            body.store(body.load(body.local(e.local)), result)
            r.go(end)
            r.place(other)
            r.do(f"store i64 {r.let(f'sub i64 {now}, 1')}, ptr {left}")
    return body.load(result)


def _step(body: Body, _: ex.Step) -> str:
    return body.load(body.slot(body.module.step))


def _time(body: Body, _: ex.Time) -> str:
    return load(body.r, "time")


def _seconds(body: Body, e: ex.Seconds) -> str:
    return seconds_of(body.r, expression(body, e.steps))


def _apply(body: Body, e: ex.Apply) -> str:
    return call_procedure(body, e.function, e.arguments)


def call_procedure(body: Body, callee: Handle | str, arguments: tuple[ex.Expr, ...]) -> str:
    """Carry out a procedure; the run stops or ends if it does so. Gives the procedure's result."""
    r = body.r
    routine = body.module.routine(callee)
    parameters = body.module.procedure(callee).parameters
    values = [expression(body, argument) for argument in arguments][:parameters]
    values += [op.ZERO] * (parameters - len(values))
    given = "".join(f", double {value}" for value in values)
    signal = r.let(f"call i32 {routine}({PASSED_ON}{given})")
    leave_unless_going(r, signal)
    if body.module.procedure(callee).result is None:
        return op.ZERO
    return load(r, "result")


def leave_unless_going(r: Routine, signal: str) -> None:
    """Pass on that the run has stopped or ended."""
    out, on = r.label(), r.label()
    r.fork(r.let(f"icmp eq i32 {signal}, 0"), on, out, FIRST_MOSTLY)
    r.place(out)
    if r.head.startswith("i32"):
        r.leave(f"i32 {signal}")
    else:
        r.fail()
    r.place(on)


def _checked(body: Body, e: ex.Checked) -> str:
    value = expression(body, e.value)
    body.r.fail_unless(op.is_finite(body.r, value))
    return value


def _only(body: Body, e: ex.Only) -> str:
    body.r.fail_unless(condition(body, e.condition))
    return expression(body, e.value)


def _with(body: Body, e: ex.With) -> str:
    body.store(expression(body, e.value), body.local(e.local))
    return expression(body, e.body)


FLAGS = (ex.Compare, ex.And, ex.Or, ex.Due)
_LOWERING: dict[type, Callable[[Body, Any], str]] = {
    ex.Constant: _constant,
    ex.Dial: _dial,
    ex.DialOf: _dial_of,
    ex.At: _at,
    ex.Read: _read,
    ex.Local: _local,
    ex.Unary: _unary,
    ex.Binary: _binary,
    ex.Choose: _choose,
    ex.Fold: _fold,
    ex.Step: _step,
    ex.Time: _time,
    ex.Seconds: _seconds,
    ex.Apply: _apply,
    ex.Checked: _checked,
    ex.Only: _only,
    ex.With: _with,
}
check_complete("engines/native/expressions.py", (*_LOWERING, *FLAGS), EXPRESSIONS)
