"""The expressions of a program: each becomes one small Python function of a procedure's frame."""

from __future__ import annotations

import contextlib
import math
from collections.abc import Callable, Sequence
from typing import NoReturn

from mint_ledger.engines.moment import DUE_TOLERANCE, Evaluate, Frame, Moment
from mint_ledger.engines.operations import BINARY, FOLDS, UNARY, ArithmeticStop
from mint_ledger.engines.stopping import run_stopped
from mint_ledger.errors import RunStopped
from mint_ledger.program import expressions as ex
from mint_ledger.program import statements as st
from mint_ledger.program.arithmetic import functions
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import Program
from mint_ledger.program.walking import EXPRESSIONS, check_complete, locals_needed

Condition = Callable[[Frame], bool]


def _all(conditions: Sequence[Condition], frame: Frame) -> bool:
    for condition in conditions:  # noqa: SIM110  (a generator costs more than what it asks)
        if not condition(frame):
            return False
    return True


def _any(conditions: Sequence[Condition], frame: Frame) -> bool:
    for condition in conditions:  # noqa: SIM110
        if condition(frame):
            return True
    return False


def spec_frame(entity: float, count: int) -> Frame:
    """The frame of expressions that see an entity as local 0, with so many locals in all."""
    return [entity] + [0.0] * (count - 1)


