"""Lowers actions: refused or begun, called off or carried out; and the wind-up that attacks share with them."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import replace

from mint_ledger.errors import nearest
from mint_ledger.game.action import Action
from mint_ledger.game.choice import Choice
from mint_ledger.lowering.columns import account_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.do import emit_do
from mint_ledger.lowering.formulas import amount, condition
from mint_ledger.lowering.handles import acted_event, begin_action, end_status, give_status
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.sites import ActionSite, names_of
from mint_ledger.lowering.status_effect import blocked
from mint_ledger.lowering.turns import out_of_turn
from mint_ledger.program.building import BlockBuilder, add, compare, const, neg, no
from mint_ledger.program.expressions import ONE, ZERO, And, At, Due, Expr, Fold, Local, Or, Read, Time, inside
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import OrderLine
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Call, If, Leave, Let, Note, Post, Raise, Set, Settle

NEVER = -1e18


def busy_column(lowering: Lowering) -> Column:
    """Return what an entity is busy with: 0 for nothing, else the number of an action or of an attack's wind-up."""
    return lowering.layout.column(Handle("busy"), "flag", 0, lowering.cast.size)


def busy_until(lowering: Lowering) -> Column:
    """Until when an entity is busy."""
    return lowering.layout.column(Handle("busy until"), "time", 0, lowering.cast.size)


def busy_code(lowering: Lowering, name: str) -> float:
    """The number by which an entity is busy with an action or attack."""
    return float([*lowering.game.actions, *lowering.game.attacks].index(name) + 1)


def could_begin(lowering: Lowering, b: BlockBuilder, name: str, who: Expr) -> Expr:
    """Return whether an entity could begin an action now."""
    return ActionLowering(lowering, name, lowering.game.actions[name]).ready(b, who)


def anyone_is_ever_busy(lowering: Lowering) -> bool:
    """Return whether something in the game takes time to do."""
    game = lowering.game
    acts = any(action.lasts is not None for action in game.actions.values())
    return acts or any(attack.lasts is not None for attack in game.attacks.values())


