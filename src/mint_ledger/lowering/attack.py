"""Lowers attacks: when they are tried, at whom they aim, and the stages of a hit up to the target's defense.

The target's side of a hit is one procedure for each kind of target (`defense.py`), shared by all attacks.
"""

from __future__ import annotations

from dataclasses import replace

from mint_ledger.formula import Formula
from mint_ledger.game.attack import Attack
from mint_ledger.game.cast import Member
from mint_ledger.game.choice import AttackAims, Choice
from mint_ledger.lowering import contact, space
from mint_ledger.lowering.action import anyone_is_ever_busy, busy_code, busy_column, busy_until
from mint_ledger.lowering.chance import draw, happens
from mint_ledger.lowering.chance_keys import chance_amount
from mint_ledger.lowering.choice import NOBODY, emit_choice
from mint_ledger.lowering.columns import account_column, habit_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.counts import count_row
from mint_ledger.lowering.defense import MISSES, SKIPPED, dodge_of, safe_until, struck_through
from mint_ledger.lowering.do import emit_do
from mint_ledger.lowering.entities import maker_column
from mint_ledger.lowering.formulas import amount, condition
from mint_ledger.lowering.handles import defend, hit_event, missed_event, strike, try_attack
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.presence import spent_column
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.reading import has_stat, hits_column
from mint_ledger.lowering.scope import EntityRef, Scope
from mint_ledger.lowering.sites import AttackSite, names_of
from mint_ledger.lowering.status_effect import blocked
from mint_ledger.lowering.timer import Timer, add_timer
from mint_ledger.program.building import BlockBuilder, add, choose, compare, const, mul, neg, no, sub
from mint_ledger.program.expressions import (
    ONE,
    ZERO,
    And,
    At,
    Constant,
    Due,
    Expr,
    Fold,
    Local,
    Or,
    Read,
    Time,
    Unary,
    inside,
)
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import OrderLine
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Call, Draw, If, Leave, Let, Note, Post, Raise, Set, Settle, Statement
from mint_ledger.program.walking import nodes

Members = tuple[Member, ...]
# The target is chosen by a plain word, after payment.
_LATER = const(-2)


