"""When conditions turn: the first later step in which an expression may have another value.

What compares something monotone in time (the clock, an account with a flow under way) with something that stands
still turns once at most, and correctly rounded operations keep it so; the step is found by bisection on the same
expression that the part itself works out. Whatever else moves, may turn in each step.
"""

from __future__ import annotations

import math
from collections.abc import Callable, Iterable
from dataclasses import dataclass, field
from typing import assert_never, cast

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.assembly import Routine, number
from mint_ledger.engines.native.context import load, store
from mint_ledger.engines.native.expressions import condition, expression, safe_place, seconds_of, time_at, worth
from mint_ledger.engines.native.looks import MIRRORED
from mint_ledger.engines.native.module import Body, Module, flow_key
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.arithmetic import functions
from mint_ledger.program.program import Account
from mint_ledger.program.walking import children, nodes, rebuilt

NEVER = str(2**62)
ORDERED = ("<", "<=", ">", ">=")


class Unknown:
    """The meaning of a local that may move in a way that cannot be followed."""


UNKNOWN = Unknown()
Meaning = ex.Expr | Unknown


@dataclass
class Quiet(Body):
    """A quiet routine in the making.

    Attributes:
        least: the cell of the least step found so far.
        meanings: what the locals stand for that move with time; others stand still.
        conditions: how many conditions lead here.
        now_only: asked is only whether it would do something now, not when that may change.
        due: the cell of the earliest of the times that count for `outermost`, which is the cell of the least step of
            all; their step is asked once for all of them.
    """

    least: str = ""
    meanings: dict[int, Meaning] = field(default_factory=dict)
    conditions: int = 0
    now_only: bool = False
    due: str = ""
    outermost: str = ""

    def at_most(self, step: str) -> None:
        """That step may matter."""
        now = self.r.let(f"load i64, ptr {self.least}")
        sooner = self.r.let(f"icmp slt i64 {step}, {now}")
        self.r.do(f"store i64 {self.r.let(f'select i1 {sooner}, i64 {step}, i64 {now}')}, ptr {self.least}")

    def now(self) -> None:
        """The next step matters."""
        self.r.fail()

    def now_if(self, flag: str) -> None:
        """The next step matters if a flag holds."""
        self.r.fail_unless(self.r.let(f"xor i1 {flag}, true"))

    def moves(self, e: ex.Expr) -> bool:
        """Return whether an expression may change while nothing happens but time."""
        return any(self._moves_itself(part) for part in nodes(e))

    def _moves_itself(self, e: ex.Expr) -> bool:
        return e.index in self.meanings if isinstance(e, ex.Local) else moves_with_time(self.module, e)

    def explained(self, e: ex.Expr) -> ex.Expr | None:
        """An expression with what its moving locals stand for; none where that is not known."""
        return explained(e, self.meanings)


class _NotKnown(Exception):
    """A local that may move in a way that cannot be followed."""


def explained(e: ex.Expr, meanings: dict[int, Meaning]) -> ex.Expr | None:
    """See `Quiet.explained`."""

    def change(part: ex.Expr) -> ex.Expr:
        if isinstance(part, ex.Local):
            meaning = meanings.get(part.index, part)
            if isinstance(meaning, Unknown):
                raise _NotKnown
            return meaning
        return cast(ex.Expr, rebuilt(part, change))

    try:
        return change(e)
    except _NotKnown:
        return None


def moves_with_time(module: Module, e: ex.Expr) -> bool:
    """Whether an expression may change while nothing happens but time, its parts and what locals stand for aside."""
    match e:
        case ex.Step() | ex.Time() | ex.Due():
            return True
        case ex.Read(column):
            return module.account(column).flow_columns is not None
        case ex.At(column):
            return column.base == module.step
        case ex.Apply(function):
            return looks_at_time(module, function)
        case ex.Constant() | ex.Dial() | ex.DialOf() | ex.Local() | ex.Unary() | ex.Binary() | ex.Compare() | ex.And():
            return False
        case ex.Or() | ex.Choose() | ex.Fold() | ex.Seconds() | ex.Checked() | ex.Only() | ex.With():
            return False
        case _:
            assert_never(e)


def looks_at_time(module: Module, function: str) -> bool:
    """Return whether a function looks at more than its arguments."""
    return any(_looks_at_time(module, part, function) for part in expressions_of(functions()[function]))


