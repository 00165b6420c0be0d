"""Accounts: what a posting does, and how flows begin, end and write their rows."""

from __future__ import annotations

import math
from collections.abc import Sequence
from typing import NoReturn

from mint_ledger.engines.expressions import Expressions, spec_frame
from mint_ledger.engines.operations import rounded, wrapped_over
from mint_ledger.engines.stopping import run_stopped
from mint_ledger.engines.work import MOST_WORK, POSTING_WORK
from mint_ledger.program.program import Account, AccountSpec, FlowSpec, Program
from mint_ledger.program.row import WHAT_CODES, Row
from mint_ledger.program.state import Column, Start


def _goes(flow: FlowSpec, value: float, end: float) -> bool:
    """Return whether a flow moves a value: `recover` only gives and `fade` only takes."""
    return value < end if flow.way == "up" else value > end if flow.way == "down" else value != end


class Accounts(Expressions):
    """Posts to accounts and keeps their flows; `journal` says whether rows are written."""

    journal = True
    _dirty = False
    # What this step has done so far; see `work.py`.
    _work = 0

    def __init__(self, program: Program, dials: Sequence[float] | None, seed: int, run: int) -> None:
        super().__init__(program, dials, seed, run)
        # Limits that are always the same, by what has them.
        self._fixed_limits: dict[int, tuple[float, float]] = {}

    def _limits(self, spec: AccountSpec, entity: float) -> tuple[float, float]:
        fixed = self._fixed_limits.get(id(spec))
        if fixed is not None:
            return fixed
        limits = self._asked_limits(spec, entity)
        if all(limit is None or self._known(limit) is not None for limit in (spec.low, spec.high)):
            self._fixed_limits[id(spec)] = limits
        return limits

    def _asked_limits(self, spec: AccountSpec, entity: float) -> tuple[float, float]:
        frame = spec_frame(entity, spec.locals)
        low = -math.inf if spec.low is None else self._evaluate(spec.low, frame)
        high = math.inf if spec.high is None else self._evaluate(spec.high, frame)
        if spec.whole:
            low = float(math.ceil(low)) if low > -math.inf else low
            high = float(math.floor(high)) if high < math.inf else high
        return low, high

    def _too_much(self, cause: float) -> NoReturn:
        message = (
            f"one step alone goes round more than {MOST_WORK:,} times (a posting or a happening counts for "
            f"{POSTING_WORK}); let it do less at once, or less often"
        )
        raise run_stopped(self, message, cause=int(cause))

    def _post(self, account: Account, entity: float, amount: float, cause: float, by: float, *, set_to: bool) -> None:
        index = int(entity)
        spec = account.spec(index)
        if spec is None:
            return
        if self.state[self._present.offset + index] == 0.0:
            self._refuse(account, entity, cause, by)
            return
        self._work += POSTING_WORK
        if self._work > MOST_WORK:
            self._too_much(cause)
        self._book_flow(account, index)
        slot = account.column.offset + index
        before = self.state[slot]
        asked = amount - before if set_to else amount
        if not math.isfinite(asked):
            self._stop("this posting is not a finite number")
        whole = rounded(asked, spec.round) if spec.whole else asked
        low, high = self._limits(spec, entity)
        wrapped = waste = 0.0
        wanted = after = before + whole + 0.0
        if spec.wrap:
            after = wrapped_over(wanted, low, high)
            wrapped = after - before - whole + 0.0
        elif whole > 0.0:
            after = min(wanted, max(high, before))
        elif whole < 0.0:
            after = max(wanted, min(low, before))
        if not spec.wrap and after != wanted:
            waste = whole - (after - before)
        if not math.isfinite(after):
            self._stop("this posting makes a value that is not finite")
        self.state[slot] = after
        self._dirty = True
        if self.journal:
            step = self.state[self._step]
            by_rounding = whole - asked + 0.0
            amounts = (before, asked + 0.0, by_rounding, wrapped, waste, after)
            self.rows.append(Row(0.0, step, step, entity, self._stat(account), *amounts, cause, by, -1.0))
        if account.touched is not None and after != before:
            self.state[account.touched.offset + index] = self.state[self._step]
        if spec.flow is not None:
            self._after_posting(account, spec, index, asked != 0.0, after, (low, high))

    def _write_change(
        self, account: Account, index: int, before: float, after: float, cause: float, by: float, since: float = -1.0
    ) -> None:
        """The row of a change that no limit and no rounding touched."""
        if self.journal:
            step = self.state[self._step]
            amounts = (before, after - before + 0.0, 0.0, 0.0, 0.0, after)
            since = step if since < 0.0 else since
            self.rows.append(Row(0.0, step, since, float(index), self._stat(account), *amounts, cause, by, -1.0))

    def _refuse(self, account: Account, entity: float, cause: float, by: float) -> None:
        """A posting to an entity that is not there changes nothing."""
        if self.journal:
            step = self.state[self._step]
            stat = self._stat(account)
            value = self.state[account.column.offset + int(entity)]
            code = WHAT_CODES["refused"]
            self.rows.append(Row(code, step, step, entity, stat, value, 0.0, 0.0, 0.0, 0.0, value, cause, by, -1.0))

    def _stat(self, account: Account) -> float:
        return float(self.program.account_index[account.stat])

    def _open_account(self, account: Account, entity: float, value: float, cause: float, by: float) -> None:
        index = int(entity)
        spec = account.spec(index)
        if spec is None:
            return
        low, high = self._limits(spec, entity)
        value = min(max(rounded(value, spec.round) if spec.whole else value, low), high) + 0.0
        slot = account.column.offset + index
        before = self.state[slot]
        self.state[slot] = value
        self._dirty = True
        step = self.state[self._step]
        if cause >= 0.0:
            self._write_change(account, index, before, value, cause, by)
        if account.touched is not None:
            self.state[account.touched.offset + index] = step
        self._open_flow(account, index, value)

    def _open_flow(self, account: Account, index: int, value: float) -> None:
        flows = account.flow_columns
        if flows is None:
            return
        state = self.state
        state[flows.rate.offset + index] = 0.0
        state[flows.booked.offset + index] = value
        state[flows.anchor.offset + index] = state[flows.since.offset + index] = state[self._step]
        state[flows.waits_from.offset + index] = self.time
        state[flows.at_limit.offset + index] = 0.0

    def _start(self, start: Start) -> None:
        account = self._accounts.get(start.column.base)
        self.state[start.column.offset + start.entity] = start.value
        if account is not None:
            self._open_flow(account, start.entity, start.value)

    def _book_flow(self, account: Account, index: int) -> None:
        """Write what a flow has done so far as one row, and anchor it again at this step."""
        flows = account.flow_columns
        if flows is None or self.state[flows.rate.offset + index] == 0.0:
            return
        state = self.state
        slot = account.column.offset + index
        value = self._read_account(account, float(index))
        moved = self._flow_amount(account, index)
        spec = account.spec(index)
        assert spec is not None and spec.flow is not None
        before = state[flows.booked.offset + index]
        step = state[self._step]
        if value != before:
            since = state[flows.since.offset + index]
            self._write_change(account, index, before, value, float(spec.flow.cause), 0.0, since)
        state[slot] = value
        state[flows.booked.offset + index] = value
        state[flows.since.offset + index] = step
        if spec.whole and value != state[flows.to.offset + index]:
            # What has built up of the next point is kept: the anchor moves by the whole points alone.
            state[flows.anchor.offset + index] += self._steps_of(moved / state[flows.rate.offset + index])
        else:
            state[flows.anchor.offset + index] = step

    def _after_posting(
        self,
        account: Account,
        spec: AccountSpec,
        index: int,
        is_change: bool,
        after: float,
        limits: tuple[float, float],
    ) -> None:
        """Restart the wait after any change that was tried, one that a limit swallowed included; then read the flow."""
        flows, flow = account.flow_columns, spec.flow
        assert flows is not None and flow is not None
        self.state[flows.booked.offset + index] = after
        self.state[flows.since.offset + index] = self.state[self._step]
        end = min(max(self._evaluate(flow.to, spec_frame(float(index), spec.locals)), limits[0]), limits[1])
        rate, to = self.state[flows.rate.offset + index], self.state[flows.to.offset + index]
        if (rate > 0.0 and after > to) or (rate < 0.0 and after < to):
            # It is past the end that the flow went to: what flows from here on, flows the other way.
            self.state[flows.rate.offset + index] = 0.0
        if is_change:
            self.state[flows.waits_from.offset + index] = self.time
            away = limits[0] if after < end else limits[1]
            self.state[flows.at_limit.offset + index] = float(after == away)
        self._look_at_flow(account, spec, index)

    def _look_at_flow(self, account: Account, spec: AccountSpec, index: int) -> None:
        """Begin, end or change a flow as its wait, its gate, its rate and its end now say."""
        flows, flow = account.flow_columns, spec.flow
        if flows is None or flow is None:
            return
        state, frame = self.state, spec_frame(float(index), spec.locals)
        low, high = self._limits(spec, float(index))
        end = min(max(self._evaluate(flow.to, frame), low), high)
        value = self._read_account(account, float(index))
        waits = flow.after
        if flow.after_limit is not None and state[flows.at_limit.offset + index] != 0.0:
            waits = flow.after_limit
        ready = state[self._present.offset + index] != 0.0 and self._is_due(
            state[flows.waits_from.offset + index] + self._evaluate(waits, frame)
        )
        if ready and flow.gate is not None:
            ready = self._evaluate(flow.gate, frame) != 0.0
        rate = 0.0
        if ready and _goes(flow, value, end):
            if flow.at_once:
                self._move_at_once(account, spec, index, end)
                return
            size = self._evaluate(flow.rate, frame)
            if not 0.0 <= size < math.inf:
                self._stop(f"the rate of {flow.name} is {size:g}; a rate is 0 or more")
            rate = size if end > value else 0.0 - size
        if rate == state[flows.rate.offset + index] and (rate == 0.0 or end == state[flows.to.offset + index]):
            return
        if rate == 0.0 or state[flows.rate.offset + index] == 0.0:
            self._book_flow(account, index)
            state[flows.since.offset + index] = state[self._step]
            state[flows.booked.offset + index] = value
        state[account.column.offset + index] = value
        state[flows.anchor.offset + index] = state[self._step]
        state[flows.rate.offset + index] = rate
        state[flows.to.offset + index] = end

    def _move_at_once(self, account: Account, spec: AccountSpec, index: int, end: float) -> None:
        flow, flows = spec.flow, account.flow_columns
        assert flow is not None and flows is not None
        slot = account.column.offset + index
        before = self.state[slot]
        self.state[slot] = end
        self._dirty = True
        self._write_change(account, index, before, end, float(flow.cause), 0.0)
        self.state[flows.booked.offset + index] = end

    def book_flows(self) -> None:
        """Let every flow that is under way write its row, as at the end of a run."""
        for account in self.program.accounts:
            if account.flow_columns is None:
                continue
            for first, count, spec in account.specs:
                if spec.flow is not None:
                    for index in range(first, first + count):
                        self._book_flow(account, index)

    def value(self, column: Column, entity: int) -> float:
        """An account's value at this moment."""
        return self._read_account(self._accounts[column.base], float(entity))

    def limits(self, column: Column, entity: int) -> tuple[float, float]:
        """The least and the most that an account may hold at this moment (infinite where there is no limit)."""
        spec = self._accounts[column.base].spec(entity)
        return self._limits(spec, float(entity)) if spec is not None else (-math.inf, math.inf)