class AttackLowering:
    """One attack: who has it, whom it strikes, and the procedures `try`, `strike` and `hit` of its name."""

    def __init__(self, lowering: Lowering, name: str, attack: Attack) -> None:
        self.lowering = lowering
        self.name = name
        self.attack = attack
        self.path = ("attacks", name)
        self.strikers = lowering.find_all_members(attack.from_, (*self.path, "from"))
        self.targets = lowering.find_all_members(attack.to, (*self.path, "to"))
        self.cause = Constant(float(lowering.cause("attack", name, self.path, attack.type or "")))

    def scope(self, b: BlockBuilder, striker: Expr, target: Expr | None, what: str = "") -> Scope:
        """Return what the attack's formulas see: the striker as self, the target as other."""
        other = EntityRef(target, self.targets) if target is not None else None
        luck = Luck(self.path, (f"attack {self.name}",))
        luck = luck.of(what) if what else luck
        return Scope(self.lowering, b, self.path, self_=EntityRef(striker, self.strikers), other=other, luck=luck)

    def handle(self, use: str) -> Handle:
        """A procedure of the attack's own."""
        return Handle(use, self.path)

    def lower(self) -> None:
        """Make the attack's procedures and wire what sets it off."""
        self._check()
        if not self.strikers or not self.targets:
            return
        self.lowering.sites.attacks[self.name] = self._site()
        self._lower_pay()
        self._lower_hit()
        self._lower_strike()
        self._lower_try()
        self._wire()

    def _site(self) -> AttackSite:
        attack, when = self.attack, self.attack.when
        return AttackSite(
            self.name,
            names_of(self.strikers),
            names_of(self.targets),
            attack.damage,
            in_contact=when is not None and bool(when.in_contact),
            every=when.every if when is not None else None,
            cooldown=attack.cooldown,
            crit=attack.crit.times if attack.crit is not None else None,
            skips_safety=bool(attack.skips),
            layers=tuple((m.name, tuple(struck_through(m))) for m in self.targets if m.room),
        )

    def _check(self) -> None:
        lowering, attack = self.lowering, self.attack
        for key, names, members in (("from", attack.from_, self.strikers), ("to", attack.to, self.targets)):
            if not members and all(name in lowering.cast.members for name in names):
                who = "strikes with" if key == "from" else "can be struck by"
                lowering.fault((*self.path, key), f"nobody {who} '{self.name}': there is no {', '.join(names)}")
        if not self.targets or not self.strikers:
            return
        if attack.lasts is None and attack.breaks_if is not None:
            lowering.fault((*self.path, "breaks_if"), "'breaks_if' wants 'lasts': this strike has no wind-up")
        for key in ("reach", "arc", "behind"):
            if getattr(attack, key) is not None and lowering.game.space is None:
                lowering.fault((*self.path, key), f"'{key}' wants a game with space: write 'space: {{}}' at its top")
        pairs = [(s, t) for s in self.strikers for t in self.targets if not always_spared(self.attack, s, t)]
        if not pairs:
            lowering.fault(
                (*self.path, "to"),
                f"'{self.name}' can strike nobody: all of {', '.join(attack.to)} are spared (see 'side' and 'spares')",
            )
        for stat in attack.costs or {}:
            for member in self.strikers:
                if stat not in member.kind.stats or not member.kind.stats[stat].is_account:
                    lowering.fault((*self.path, "costs", stat), f"{member.name} has no stat '{stat}' to pay with")
                    break

    def spared(self, striker: Expr, target: Expr) -> Expr:
        """Tell whether the attack never strikes a target: itself, its own side or its maker; `none` spares nobody."""
        if self.attack.spares == "none":
            return ZERO
        tests: list[Expr] = [compare("==", striker, target)]
        if self.attack.spares == "side":
            sides = dict.fromkeys(m.kind.side for m in self.strikers if m.kind.side is not None)
            for side in sides:
                ours = ranges_of(m for m in self.strikers if m.kind.side == side)
                theirs = ranges_of(m for m in self.targets if m.kind.side == side)
                if ours and theirs:
                    tests.append(And((inside(striker, ours), inside(target, theirs))))
        if self.attack.spares == "maker":
            makers = maker_column(Scope(self.lowering, BlockBuilder(), ()))
            tests.append(compare("==", At(makers, striker), target))
        return tests[0] if len(tests) == 1 else Or(tuple(tests))

    def _out_of_range(self, b: BlockBuilder, striker: Expr, target: Expr) -> list[tuple[Expr, str]]:
        """Why a target cannot be struck from here: its distance, or where the striker faces."""
        attack, lowering = self.attack, self.lowering
        if lowering.game.space is None:
            return []
        one, other = EntityRef(striker, self.strikers), EntityRef(target, self.targets)
        scope = self.scope(b, striker, target).pure("how far an attack reaches")
        reasons: list[tuple[Expr, str]] = []
        if attack.reach is not None:
            far = compare(">", space.distance(lowering, one, other), amount(scope, attack.reach, "reach"))
            reasons.append((far, "out of reach"))
        if attack.arc is not None:
            reasons.append(
                (no(space.in_arc(lowering, one, other, amount(scope, attack.arc, "arc"))), "not in front of it")
            )
        return reasons

    def in_reach(self, b: BlockBuilder, striker: Expr) -> Expr:
        """Return whether a striker is there, and somebody whom it could strike from where it is."""
        candidate = b.new_local()
        far = [no(test) for test, _ in self._out_of_range(b, striker, Local(candidate))]
        there = And((self.lowering.present(Local(candidate)), no(self.spared(striker, Local(candidate))), *far))
        some = compare(">", Fold("count", candidate, ranges_of(self.targets), there, ONE), ZERO)
        return And((self.lowering.present(striker), some))

    def alike_in_reach(self, b: BlockBuilder, strikers: Members) -> Expr | None:
        """Return how many of some strikers have somebody in reach, where none of them differs from another in that."""
        apart = not {m.name for m in strikers} & {m.name for m in self.targets} and self.attack.spares != "maker"
        if (
            not apart
            or self.lowering.game.space is not None
            or any(always_spared(self.attack, s, t) for s in strikers for t in self.targets)
        ):
            return None
        someone, target = b.new_local(), b.new_local()
        count = Fold("count", someone, ranges_of(strikers), self.lowering.present(Local(someone)), ONE)
        targets = Fold("count", target, ranges_of(self.targets), self.lowering.present(Local(target)), ONE)
        return choose(compare(">", targets, ZERO), count, ZERO)

    # `pay`: may the striker, and can it pay?

    def _lower_pay(self) -> None:
        """`pay NAME` (striker): 1 if its needs hold and its costs are paid; else a row and 0."""
        b = BlockBuilder(1)
        striker = Local(0)
        paid = b.new_local()
        b.emit(Let(paid, ZERO))
        scope = self.scope(b, striker, None)
        for obstacle, why in self._obstacles(striker):
            with b.when(obstacle):
                self._note(b, "refused", striker, ZERO, why)
                b.emit(Leave("procedure"))
        if self.attack.needs is not None:
            test = condition(scope.pure("what an attack needs"), self.attack.needs, "needs")
            with b.when(no(test)):
                self._note(b, "refused", striker, ZERO, "what it needs does not hold")
                b.emit(Leave("procedure"))
        costs = [
            (stat, b.let(amount(scope, cost, "costs", stat)))
            for stat, cost in (self.attack.costs or {}).items()
            if has_stat(EntityRef(striker, self.strikers), stat)
        ]
        for stat, cost in costs:
            value = Read(account_column(self.lowering, stat), striker)
            with b.when(compare("<", value, cost)):
                self._note(b, "refused", striker, ZERO, f"too little {stat} to pay for it")
                b.emit(Leave("procedure"))
        for stat, cost in costs:
            column = account_column(self.lowering, stat)
            b.emit(Post(column, striker, "add", neg(cost), self.cause, striker))
        b.emit(Let(paid, ONE))
        self.lowering.procedure(b.procedure(self.handle("pay"), Local(paid)))

    def _obstacles(self, striker: Expr) -> list[tuple[Expr, str]]:
        reasons: list[tuple[Expr, str]] = []
        keeps = blocked(self.lowering, self.name, striker)
        if keeps is not None:
            reasons.append((keeps, "a status blocks it"))
        if anyone_is_ever_busy(self.lowering):
            reasons.append((At(busy_column(self.lowering), striker), "busy"))
        return reasons

    def _note(self, b: BlockBuilder, what: str, striker: Expr, target: Expr, why: str) -> None:
        who = target if target != ZERO else striker
        b.emit(Note(what, who, striker, self.cause, self.lowering.text([why])))
        if what == "blocked":
            count_row(self.lowering, b, what, self.name)

    # `try`: aims for itself

    def _lower_try(self) -> None:
        """`try NAME` (striker): choose among those present, pay, strike."""
        b = BlockBuilder(1)
        striker = Local(0)
        ranges = ranges_of(self.targets)
        candidate = b.new_local()
        far = [no(test) for test, _ in self._out_of_range(b, striker, Local(candidate))]
        spared = self.spared(striker, Local(candidate))
        if self.attack.spares == "none" and self.attack.aims != "all":
            spared = compare("==", striker, Local(candidate))  # nobody aims at itself, though it may be struck
        where = And((self.lowering.present(Local(candidate)), no(spared), *far))
        count = b.let(Fold("count", candidate, ranges, where, ONE))
        b.leave_unless(compare(">", count, ZERO))
        ahead = self._emit_choices(b, striker, candidate, where)
        paid = b.new_local()
        b.emit(Call(self.handle("pay"), (striker,), paid))
        b.leave_unless(Local(paid))
        if self.attack.aims == "all":
            chosen: Expr = const(-1)
        elif ahead is not None:
            with b.when(compare("==", ahead, _LATER)):
                b.emit(Let(ahead.index, self._choice(b, striker, candidate, where, count)))
            chosen = ahead
        else:
            chosen = b.let(self._choice(b, striker, candidate, where, count))
        if self.attack.lasts is not None:
            self._emit_wind_up(b, striker, chosen, ZERO)
        else:
            b.emit(Call(self.handle("let fly"), (striker, chosen, ZERO)))
        self._lower_let_fly()
        self.lowering.procedure(b.procedure(try_attack(self.name)))

    def _lower_let_fly(self) -> None:
        """`let fly NAME` (striker, target, sure): at the target that was chosen, or at all within reach."""
        b = BlockBuilder(3)
        striker, target, sure = Local(0), Local(1), Local(2)
        if self.attack.aims == "all":
            with b.when(compare("<", target, ZERO)):
                with b.each(ranges_of(self.targets)) as who:
                    far = [no(test) for test, _ in self._out_of_range(b, striker, who)]
                    with b.when(And((no(self.spared(striker, who)), *far))):
                        b.emit(Call(self.handle("hit"), (striker, who, ZERO)))
                b.emit(Leave("procedure"))
        b.emit(Call(self.handle("hit"), (striker, target, sure)))
        self.lowering.procedure(b.procedure(self.handle("let fly")))

    # The wind-up: a strike that takes time

    def _target_column(self) -> Column:
        return self.lowering.entity_column(Handle("winds up at", self.path), self.strikers, "mark", -1.0)

    def _sure_column(self) -> Column:
        return self.lowering.entity_column(Handle("winds up surely", self.path), self.strikers, "mark")

    def _emit_wind_up(self, b: BlockBuilder, striker: Expr, chosen: Expr, sure: Expr) -> None:
        lowering = self.lowering
        assert self.attack.lasts is not None
        lasts = b.let(amount(self.scope(b, striker, None, "wind-up"), self.attack.lasts, "lasts"))
        b.emit(Set(busy_column(lowering), striker, const(busy_code(lowering, self.name))))
        b.emit(Set(busy_until(lowering), striker, add(Time(), lasts)))
        b.emit(Set(self._target_column(), striker, chosen))
        b.emit(Set(self._sure_column(), striker, sure))
        b.emit(Note("act", striker, striker, self.cause, lowering.text(["begins"]), (lasts,)))

    def emit_wind_up_part(self, b: BlockBuilder) -> None:
        """The share of part 1: a wind-up is called off where its target has left or it is broken; else it strikes."""
        if self.attack.lasts is None or not self.strikers or not self.targets:
            return
        lowering = self.lowering
        busy = busy_column(lowering)
        with b.each(ranges_of(self.strikers)) as who:
            with b.when(compare("==", At(busy, who), const(busy_code(lowering, self.name)))):
                target = b.let(At(self._target_column(), who))
                with b.block() as off:
                    b.emit(Set(busy, who, ZERO))
                    b.emit(Note("called off", who, who, self.cause))
                    b.emit(Settle(self.cause, who))
                with b.block() as done:
                    with b.when(Due(At(busy_until(lowering), who))):
                        b.emit(Set(busy, who, ZERO))
                        self._emit_release(b, who, target)
                        b.emit(Settle(self.cause, who))
                b.emit(If(self._called_off(b, who, target), tuple(off), tuple(done)))
        lowering.order.append(OrderLine("1 time", f"{self.name}: strikes after its wind-up", self.path))

    def _emit_release(self, b: BlockBuilder, who: Expr, target: Expr) -> None:
        """The end of a wind-up: it strikes, if the target is where it can be struck; else it is called off."""
        fly = Call(self.handle("let fly"), (who, target, At(self._sure_column(), who)))
        reasons = self._out_of_range(b, who, target)
        if not reasons:
            b.emit(fly)
            return
        aimed = compare(">=", target, ZERO)
        rest: tuple[Statement, ...] = (fly,)
        for test, why in reversed(reasons):
            off = Note("called off", who, who, self.cause, self.lowering.text([why]))
            rest = (If(And((aimed, test)), (off,), rest),)
        b.emit(rest[0])

    def _called_off(self, b: BlockBuilder, who: Expr, target: Expr) -> Expr:
        tests: list[Expr] = []
        if self.attack.aims != "all":
            tests.append(no(self.lowering.present(target)))
        else:
            tests.append(And((compare(">=", target, ZERO), no(self.lowering.present(target)))))
        keeps = blocked(self.lowering, self.name, who)
        if keeps is not None:
            tests.append(keeps)
        if self.attack.breaks_if is not None:
            tests.append(self._broken(b, who, target, self.attack.breaks_if))
        return Or(tuple(tests)) if tests else ZERO

    def _broken(self, b: BlockBuilder, who: Expr, target: Expr, breaks_if: Formula) -> Expr:
        """Tell whether a wind-up is broken; one at all is where the condition holds for any that it would strike."""
        if self.attack.aims != "all":
            return condition(self.scope(b, who, target).pure("what breaks a wind-up off"), breaks_if, "breaks_if")
        broken = b.new_local()
        b.emit(Let(broken, ZERO))
        with b.each(ranges_of(self.targets)) as each:
            meant = Or((compare("==", target, each), And((compare("<", target, ZERO), no(self.spared(who, each))))))
            with b.when(And((no(Local(broken)), meant))):
                scope = self.scope(b, who, each).pure("what breaks a wind-up off")
                b.emit(Let(broken, condition(scope, breaks_if, "breaks_if")))
        return Local(broken)

    def _habits_aims(self, striker: Expr) -> list[tuple[Expr, str, AttackAims]]:
        """List the habits that aim for themselves: whether the striker has it, its name, how it aims."""
        return [
            (compare("==", At(habit_column(self.lowering), striker), const(number)), name, habit.aims[self.name])
            for number, (name, habit) in enumerate(self.lowering.game.habits.items(), start=1)
            if self.name in habit.aims
        ]

    def _emit_choices(self, b: BlockBuilder, striker: Expr, candidate: int, where: Expr) -> Local | None:
        """Emit choices by formula, which come before payment: who finds nobody pays nothing.

        Returns:
            The target, `_LATER` where a plain word decides after payment; nothing where no choice is by formula.
        """
        own, habits = self.attack.aims, self._habits_aims(striker)
        if not any(isinstance(aims, Choice) for aims in (own, *(aims for _, _, aims in habits))):
            return None
        target = b.new_local()
        b.emit(Let(target, _LATER))
        others = [test for test, _, _ in habits]
        for test, name, aims in habits:
            if isinstance(aims, Choice):
                path = ("habits", name, "aims", self.name)
                luck = Luck(("habits", name), (f"habit {name}",)).of(f"aim {self.name}")
                with b.when(test):
                    self._emit_one_choice(b, target, striker, candidate, where, aims, path, luck)
        if isinstance(own, Choice):
            luck = Luck(self.path, (f"attack {self.name}",)).of("aim")
            with b.when(no(Or(tuple(others))) if others else ONE):
                self._emit_one_choice(b, target, striker, candidate, where, own, (*self.path, "aims"), luck)
        b.leave_unless(compare("!=", Local(target), NOBODY))
        return Local(target)

    def _emit_one_choice(
        self,
        b: BlockBuilder,
        target: int,
        striker: Expr,
        candidate: int,
        where: Expr,
        choice: Choice,
        path: Path,
        luck: Luck,
    ) -> None:
        scope = Scope(self.lowering, b, path, self_=EntityRef(striker, self.strikers), luck=luck)
        try:
            chosen = emit_choice(scope, choice, EntityRef(Local(candidate), self.targets), where, scope)
        except Problem as problem:
            self.lowering.fault(path, str(problem))
            return
        b.emit(Let(target, chosen))

    def _choice(self, b: BlockBuilder, striker: Expr, candidate: int, where: Expr, count: Expr) -> Expr:
        """The target that a plain word chooses: as the attack aims, or as the striker's habit does."""
        ranges = ranges_of(self.targets)
        aims = self.attack.aims
        if aims == "random":
            position = b.let(Unary("floor", mul(draw(self.scope(b, striker, None, "aim")), count)))
            value: Expr = Fold("nth", candidate, ranges, where, position)
        elif isinstance(aims, Choice):
            value = NOBODY
        else:
            value = self._aimed(striker, candidate, where, aims, (*self.path, "aims"))
        for test, name, own in self._habits_aims(striker):
            if not isinstance(own, Choice):
                chosen = self._aimed(striker, candidate, where, own, ("habits", name, "aims", self.name))
                value = choose(test, chosen, value)
        return value

    def _aimed(self, striker: Expr, candidate: int, where: Expr, aims: str, path: Path) -> Expr:
        ranges = ranges_of(self.targets)
        if aims == "nearest":
            if self.lowering.game.space is None:
                self.lowering.fault(path, "the game has no space, so nothing is nearest; use first, weakest …")
                return const(-1)
            one, other = EntityRef(striker, self.strikers), EntityRef(Local(candidate), self.targets)
            return Fold("argmin", candidate, ranges, where, space.squared_distance(self.lowering, one, other))
        if aims in ("weakest", "strongest"):
            stat = _vital_stat(self.targets)
            if stat is None:
                self.lowering.fault(path, "those that it strikes have no health to compare")
                return const(-1)
            value = Read(account_column(self.lowering, stat), Local(candidate))
            return Fold("argmin" if aims == "weakest" else "argmax", candidate, ranges, where, value)
        return Fold("nth", candidate, ranges, where, ZERO)

    # `strike`: at one target, by a rule or a script

    def _lower_strike(self) -> None:
        """`strike NAME` (striker, target, sure): may it, pay, hit."""
        b = BlockBuilder(3)
        striker, target, sure = Local(0), Local(1), Local(2)
        able = And((inside(striker, ranges_of(self.strikers)), inside(target, ranges_of(self.targets))))
        there = And((able, self.lowering.present(striker), self.lowering.present(target)))
        with b.when(no(there)):
            self._note(b, "blocked", striker, target, "one of the two is not there")
            b.emit(Leave("procedure"))
        with b.when(self.spared(striker, target)):
            self._note(b, "blocked", striker, target, "it spares this target")
            b.emit(Leave("procedure"))
        for test, why in self._out_of_range(b, striker, target):
            with b.when(test):
                self._note(b, "blocked", striker, target, why)
                b.emit(Leave("procedure"))
        paid = b.new_local()
        b.emit(Call(self.handle("pay"), (striker,), paid))
        b.leave_unless(Local(paid))
        if self.attack.lasts is not None:
            self._emit_wind_up(b, striker, target, sure)
        else:
            b.emit(Call(self.handle("hit"), (striker, target, sure)))
        self.lowering.procedure(b.procedure(strike(self.name)))

    # `hit`: the stages

    def _lower_hit(self) -> None:
        """`hit NAME` (striker, target, sure): the stages of a hit that may be and is paid for."""
        b = BlockBuilder(3)
        striker, target, sure = Local(0), Local(1), Local(2)
        b.leave_unless(And((self.lowering.present(striker), self.lowering.present(target))))
        self._emit_cooldown(b, striker, target)
        self._emit_safe_time(b, striker, target)
        from_behind = self._from_behind(b, striker, target)
        self._emit_landing(b, striker, target, sure, from_behind)
        scope = self.scope(b, striker, target, "damage")
        before = len(b.body())
        rolled = b.let(amount(scope, self.attack.damage, "damage") if self.attack.damage else ZERO)
        if any(isinstance(node, Draw) for statement in b.body()[before:] for node in nodes(statement)):
            self.lowering.drawn_damage.add(int(self.cause.value))
        times = self._emit_crit(b, striker, target)
        extra = self._behind_times(b, striker, target, from_behind)
        self._emit_defences(b, striker, target, (rolled, times, extra), from_behind)
        if self.attack.also:
            emit_do(self.scope(b, striker, target, "also").at("also"), self.attack.also, self.cause)
        self._emit_spent(b, striker)
        self.lowering.procedure(b.procedure(self.handle("hit")))

    def _pair_column(self) -> tuple[Column, Members, int]:
        first = min((m.first for m in self.targets), default=0)
        last = max((m.first + m.room for m in self.targets), default=1)
        start = min((m.first for m in self.strikers), default=0)
        end = max((m.first + m.room for m in self.strikers), default=1)
        size = (end - start) * (last - first)
        column = self.lowering.layout.column(Handle("cooldown", self.path), "time", 0, max(size, 1), -1e18)
        return column, self.targets, last - first

    def _emit_cooldown(self, b: BlockBuilder, striker: Expr, target: Expr) -> None:
        if self.attack.cooldown is None:
            return
        column, targets, width = self._pair_column()
        start = min((m.first for m in self.strikers), default=0)
        first = min((m.first for m in targets), default=0)
        slot = b.let(add(mul(sub(striker, const(start)), const(width)), sub(target, const(first))))
        wait = amount(self.scope(b, striker, target, "cooldown"), self.attack.cooldown, "cooldown")
        with b.when(no(Due(add(At(column, slot), wait)))):
            self._note(b, "blocked", striker, target, "not ready again")
            b.emit(Leave("procedure"))
        b.emit(Set(column, slot, Time()))

    def _emit_safe_time(self, b: BlockBuilder, striker: Expr, target: Expr) -> None:
        if "safe_for" in (self.attack.skips or []):
            return
        safe = safe_until(self.lowering, self.targets, striker, target)
        if safe is None:
            return
        with b.when(no(Due(safe))):
            self._note(b, "blocked", striker, target, "safe after the last hit")
            b.emit(Leave("procedure"))

    def _emit_spent(self, b: BlockBuilder, striker: Expr) -> None:
        """A thrown thing is spent, whether it lands or not; it leaves once rules have heard of the hit."""
        if self.attack.uses_up:
            b.emit(Set(spent_column(self.lowering), striker, add(self.cause, ONE)))

    def _from_behind(self, b: BlockBuilder, striker: Expr, target: Expr) -> Expr:
        if self.attack.behind is None or self.lowering.game.space is None:
            return ZERO
        one, other = EntityRef(striker, self.strikers), EntityRef(target, self.targets)
        return b.let(space.behind(self.lowering, one, other))

    def _behind_times(self, b: BlockBuilder, striker: Expr, target: Expr, from_behind: Expr) -> Expr:
        if self.attack.behind is None or self.attack.behind.times is None:
            return ONE
        scope = self.scope(b, striker, target, "behind").at("behind")
        return b.let(choose(from_behind, amount(scope, self.attack.behind.times, "times"), ONE))

    def _skips(self, stage: str, from_behind: Expr) -> Expr:
        """Return whether this hit passes over a stage: always, or because it comes from behind."""
        if stage in (self.attack.skips or []):
            return ONE
        behind = self.attack.behind
        return from_behind if behind is not None and stage in (behind.skips or []) else ZERO

    def _emit_landing(self, b: BlockBuilder, striker: Expr, target: Expr, sure: Expr, from_behind: Expr) -> None:
        missed = b.new_local()
        b.emit(Let(missed, ZERO))
        with b.when(no(sure)):
            if self.attack.lands is not None:
                scope = self.scope(b, striker, target, "lands")
                chance = chance_amount(scope, self.attack.lands, "lands")
                b.emit(Let(missed, no(happens(scope, chance))))
            skips = self._skips("dodge", from_behind)
            if skips != ONE:
                with b.when(no(skips)):
                    self._emit_dodge(b, target, missed)
        with b.when(Local(missed)):
            for code, what in ((1, "miss"), (2, "dodge")):
                text = self.lowering.text([MISSES[code]])
                with b.when(compare("==", Local(missed), const(code))):
                    b.emit(Note(what, target, striker, self.cause, text))
                    count_row(self.lowering, b, what, self.name)
            b.emit(Raise(self.lowering.event(missed_event(self.name), "hit"), striker, target))
            self._emit_spent(b, striker)
            b.emit(Leave("procedure"))

    def _emit_dodge(self, b: BlockBuilder, target: Expr, missed: int) -> None:
        for member in self.targets:
            dodge = dodge_of(member)
            if dodge is None or not member.room:
                continue
            here = And((no(Local(missed)), inside(target, ((member.first, member.room),))))
            with b.when(here):
                scope = self.scope(b, target, None, "dodge")
                path = ("kinds", _when_hit_owner(self.lowering, member), "when_hit")
                scope = replace(scope, self_=EntityRef(target, (member,)), path=path)
                chance = chance_amount(_dialled(self.lowering, scope, member), dodge, "dodge")
                b.emit(Let(missed, choose(happens(scope, chance), const(2), ZERO)))

    def _emit_crit(self, b: BlockBuilder, striker: Expr, target: Expr) -> Expr:
        crit = self.attack.crit
        if crit is None:
            return ONE
        scope = self.scope(b, striker, target, "crit").at("crit")
        chance = chance_amount(scope, crit.chance, "chance")
        times = b.let(amount(scope, crit.times, "times"))
        return b.let(choose(happens(scope, chance), times, ONE))

    def _emit_defences(
        self, b: BlockBuilder, striker: Expr, target: Expr, damage: tuple[Expr, Expr, Expr], from_behind: Expr
    ) -> None:
        rolled, times, extra = damage
        lowering, attack = self.lowering, self.attack
        no_damage = attack.damage is None or attack.damage.number == 0.0
        if no_damage:
            lowering.looked_at((*self.path, "damage"))
        kind = const(lowering.word(attack.type)) if attack.type else const(-1)
        skips = [self._skips(stage, from_behind) for stage in SKIPPED]
        dealt = b.new_local()
        b.emit(Let(dealt, ZERO))
        for member in self.targets:
            if not member.room:
                continue
            if not no_damage:
                missing = [s for s in struck_through(member) if s not in member.kind.stats]
                if missing:
                    lowering.fault(
                        (*self.path, "to"),
                        f"damage to {member.name} has nowhere to go: it has no stat '{missing[0]}'; give it one, "
                        "or say in its when_hit what damage goes through",
                    )
                    continue
            arguments = (striker, target, self.cause, rolled, times, kind, *skips, extra)
            call = Call(defend(member.name), arguments, dealt)
            if len(self.targets) == 1:
                b.emit(call)
            else:
                b.emit(If(inside(target, ((member.first, member.room),)), (call,)))
        hits = hits_column(lowering, self.name)
        b.emit(Set(hits, ZERO, add(At(hits, ZERO), ONE)))
        count_row(lowering, b, "hit", self.name)
        crit = compare("!=", times, ONE)
        b.emit(Raise(lowering.event(hit_event(self.name), "hit"), striker, target, (Local(dealt), crit)))

    # What sets it off

    def _fire(self, b: BlockBuilder, striker: Expr) -> None:
        b.emit(Call(try_attack(self.name), (striker,)))
        b.emit(Settle(self.cause, striker))

    def _fire_at(self, b: BlockBuilder, striker: Expr, target: Expr) -> None:
        spared = self.spared(striker, target)
        with b.when(And((no(spared), self.lowering.present(striker), self.lowering.present(target)))):
            b.emit(Call(strike(self.name), (striker, target, ZERO)))
            b.emit(Settle(self.cause, striker))

    def _wire(self) -> None:
        when, lowering = self.attack.when, self.lowering
        if when is None or not self.strikers or not self.targets:
            return
        strikers, targets = list(self.strikers), list(self.targets)
        if when.every is not None:
            path = (*self.path, "when")
            add_timer(
                Timer(
                    lowering,
                    Luck(self.path, (f"attack {self.name}",)).of("every"),
                    path,
                    when.every,
                    when.first,
                    self.strikers,
                ),
                self._fire,
            )
            lowering.order.append(OrderLine("5 attacks and rules", f"{self.name}: every {when.every}", self.path))
        elif when.meets:
            contact.on_touch(lowering, strikers, targets, self._fire_at)
            lowering.order.append(OrderLine("4 contact", f"{self.name}: as they meet", self.path))
        else:
            contact.emit_while_touching(lowering, BlockBuilder(), strikers, targets, self._fire_at)
            lowering.wiring.polled.append(
                (self.path, lambda b: contact.emit_while_touching(lowering, b, strikers, targets, self._fire_at))
            )
            lowering.order.append(OrderLine("5 attacks and rules", f"{self.name}: while in contact", self.path))