def _looks_at_time(module: Module, e: ex.Expr, function: str) -> bool:
    if isinstance(e, ex.Apply):
        return e.function != function and looks_at_time(module, e.function)
    return isinstance(e, (ex.At, ex.Read)) or moves_with_time(module, e)


def expressions_of(procedure: st.Procedure) -> Iterable[ex.Expr]:
    """All expressions of a procedure that only works with its arguments."""
    if procedure.result is not None:
        yield from nodes(procedure.result)
    waiting = list(procedure.body)
    while waiting:
        statement = waiting.pop()
        match statement:
            case st.Let():
                yield from nodes(statement.value)
            case st.If():
                yield from nodes(statement.condition)
                waiting += [*statement.then, *statement.other]
            case st.Each():
                if statement.repeat is not None:
                    yield from nodes(statement.repeat)
                waiting += statement.body
            case st.Leave():
                pass
            case st.Post() | st.Open() | st.Flow() | st.Set() | st.Draw() | st.Note() | st.Call() | st.Raise():
                # This does more than work with arguments.
                yield ex.Time()
            case st.Settle() | st.Guard() | st.Finish():
                yield ex.Time()
            case _:
                assert_never(statement)


def is_monotone(q: Quiet, e: ex.Expr) -> bool:
    """Return whether an expression goes only up or only down with time, while nothing happens."""
    if not q.moves(e):
        return True
    match e:
        case ex.Step() | ex.Time():
            return True
        case ex.Read() | ex.At():
            return not q.moves(e.entity)
        case ex.Seconds():
            return is_monotone(q, e.steps)
        case ex.Checked():
            return is_monotone(q, e.value)
        case ex.Unary("negate" | "floor" | "ceil" | "round", value):
            return is_monotone(q, value)
        case ex.Binary("/", left, right):
            return is_monotone(q, left) and not q.moves(right)
        case ex.Binary("+" | "-" | "*" | "min" | "max", left, right):
            return (is_monotone(q, left) and not q.moves(right)) or (not q.moves(left) and is_monotone(q, right))
        case ex.Choose():
            return not q.moves(e.condition) and is_monotone(q, e.then) and is_monotone(q, e.other)
        case ex.Unary() | ex.Binary() | ex.Compare() | ex.And() | ex.Or() | ex.Due() | ex.Local() | ex.Fold():
            return False
        case ex.Apply() | ex.Only() | ex.With() | ex.Constant() | ex.Dial() | ex.DialOf():
            return False
        case _:
            assert_never(e)


def turns(q: Quiet, e: ex.Expr) -> None:
    """Take into account when an expression's value may change."""
    if q.now_only or not q.moves(e) or not q.r.is_open:
        return
    r = q.r
    match e:
        case ex.Compare():
            _compare_turns(q, e)
        case ex.Due():
            _due_turns(q, e)
        case ex.And():
            _items_turn(q, e.items, decides=False)
        case ex.Or():
            _items_turn(q, e.items, decides=True)
        case ex.Choose():
            turns(q, e.condition)
            then, other, after = r.label(), r.label(), r.label()
            r.fork(condition(q, e.condition), then, other)
            r.place(then)
            turns(q, e.then)
            r.go(after)
            r.place(other)
            turns(q, e.other)
            r.place(after)
        case ex.Fold():
            if e.op == "nth":
                turns(q, e.body)
            with q.each(e.ranges, e.local):
                turns(q, e.where)
                if e.op != "nth" and r.is_open:
                    with r.when(condition(q, e.where)):
                        turns(q, e.body)
        case ex.Local(index):
            meaning = q.meanings[index]
            if isinstance(meaning, Unknown):
                q.now()
            else:
                turns(q, meaning)
        case ex.Read():
            turns(q, e.entity)
            if r.is_open and q.module.account(e.column).flow_columns is not None:
                q.now_if(_flows(q, e))
        case ex.With() if q.moves(e.value):
            q.now()  # what its local stands for is not followed
        case ex.With():
            q.store(expression(q, e.value), q.local(e.local))
            turns(q, e.body)
        case ex.Step() | ex.Time():
            q.now()
        case ex.At() if e.column.base == q.module.step:
            q.now()
        case ex.Apply() if looks_at_time(q.module, e.function):
            q.now()
        case ex.At() | ex.Apply() | ex.Unary() | ex.Binary() | ex.Seconds() | ex.Checked() | ex.Only() | ex.DialOf():
            for part in children(e):
                if r.is_open:
                    turns(q, part)
        case ex.Constant() | ex.Dial():
            pass
        case _:
            assert_never(e)


