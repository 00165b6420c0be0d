"""Many runs one after another in machine code, and what is kept of each: samples, slots, tallies and their sums."""

from __future__ import annotations

from mint_ledger.engines.native import operations as op
from mint_ledger.engines.native.assembly import MACHINE_ARGUMENTS, PASSED_ON, Routine, number
from mint_ledger.engines.native.context import item, load, store
from mint_ledger.engines.native.expressions import worth
from mint_ledger.engines.native.module import Body, Module
from mint_ledger.engines.native.turning import NEVER, current_step
from mint_ledger.engines.tally import MOMENTS, TALLY_HEAD, TALLY_OF_CAUSE
from mint_ledger.program.program import Account
from mint_ledger.program.row import WHATS

COUNTED = len(WHATS)


def batch_routines(module: Module) -> None:
    """Make `batch`, and what it calls."""
    _Batch(module).make()


class _Batch:
    def __init__(self, module: Module) -> None:
        self.module = module

    def make(self) -> None:
        """Runs one after another, from the context's `run` on; `done` counts those that came to their end."""
        module = self.module
        r = Routine(f"i32 @batch({MACHINE_ARGUMENTS}, i64 %runs)", "ret i32 2")
        body = Body(module, r)
        first = load(r, "run")
        store(r, "done", "0")
        with body.loop("%runs") as (now, _, _):
            store(r, "run", r.let(f"add i64 {first}, {now}"))
            signal = r.let(f"call i32 @open({PASSED_ON})")
            self._leave_if_failed(r, signal)
            self._sample(body, now)
            signal = r.let(f"call i32 @go({PASSED_ON}, i64 {NEVER})")
            self._leave_if_failed(r, signal)
            self._take(body, now)
            self._add_up(body, now)
            store(r, "done", r.let(f"add i64 {now}, 1"))
            store(r, "visited_in_all", r.let(f"add i64 {load(r, 'visited_in_all')}, {load(r, 'visited')}"))
        r.leave("i32 0")
        module.routines.append(r.text())

    def _leave_if_failed(self, r: Routine, signal: str) -> None:
        bad, good = r.label(), r.label()
        r.fork(r.let(f"icmp sgt i32 {signal}, 1"), bad, good)
        r.place(bad)
        r.leave(f"i32 {signal}")
        r.place(good)

    def _sample(self, body: Body, run: str) -> None:
        """Read the chosen accounts at the steps of the grid; a run that is over has no more values."""
        r = body.r
        with body.loop(load(r, "grid_count")) as (point, after, _):
            step = r.let(f"load i64, ptr {item(r, 'grid_steps', 'i64', point)}")
            signal = r.let(f"call i32 @go({PASSED_ON}, i64 {step})")
            self._leave_if_failed(r, signal)
            reached = r.let(f"icmp sge i64 {current_step(body)}, {step}")
            run_points = r.let(f"mul i64 {run}, {load(r, 'grid_count')}")
            row = r.let(f"mul i64 {r.let(f'add i64 {run_points}, {point}')}, {load(r, 'sampled_count')}")
            there = r.label()
            r.fork(reached, there, after)
            r.place(there)
            with body.loop(load(r, "sampled_count")) as (index, _, _):
                slot = r.let(f"load i64, ptr {item(r, 'sampled_slots', 'i64', index)}")
                value = r.let(f"call double @worth(ptr %s, ptr %x, i64 {slot})")
                place = r.let(f"add i64 {row}, {index}")
                body.store(value, item(r, "samples", "double", place))
        self._worth()

    def _worth(self) -> None:
        """`worth`: the value of the account in a slot, whichever account it is."""
        r = Routine("double @worth(ptr noalias %s, ptr noalias %x, i64 %slot)", "unreachable")
        body = Body(self.module, r)
        cell = r.cell("double", None)
        body.store(body.load(r.let("getelementptr double, ptr %s, i64 %slot")), cell)
        for i, account in enumerate(self.module.program.accounts):
            column = account.column
            if account.flow_columns is not None:
                with r.when(body.inside("%slot", column.base, column.count)):
                    entity = r.let(f"sub i64 %slot, {column.offset}")
                    if self.module.has_many_accounts:
                        body.store(r.let(f"call double @worth{i}(ptr %s, ptr %x, i64 {entity})"), cell)
                        self._worth_of(i, account)
                    else:
                        body.store(worth(body, account, entity), cell)
        r.leave(f"double {body.load(cell)}")
        self.module.routines.append(r.text())

    def _worth_of(self, i: int, account: Account) -> None:
        r = Routine(f"double @worth{i}(ptr noalias %s, ptr noalias %x, i64 %e)", "unreachable")
        r.leave(f"double {worth(Body(self.module, r), account, '%e')}")
        self.module.routines.append(r.text())

    def _take(self, body: Body, run: str) -> None:
        """Keep what is asked for of a run: slots of the state, then (from the state's size on) numbers of tallies
        and counts.
        """
        r, program = body.r, self.module.program
        state = program.layout.size
        counts = COUNTED * len(program.causes)
        with body.loop(load(r, "taken_count")) as (index, _, _):
            slot = r.let(f"load i64, ptr {item(r, 'taken_slots', 'i64', index)}")
            cell = r.cell("ptr", None)
            r.do(f"store ptr {r.let(f'getelementptr double, ptr %s, i64 {slot}')}, ptr {cell}")
            with r.when(r.let(f"icmp sge i64 {slot}, {state}")):
                r.do(f"store ptr {item(r, 'counts', 'double', r.let(f'sub i64 {slot}, {state}'))}, ptr {cell}")
            with r.when(r.let(f"icmp sge i64 {slot}, {state + counts}")):
                place = r.let(f"sub i64 {slot}, {state + counts}")
                r.do(f"store ptr {item(r, 'tallies', 'double', place)}, ptr {cell}")
            value = body.load(r.let(f"load ptr, ptr {cell}"))
            row = r.let(f"mul i64 {run}, {load(r, 'taken_count')}")
            place = r.let(f"add i64 {row}, {index}")
            body.store(value, item(r, "taken", "double", place))

    def _add_up(self, body: Body, run: str) -> None:
        """Add the run's tallies to the sums, and their squares and cubes about the mean of the `run` runs so far."""
        r = body.r
        number_of = r.let(f"sitofp i64 {run} to double")
        then = op.add(r, number_of, op.ONE)
        share = r.let(f"fdiv double {number_of}, {then}")
        less = op.sub(r, number_of, op.ONE)
        runs = op.higher(r, number_of, op.ONE)
        size = TALLY_HEAD + len(self.module.program.causes) * TALLY_OF_CAUSE
        with r.when(r.let(f"icmp ne ptr {load(r, 'sums')}, null")):
            length = r.let(f"mul i64 {load(r, 'tally_count')}, {size}")
            with body.loop(length) as (index, _, _):
                value = body.load(item(r, "tallies", "double", index))
                place = r.let(f"mul i64 {index}, {MOMENTS}")
                total = item(r, "sums", "double", place)
                squares = item(r, "sums", "double", r.let(f"add i64 {place}, 1"))
                cubes = item(r, "sums", "double", r.let(f"add i64 {place}, 2"))
                before, known = body.load(total), body.load(squares)
                off = op.sub(r, value, r.let(f"fdiv double {before}, {runs}"))
                grown, each = op.mul(r, op.mul(r, off, share), off), r.let(f"fdiv double {off}, {then}")
                skewed = op.sub(
                    r, op.mul(r, op.mul(r, grown, each), less), op.mul(r, op.mul(r, number(3.0), each), known)
                )
                body.store(op.add(r, body.load(cubes), skewed), cubes)
                body.store(op.add(r, known, grown), squares)
                body.store(op.add(r, before, value), total)
