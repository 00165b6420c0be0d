"""Lowers habits: simulated players who look, choose and sometimes slip."""

from __future__ import annotations

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula
from mint_ledger.game.choice import Choice
from mint_ledger.game.habit import Act, Habit
from mint_ledger.lowering import contact
from mint_ledger.lowering.action import ActionLowering, anyone_is_ever_busy, busy_column
from mint_ledger.lowering.chance import draw, draw_places, emit_by_weight, happens
from mint_ledger.lowering.chance_keys import chance_amount
from mint_ledger.lowering.choice import emit_choice
from mint_ledger.lowering.columns import habit_column, only_script_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.formulas import amount, condition
from mint_ledger.lowering.handles import begin_action
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.sites import ActSite
from mint_ledger.lowering.timer import MOST_IN_A_STEP, guard_number, guard_period
from mint_ledger.program.building import BlockBuilder, add, compare, const, no
from mint_ledger.program.expressions import ONE, ZERO, And, At, Due, Expr, Fold, Local, Or, Time
from mint_ledger.program.handle import Handle
from mint_ledger.program.program import OrderLine
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Call, Guard, If, Leave, Let, Note, Set, Settle

NEVER = -1e18
NO_HABIT = "none"
WAIT = "wait"
MOST_ACTS = 64
TOO_MANY_ACTS = f"a player that goes on did {MOST_ACTS} acts at once, and there is no end to it; give one a cost"