def _flows(q: Quiet, e: ex.Read) -> str:
    """Return whether the flow of an account is under way."""
    flows = q.module.account(e.column).flow_columns
    assert flows is not None
    q.look(flow_key(e.column), e.entity)
    index, known = safe_place(q, e.column, e.entity)
    runs = op.is_true(q.r, q.load(q.slot_at(flows.rate.offset, index)))
    return runs if known is None else q.r.let(f"and i1 {runs}, {known}")


def _items_turn(q: Quiet, items: tuple[ex.Expr, ...], *, decides: bool) -> None:
    """A chain of conditions: as long as the one that decides it does not turn, the others do not matter."""
    r = q.r
    after = r.label()
    whole = r.cell("i64", None)
    outer = q.least
    r.do(f"store i64 {NEVER}, ptr {whole}")
    for item in items:
        if not r.is_open:
            break
        deciding, on = r.label(), r.label()
        flag = condition(q, item)
        r.fork(flag, *((deciding, on) if decides else (on, deciding)))
        r.place(deciding)
        turns(q, item)
        r.go(after)
        r.place(on)
        q.least = whole
        turns(q, item)
        q.least = outer
    if r.is_open:
        q.at_most(r.let(f"load i64, ptr {whole}"))
    r.place(after)


def _compare_turns(q: Quiet, e: ex.Compare) -> None:
    left, right = q.explained(e.left), q.explained(e.right)
    if left is None or right is None:
        q.now()
        return
    if _step_turns(q, e.op, left, right) or _step_turns(q, MIRRORED.get(e.op, e.op), right, left):
        return
    one_moves = not q.moves(left) or not q.moves(right)
    if not one_moves or not is_monotone(q, left) or not is_monotone(q, right):
        turns(q, left)
        if q.r.is_open:
            turns(q, right)
        return
    # Equality may come and go: where it might, one of these two has turned before or with it.
    for how in (e.op,) if e.op in ORDERED else ("<", "<="):
        _search(q, ex.Compare(how, left, right))


def _step_turns(q: Quiet, op_: ex.CompareOp, left: ex.Expr, right: ex.Expr) -> bool:
    """Take into account when the number of the step passes one that stands still; no search is needed for that."""
    if not isinstance(left, ex.Step) or q.moves(right) or op_ not in ORDERED:
        return False
    r = q.r
    bound = expression(q, right)
    # `step >= bound` and `step < bound` turn at the first whole number that is not below it, the others after it.
    turn = op.ceil(r, bound) if op_ in (">=", "<") else op.add(r, op.floor(r, bound), op.ONE)
    now = q.load(q.slot(q.module.step))
    ahead = r.let(f"and i1 {op.compared(r, '>', turn, now)}, {op.compared(r, '<', bound, op.TWO_TO_52)}")
    with r.when(ahead):
        q.at_most(r.let(f"fptosi double {turn} to i64"))
    return True


def _search(q: Quiet, e: ex.Compare) -> None:
    """Find the step in which a comparison turns that turns once at most."""
    r = q.r
    after = r.label()
    reads = [part for part in nodes(e) if isinstance(part, ex.Read) and q._moves_itself(part)]
    if not any(isinstance(part, (ex.Step, ex.Time, ex.At)) and q._moves_itself(part) for part in nodes(e)):
        runs = "false"
        for read in reads:
            runs = r.let(f"or i1 {runs}, {_flows(q, read)}")
        on = r.label()
        r.fork(runs, on, after)
        r.place(on)
    was = condition(q, e)
    first_step(q, lambda: r.let(f"xor i1 {condition(q, e)}, {was}"), _guess(q, e))
    r.place(after)


def _guess(q: Quiet, e: ex.Compare) -> str | None:
    """About when a comparison of one account with a value turns."""
    for side, other in ((e.left, e.right), (e.right, e.left)):
        bare = side.value if isinstance(side, ex.Checked) else side
        if isinstance(bare, ex.Read) and q.moves(bare) and not q.moves(other):
            account = q.module.account(bare.column)
            index, _ = safe_place(q, bare.column, bare.entity)
            return steps_to(q, account, index, expression(q, other))
    return None