class Expressions(Moment):
    """Works out expressions at a moment of a run."""

    def __init__(self, program: Program, dials: Sequence[float] | None, seed: int, run: int) -> None:
        super().__init__(program, dials)
        self.seed = seed
        self.run = run
        self._expressions: dict[int, Evaluate] = {}
        self._procedures: dict[Handle, Callable[..., float]] = {}
        self._functions: dict[str, Callable[..., float]] = {}
        self._formula = -1
        self._formula_frame: Frame = []

    def _procedure(self, procedure: st.Procedure) -> Callable[..., float]:
        """The Python function of a procedure; see `Statements`."""
        raise TypeError(f"{type(self).__name__} has no statements")

    def _evaluate(self, expression: ex.Expr, frame: Frame) -> float:
        key = id(expression)
        if key not in self._expressions:
            self._expressions[key] = self._expression(expression)
        return self._expressions[key](frame)

    def evaluate(self, expression: ex.Expr, entity: int = 0) -> float:
        """The value of an expression that sees at most one entity, as local 0."""
        return self._expression(expression)(spec_frame(float(entity), locals_needed((expression,))))

    def _expression(self, expression: ex.Expr) -> Evaluate:
        """The Python function of an expression."""
        make: Callable[..., Evaluate] = getattr(self, "_" + type(expression).__name__.lower() + "_expression")
        return make(expression)

    def _known(self, e: ex.Expr) -> float | None:
        """Return what an expression always is, where it is a number of the program or a dial."""
        if isinstance(e, ex.Checked):
            value = self._known(e.value)
            return value if value is not None and math.isfinite(value) else None
        if isinstance(e, ex.Constant):
            return e.value
        return self.dials[e.index] if isinstance(e, ex.Dial) else None

    def _constant_expression(self, e: ex.Constant) -> Evaluate:
        value = e.value
        return lambda _: value

    def _dial_expression(self, e: ex.Dial) -> Evaluate:
        value = self.dials[e.index]
        return lambda _: value

    def _dialof_expression(self, e: ex.DialOf) -> Evaluate:
        values = [self.dials[index] if index >= 0 else 0.0 for index in e.table]
        first, entity = e.first, self._expression(e.entity)
        return lambda frame: values[int(entity(frame)) - first]

    def _at_expression(self, e: ex.At) -> Evaluate:
        state, offset = self.state, e.column.offset
        if isinstance(e.entity, ex.Constant):
            slot = offset + int(e.entity.value)
            return lambda _: state[slot]
        entity, low, high = self._expression(e.entity), e.column.base, e.column.base + e.column.count

        def read(frame: Frame) -> float:
            slot = offset + int(entity(frame))
            return state[slot] if low <= slot < high else 0.0

        return read

    def _read_expression(self, e: ex.Read) -> Evaluate:
        account = self._accounts[e.column.base]
        if account.flow_columns is None:
            return self._at_expression(ex.At(e.column, e.entity))
        entity = self._expression(e.entity)
        state, offset, rates = self.state, e.column.offset, account.flow_columns.rate.offset
        low, high = e.column.base, e.column.base + e.column.count

        def read(frame: Frame) -> float:
            who = entity(frame)
            slot = offset + int(who)
            if not low <= slot < high:
                return 0.0
            if state[rates + int(who)] == 0.0:
                return state[slot]
            return self._flowed(account, who, state[slot])

        return read

    def _local_expression(self, e: ex.Local) -> Evaluate:
        index = e.index
        return lambda frame: frame[index]

    def _unary_expression(self, e: ex.Unary) -> Evaluate:
        value, operation = self._expression(e.value), UNARY[e.op]
        return lambda frame: operation(value(frame))

    def _binary_expression(self, e: ex.Binary) -> Evaluate:
        left, right = self._expression(e.left), self._expression(e.right)
        number = None if isinstance(e.right, ex.Checked) else self._known(e.right)
        if number is not None and e.op in ("+", "-", "*"):
            # Not asked for each time.
            if e.op == "+":
                return lambda frame: left(frame) + number
            return (lambda frame: left(frame) - number) if e.op == "-" else lambda frame: left(frame) * number
        if e.op == "+":
            return lambda frame: left(frame) + right(frame)
        if e.op == "-":
            return lambda frame: left(frame) - right(frame)
        if e.op == "*":
            return lambda frame: left(frame) * right(frame)
        operation = BINARY[e.op]
        return lambda frame: operation(left(frame), right(frame))

    def _condition(self, e: ex.Expr) -> Condition:
        """Return whether an expression is not 0; what only asks that makes no numbers of its answers."""
        match e:
            case ex.Compare():
                return self._comparison(e)
            case ex.And((one, other)):
                first, second = self._condition(one), self._condition(other)
                return lambda frame: first(frame) and second(frame)
            case ex.Or((one, other)):
                first, second = self._condition(one), self._condition(other)
                return lambda frame: first(frame) or second(frame)
            case ex.And(items):
                conditions = [self._condition(item) for item in items]
                return lambda frame: _all(conditions, frame)
            case ex.Or(items):
                conditions = [self._condition(item) for item in items]
                return lambda frame: _any(conditions, frame)
        value = self._expression(e)
        return lambda frame: value(frame) != 0.0

    def _comparison(self, e: ex.Compare) -> Condition:
        left, right = self._expression(e.left), self._expression(e.right)
        number = None if isinstance(e.right, ex.Checked) else self._known(e.right)
        if number is not None:
            return self._compared(e.op, left, number)
        match e.op:
            case "<":
                return lambda frame: left(frame) < right(frame)
            case "<=":
                return lambda frame: left(frame) <= right(frame)
            case ">":
                return lambda frame: left(frame) > right(frame)
            case ">=":
                return lambda frame: left(frame) >= right(frame)
            case "==":
                return lambda frame: left(frame) == right(frame)
            case "!=":
                return lambda frame: left(frame) != right(frame)

    def _compared(self, op: ex.CompareOp, left: Evaluate, number: float) -> Condition:
        """A comparison with what is always the same number."""
        match op:
            case "<":
                return lambda frame: left(frame) < number
            case "<=":
                return lambda frame: left(frame) <= number
            case ">":
                return lambda frame: left(frame) > number
            case ">=":
                return lambda frame: left(frame) >= number
            case "==":
                return lambda frame: left(frame) == number
            case "!=":
                return lambda frame: left(frame) != number

    def _flag_expression(self, e: ex.Expr) -> Evaluate:
        condition = self._condition(e)
        return lambda frame: 1.0 if condition(frame) else 0.0

    _compare_expression = _and_expression = _or_expression = _flag_expression

    def _choose_expression(self, e: ex.Choose) -> Evaluate:
        condition, then, other = self._condition(e.condition), self._expression(e.then), self._expression(e.other)
        return lambda frame: then(frame) if condition(frame) else other(frame)

    def _fold_expression(self, e: ex.Fold) -> Evaluate:
        where, body, local = self._condition(e.where), self._expression(e.body), e.local
        entities = [float(entity) for first, count in e.ranges for entity in range(first, first + count)]
        if e.op == "nth":
            return self._nth(e)
        fold = FOLDS[e.op]

        def folded(frame: Frame) -> float:
            def items() -> list[tuple[float, float]]:
                folded_items = []
                for entity in entities:
                    frame[local] = entity
                    if where(frame):
                        folded_items.append((entity, body(frame)))
                return folded_items

            return fold(items())

        return folded

    def _with_expression(self, e: ex.With) -> Evaluate:
        value, body, local = self._expression(e.value), self._expression(e.body), e.local

        def worked_out(frame: Frame) -> float:
            frame[local] = value(frame)
            return body(frame)

        return worked_out

    def _step_expression(self, _: ex.Step) -> Evaluate:
        state, step = self.state, self._step
        return lambda _: state[step]

    def _time_expression(self, _: ex.Time) -> Evaluate:
        return lambda _: self.time

    def _due_expression(self, e: ex.Due) -> Evaluate:
        value, state, step = self._expression(e.value), self.state, self._step
        tolerance, n, length = -DUE_TOLERANCE / self.steps_per_second, self.steps_per_second, self.step_length
        if self.is_whole:
            return lambda frame: 1.0 if state[step] / n - value(frame) >= tolerance else 0.0
        return lambda frame: 1.0 if state[step] * length - value(frame) >= tolerance else 0.0

    def _seconds_expression(self, e: ex.Seconds) -> Evaluate:
        steps = self._expression(e.steps)
        return lambda frame: self.time_of(steps(frame))

    def _apply_expression(self, e: ex.Apply) -> Evaluate:
        arguments = [self._expression(argument) for argument in e.arguments]
        function = self._function(e.function)
        return lambda frame: function(*[argument(frame) for argument in arguments])

    def _function(self, name: str) -> Callable[..., float]:
        if name not in self._functions:
            self._functions[name] = self._procedure(functions()[name])
        return self._functions[name]

    def _checked_expression(self, e: ex.Checked) -> Evaluate:
        value, formula, number = self._expression(e.value), e.formula, self._known(e)
        if number is not None:

            def known(frame: Frame) -> float:
                self._formula, self._formula_frame = formula, frame
                return number

            return known

        def checked(frame: Frame) -> float:
            self._formula, self._formula_frame = formula, frame
            try:
                result = value(frame)
            except ArithmeticStop as stop:
                self._formula_frame = frame
                self._stop(str(stop), formula)
            if not math.isfinite(result):
                self._formula_frame = frame
                self._stop("the result is not a finite number", formula)
            return result

        return checked

    def _only_expression(self, e: ex.Only) -> Evaluate:
        value, condition, fault = self._expression(e.value), self._condition(e.condition), e.fault

        def only(frame: Frame) -> float:
            if not condition(frame):
                raise ArithmeticStop(fault)
            return value(frame)

        return only

    def _nth(self, e: ex.Fold) -> Evaluate:
        where, position, local = self._condition(e.where), self._expression(e.body), e.local
        entities = [float(entity) for first, count in e.ranges for entity in range(first, first + count)]

        def nth(frame: Frame) -> float:
            index = int(position(frame))
            for entity in entities:
                frame[local] = entity
                if where(frame):
                    if index == 0:
                        return entity
                    index -= 1
            return -1.0

        return nth

    def formula_reads(self) -> list[tuple[str, float]]:
        """Return what the formula that stopped the run reads, by name, at this moment."""
        if not 0 <= self._formula < len(self.program.formulas):
            return []
        reads = self.program.formulas[self._formula].reads
        values = []
        for name, expression in reads:
            # A stat that is worked out may want more locals than the formula that reads it.
            frame = [*self._formula_frame, *[0.0] * locals_needed([expression])]
            # What the formula reads may itself be what has no value.
            with contextlib.suppress(ArithmeticStop, RunStopped):
                values.append((name, self._expression(expression)(frame)))
        return values

    def _stop(self, message: str, formula: int | None = None) -> NoReturn:
        raise run_stopped(self, message, self._formula if formula is None else formula)


check_complete(
    "engines/expressions.py",
    [kind for kind in EXPRESSIONS if hasattr(Expressions, f"_{kind.__name__.lower()}_expression")],
    EXPRESSIONS,
)