class HabitLowering:
    """One habit: the procedures `look` and `find` of its name."""

    def __init__(self, lowering: Lowering, name: str, habit: Habit) -> None:
        self.lowering = lowering
        self.name = name
        self.habit = habit
        self.path = ("habits", name)
        self.number = list(lowering.game.habits).index(name) + 1
        self.players = lowering.find_all_members(habit.by, (*self.path, "by"))
        self.cause = const(lowering.cause("habit", name, self.path))

    def scope(self, b: BlockBuilder, who: Expr, what: str = "") -> Scope:
        """Return what the habit's formulas see: the player as self; luck has a place for each use."""
        luck = Luck(self.path, (f"habit {self.name}",))
        luck = luck.of(what) if what else luck
        return Scope(self.lowering, b, self.path, self_=EntityRef(who, self.players), luck=luck)

    def column(self, what: str, *which: int, opening: float = 0.0) -> Column:
        """A column of the habit."""
        return self.lowering.entity_column(Handle(what, (*self.path, *which)), self.players, opening=opening)

    def plays(self, who: Expr) -> Expr:
        """Return whether an entity plays by this habit."""
        return compare("==", At(habit_column(self.lowering), who), const(self.number))

    def lower(self) -> None:
        """Make the habit's procedures."""
        known = self.lowering.game.attacks
        for attack in self.habit.aims:
            if attack not in known:
                self.lowering.fault((*self.path, "aims", attack), f"unknown attack '{attack}'{nearest(attack, known)}")
        for index, stat in enumerate(self.habit.sees or []):
            owner, _, name = stat.rpartition(".")
            kinds = [self.lowering.cast.members[owner]] if owner in self.lowering.cast.members else list(self.players)
            stats = dict.fromkeys(name for member in kinds for name in member.kind.stats)
            everywhere = {**stats, **(self.lowering.game.stats if not owner else {})}
            if name not in everywhere:
                path = (*self.path, "sees", index)
                self.lowering.fault(path, f"there is no stat '{stat}' to see{nearest(name, everywhere)}")
        if not self.players:
            return
        acts = [(at, act.do) for at, act in enumerate(self.habit.acts) if not self._is_wait(act)]
        self.lowering.sites.acts[self.name] = tuple(ActSite((*self.path, "acts", at), do) for at, do in acts)
        self._lower_look()
        for index, item in enumerate(self.habit.meets):
            for kind, every in item.items():
                self._lower_find(index, kind, every)
        self.lowering.on_appear.append((self.path, ranges_of(self.players), self.begin))

    def begin(self, b: BlockBuilder, who: Expr) -> None:
        """Set when a player that goes by this habit looks for the first time."""
        with b.when(self.plays(who)):
            b.emit(Set(self.column("looks"), who, add(Time(), self._reaction(b, who))))
            for index, act in enumerate(self.habit.acts):
                if act.every is not None:
                    b.emit(Set(self.column("last act", index, opening=NEVER), who, const(NEVER)))
            for index, item in enumerate(self.habit.meets):
                for every in item.values():
                    b.emit(Set(self.column("finds", index), who, add(Time(), self._wait(b, who, index, every))))

    def _reaction(self, b: BlockBuilder, who: Expr) -> Expr:
        return b.let(amount(self.scope(b, who, "reaction"), self.habit.reaction, "reaction"))

    def _wait(self, b: BlockBuilder, who: Expr, index: int, every: Formula) -> Expr:
        kind = next(iter(self.habit.meets[index]))
        scope = self.scope(b, who, f"meets {index}")
        return b.let(amount(scope.at("meets", index), every, kind))

    def _lower_look(self) -> None:
        """`look NAME` (player): choose the first act that can be done and whose `if` holds, or none."""
        b = BlockBuilder(1)
        who = Local(0)
        chosen = b.new_local()
        b.emit(Let(chosen, const(-1)))
        lowering = self.lowering
        weights: dict[int, Local] = {}
        for index, act in enumerate(self.habit.acts):
            path = (*self.path, "acts", index)
            if self._is_wait(act):
                self._lower_wait(b, who, index, chosen, weights)
                continue
            if act.do not in lowering.game.actions:
                lowering.fault((*path, "do"), f"unknown action '{act.do}'{nearest(act.do, lowering.game.actions)}")
                continue
            action = ActionLowering(lowering, act.do, lowering.game.actions[act.do])
            if not set(action.doers) & set(self.players):
                lowering.fault((*path, "do"), f"'{act.do}' is an action of {', '.join(action.action.by)}")
                continue
            if act.to is not None and not action.targets:
                lowering.fault((*path, "to"), f"'{act.do}' is done to nobody; leave 'to' out, or give it a 'to: …'")
            self._take_part(b, index, weights)
            with b.when(compare("<", Local(chosen), ZERO)):
                choice = act.to if isinstance(act.to, Choice) else None
                tests = [action.ready(b, who, choice, (*path, "to"))]
                scope = self.scope(b, who).with_path(path)
                if act.every is not None:
                    last = At(self.column("last act", index, opening=NEVER), who)
                    tests.append(Due(add(last, amount(scope.pure("how often a player acts"), act.every, "every"))))
                if act.if_ is not None:
                    # Chance in an `if` draws only for an act that could be done.
                    with b.when(And(tuple(tests))):
                        with b.when(condition(self.scope(b, who, f"act {index}").with_path(path), act.if_, "if")):
                            self._emit_possible(b, scope, chosen, index, weights)
                else:
                    with b.when(And(tuple(tests))):
                        self._emit_possible(b, scope, chosen, index, weights)
        if weights:
            self._emit_drawn(b, who, chosen, weights)
        again = b.let(ZERO) if self.habit.goes_on else None
        self._emit_choice(b, who, Local(chosen), again)
        lowering.procedure(b.procedure(Handle("look", self.path), again))

    def _is_wait(self, act: Act) -> bool:
        """Return whether an act is to wait for the next look, which is no action of the file."""
        return act.do == WAIT and WAIT not in self.lowering.game.actions

    def _take_part(self, b: BlockBuilder, index: int, weights: dict[int, Local]) -> None:
        """Let an act take part in the draw, where acts are drawn."""
        if self.habit.choose == "random":
            weights[index] = Local(b.new_local())
            b.emit(Let(weights[index].index, ZERO))

    def _lower_wait(self, b: BlockBuilder, who: Expr, index: int, chosen: int, weights: dict[int, Local]) -> None:
        """Choose to do nothing, if the act's condition holds."""
        act, path = self.habit.acts[index], (*self.path, "acts", index)
        for key in ("to", "every"):
            if getattr(act, key) is not None:
                self.lowering.fault((*path, key), f"'{WAIT}' is no action; only 'if' and 'weight' belong to it")
        self._take_part(b, index, weights)
        with b.when(compare("<", Local(chosen), ZERO)):
            test: Expr = ONE
            if act.if_ is not None:
                test = condition(self.scope(b, who, f"act {index}").with_path(path), act.if_, "if")
            with b.when(test):
                self._emit_possible(b, self.scope(b, who).with_path(path), chosen, index, weights)

    def _emit_possible(self, b: BlockBuilder, scope: Scope, chosen: int, index: int, weights: dict[int, Local]) -> None:
        """An act can be chosen: it is, or it takes part in the draw with its weight."""
        if index not in weights:
            b.emit(Let(chosen, const(index)))
            return
        formula = self.habit.acts[index].weight
        weight: Expr = ONE
        if formula is not None:
            weight = b.let(amount(scope.pure("a weight"), formula, "weight"))
            place = self.lowering.formula_place(formula, (*scope.path, "weight"))
            b.emit(Guard(compare(">=", weight, ZERO), f"a weight of the habit '{self.name}' is below 0", place, weight))
        b.emit(Let(weights[index].index, weight))

    def _emit_drawn(self, b: BlockBuilder, who: Expr, chosen: int, weights: dict[int, Local]) -> None:
        """Draw one of those that can be chosen; nothing is drawn where all weights are 0."""
        total: Expr = ZERO
        for weight in weights.values():
            total = add(total, weight)
        with b.when(compare(">", b.let(total), ZERO)):
            scope = self.scope(b, who, "choice")
            self.lowering.sites.choices[self.name] = tuple(place for _, _, place in draw_places(scope, 1))
            b.emit(Let(chosen, emit_by_weight(b, draw(scope), list(weights.values()))))

    def _emit_choice(self, b: BlockBuilder, who: Expr, chosen: Expr, again: Local | None) -> None:
        """Do what was chosen; the local `again` becomes 1 where a player that goes on looks again at once."""
        b.leave_unless(compare(">=", chosen, ZERO))
        waits = [compare("==", chosen, const(index)) for index, act in enumerate(self.habit.acts) if self._is_wait(act)]
        if waits:
            b.leave_unless(no(Or(tuple(waits)) if len(waits) > 1 else waits[0]))
        slipped = b.new_local()
        b.emit(Let(slipped, ZERO))
        if self.habit.slips is not None:
            scope = self.scope(b, who, "slips")
            chance = chance_amount(scope, self.habit.slips, "slips")
            b.emit(Let(slipped, happens(scope, chance)))
        for index, act in enumerate(self.habit.acts):
            if act.do not in self.lowering.game.actions:
                continue
            with b.when(compare("==", chosen, const(index))):
                if act.every is not None:
                    b.emit(Set(self.column("last act", index, opening=NEVER), who, Time()))
                action = const(self.lowering.cause("action", act.do, ("actions", act.do)))
                with b.block() as do:
                    b.emit(Call(begin_action(act.do), (who, *self._emit_whom(b, who, index))))
                    b.emit(Settle(action, who))
                    if again is not None and self.lowering.game.actions[act.do].lasts is None:
                        b.emit(Let(again.index, ONE))
                b.emit(If(Local(slipped), (Note("slip", who, who, action),), tuple(do)))

    def _emit_whom(self, b: BlockBuilder, who: Expr, index: int) -> tuple[Expr, ...]:
        """Choose to whom an act is done, of those to whom it can be; nobody where the action has no `to`."""
        act, path = self.habit.acts[index], (*self.path, "acts", index, "to")
        action = ActionLowering(self.lowering, act.do, self.lowering.game.actions[act.do])
        if not action.targets:
            return ()
        if act.to is None:
            return (const(-1),)
        choice = act.to if isinstance(act.to, Choice) else Choice(ties="random")
        candidates, possible = action.candidates(b, who)
        scope = self.scope(b, who, f"act {index} to").with_path(path)
        return (emit_choice(scope, choice, candidates, possible, scope),)

    def _lower_find(self, index: int, kind: str, every: Formula) -> None:
        """`find NAME K` (player): meet one of a kind, chosen as the first that is there."""
        members = self.lowering.find_members(kind, (*self.path, "meets", index))
        b = BlockBuilder(1)
        who = Local(0)
        candidate = b.new_local()
        where = And((self.lowering.present(Local(candidate)), compare("!=", Local(candidate), who)))
        chosen = b.let(Fold("nth", candidate, ranges_of(members), where, ZERO))
        with b.when(compare(">=", chosen, ZERO)):
            contact.emit_meet(self.lowering, b, EntityRef(who, self.players), EntityRef(chosen, tuple(members)), ZERO)
        self.lowering.procedure(b.procedure(Handle("find", (*self.path, index))))

    def emit_part(self, b: BlockBuilder) -> None:
        """The habit's share of part 3: whoever's time is over, and who is free, looks once."""
        if not self.players:
            return
        lowering = self.lowering
        with b.each(ranges_of(self.players)) as who, b.when(self.plays(who)):
            for index, item in enumerate(self.habit.meets):
                for every in item.values():
                    self._emit_finding(b, who, index, every)
            free = [Due(At(self.column("looks"), who)), lowering.present(who)]
            if anyone_is_ever_busy(lowering):
                free.append(no(At(busy_column(lowering), who)))
            with b.when(And(tuple(free))):
                self._emit_looks(b, who)
                b.emit(Set(self.column("looks"), who, add(Time(), self._reaction(b, who))))
        for act in self.habit.acts:
            text = f"{self.name}: {act.do}" + (f" if {act.if_}" if act.if_ else "")
            lowering.order.append(OrderLine("3 players", text, self.path))

    def _emit_looks(self, b: BlockBuilder, who: Expr) -> None:
        """Look once; who `goes_on` looks again after each act that took no time, until nothing more is chosen."""
        look = Handle("look", self.path)
        if not self.habit.goes_on:
            b.emit(Call(look, (who,)))
            return
        again = b.new_local()
        place = self.lowering.formula_place(self.habit.reaction, (*self.path, "reaction"))
        with b.repeat(const(MOST_ACTS + 1)) as so_far:
            b.emit(Guard(compare("<", so_far, const(MOST_ACTS)), TOO_MANY_ACTS, place, so_far))
            b.emit(Call(look, (who,), again))
            b.emit(If(And((Local(again), self.lowering.present(who))), (), (Leave("each"),)))

    def _emit_finding(self, b: BlockBuilder, who: Expr, index: int, every: Formula) -> None:
        due = self.column("finds", index)
        place = self.lowering.formula_place(every, (*self.path, "meets", index, *self.habit.meets[index]))
        with b.repeat(const(MOST_IN_A_STEP + 1)) as so_far:
            b.emit(If(Due(At(due, who)), (), (Leave("each"),)))
            wait = self._wait(b, who, index, every)
            guard_period(b, wait, place)
            guard_number(b, so_far, wait, place)
            b.emit(Set(due, who, add(At(due, who), wait)))
            b.emit(Call(Handle("find", (*self.path, index)), (who,)))