def steps_to(q: Quiet, account: Account, index: str, goal: str) -> str:
    """In about how many steps a flow that is under way reaches a value."""
    r = q.r
    flows = account.flow_columns
    assert flows is not None
    rate = q.load(q.slot_at(flows.rate.offset, index))
    seconds = r.let(f"fdiv double {op.sub(r, goal, worth(q, account, index))}, {rate}")
    steps = op.mul(r, seconds, load(r, "steps_per_second"))
    ahead = op.chosen(r, op.compared(r, ">", steps, op.ONE), steps, op.ONE)
    return r.let(f"fptosi double {op.lower(r, ahead, op.TWO_TO_52)} to i64")


def first_step(q: Quiet, holds: Callable[[], str], guess: str | None = None) -> None:
    """Take into account the first step in which something holds that does not now, and then keeps on.

    The search begins `guess` steps from now, leaps ahead in strides that double until it holds, and then halves.
    """
    r = q.r
    low, high, stride, probe = (r.cell("i64", None) for _ in range(4))
    start = current_step(q)
    if q.due and q.least == q.outermost:
        earliest_due(q, start)  # so that no more is searched than has to be
    horizon, least = load(r, "horizon"), r.let(f"load i64, ptr {q.least}")
    bound = r.let(f"select i1 {r.let(f'icmp slt i64 {least}, {horizon}')}, i64 {least}, i64 {horizon}")
    # What would come after all that matters is known not to come before by one look at its end.
    guessed = r.let(f"add i64 {start}, {guess or 1}")
    first = r.let(f"add i64 {start}, 1")
    last = r.let(f"select i1 {r.let(f'icmp sgt i64 {bound}, {first}')}, i64 {bound}, i64 {first}")
    begin = r.let(f"select i1 {r.let(f'icmp slt i64 {guessed}, {last}')}, i64 {guessed}, i64 {last}")
    for cell, value in ((low, start), (high, NEVER), (stride, "1"), (probe, begin)):
        r.do(f"store i64 {value}, ptr {cell}")
    look, yes, no, next_, leap, far, found, near, below, middle, ready, done = (r.label() for _ in range(12))
    r.place(look)
    now = r.let(f"load i64, ptr {probe}")
    set_step(q, now)
    r.fork(holds(), yes, no)
    r.place(yes)
    r.do(f"store i64 {now}, ptr {high}")
    r.go(next_)
    r.place(no)
    r.do(f"store i64 {now}, ptr {low}")
    r.place(next_)
    bottom, top, width = (r.let(f"load i64, ptr {cell}") for cell in (low, high, stride))
    r.do(f"store i64 {r.let(f'shl i64 {width}, 1')}, ptr {stride}")
    r.fork(r.let(f"icmp eq i64 {top}, {NEVER}"), leap, found)
    r.place(leap)
    r.do(f"store i64 {r.let(f'add i64 {bottom}, {width}')}, ptr {probe}")
    r.fork(r.let(f"icmp slt i64 {bottom}, {bound}"), look, far)
    r.place(far)
    r.go(done)
    r.place(found)
    gap = r.let(f"sub i64 {top}, {bottom}")
    r.fork(r.let(f"icmp sle i64 {gap}, 1"), ready, near)
    r.place(near)
    # A guess that is right is known to be so once the step before it was looked at.
    r.fork(r.let(f"icmp eq i64 {width}, 1"), below, middle)
    r.place(below)
    r.do(f"store i64 {r.let(f'sub i64 {top}, 1')}, ptr {probe}")
    r.go(look)
    r.place(middle)
    half = r.let(f"ashr i64 {gap}, 1")
    r.do(f"store i64 {r.let(f'add i64 {bottom}, {half}')}, ptr {probe}")
    r.go(look)
    r.place(ready)
    q.at_most(top)
    r.place(done)
    set_step(q, start)


def current_step(q: Body) -> str:
    """The number of the step."""
    return q.r.let(f"fptosi double {q.load(q.slot(q.module.step))} to i64")


def set_step(q: Body, step: str) -> None:
    """Make it another step, and the time with it."""
    value = q.r.let(f"sitofp i64 {step} to double")
    q.store(value, q.slot(q.module.step))
    store(q.r, "time", time_at(q.r, value))


