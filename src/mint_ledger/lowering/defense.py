"""Lowers what a hit meets: armor, resistance, least and most, the layers, and the safe time that follows.

One procedure for each kind that can be struck: `defend KIND` (striker, target, cause, rolled, times, type, what is
skipped, times from behind). Its journal row holds every stage, its result is the damage left for the layers.
"""

from __future__ import annotations

from collections.abc import Sequence

from mint_ledger.formula import Formula
from mint_ledger.game.attack import Layer, WhenHit
from mint_ledger.game.cast import Member
from mint_ledger.lowering import reading
from mint_ledger.lowering.columns import account_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.formulas import FormulaLowerer, amount, condition
from mint_ledger.lowering.handles import defend
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.program.building import (
    BlockBuilder,
    add,
    choose,
    compare,
    const,
    higher_of,
    lower_of,
    mul,
    neg,
    no,
    sub,
)
from mint_ledger.program.expressions import ZERO, And, At, Checked, Expr, Local, Read, Time, inside
from mint_ledger.program.handle import Handle
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Let, Note, Post, Set

SKIPPED = ("armor", "resist", "at_least", "at_most")
MISSES = {1: "did not land", 2: "dodged"}
PARAMETERS = 7 + len(SKIPPED)
MAX_LAYERS = 2


def when_hit_of(member: Member) -> WhenHit:
    """Return what a hit meets; by default it goes to health."""
    return member.kind.when_hit or WhenHit()


def struck_through(member: Member) -> list[str]:
    """The stats that damage goes through, in order."""
    return [layer.layer for layer in when_hit_of(member).through]


def dodge_of(member: Member) -> Formula | None:
    """The chance that a hit is dodged."""
    return when_hit_of(member).dodge


def _safe_column(lowering: Lowering, member: Member) -> Column:
    """Until when an entity is safe: from everyone, or from each source by itself."""
    by_source = when_hit_of(member).safe_from == "source"
    size = member.room * lowering.cast.size if by_source else member.room
    return lowering.layout.column(Handle("safe until", ("kinds", member.name)), "time", 0, max(size, 1), -1e18)


def _safe_slot(lowering: Lowering, member: Member, striker: Expr, target: Expr) -> Expr:
    index = sub(target, const(member.first))
    if when_hit_of(member).safe_from == "source":
        return add(mul(index, const(lowering.cast.size)), striker)
    return index


def ever_safe(lowering: Lowering, member: Member) -> bool:
    """Return whether anything can make the entities of a kind safe for a while."""
    return when_hit_of(member).safe_for is not None or lowering.gives_safety


def safe_until(lowering: Lowering, members: Sequence[Member], striker: Expr, target: Expr) -> Expr | None:
    """Until when the target is safe from the striker; none where no kind of target ever is."""
    value: Expr | None = None
    for member in members:
        if not member.room or not ever_safe(lowering, member):
            continue
        until = At(_safe_column(lowering, member), _safe_slot(lowering, member, striker, target))
        here = inside(target, ((member.first, member.room),))
        value = choose(here, until, value if value is not None else const(-1e18))
    return value


def lower_defence(lowering: Lowering, member: Member) -> None:
    """Make `defend KIND`."""
    _Defence(lowering, member).lower()