def lower_habits(lowering: Lowering) -> None:
    """Make the procedures of all habits."""
    for name, habit in lowering.game.habits.items():
        HabitLowering(lowering, name, habit).lower()


def emit_habit_part(lowering: Lowering, b: BlockBuilder) -> None:
    """Part 3, unless only the script plays."""
    only_script = only_script_column(lowering)
    with b.when(no(At(only_script, ZERO))):
        for name, habit in lowering.game.habits.items():
            HabitLowering(lowering, name, habit).emit_part(b)


def emit_habit(lowering: Lowering, b: BlockBuilder, name: str, who: EntityRef | None) -> None:
    """Let one player, or all that can, go on by another habit; `none` lets them rest."""
    habits = lowering.game.habits
    if not habits:
        raise Problem("the game has no habits")
    if name != NO_HABIT and name not in habits:
        raise Problem(f"unknown habit '{name}'{nearest(name, habits)}")
    chosen = HabitLowering(lowering, name, habits[name]) if name != NO_HABIT else None
    number = const(chosen.number if chosen else 0)
    members = chosen.players if chosen else tuple(lowering.cast.members.values())
    if who is not None and not set(who.members) & set(members):
        raise Problem(f"'{name}' is a habit of {', '.join(member.name for member in members)}")
    if who is not None:
        b.emit(Set(habit_column(lowering), who.entity, number))
        if chosen:
            chosen.begin(b, who.entity)
        return
    with b.each(ranges_of(members)) as player:
        b.emit(Set(habit_column(lowering), player, number))
        if chosen:
            chosen.begin(b, player)


def habit_players(lowering: Lowering) -> dict[str, tuple[int, ...]]:
    """The entities that can play by each habit."""
    return {
        name: tuple(
            entity
            for member in HabitLowering(lowering, name, habit).players
            for entity in range(member.first, member.first + member.room)
        )
        for name, habit in lowering.game.habits.items()
    }


def own_habits(lowering: Lowering) -> list[tuple[int, int]]:
    """The copies that have a habit of their own in the file, as (entity, number of the habit)."""
    pairs: list[tuple[int, int]] = []
    habits = list(lowering.game.habits)
    for name, kind in lowering.game.kinds.items():
        for index, habit in enumerate(kind.copy_habits):
            if habit is None:
                continue
            if habit not in habits:
                path = ("kinds", name, "copies", index, "habit")
                lowering.fault(path, f"unknown habit '{habit}'{nearest(habit, habits)}")
                continue
            pairs.append((lowering.cast.members[name].first + index, habits.index(habit) + 1))
    return pairs
