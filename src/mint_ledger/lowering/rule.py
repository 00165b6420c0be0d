"""Lowers rules: each becomes one procedure, and what sets it off is wired to the parts of a step."""

from __future__ import annotations

from collections.abc import Callable
from dataclasses import dataclass, replace

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula, FormulaError, parse_formula
from mint_ledger.game.cast import Member
from mint_ledger.game.choice import OneOf
from mint_ledger.game.rule import Rule, When
from mint_ledger.lowering import contact
from mint_ledger.lowering.chance import happens
from mint_ledger.lowering.chance_keys import chance_amount
from mint_ledger.lowering.choice import emit_one_of
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.do import emit_do
from mint_ledger.lowering.formulas import amount, condition, lower_formula
from mint_ledger.lowering.handles import APPEARED, GONE, acted_event, cue_event, hit_event, level_event, missed_event
from mint_ledger.lowering.luck import Luck
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope, Typed
from mint_ledger.lowering.sites import RuleSite, names_of
from mint_ledger.lowering.timer import MOST_IN_A_STEP, Timer, add_timer, guard_number, guard_period
from mint_ledger.program.building import BlockBuilder, add, compare, const, div, higher_of, mul, no, sub
from mint_ledger.program.expressions import ONE, ZERO, And, At, Due, Expr, Local, Ranges, Time, Unary, inside
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.program import OrderLine
from mint_ledger.program.state import Column
from mint_ledger.program.statements import Call, If, Leave, Note, Raise, Set, Settle

SELF, OTHER, ACTOR = Local(0), Local(1), Local(2)
VALUES: tuple[Expr, ...] = tuple(Local(3 + index) for index in range(8))
PARAMETERS = 11
NEVER = -1e18
Members = tuple[Member, ...]


def rule_count(path: Path) -> Handle:
    """The column that counts how often the rule at a path was carried out."""
    return Handle("rule count", path)


def rule_procedure(path: Path) -> Handle:
    """The procedure of the rule at a path: for self, other, who did it, and the values of a cue or a hit."""
    return Handle("rule", path)