def _due_turns(q: Quiet, e: ex.Due) -> None:
    if q.moves(e.value):
        q.now()
        return
    due_turns(q, expression(q, e.value))


def due_turns(q: Quiet, when: str) -> None:
    """Take into account when a time is due that is not yet."""
    r = q.r
    late = op.sub(r, load(r, "time"), when)
    with r.when(r.let(f"xor i1 {op.compared(r, '>=', late, load(r, 'tolerance'))}, true")):
        if q.due and q.least == q.outermost:
            # What is no number is never due.
            q.store(op.lower(r, q.load(q.due), when), q.due)
        else:
            q.at_most(r.let(f"call i64 @due_step(ptr %x, double {when}, i64 {current_step(q)})"))


def earliest_due(q: Quiet, start: str) -> None:
    """Take into account the earliest of the times that are due later; a later time is due in no earlier step."""
    when = q.load(q.due)
    with q.r.when(op.compared(q.r, "<", when, number(math.inf))):
        q.at_most(q.r.let(f"call i64 @due_step(ptr %x, double {when}, i64 {start})"))
        q.store(number(math.inf), q.due)


def due_function() -> str:
    """`due_step(when, now)`: the first step after `now` in which a time is due that is not due at `now`; the guess is
    at most a step off.
    """
    r = Routine("i64 @due_step(ptr noalias %x, double %when, i64 %now)", "unreachable")
    guess = op.mul(r, "%when", load(r, "steps_per_second"))
    near, far, away, surely, closer = (r.label() for _ in range(5))
    r.fork(op.compared(r, "<", guess, load(r, "sure_steps")), near, far)
    r.place(near)
    # Where the bound lies well between two steps (and above 0), rounding cannot move it over one; else the steps are
    # tried.
    bound = op.add(r, guess, load(r, "due_early"))
    below = r.let(f"fptosi double {bound} to i64")
    past = op.sub(r, bound, r.let(f"sitofp i64 {below} to double"))
    clear = [op.compared(r, ">", past, load(r, "clear_from")), op.compared(r, "<", past, load(r, "clear_to"))]
    r.fork(r.let(f"and i1 {clear[0]}, {clear[1]}"), surely, closer)
    r.place(far)
    last = r.let(f"sitofp i64 {load(r, 'horizon')} to double")
    # Also where it is no number at all, which is never due.
    r.fork(op.compared(r, "<", guess, last), closer, away)
    r.place(away)
    r.leave(f"i64 {NEVER}")
    r.place(surely)
    step_number = r.let(f"add i64 {below}, 1")
    next_ = r.let("add i64 %now, 1")
    past_now = r.let(f"icmp sgt i64 {step_number}, {next_}")
    r.leave(f"i64 {r.let(f'select i1 {past_now}, i64 {step_number}, i64 {next_}')}")
    r.place(closer)
    low = r.let("sitofp i64 %now to double")
    bounded = r.let(f"fptosi double {op.higher(r, guess, low)} to i64")
    cell = r.cell("i64", None)
    first = r.let(f"sub i64 {bounded}, 1")
    after = r.let("add i64 %now, 1")
    late = r.let(f"icmp sgt i64 {first}, {after}")
    r.do(f"store i64 {r.let(f'select i1 {late}, i64 {first}, i64 {after}')}, ptr {cell}")
    back, forth, up, out, earlier = (r.label() for _ in range(5))

    def due(step: str) -> str:
        time = seconds_of(r, r.let(f"sitofp i64 {step} to double"))
        return op.compared(r, ">=", op.sub(r, time, "%when"), load(r, "tolerance"))

    r.place(back)
    step = r.let(f"load i64, ptr {cell}")
    before = r.let(f"sub i64 {step}, 1")
    can = r.let(f"icmp sgt i64 {before}, %now")
    r.fork(r.let(f"and i1 {can}, {due(before)}"), earlier, forth)
    r.place(earlier)
    r.do(f"store i64 {before}, ptr {cell}")
    r.go(back)
    r.place(forth)
    step = r.let(f"load i64, ptr {cell}")
    r.fork(due(step), out, up)
    r.place(up)
    r.do(f"store i64 {r.let(f'add i64 {step}, 1')}, ptr {cell}")
    r.go(forth)
    r.place(out)
    r.leave(f"i64 {step}")
    return r.text()