def always_spared(attack: Attack, striker: Member, target: Member) -> bool:
    """Return whether an attack of one kind never strikes another: its own only entity, or its own side."""
    alone = striker is target and striker.room == 1 and attack.spares != "none"
    same_side = attack.spares == "side" and striker.kind.side is not None
    return alone or (same_side and striker.kind.side == target.kind.side)


def _vital_stat(members: Members) -> str | None:
    """The stat that damage reaches last, if all have the same."""
    stats = {struck_through(member)[-1] for member in members}
    stat = next(iter(stats)) if len(stats) == 1 else None
    return stat if stat and all(stat in member.kind.stats for member in members) else None


def _when_hit_owner(lowering: Lowering, member: Member) -> str:
    return next((a for a in member.family if lowering.game.kinds[a].when_hit is not None), member.name)


def _dialled(lowering: Lowering, scope: Scope, member: Member) -> Scope:
    """The same scope at the kind's own path, where its dials are."""
    return scope.with_path(("kinds", member.name, "when_hit"))


def emit_wind_ups(lowering: Lowering, b: BlockBuilder) -> None:
    """The share of part 1 of all attacks that take time."""
    for name, attack in lowering.game.attacks.items():
        AttackLowering(lowering, name, attack).emit_wind_up_part(b)


def lower_attack(lowering: Lowering, name: str, attack: Attack) -> None:
    """Make one attack's procedures and wire it."""
    own = AttackLowering(lowering, name, attack)
    try:
        own.lower()
    except Problem as problem:
        lowering.fault(("attacks", name), str(problem))