class _Defence:
    def __init__(self, lowering: Lowering, member: Member) -> None:
        self.lowering = lowering
        self.member = member
        self.model = when_hit_of(member)
        self.b = BlockBuilder(PARAMETERS)
        self.striker, self.target, self.cause = Local(0), Local(1), Local(2)
        owner = next((a for a in member.family if lowering.game.kinds[a].when_hit is not None), member.name)
        self.file_path = ("kinds", owner, "when_hit")
        self.dial_path = ("kinds", member.name, "when_hit")
        others = tuple(m for m in lowering.cast.members.values() if m.room)
        self.scope = Scope(
            lowering,
            self.b,
            self.file_path,
            self_=EntityRef(self.target, (member,)),
            other=EntityRef(self.striker, _strikers(lowering, member) or others),
            luck=Luck(self.file_path, ("when_hit",)),
        )

    def number(self, formula: Formula, *path: str | int) -> Expr:
        """A number of `when_hit`, named once."""
        own = self.lowering.dial_index((*self.dial_path, *path)) is not None
        scope = self.scope.with_path(self.dial_path if own else self.file_path)
        return self.b.let(amount(scope, formula, *path))

    def lower(self) -> None:
        b, model = self.b, self.model
        if model.safe_for is not None:
            self.lowering.sites.safe_after_hits.add(self.member.name)
        rolled, times, kind = Local(3), Local(4), Local(5)
        skip = dict(zip(SKIPPED, (Local(6 + i) for i in range(len(SKIPPED))), strict=True))
        damage = b.new_local()
        extra = Local(6 + len(SKIPPED))
        b.emit(Let(damage, mul(mul(rolled, times), extra)))
        hurts = b.let(compare(">", Local(damage), ZERO))
        armor, resisted = b.new_local(), b.new_local()
        b.emit(Let(armor, ZERO))
        b.emit(Let(resisted, ZERO))
        if model.armor is not None:
            with b.when(And((hurts, no(skip["armor"])))):
                b.emit(Let(armor, lower_of(self.number(model.armor, "armor"), Local(damage))))
                b.emit(Let(damage, sub(Local(damage), Local(armor))))
        for name, share in (model.resist or {}).items():
            here = And((hurts, no(skip["resist"]), compare("==", kind, const(self.lowering.word(name)))))
            with b.when(here):
                b.emit(Let(resisted, self.number(share, "resist", name)))
                b.emit(Let(damage, mul(Local(damage), sub(const(1.0), Local(resisted)))))
        for key, formula, op in (
            ("at_least", model.at_least, higher_of),
            ("at_most", model.at_most, lower_of),
        ):
            if formula is not None:
                with b.when(And((hurts, no(skip[key])))):
                    b.emit(Let(damage, op(Local(damage), self.number(formula, key))))
        b.emit(Let(damage, higher_of(Local(damage), ZERO)))
        taken = self._emit_layers(damage, hurts)
        if model.safe_for is not None:
            until = add(Time(), self.number(model.safe_for, "safe_for"))
            slot = _safe_slot(self.lowering, self.member, self.striker, self.target)
            b.emit(Set(_safe_column(self.lowering, self.member), slot, until))
        text = self.lowering.text(struck_through(self.member))
        values = (rolled, times, extra, Local(armor), Local(resisted), Local(damage), *taken[:MAX_LAYERS])
        b.emit(Note("hit", self.target, self.striker, self.cause, text, values))
        self.lowering.procedure(b.procedure(defend(self.member.name), Local(damage)))

    def _emit_layers(self, damage: int, hurts: Expr) -> list[Expr]:
        b = self.b
        left = b.let(Local(damage))
        assert isinstance(left, Local)
        rest = b.new_local()
        b.emit(Let(rest, Local(damage)))
        taken: list[Expr] = []
        layers = self.model.through
        for index, layer in enumerate(layers):
            stats = self.member.kind.stats
            if layer.layer not in stats:
                continue
            if not stats[layer.layer].is_account:
                self.lowering.fault((*self.file_path, "through", index), f"'{layer.layer}' is worked out by a formula")
                continue
            took = b.new_local()
            b.emit(Let(took, ZERO))
            taken.append(Local(took))
            with b.when(And((hurts, compare(">", Local(rest), ZERO)))):
                self._emit_layer(layer, index, rest, took, is_last=index == len(layers) - 1)
        return taken

    def _emit_layer(self, layer: Layer, index: int, rest: int, took: int, *, is_last: bool) -> None:
        b, stat = self.b, self.member.kind.stats[layer.layer]
        column = account_column(self.lowering, layer.layer)
        value = Read(column, self.target)
        scope = self.scope.at("through", index)
        place = self.lowering.formula_place(stat.min, scope.path) if stat.min else -1
        f = FormulaLowerer(scope.pure("a limit"), place)
        ref = EntityRef(self.target, (self.member,))
        try:
            low = reading.limit(f, ref, layer.layer, self.member, stat, "min")
        except Problem:
            low = None
        has = b.let(sub(value, Checked(low, place))) if low is not None else None
        tests: list[Expr] = []
        if has is not None and not is_last:
            tests.append(compare(">", has, ZERO))
        if layer.if_ is not None:
            tests.append(condition(scope, layer.if_, "if"))
        test: Expr = And(tuple(tests)) if tests else const(1.0)
        with b.when(test):
            share = self.number(layer.share, "through", index, "share") if layer.share else const(1.0)
            part = b.let(mul(Local(rest), share))
            asked = part
            if has is not None and layer.spill and not is_last:
                asked = b.let(lower_of(part, has))
            before = b.let(value)
            b.emit(Post(column, self.target, "add", neg(asked), self.cause, self.striker))
            b.emit(Let(took, sub(before, value)))
            b.emit(Let(rest, sub(Local(rest), asked)))


def _strikers(lowering: Lowering, member: Member) -> tuple[Member, ...]:
    return lowering.strikers_of(member.name)


def emit_safe(lowering: Lowering, b: BlockBuilder, who: EntityRef, seconds: Expr) -> None:
    """Let nothing hit an entity for a while."""
    until = b.let(add(Time(), seconds))
    for member in who.members:
        if not member.room:
            continue
        column = _safe_column(lowering, member)
        with b.when(inside(who.entity, ((member.first, member.room),))):
            if when_hit_of(member).safe_from == "source":
                with b.repeat(const(lowering.cast.size)) as striker:
                    slot = _safe_slot(lowering, member, striker, who.entity)
                    b.emit(Set(column, slot, higher_of(At(column, slot), until)))
            else:
                slot = _safe_slot(lowering, member, ZERO, who.entity)
                b.emit(Set(column, slot, higher_of(At(column, slot), until)))


def forget_safe_time(lowering: Lowering, member: Member) -> None:
    """Whoever appears again is not safe from the hits of a former life."""
    if not member.room or not ever_safe(lowering, member):
        return
    column = _safe_column(lowering, member)

    def emit(b: BlockBuilder, who: Expr) -> None:
        if when_hit_of(member).safe_from == "source":
            with b.repeat(const(lowering.cast.size)) as striker:
                b.emit(Set(column, _safe_slot(lowering, member, striker, who), const(-1e18)))
        else:
            b.emit(Set(column, sub(who, const(member.first)), const(-1e18)))

    lowering.on_appear.append(((), ranges_of([member]), emit))