@dataclass
class RuleLowering:
    """One rule: where it stands, for whom it holds (none: for the game), and whose luck its draws are."""

    lowering: Lowering
    rule: Rule
    path: Path
    holders: Members
    under_kind: bool
    title: str
    luck: Luck

    @property
    def procedure(self) -> Handle:
        """Its procedure."""
        return rule_procedure(self.path)

    def lower(self) -> None:
        """Make the rule's procedure and wire its triggers."""
        lowering = self.lowering
        if not self.rule.name:
            # What it is called has its trigger in it, numbers and all.
            lowering.looked_at((*self.path, "when"))
        b = BlockBuilder(PARAMETERS)
        cause = const(lowering.cause("rule", self.title, self.path))
        try:
            scope = self._scope(b)
        except Problem as problem:
            lowering.fault(self.path, str(problem))
            return
        lowering.sites.rules[self.path] = self._site()
        scope = self._emit_guards(b, scope)
        if lowering.counts_rules:
            times = lowering.layout.column(rule_count(self.path), "measure")
            b.emit(Set(times, ZERO, add(At(times, ZERO), ONE)))
        emit_do(scope.at("do"), self.rule.do, cause)
        b.emit(Settle(cause, ACTOR))
        lowering.procedure(b.procedure(self.procedure))
        for index, when in enumerate(self.rule.when):
            path = (*self.path, "when") if len(self.rule.when) == 1 else (*self.path, "when", index)
            try:
                self._wire(when, path, index)
            except Problem as problem:
                lowering.fault(path, str(problem))

    def _site(self) -> RuleSite:
        rule = self.rule
        named = [(when.key, getattr(when, "while_" if when.key == "while" else when.key)) for when in rule.when]
        return RuleSite(
            self.path,
            self.title,
            names_of(self.holders) if self.under_kind else (),
            tuple((key, str(item)) for key, items in named for item in _listed(items)),
            spaced=any(guard is not None for guard in (rule.cooldown, rule.at_most, rule.chance)),
            cools_down=rule.cooldown is not None,
            comes_once=rule.at_most is not None,
            lets=tuple((name, value) for name, value in (rule.let or {}).items() if isinstance(value, Formula)),
        )

    # What the rule sees

    def _scope(self, b: BlockBuilder) -> Scope:
        keys = {when.key for when in self.rule.when}
        self_ref = EntityRef(SELF, self.holders) if self.under_kind else self._top_self(keys)
        cue: dict[str, Expr] | None = None
        hit: dict[str, Expr] | None = None
        if keys == {"cue"}:
            names = {name for when in self.rule.when for name in when.cue or []}
            shared = [self.lowering.cue_values.get(name, []) for name in names]
            same = shared[0] if shared and all(s == shared[0] for s in shared) else []
            # More than there is room for is a fault of whoever gives the cue.
            cue = {name: VALUES[min(index, len(VALUES) - 1)] for index, name in enumerate(same)}
        if keys and keys <= {"hit", "struck"}:
            hit = {"damage": VALUES[0], "crit": VALUES[1]}
        return Scope(
            self.lowering,
            b,
            self.path,
            self_=self_ref,
            other=self._other(keys),
            cue=cue,
            hit=hit,
            luck=self.luck,
        )

    def _top_self(self, keys: set[str]) -> EntityRef | None:
        members: list[Member] = []
        for when in self.rule.when:
            if when.meet:
                members += self._kinds(when.meet[:1], "meet")
            elif when.hit or when.missed or when.struck:
                for attack in self._attacks(when):
                    members += self.lowering.cast.families(self.lowering.game.attacks[attack].from_)
            elif when.gone and when.gone != ["self"]:
                members += self._kinds(when.gone, "gone")
            elif when.appears and when.appears != ["self"]:
                members += self._kinds(when.appears, "appears")
            elif when.act:
                for name in when.act:
                    if name in self.lowering.game.actions:
                        members += self._kinds(self.lowering.game.actions[name].by, "act")
            else:
                return None
        return EntityRef(SELF, _unique(members))

    def _other(self, keys: set[str]) -> EntityRef | None:
        members: list[Member] = []
        for when in self.rule.when:
            if when.meets or when.in_contact:
                members += self._kinds(when.meets or when.in_contact or [], when.key)
            elif when.meet:
                members += self._kinds(when.meet[1:], "meet")
            elif when.key in ("hit", "missed", "struck"):
                for attack in self._attacks(when):
                    model = self.lowering.game.attacks[attack]
                    names = model.from_ if when.key == "struck" and self.under_kind else model.to
                    members += self.lowering.cast.families(names)
            elif when.gone:
                members += self._doers(when)
            elif when.act and all(self._targets_of(name) for name in when.act):
                members += [member for name in when.act for member in self._targets_of(name)]
            elif when.appears and when.appears != ["self"] and self.under_kind:
                members += self._kinds(when.appears, "appears")
            else:
                return None
        unique = _unique(members)
        return EntityRef(OTHER, unique) if unique else None

    def _targets_of(self, action: str) -> tuple[Member, ...]:
        """Return to whom an action may be done; nobody where it is done to nobody."""
        model = self.lowering.game.actions.get(action)
        if model is None or model.to is None:
            return ()
        names = [name for name in model.to if name != "self"] + (model.by if "self" in model.to else [])
        return tuple(self.lowering.cast.families([name for name in names if name in self.lowering.cast.members]))

    def _doers(self, when: When) -> list[Member]:
        """Return who can have made somebody go: those who can strike it; else anyone."""
        victims = self.holders if when.gone == ["self"] else tuple(self._kinds(when.gone or [], "gone"))
        strikers = [m for victim in victims for m in self.lowering.strikers_of(victim.name)]
        return strikers or [m for m in self.lowering.cast.members.values() if m.room]

    def _kinds(self, names: list[str], key: str) -> list[Member]:
        members: list[Member] = []
        for name in names:
            if name not in self.lowering.cast.members:
                raise Problem(f"{key}: unknown kind '{name}'{nearest(name, self.lowering.cast.members)}")
            members += self.lowering.cast.family(name)
        return members

    def _attacks(self, when: When) -> list[str]:
        names = when.hit or when.missed or when.struck or []
        attacks = self.lowering.game.attacks
        if names == ["any"]:
            if not attacks:
                raise Problem("the game has no attacks")
            chosen = list(attacks)
        else:
            for name in names:
                if name not in attacks:
                    raise Problem(f"unknown attack '{name}'{nearest(name, attacks)}")
            chosen = list(names)
        return [name for name in chosen if self._concerns(name, when)]

    def _concerns(self, attack: str, when: When) -> bool:
        """Under a kind `any` means the attacks that its entities have, or are struck by."""
        if not self.under_kind:
            return True
        model = self.lowering.game.attacks[attack]
        side = model.to if when.struck else model.from_
        return bool(set(self.holders) & set(self.lowering.cast.families(side)))

    # Its guards

    def _emit_guards(self, b: BlockBuilder, scope: Scope) -> Scope:
        rule, who = self.rule, SELF if self.under_kind else ZERO
        if rule.at_most is not None:
            fired = self._column("fired", "counter")
            b.leave_unless(compare("<", At(fired, who), amount(scope, rule.at_most, "at_most")))
        if rule.cooldown is not None:
            last = self._column("last fired", "time", NEVER)
            b.leave_unless(Due(add(At(last, who), amount(scope, rule.cooldown, "cooldown"))))
        for name, formula in (rule.let or {}).items():
            scope = self._emit_let(b, scope, name, formula)
        if rule.if_ is not None:
            b.leave_unless(b.let(condition(scope, rule.if_, "if")))
        if rule.chance is not None:
            probability = chance_amount(scope, rule.chance, "chance")
            b.leave_unless(happens(replace(scope, luck=self.luck.of("chance")), probability))
        if rule.at_most is not None:
            b.emit(Set(fired, who, add(At(fired, who), ONE)))
        if rule.cooldown is not None:
            b.emit(Set(last, who, Time()))
        return scope

    def _emit_let(self, b: BlockBuilder, scope: Scope, name: str, formula: Formula | OneOf) -> Scope:
        inner = scope.at("let", name)
        try:
            if not name.isidentifier():
                raise Problem(f"'{name}' is no name; a name has letters, digits and _ only")
            if isinstance(formula, OneOf):
                # Nobody to choose: the rule does nothing, so nothing ever reads a stat of nobody.
                chosen = emit_one_of(inner, formula)
                b.leave_unless(compare(">=", chosen.entity, ZERO))
                typed = Typed(chosen.entity, "entity", members=chosen.members)
            else:
                typed = lower_formula(inner, formula)
        except Problem as problem:
            self.lowering.fault(inner.path, str(problem))
            return scope
        value = b.let(typed.expr)
        return replace(scope, lets={**scope.lets, name: replace(typed, expr=value)})

    def _column(self, what: str, role: str, opening: float = 0.0):  # type: ignore[no-untyped-def]
        handle = Handle(f"rule {what}", self.path)
        if not self.under_kind:
            return self.lowering.layout.column(handle, role, opening=opening)  # type: ignore[arg-type]
        column = self.lowering.entity_column(handle, self.holders, role, opening)
        ranges = ranges_of(self.holders)
        if ranges:
            self.lowering.on_appear.append((self.path, ranges, lambda b, who: b.emit(Set(column, who, const(opening)))))
        return column

    # What sets it off

    def _call(self, who: Expr, other: Expr, actor: Expr, values: tuple[Expr, ...] = ()) -> Call:
        padded = (*values, *([ZERO] * (8 - len(values))))
        return Call(self.procedure, (who, other, actor, *padded))

    def _order(self, part: str, text: str) -> None:
        owner = ", ".join(m.name for m in self.holders if m.room)
        what = f"{owner}: {self.title}" if self.under_kind else self.title
        self.lowering.order.append(OrderLine(part, f"{what} ({text})", self.path))

    def _wire(self, when: When, path: Path, index: int) -> None:
        wire = {
            "start": self._wire_start,
            "every": self._wire_every,
            "of": self._wire_threshold,
            "while": self._wire_while,
            "becomes": self._wire_becomes,
            "enters": self._wire_bands,
            "leaves": self._wire_bands,
            "meets": self._wire_meets,
            "meet": self._wire_meets,
            "in_contact": self._wire_in_contact,
            "hit": self._wire_hits,
            "missed": self._wire_hits,
            "struck": self._wire_hits,
            "gone": self._wire_gone,
            "appears": self._wire_appears,
            "cue": self._wire_cue,
            "act": self._wire_act,
            "level": self._wire_level,
        }[when.key]
        wire(when, path, index)

    def _wire_start(self, _: When, path: Path, index: int) -> None:
        self._order("0 start", "start")
        self.lowering.wiring.starts.append(lambda b: self._for_each(b, lambda who: b.emit(self._call(who, ZERO, who))))

    def _for_each(self, b: BlockBuilder, emit) -> None:  # type: ignore[no-untyped-def]
        if not self.under_kind:
            emit(ZERO)
            return
        with b.each(ranges_of(self.holders)) as who:
            emit(who)

    def _wire_every(self, when: When, path: Path, index: int) -> None:
        assert when.every is not None
        self._order("5 attacks and rules", f"every {when.every}")
        luck = self._timer_luck(index)
        timer = Timer(self.lowering, luck, path, when.every, when.first, self.holders if self.under_kind else ())
        if self.under_kind and not ranges_of(self.holders):
            return
        add_timer(timer, lambda b, who: b.emit(self._call(who, ZERO, who)))

    def _counter(self, handle: Handle) -> Column:
        """Return a count for each who has the rule, or one for the game."""
        if self.under_kind:
            return self.lowering.entity_column(handle, self.holders, "counter")
        return self.lowering.layout.column(handle, "counter")

    def _wire_threshold(self, when: When, path: Path, index: int) -> None:
        """Fire once for each multiple that a value reaches for the first time; a lower value takes none back."""
        assert when.every is not None and when.of is not None
        lowering, every, first, of = self.lowering, when.every, when.first, when.of
        self._order("reactions: conditions", f"every {every} of {of}")
        reached = self._counter(Handle("reached", path))
        event = lowering.event(Handle("reaches", path), "condition")
        place = lowering.formula_place(every, (*path, "every"))

        def values(b: BlockBuilder, who: Expr) -> tuple[Expr, Expr, Expr]:
            scope = self._watch_scope(b, who, path)
            step = b.let(amount(scope, every, "every"))
            guard_period(b, step, place)
            begins = b.let(amount(scope, first, "first")) if first is not None else step
            return b.let(amount(scope, of, "of")), begins, step

        def is_reached(value: Expr, begins: Expr, step: Expr, who: Expr) -> Expr:
            return compare(">=", value, add(begins, mul(At(reached, who), step)))

        def count_on(b: BlockBuilder, who: Expr) -> None:
            b.emit(Set(reached, who, add(At(reached, who), ONE)))

        def watch(b: BlockBuilder) -> None:
            def emit(who: Expr) -> None:
                value, begins, step = values(b, who)
                with b.repeat(const(MOST_IN_A_STEP + 1)) as so_far:
                    b.emit(If(is_reached(value, begins, step, who), (), (Leave("each"),)))
                    guard_number(b, so_far, step, place)
                    count_on(b, who)
                    b.emit(Raise(event, who, Local(0)))

            self._for_each(b, emit)

        def take(b: BlockBuilder, who: Expr) -> None:
            # What it starts with counts as reached before. Rounding may leave the quotient one too low.
            value, begins, step = values(b, who)
            passed = add(Unary("floor", div(sub(value, begins), step)), ONE)
            b.emit(Set(reached, who, higher_of(passed, ZERO)))
            with b.when(is_reached(value, begins, step, who)):
                count_on(b, who)

        self._wire_watched(watch, take, event)

    def _timer_luck(self, index: int) -> Luck:
        """The luck of how long the rule waits."""
        if not self.rule.name:
            return Luck(self.path, (*self.luck.words, f"{index} every"), (index, "every"))
        words = " ".join(word for word in self.luck.words if not word.startswith("#"))
        repeated = tuple(word for word in self.luck.words if word.startswith("#"))
        return Luck(self.path, (*repeated, f"{words} {index} every"), (index, "every"))

    def _watch_scope(self, b: BlockBuilder, who: Expr, path: Path) -> Scope:
        ref = EntityRef(who, self.holders) if self.under_kind else None
        return Scope(self.lowering, b, path, self_=ref, no_chance="a watched condition", watched=True)

    def _wire_while(self, when: When, path: Path, index: int) -> None:
        for number, test in enumerate(when.while_ or []):
            inner = _item_path((*path, "while"), number, len(when.while_ or []))
            self._order("5 attacks and rules", f"while {test}")

            def poll(b: BlockBuilder, test: Formula = test, inner: Path = inner) -> None:
                def emit(who: Expr) -> None:
                    scope = replace(self._watch_scope(b, who, inner), watched=False)
                    with b.when(condition(scope, test)):
                        b.emit(self._call(who, ZERO, who))

                self._for_each(b, emit)

            self.lowering.wiring.polled.append((self.path, poll))

    def _wire_becomes(self, when: When, path: Path, index: int) -> None:
        for number, test in enumerate(when.becomes or []):
            inner = _item_path((*path, "becomes"), number, len(when.becomes or []))
            self._order("reactions: conditions", f"becomes {test}")
            self._watch(test, inner)

    def _wire_bands(self, when: When, path: Path, index: int) -> None:
        names = when.enters or when.leaves or []
        for number, text in enumerate(names):
            inner = _item_path((*path, when.key), number, len(names))
            stat, _, band = text.rpartition(" ")
            if not stat.strip() or not band:
                raise Problem(f"{when.key} wants a stat and a band, like '{when.key}: keeper.standing honoured'")
            operator = "==" if when.enters else "!="
            try:
                test = parse_formula(f"{stat.strip()}.band {operator} '{band}'")
            except FormulaError as error:
                raise Problem(str(error)) from None
            self._order("reactions: conditions", f"{when.key} {text}")
            self._watch(test, inner)

    def _watch(self, test: Formula, path: Path) -> None:
        """Fire as a condition turns true; the edge is marked before."""
        lowering = self.lowering
        edge = self._counter(Handle("edge", path))
        event = lowering.event(Handle("becomes", path), "condition")

        def watch(b: BlockBuilder) -> None:
            def emit(who: Expr) -> None:
                now = b.let(condition(self._watch_scope(b, who, path), test))
                with b.when(compare("!=", now, At(edge, who))):
                    b.emit(Set(edge, who, now))
                    with b.when(now):
                        b.emit(Raise(event, who, Local(0)))

            self._for_each(b, emit)

        def take(b: BlockBuilder, who: Expr) -> None:
            b.emit(Set(edge, who, condition(self._watch_scope(b, who, path), test)))

        self._wire_watched(watch, take, event)

    def _wire_watched(
        self, watch: Callable[[BlockBuilder], None], take: Callable[[BlockBuilder, Expr], None], event: int
    ) -> None:
        """Wire what is watched after each posting: `watch` raises the event, `take` is its state at the start."""
        lowering = self.lowering

        def react(b: BlockBuilder, who: Expr, actor: Expr, _: tuple[Expr, ...]) -> None:
            if self.under_kind:
                self._call_unless_gone(b, who, ZERO, actor, ())
            else:
                b.emit(self._call(ZERO, ZERO, actor))

        if self.under_kind and not ranges_of(self.holders):
            take(BlockBuilder(1), Local(0))
            return
        lowering.wiring.watched.append(watch)
        lowering.wiring.on_event(event, react)
        if self.under_kind:
            lowering.on_appear.append((self.path, ranges_of(self.holders), take))
        else:
            lowering.on_opening.append(lambda b: take(b, ZERO))

    def _wire_meets(self, when: When, path: Path, index: int) -> None:
        ones = self._kinds(when.meet[:1], "meet") if when.meet else list(self.holders)
        others = self._kinds(when.meet[1:] if when.meet else when.meets or [], when.key)
        if when.meets is not None and not self.under_kind:
            raise Problem("'meets' belongs to a rule under a kind; here write {meet: [one, other]}")
        self._order("4 contact", f"meets {', '.join(when.meets or when.meet or [])}")
        contact.on_touch(self.lowering, ones, others, self._fire_pair)

    def _fire_pair(self, b: BlockBuilder, who: Expr, whom: Expr) -> None:
        both = And((self.lowering.present(who), self.lowering.present(whom)))
        with b.when(both):
            b.emit(self._call(who, whom, who))

    def _wire_in_contact(self, when: When, path: Path, index: int) -> None:
        if not self.under_kind:
            raise Problem("'in_contact' belongs to a rule under a kind")
        others = self._kinds(when.in_contact or [], "in_contact")
        self._order("5 attacks and rules", f"in contact with {', '.join(when.in_contact or [])}")
        holders = list(self.holders)
        contact.emit_while_touching(self.lowering, BlockBuilder(), holders, others, self._fire_pair)
        self.lowering.wiring.polled.append(
            (self.path, lambda b: contact.emit_while_touching(self.lowering, b, holders, others, self._fire_pair))
        )

    def _wire_hits(self, when: When, path: Path, index: int) -> None:
        attacks = self._attacks(when)
        if not attacks:
            side = "is struck by" if when.struck else "has"
            raise Problem(f"{', '.join(m.name for m in self.holders)} {side} no such attack, so this never happens")
        event_of = missed_event if when.missed else hit_event
        self._order("reactions: hits", f"{when.key} {', '.join(when.hit or when.missed or when.struck or [])}")
        turned = when.key == "struck" and self.under_kind
        holders = ranges_of(self.holders)
        for attack in attacks:
            event = self.lowering.event(event_of(attack), "hit")

            def handle(b: BlockBuilder, striker: Expr, target: Expr, values: tuple[Expr, ...]) -> None:
                who, whom = (target, striker) if turned else (striker, target)
                test = inside(who, holders) if self.under_kind else ONE
                with b.when(test):
                    self._call_unless_gone(b, who, whom, striker, values)

            self.lowering.wiring.on_event(event, handle)

    def _call_unless_gone(self, b: BlockBuilder, who: Expr, whom: Expr, actor: Expr, values: tuple[Expr, ...]) -> None:
        """A reaction whose self or other has left is dropped, with a row."""
        lowering = self.lowering
        cause = const(lowering.cause("rule", self.title, self.path))
        gone = no(And((lowering.present(who), lowering.present(whom))))
        with b.when(gone):
            b.emit(Note("dropped", who, whom, cause))
        with b.when(no(gone)):
            b.emit(self._call(who, whom, actor, values))

    def _wire_gone(self, when: When, path: Path, index: int) -> None:
        if when.gone == ["self"]:
            if not self.under_kind:
                raise Problem("'gone' alone belongs to a rule under a kind; here write {gone: kind}")
            victims = list(self.holders)
        else:
            victims = self._kinds(when.gone or [], "gone")
        self._order("reactions: gone", f"gone {'' if when.gone == ['self'] else ', '.join(when.gone or [])}".strip())
        mine = when.gone == ["self"] or not self.under_kind
        event = self.lowering.event(GONE, "gone")
        ranges = ranges_of(victims)

        def handle(b: BlockBuilder, gone: Expr, doer: Expr, _: tuple[Expr, ...]) -> None:
            with b.when(inside(gone, ranges)):
                if mine:
                    b.emit(self._call(gone, doer, doer))
                else:
                    with b.each(ranges_of(self.holders)) as who:
                        b.emit(self._call(who, gone, doer))

        self.lowering.wiring.on_event(event, handle)

    def _wire_appears(self, when: When, path: Path, index: int) -> None:
        own = when.appears == ["self"]
        if own and not self.under_kind:
            raise Problem("'appears' alone belongs to a rule under a kind; here write {appears: kind}")
        members = list(self.holders) if own else self._kinds(when.appears or [], "appears")
        self._order("reactions: hits", f"appears {'' if own else ', '.join(when.appears or [])}".strip())
        ranges = ranges_of(members)

        def handle(b: BlockBuilder, who: Expr, _: Expr, __: tuple[Expr, ...]) -> None:
            with b.when(inside(who, ranges)):
                if own or not self.under_kind:
                    self._call_unless_gone(b, who, ZERO, who, ())
                else:
                    with b.each(ranges_of(self.holders)) as holder:
                        self._call_unless_gone(b, holder, who, who, ())

        self.lowering.wiring.on_event(self.lowering.event(APPEARED, "hit"), handle)

    def _wire_cue(self, when: When, path: Path, index: int) -> None:
        for name in when.cue or []:
            event = self.lowering.event(cue_event(name), "cue")
            self._order("reactions: cues", f"cue {name}")

            def handle(b: BlockBuilder, giver: Expr, _: Expr, values: tuple[Expr, ...]) -> None:
                self._for_each(b, lambda who: b.emit(self._call(who, giver, giver, values)))

            self.lowering.wiring.on_event(event, handle)

    def _wire_act(self, when: When, path: Path, index: int) -> None:
        actions = self.lowering.game.actions
        for name in when.act or []:
            if name not in actions:
                raise Problem(f"unknown action '{name}'{nearest(name, actions)}")
            event = self.lowering.event(acted_event(name), "hit")
            self._order("reactions: hits", f"after {name}")
            holders = ranges_of(self.holders)

            def handle(
                b: BlockBuilder, who: Expr, target: Expr, __: tuple[Expr, ...], holders: Ranges = holders
            ) -> None:
                with b.when(inside(who, holders) if self.under_kind else ONE):
                    self._call_unless_gone(b, who, target, who, ())

            self.lowering.wiring.on_event(event, handle)

    def _wire_level(self, when: When, path: Path, index: int) -> None:
        levels = self.lowering.game.levels
        for name in when.level or []:
            if name not in levels:
                raise Problem(f"unknown level '{name}'{nearest(name, levels)}")
            event = self.lowering.event(level_event(name), "cue")
            self._order("0 start", f"as the level {name} opens")

            def handle(b: BlockBuilder, _: Expr, __: Expr, ___: tuple[Expr, ...]) -> None:
                self._for_each(b, lambda who: b.emit(self._call(who, ZERO, who)))

            self.lowering.wiring.on_event(event, handle)


def _listed(items: object) -> list[object]:
    return list(items) if isinstance(items, (list, tuple)) else [items]


def _item_path(path: Path, number: int, count: int) -> Path:
    return path if count == 1 else (*path, number)


def _unique(members: list[Member]) -> Members:
    return tuple({member.name: member for member in members if member.room}.values())