class ActionLowering:
    """One action: who can do it, and the procedures `act` and `carry out` of its name."""

    def __init__(self, lowering: Lowering, name: str, action: Action) -> None:
        self.lowering = lowering
        self.name = name
        self.action = action
        self.path = ("actions", name)
        self.doers = lowering.find_all_members(action.by, (*self.path, "by"))
        named = [name for name in action.to or [] if name != "self"]
        self.named = lowering.find_all_members(named, (*self.path, "to"))
        self.may_be_self = action.to is not None and "self" in action.to
        targets = {member.name for member in (*self.named, *(self.doers if self.may_be_self else ()))}
        self.targets = tuple(m for m in lowering.cast.members.values() if m.name in targets)
        self.cause = const(lowering.cause("action", name, self.path))
        self.event = lowering.event(acted_event(name), "hit")

    def scope(self, b: BlockBuilder, entity: Expr, target: Expr | None = None) -> Scope:
        """Return what the action's formulas see: whoever does it as self, to whom it is done as other."""
        return Scope(
            self.lowering,
            b,
            self.path,
            self_=EntityRef(entity, self.doers),
            other=EntityRef(target, self.targets) if target is not None and self.targets else None,
            luck=Luck(self.path, (f"action {self.name}",)),
        )

    def ready_at(self) -> Column:
        """Return when an entity may do it again."""
        return self.lowering.entity_column(Handle("ready at", self.path), self.doers, opening=NEVER)

    def target_column(self) -> Column:
        """Return to whom an entity does it, or did it last."""
        return self.lowering.entity_column(Handle("acts at", self.path), self.doers, "mark", -1.0)

    def lower(self) -> None:
        """Make the action's procedures."""
        self._check()
        if not self.doers or (self.action.to is not None and not self.targets):
            return
        prices = tuple((self.action.costs or {}).items())
        cools_down = self.action.cooldown is not None
        self.lowering.sites.actions[self.name] = ActionSite(
            self.name, names_of(self.doers), prices, cools_down, names_of(self.targets)
        )
        self._lower_act()
        self._lower_carry_out()
        ranges = ranges_of(self.doers)

        def forget(b: BlockBuilder, who: Expr) -> None:
            b.emit(Set(self.ready_at(), who, const(NEVER)))
            b.emit(Set(busy_column(self.lowering), who, ZERO))

        self.lowering.on_appear.append((self.path, ranges, forget))

    def _check(self) -> None:
        lowering, action = self.lowering, self.action
        if not self.doers and all(kind in lowering.cast.members for kind in action.by):
            lowering.fault((*self.path, "by"), f"nobody can do '{self.name}': there is no {', '.join(action.by)}")
        if action.during is not None and action.during not in lowering.game.statuses:
            known = lowering.game.statuses
            lowering.fault((*self.path, "during"), f"unknown status '{action.during}'{nearest(action.during, known)}")
        if action.lasts is None and (action.during is not None or action.breaks_if is not None):
            key = "during" if action.during is not None else "breaks_if"
            lowering.fault((*self.path, key), f"'{key}' wants 'lasts': an action that takes no time has no meanwhile")
        if action.to is not None and not self.targets and all(name in lowering.cast.members for name in action.to):
            lowering.fault((*self.path, "to"), f"there is nobody to do '{self.name}' to: no {', '.join(action.to)}")
        for stat in action.costs or {}:
            for member in self.doers:
                if stat not in member.kind.stats or not member.kind.stats[stat].is_account:
                    stats = member.kind.stats
                    lowering.fault(
                        (*self.path, "costs", stat),
                        f"{member.name} has no stat '{stat}' to pay with{nearest(stat, stats)}",
                    )
                    break

    # What keeps an entity from it

    def obstacles(self, b: BlockBuilder, who: Expr) -> list[tuple[Expr, str]]:
        """Each reason why it cannot be done now, with its words, in the order in which they are asked."""
        return [*self.hindrances(b, who), *self.too_little(b, who)]

    def hindrances(self, b: BlockBuilder, who: Expr) -> list[tuple[Expr, str]]:
        """Each reason but that it cannot be paid for.

        What an action at somebody needs may ask about that one: here nobody fits.
        """
        lowering, action = self.lowering, self.action
        reasons: list[tuple[Expr, str]] = []
        keeps = blocked(lowering, self.name, who)
        if keeps is not None:
            reasons.append((keeps, "a status blocks it"))
        turn = out_of_turn(lowering, who)
        if turn is not None:
            reasons.append((turn, "it is not its turn"))
        if anyone_is_ever_busy(lowering):
            reasons.append((At(busy_column(lowering), who), "busy"))
        if action.cooldown is not None:
            reasons.append((no(Due(At(self.ready_at(), who))), "not ready again"))
        if self.targets:
            reasons.append((no(self._somebody(b, who, self._fits)), "there is nobody to do it to"))
        else:
            reasons += self._needs(b, who, None)
        return reasons

    def _needs(self, b: BlockBuilder, who: Expr, target: Expr | None) -> list[tuple[Expr, str]]:
        if self.action.needs is None:
            return []
        scope = self.scope(b, who, target).pure("what an action needs and costs")
        return [(no(condition(scope, self.action.needs, "needs")), "what it needs does not hold")]

    def price(self, b: BlockBuilder, who: Expr, stat: str) -> Expr:
        """Return how much of a stat it costs; of an action at somebody, what it last cost."""
        return self._price(b, who, At(self.target_column(), who) if self.targets else None, stat)

    def _price(self, b: BlockBuilder, who: Expr, target: Expr | None, stat: str) -> Expr:
        scope = self.scope(b, who, target).pure("what an action needs and costs")
        return amount(scope, (self.action.costs or {})[stat], "costs", stat)

    def too_little(self, b: BlockBuilder, who: Expr) -> list[tuple[Expr, str]]:
        """For each stat that it costs, that there is too little of it; at somebody, that nobody can be paid for."""
        if not self.targets:
            return self._too_little(b, who, None)
        paid = self._somebody(b, who, self._can_be_done)
        return [(no(paid), "too little to pay for it")] if self.action.costs else []

    def _too_little(self, b: BlockBuilder, who: Expr, target: Expr | None) -> list[tuple[Expr, str]]:
        lowering, action, reasons = self.lowering, self.action, []
        for stat in action.costs or {}:
            if all(stat in m.kind.stats and m.kind.stats[stat].is_account for m in self.doers):
                value = Read(account_column(lowering, stat), who)
                too_little = compare("<", value, self._price(b, who, target, stat))
                reasons.append((too_little, f"too little {stat} to pay for it"))
        return reasons

    # To whom it is done

    def _is_meant(self, who: Expr, target: Expr) -> Expr:
        """Return whether it may be done to an entity at all: one of those named, never oneself unless listed."""
        if not self.may_be_self:
            return compare("!=", who, target)
        oneself = compare("==", who, target)
        return Or((oneself, inside(target, ranges_of(self.named)))) if self.named else oneself

    def _fits(self, b: BlockBuilder, who: Expr, target: Expr) -> Expr:
        """Return whether somebody is there to whom it may be done, and what it needs holds for that one."""
        needs = (no(test) for test, _ in self._needs(b, who, target))
        return And((self.lowering.present(target), self._is_meant(who, target), *needs))

    def _can_be_done(self, b: BlockBuilder, who: Expr, target: Expr) -> Expr:
        """Return whether it could be done to somebody and paid for."""
        paid = (no(test) for test, _ in self._too_little(b, who, target))
        return And((self._fits(b, who, target), *paid))

    def _somebody(self, b: BlockBuilder, who: Expr, test: Callable[[BlockBuilder, Expr, Expr], Expr]) -> Expr:
        candidate = b.new_local()
        return Fold("any", candidate, ranges_of(self.targets), test(b, who, Local(candidate)), ONE)

    def candidates(self, b: BlockBuilder, who: Expr) -> tuple[EntityRef, Expr]:
        """Return a local that goes over all to whom it may be done, and whether it could be done to that one now."""
        candidate = Local(b.new_local())
        return EntityRef(candidate, self.targets), self._can_be_done(b, who, candidate)

    def ready(self, b: BlockBuilder, who: Expr, choice: Choice | None = None, path: Path = ()) -> Expr:
        """Return whether it could begin now; with a choice, for one of those of which its `if` holds."""
        tests = [no(obstacle) for obstacle, _ in self.obstacles(b, who)]
        if choice is not None and choice.if_ is not None and self.targets:
            candidate, possible = self.candidates(b, who)
            scope = replace(self.scope(b, who, candidate.entity), path=path).pure("a choice among several")
            chosen = And((possible, condition(scope, choice.if_, "if")))
            assert isinstance(candidate.entity, Local)
            tests.append(Fold("any", candidate.entity.index, ranges_of(self.targets), chosen, ONE))
        return And((self.lowering.present(who), *tests))

    def _lower_act(self) -> None:
        """`act NAME` (entity, and to whom, -1 for the first): 1 if it began; a refusal has a row and posts nothing."""
        lowering, action = self.lowering, self.action
        b = BlockBuilder(2 if self.targets else 1)
        who = Local(0)
        began = b.new_local()
        b.emit(Let(began, ZERO))
        b.leave_unless(lowering.present(who))
        for obstacle, why in self.obstacles(b, who):
            text = lowering.text([why])
            b.emit(If(obstacle, (Note("refused", who, who, self.cause, text), Leave("procedure"))))
        target = self._emit_target(b, who) if self.targets else None
        scope = self.scope(b, who, target)
        if action.lasts is None:
            self._note_act(b, who, target, "does")
        else:
            lasts = b.let(amount(scope, action.lasts, "lasts"))
            self._note_act(b, who, target, "begins", lasts)
        costs = [(stat, b.let(amount(scope, cost, "costs", stat))) for stat, cost in (action.costs or {}).items()]
        for stat, cost in costs:
            b.emit(Post(account_column(lowering, stat), who, "add", neg(cost), self.cause, who))
        if action.cooldown is not None:
            b.emit(Set(self.ready_at(), who, add(Time(), amount(scope, action.cooldown, "cooldown"))))
        b.emit(Let(began, ONE))
        if action.lasts is None:
            b.emit(Call(Handle("carry out", self.path), (who,)))
        else:
            b.emit(Set(busy_column(lowering), who, const(busy_code(lowering, self.name))))
            b.emit(Set(busy_until(lowering), who, add(Time(), lasts)))
            if action.during in lowering.game.statuses:
                lowering.sites.step((*self.path, "during"), "give", str(action.during))
                b.emit(Call(give_status(str(action.during)), (who, who, const(1e18))))
        lowering.procedure(b.procedure(begin_action(self.name), Local(began)))

    def _emit_target(self, b: BlockBuilder, who: Expr) -> Expr:
        """Keep to whom it is done, the first possible one where nobody is named; refuse one to whom it cannot be."""
        target = b.new_local()
        b.emit(Let(target, Local(1)))
        candidate, possible = self.candidates(b, who)
        assert isinstance(candidate.entity, Local)
        with b.when(compare("<", Local(target), ZERO)):
            b.emit(Let(target, Fold("nth", candidate.entity.index, ranges_of(self.targets), possible, ZERO)))
        meant = And((inside(Local(target), ranges_of(self.targets)), self._is_meant(who, Local(target))))
        for test, why in (
            (no(meant), "it is not done to this one"),
            (no(self.lowering.present(Local(target))), "whom it is done to is not there"),
            *self._needs(b, who, Local(target)),
            *self._too_little(b, who, Local(target)),
        ):
            refused = Note("refused", who, who, self.cause, self.lowering.text([why]))
            b.emit(If(test, (refused, Leave("procedure"))))
        b.emit(Set(self.target_column(), who, Local(target)))
        return Local(target)

    def _note_act(self, b: BlockBuilder, who: Expr, target: Expr | None, does: str, *values: Expr) -> None:
        """A row that says that somebody begins or does it; the last value is to whom, where it is done to somebody."""
        if target is not None:
            does, values = f"{does} to", (*values, target)
        b.emit(Note("act", who, who, self.cause, self.lowering.text([does]), values))

    def _lower_carry_out(self) -> None:
        """`carry out NAME` (entity): what it does; rules hear of it."""
        b = BlockBuilder(1)
        target = b.let(At(self.target_column(), Local(0))) if self.targets else None
        if self.action.lasts is not None:
            self._note_act(b, Local(0), target, "does")
        emit_do(self.scope(b, Local(0), target).at("do"), self.action.do, self.cause)
        b.emit(Raise(self.event, Local(0), target if target is not None else ZERO))
        self.lowering.procedure(b.procedure(Handle("carry out", self.path)))

    def emit_finish(self, b: BlockBuilder) -> None:
        """The share of part 1: call off what is blocked or broken, carry out what has lasted long enough."""
        if self.action.lasts is None or not self.doers:
            return
        lowering = self.lowering
        busy = busy_column(lowering)
        with b.each(ranges_of(self.doers)) as who:
            with b.when(compare("==", At(busy, who), const(busy_code(lowering, self.name)))):
                off = self._called_off(b, who)
                with b.block() as stop:
                    self._emit_free(b, who)
                    b.emit(Note("called off", who, who, self.cause))
                    b.emit(Settle(self.cause, who))
                with b.block() as done:
                    with b.when(Due(At(busy_until(lowering), who))):
                        self._emit_free(b, who)
                        b.emit(Call(Handle("carry out", self.path), (who,)))
                        b.emit(Settle(self.cause, who))
                b.emit(If(off, tuple(stop), tuple(done)))
        lowering.order.append(OrderLine("1 time", f"{self.name}: is carried out or called off", self.path))

    def _called_off(self, b: BlockBuilder, who: Expr) -> Expr:
        tests: list[Expr] = []
        keeps = blocked(self.lowering, self.name, who)
        if keeps is not None:
            tests.append(keeps)
        target = b.let(At(self.target_column(), who)) if self.targets else None
        if target is not None:
            tests.append(no(self.lowering.present(target)))
        if self.action.breaks_if is not None:
            scope = self.scope(b, who, target).pure("what breaks an action off")
            tests.append(condition(scope, self.action.breaks_if, "breaks_if"))
        return Or(tuple(tests)) if tests else ZERO

    def _emit_free(self, b: BlockBuilder, who: Expr) -> None:
        b.emit(Set(busy_column(self.lowering), who, ZERO))
        if self.action.during in self.lowering.game.statuses:
            b.emit(Call(end_status(str(self.action.during)), (who, ZERO)))


def lower_actions(lowering: Lowering) -> None:
    """Make the procedures of all actions."""
    for name, action in lowering.game.actions.items():
        ActionLowering(lowering, name, action).lower()


def emit_action_part(lowering: Lowering, b: BlockBuilder) -> None:
    """The actions' share of part 1."""
    for name, action in lowering.game.actions.items():
        ActionLowering(lowering, name, action).emit_finish(b)
