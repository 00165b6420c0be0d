"""Lowers actions: refused or begun, called off or carried out; and the wind-up that attacks share with them."""

from __future__ import annotations

from mint_ledger.errors import nearest
from mint_ledger.game.action import Action
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
from mint_ledger.program.expressions import ONE, ZERO, And, At, Due, Expr, Local, Or, Read, Time
from mint_ledger.program.handle import Handle
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
        self.cause = const(lowering.cause("action", name, self.path))
        self.event = lowering.event(acted_event(name), "hit")

    def scope(self, b: BlockBuilder, entity: Expr) -> Scope:
        """Return what the action's formulas see: whoever does it as self."""
        return Scope(
            self.lowering,
            b,
            self.path,
            self_=EntityRef(entity, self.doers),
            luck=Luck(self.path, (f"action {self.name}",)),
        )

    def ready_at(self) -> Column:
        """Return when an entity may do it again."""
        return self.lowering.entity_column(Handle("ready at", self.path), self.doers, opening=NEVER)

    def lower(self) -> None:
        """Make the action's procedures."""
        self._check()
        if not self.doers:
            return
        prices = tuple((self.action.costs or {}).items())
        cools_down = self.action.cooldown is not None
        self.lowering.sites.actions[self.name] = ActionSite(self.name, names_of(self.doers), prices, cools_down)
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
        """Each reason but that it cannot be paid for."""
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
        scope = self.scope(b, who).pure("what an action needs and costs")
        if action.needs is not None:
            reasons.append((no(condition(scope, action.needs, "needs")), "what it needs does not hold"))
        return reasons

    def price(self, b: BlockBuilder, who: Expr, stat: str) -> Expr:
        """Return how much of a stat it costs."""
        scope = self.scope(b, who).pure("what an action needs and costs")
        return amount(scope, (self.action.costs or {})[stat], "costs", stat)

    def too_little(self, b: BlockBuilder, who: Expr) -> list[tuple[Expr, str]]:
        """For each stat that it costs, that there is too little of it."""
        lowering, action, reasons = self.lowering, self.action, []
        for stat in action.costs or {}:
            if all(stat in m.kind.stats and m.kind.stats[stat].is_account for m in self.doers):
                value = Read(account_column(lowering, stat), who)
                too_little = compare("<", value, self.price(b, who, stat))
                reasons.append((too_little, f"too little {stat} to pay for it"))
        return reasons

    def ready(self, b: BlockBuilder, who: Expr) -> Expr:
        """Return whether it could begin now."""
        tests = [no(obstacle) for obstacle, _ in self.obstacles(b, who)]
        return And((self.lowering.present(who), *tests))

    def _lower_act(self) -> None:
        """`act NAME` (entity): 1 if it began; what refuses it has a row and posts nothing."""
        lowering, action = self.lowering, self.action
        b = BlockBuilder(1)
        who = Local(0)
        began = b.new_local()
        b.emit(Let(began, ZERO))
        b.leave_unless(lowering.present(who))
        for obstacle, why in self.obstacles(b, who):
            text = lowering.text([why])
            b.emit(If(obstacle, (Note("refused", who, who, self.cause, text), Leave("procedure"))))
        scope = self.scope(b, who)
        if action.lasts is None:
            b.emit(Note("act", who, who, self.cause, lowering.text(["does"])))
        else:
            lasts = b.let(amount(scope, action.lasts, "lasts"))
            b.emit(Note("act", who, who, self.cause, lowering.text(["begins"]), (lasts,)))
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

    def _lower_carry_out(self) -> None:
        """`carry out NAME` (entity): what it does; rules hear of it."""
        b = BlockBuilder(1)
        if self.action.lasts is not None:
            b.emit(Note("act", Local(0), Local(0), self.cause, self.lowering.text(["does"])))
        emit_do(self.scope(b, Local(0)).at("do"), self.action.do, self.cause)
        b.emit(Raise(self.event, Local(0), ZERO))
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
        if self.action.breaks_if is not None:
            scope = self.scope(b, who).pure("what breaks an action off")
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
