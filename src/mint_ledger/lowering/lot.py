"""Lowers lots: a drawing chooses a branch by weight, or one that has to come now, and does what it says."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from mint_ledger.errors import nearest
from mint_ledger.formula import parse_formula
from mint_ledger.game.do import Do, LotDo
from mint_ledger.game.lot import Lot
from mint_ledger.lowering.chance import draw, emit_by_weight
from mint_ledger.lowering.columns import without_column
from mint_ledger.lowering.context import LoweredLot, Lowering
from mint_ledger.lowering.formulas import amount
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.program.building import BlockBuilder, add, choose, compare, const, higher_of, no
from mint_ledger.program.expressions import ONE, ZERO, And, At, Expr, Local, Unary
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.statements import Guard, Let, Note, Set

EmitDo = Callable[[Scope, list[Do], Expr], None]
MOST_NESTED = 5
MOST_DRAWINGS = 10_000
# How often at once.
MOST_TIMES = 10_000


def emit_lot(scope: Scope, item: LotDo, emit_do: EmitDo) -> None:
    """Emit the drawing of a lot; its branches see self and other of whoever draws."""
    lowering, b = scope.lowering, scope.builder
    lots = lowering.game.lots
    if item.lot not in lots:
        raise Problem(f"unknown lot '{item.lot}'{nearest(item.lot, lots)}")
    if item.lot in scope.drawn or len(scope.drawn) >= MOST_NESTED:
        raise Problem(f"lots draw each other without end: {' → '.join((*scope.drawn, item.lot))}")
    lowering.drawings += len(lots[item.lot].of)
    if lowering.drawings > MOST_DRAWINGS:
        # Once is enough: whatever is drawn from here on is too much as well.
        first = lowering.drawings - len(lots[item.lot].of) <= MOST_DRAWINGS
        raise Problem(
            f"lots within lots come to more than {MOST_DRAWINGS:,} branches, which are the most" if first else ""
        )
    if scope.luck is None:
        raise Problem("a lot is drawn by rules, attacks, actions and statuses; chance may not stand here")
    lowering.sites.step(scope.path, "lot", item.lot)
    drawing = _Drawing(scope, item.lot, lots[item.lot], emit_do)
    drawing.note()
    if item.times is None:
        drawing.emit([])
        return
    most = len(lots[item.lot].of)
    if item.without and item.times.number is not None and item.times.number > most:
        raise Problem(f"draws {item.times.number:g} without repeats, and the lot '{item.lot}' has {most} branches")
    if item.times.number is not None and item.times.number > MOST_TIMES:
        raise Problem(f"draws {item.times.number:g} times at once; the most is {MOST_TIMES:,}")
    count = b.let(higher_of(Unary("floor", amount(scope, item.times, "times")), ZERO))
    place = lowering.formula_place(item.times, (*scope.path, "times"))
    b.emit(Guard(compare("<=", count, const(MOST_TIMES)), f"a lot is drawn {MOST_TIMES:,} times at most", place, count))
    if item.without:
        fault = f"the lot '{item.lot}' has too few branches to draw so many without repeats"
        b.emit(Guard(compare("<=", count, const(most)), fault, place, count))
    taken = [Local(b.new_local()) for _ in lots[item.lot].of] if item.without else []
    for local in taken:
        b.emit(Let(local.index, ZERO))
    with b.repeat(count):
        drawing.emit(taken)


class _Drawing:
    """The drawings of one lot at one place of the file."""

    def __init__(self, scope: Scope, name: str, lot: Lot, emit_do: EmitDo) -> None:
        assert scope.luck is not None
        self.name, self.lot, self.emit_do = name, lot, emit_do
        self.lowering, self.b = scope.lowering, scope.builder
        self.path: Path = ("lots", name, "of")
        luck = scope.luck.of(f"lot {name} {scope.luck.next_call()}")
        self.scope = Scope(
            scope.lowering,
            scope.builder,
            self.path,
            self_=scope.self_,
            other=scope.other,
            luck=luck,
            drawn=(*scope.drawn, name),
        )
        self.who: Expr = ZERO if lot.shared or scope.self_ is None else scope.self_.entity

    def note(self) -> None:
        """Keep for whom the lot is drawn first, so that its odds can be told."""
        lots = self.lowering.lots
        if self.name not in lots:
            refs = (self.scope.self_, self.scope.other)
            selves, others = (
                tuple(entity for member in ref.members for entity in member.entities) if ref is not None else ()
                for ref in refs
            )
            lots[self.name] = _lowered(self.lowering, self.name, refs, selves, others)

    def emit(self, taken: list[Local]) -> None:
        """One drawing; those branches that are `taken` are not drawn again."""
        b, branches = self.b, list(self.lot.of.items())
        weights = [self._weight(branch, taken[i] if taken else None) for i, branch in enumerate(self.lot.of)]
        chosen = Local(b.new_local())
        b.emit(Let(chosen.index, const(-1)))
        for index, (name, branch) in enumerate(branches):
            if branch.sure_by is not None:
                sure_by = amount(self.scope, parse_formula(branch.sure_by), name, "sure_by")
                due = compare(">=", add(At(without_column(self.lowering, self.name, name), self.who), ONE), sure_by)
                free = [no(taken[index])] if taken else []
                with b.when(And((compare("<", chosen, ZERO), *free, due))):
                    b.emit(Let(chosen.index, const(index)))
        with b.when(compare("<", chosen, ZERO)):
            total = weights[0]
            for weight in weights[1:]:
                total = add(total, weight)
            total = b.let(total)
            place = self.lowering.formula_place(parse_formula(f"'{self.name}'"), ("lots", self.name))
            fault = f"all weights of the lot '{self.name}' are 0, so nothing can be drawn"
            b.emit(Guard(compare(">", total, ZERO), fault, place, total))
            b.emit(Let(chosen.index, emit_by_weight(b, draw(self.scope), weights)))
        self._emit_counts(chosen)
        for index, (name, branch) in enumerate(branches):
            cause = const(self.lowering.cause("branch", f"{self.name}: {name}", (*self.path, name)))
            assert self.scope.luck is not None
            scope = replace(self.scope, luck=self.scope.luck.of(f"branch {name}")).at(name, "do")
            with b.when(compare("==", chosen, const(index))):
                who = self.scope.self_.entity if self.scope.self_ is not None else ZERO
                b.emit(Note("lot", who, who, cause))
                if taken:
                    b.emit(Let(taken[index].index, ONE))
                self.emit_do(scope, branch.do, cause)

    def _weight(self, branch: str, taken: Local | None) -> Expr:
        formula = self.lot.of[branch].weight
        scope = self.scope.pure("a weight").at(branch)
        weight = self.b.let(amount(scope, formula, "weight"))
        if formula.number is None or formula.number < 0:
            index = self.lowering.formula_place(formula, (*self.path, branch, "weight"))
            fault = f"the weight of '{branch}' in the lot '{self.name}' is below 0"
            self.b.emit(Guard(compare(">=", weight, ZERO), fault, index, weight))
        return weight if taken is None else self.b.let(choose(taken, ZERO, weight))

    def _emit_counts(self, chosen: Expr) -> None:
        for index, (name, branch) in enumerate(self.lot.of.items()):
            if branch.sure_by is not None:
                column = without_column(self.lowering, self.name, name)
                more = add(At(column, self.who), ONE)
                self.b.emit(Set(column, self.who, choose(compare("==", chosen, const(index)), ZERO, more)))


def lower_weights(lowering: Lowering) -> None:
    """The weights of the lots that nothing draws, and numbers that no weight can be."""
    for name, lot in lowering.game.lots.items():
        for branch, model in lot.of.items():
            if model.weight.number is not None and model.weight.number < 0:
                path = ("lots", name, "of", branch, "weight")
                lowering.fault(path, f"a weight is 0 or more, not {model.weight.number:g}")
        if all(model.weight.number == 0 for model in lot.of.values()):
            lowering.fault(("lots", name), f"all weights of the lot '{name}' are 0, so nothing can be drawn")
        if name not in lowering.lots:
            lowering.lots[name] = _lowered(lowering, name, (None, None))


def _lowered(
    lowering: Lowering,
    name: str,
    refs: tuple[EntityRef | None, EntityRef | None],
    selves: tuple[int, ...] = (),
    others: tuple[int, ...] = (),
) -> LoweredLot:
    lot = lowering.game.lots[name]
    sure_by = {branch: model.sure_by for branch, model in lot.of.items() if model.sure_by is not None}
    return LoweredLot(name, _lower_weights(lowering, name, refs), selves, others, sure_by, lot.shared)


def _lower_weights(
    lowering: Lowering, name: str, refs: tuple[EntityRef | None, EntityRef | None]
) -> tuple[Handle, ...]:
    """Make `weight` (self, other) for each branch."""
    handles: list[Handle] = []
    me, other = (EntityRef(Local(place), ref.members) if ref is not None else None for place, ref in enumerate(refs))
    for branch, model in lowering.game.lots[name].of.items():
        b = BlockBuilder(2)
        path: Path = ("lots", name, "of", branch)
        scope = Scope(lowering, b, path, self_=me, other=other, no_chance="a weight")
        value = amount(scope, model.weight, "weight")
        handles.append(Handle("weight", path))
        lowering.procedure(b.procedure(handles[-1], value))
    return tuple(handles)
