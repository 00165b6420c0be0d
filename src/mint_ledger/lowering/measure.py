"""Lowers measures: what is taken from each run, and conditions that have to be watched for it."""

from __future__ import annotations

import ast
import re
from collections.abc import Iterable, Mapping
from dataclasses import dataclass, field
from typing import Literal

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula, FormulaError
from mint_ledger.formula.syntax import CALLS, MEASURE_CALLS, parse_expression, written
from mint_ledger.game.stat import Stat
from mint_ledger.lowering import posting, reading
from mint_ledger.lowering.action import ActionLowering, busy_code, busy_column, busy_until
from mint_ledger.lowering.attack import AttackLowering
from mint_ledger.lowering.columns import account_column, ending_column, level_column
from mint_ledger.lowering.context import Lowering, ranges_of
from mint_ledger.lowering.formulas import COMPARISONS, check_type, condition, entity_text, lower_formula
from mint_ledger.lowering.named_formula import open_call
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import Scope
from mint_ledger.program import parts
from mint_ledger.program.building import BlockBuilder, add, choose, compare, const, higher_of, mul, no, sub
from mint_ledger.program.expressions import ONE, ZERO, And, At, Constant, Expr, Local, Or, Read, Step
from mint_ledger.program.handle import Handle, Path
from mint_ledger.program.row import WHATS
from mint_ledger.program.state import Column
from mint_ledger.program.statements import If, Let, Set

Sort = Literal[
    "closing",
    "lowest",
    "highest",
    "total",
    "waste",
    "changes",
    "rows",
    "held",
    "summed",
    "first",
    "time",
    "level",
    "kept",
    "stretch",
    "ended",
]
ROW_CALLS = {"hits": "hit", "misses": "miss", "dodges": "dodge", "blocks": "blocked"}
ACCOUNT_CALLS = ("closing", "lowest", "highest")
OPERATORS: dict[type[ast.AST], str] = {
    ast.Add: "+",
    ast.Sub: "-",
    ast.Mult: "*",
    ast.Div: "/",
    **{node: sign for node, sign in COMPARISONS.items()},  # noqa: C416
}
OFFERS = ("times", "held", "could", "taken")
_HELD = ("total", "holds", "since")
MEASURES = (*CALLS, *MEASURE_CALLS)
# Measures are no formulas of the program; their calls of the file's own formulas are counted by this number.
MEASURED = -2


@dataclass(frozen=True, slots=True)
class Reading:
    """A number taken from each run.

    `slot` is an account's slot, or that of a watched condition's numbers; `causes` are those that are counted (none:
    all), or the endings that count; `what` is a sort of row.
    """

    sort: Sort
    slot: int = -1
    causes: tuple[int, ...] = ()
    what: int = -1


@dataclass(frozen=True, slots=True)
class Calculation:
    """What a measure works out of readings and other numbers: an operator and what it works with."""

    operator: str
    parts: tuple[Value, ...]


Value = float | Reading | Calculation


@dataclass(frozen=True, slots=True)
class Measure:
    """A measure of the game file or of a study."""

    name: str
    text: str
    value: Value


@dataclass
class _Measures:
    """Lowers the measures of a game one after another; later ones may use earlier ones by name."""

    lowering: Lowering
    builder: BlockBuilder = field(default_factory=BlockBuilder)
    known: dict[str, Measure] = field(default_factory=dict)
    watched: dict[Path, Reading] = field(default_factory=dict)
    # What was handed to the file's own formula that is being written out.
    handed: dict[str, Value] | None = None

    def lower(self, name: str, text: str, path: Path) -> None:
        scope = Scope(self.lowering, self.builder, path, no_chance="a measure")
        self.lowering.named_calls[MEASURED] = 0
        try:
            value = self._value(scope, parse_expression(text, (*MEASURES, *self.lowering.game.formulas)))
        except (Problem, FormulaError) as problem:
            self.lowering.fault(path, str(problem))
            return
        self.known[name] = Measure(name, text, value)

    def _value(self, scope: Scope, node: ast.expr) -> Value:
        match node:
            case ast.Constant(value=bool() | float() as number):
                return float(number)
            case ast.Name(id=name):
                return self._named(scope, name)
            case ast.BinOp(op=operator) if type(operator) in OPERATORS:
                parts = (self._value(scope, node.left), self._value(scope, node.right))
                return Calculation(OPERATORS[type(operator)], parts)
            case ast.UnaryOp(op=ast.USub(), operand=operand):
                return Calculation("-", (0.0, self._value(scope, operand)))
            case ast.Compare(left=left, ops=[operator], comparators=[right]):
                parts = self._words(scope, node) or (self._value(scope, left), self._value(scope, right))
                return Calculation(OPERATORS[type(operator)], parts)
            case ast.IfExp(test=test, body=body, orelse=other):
                return Calculation("if", tuple(self._value(scope, part) for part in (test, body, other)))
            case ast.Call(func=ast.Name(id=("min" | "max" | "abs") as name), args=arguments):
                return Calculation(name, tuple(self._value(scope, argument) for argument in arguments))
            case ast.Call(func=ast.Name(id=name), args=arguments) if name in self.lowering.game.formulas:
                return self._named_formula(scope, name, arguments)
            case ast.Call(func=ast.Name(id=name), args=arguments) if name in MEASURE_CALLS:
                return self._reading(scope, name, arguments)
        raise Problem(
            f"'{written(node)}' is no measure of a run; measures are made of time, level, "
            f"{', '.join(MEASURE_CALLS)} and arithmetic"
        )

    def _named_formula(self, scope: Scope, name: str, arguments: list[ast.expr]) -> Value:
        """One of the file's own formulas, of values that are measured."""
        named = open_call(self.lowering, MEASURED, name, len(arguments))
        values = [self._value(scope, argument) for argument in arguments]
        outside, self.handed = self.handed, dict(zip(named.of, values, strict=True))
        try:
            return self._value(scope, named.is_.tree)
        except Problem as problem:
            told = not str(problem) or str(problem).startswith("in '")
            raise Problem(str(problem) if told else f"in '{name}': {problem}") from None
        finally:
            self.handed = outside

    def _words(self, scope: Scope, node: ast.Compare) -> tuple[Value, Value] | None:
        """Both sides of a comparison in which `closing` of a word stands; none if there is none."""
        sides = (node.left, node.comparators[0])
        words = [self._words_of(scope, side) for side in sides]
        known = words[0] or words[1]
        if known is None:
            return None
        if not isinstance(node.ops[0], ast.Eq | ast.NotEq):
            raise Problem(f"'{written(node)}': words are the same or not; compare them with == or !=")
        values: list[Value] = []
        for side, own in zip(sides, words, strict=True):
            if own is not None and isinstance(side, ast.Call):
                formula = self._formula_of(scope, side.args[0])
                if formula is not None:
                    values.append(self._worked_out(scope, "closing", side.args[0], formula))
                else:
                    values.append(Reading("closing", self._slot(scope, side.args[0])))
                continue
            word = _text(side) if isinstance(side, ast.Name) or isinstance(getattr(side, "value", 0), str) else ""
            if word not in known:
                word = word or written(side)
                raise Problem(f"'{word}' is not one of {', '.join(known)}{nearest(word, known)}")
            values.append(float(self.lowering.word(word)))
        return values[0], values[1]

    def _words_of(self, scope: Scope, node: ast.expr) -> tuple[str, ...] | None:
        """Return what `closing` of a word may be; none of anything else."""
        match node:
            case ast.Call(func=ast.Name(id="closing"), args=[account]):
                stat = self._formula_of(scope, account) or self._stat(scope, account)
                return tuple(stat.one_of or ()) if stat.value_type == "word" else None
        return None

    def _stat(self, scope: Scope, node: ast.expr) -> Stat:
        ref, name = posting.target(scope, node)
        return posting.account_owners(scope, ref, name)[0][1]

    def _named(self, scope: Scope, name: str) -> Value:
        if self.handed is not None:
            if name in self.handed:
                return self.handed[name]
            if name in self.lowering.game.numbers:
                return self._dial(scope, name)
            raise Problem(f"a formula that measures a run reads what is handed to it and numbers, and not '{name}'")
        if name == "time":
            return Reading("time")
        if name == "level":
            if not self.lowering.game.levels:
                raise Problem("the game has no levels")
            return Reading("level", level_column(self.lowering).base)
        if name in self.known:
            return self.known[name].value
        if name in self.lowering.game.numbers:
            return self._dial(scope, name)
        raise Problem(
            f"unknown measure '{name}'{nearest(name, ['time', 'level', *self.known, *self.lowering.game.numbers])}"
        )

    def _dial(self, scope: Scope, name: str) -> Reading:
        """One of the file's numbers, as its dial stands."""
        key = ("number", name)
        if key not in self.watched:
            b = self.builder
            value = lower_formula(scope, Formula(name, ast.Name(name))).expr
            column = self.lowering.layout.column(Handle("measure number", (name,)), "measure")
            b.emit(Set(column, ZERO, value))
            self.watched[key] = Reading("kept", column.base)
        return self.watched[key]

    def _reading(self, scope: Scope, name: str, arguments: list[ast.expr]) -> Value:
        if name in ROW_CALLS:
            attack = _text(arguments[0])
            if attack not in self.lowering.game.attacks:
                raise Problem(f"unknown attack '{attack}'{nearest(attack, self.lowering.game.attacks)}")
            return Reading("rows", -1, self._causes(attack), WHATS.index(ROW_CALLS[name]))
        if name in ("time_while", "first_time"):
            return self._watch(scope, name, arguments[0])
        if name == "offers":
            return self._offers(*map(_text, arguments))
        if name == "in_reach":
            return self._in_reach(*map(_text, arguments))
        if name == "escapes":
            return self._escapes(scope, *arguments)
        if name == "lead_changes":
            return self._lead_changes(scope, *arguments)
        if name == "won_from":
            return self._won_from(scope, *arguments)
        if name == "idle":
            return self._idle(scope, arguments[0])
        if name == "count_of" and len(arguments) == 1 and not self._is_account(arguments[0]):
            cue = _text(arguments[0])
            sorts = {"cue": "cue", "level": "level", "branch": "lot"}
            by_sort = {
                c.sort: i
                for i, c in enumerate(self.lowering.causes)
                if c.name == cue and c.sort in sorts and (c.sort != "branch" or c.path[0] == "lots")
            }
            if not by_sort:
                raise Problem(
                    f"count_of('{cue}') wants an account, a cue, a level or a branch ('drop: blade'); for a rule "
                    "write count_of(account, rule)"
                )
            sort, cause = next(iter(by_sort.items()))
            return Reading("rows", -1, (cause,), WHATS.index(sorts[sort]))
        formula = self._formula_of(scope, arguments[0]) if name in ACCOUNT_CALLS else None
        if formula is not None:
            return self._worked_out(scope, name, arguments[0], formula)
        slot = self._slot(scope, arguments[0])
        if name != "count_of" and self._stat(scope, arguments[0]).value_type == "word":
            account = written(arguments[0])
            raise Problem(
                f"{account} is a word and has no {name} amount; write closing({account}) == 'WORD', "
                f"time_while({account} == 'WORD'), first_time({account} == 'WORD') or count_of({account})"
            )
        if name in ACCOUNT_CALLS:
            return Reading(name, slot)  # type: ignore[arg-type]
        causes = self._causes(_text(arguments[1])) if len(arguments) > 1 else ()
        sort_of = {"total": "total", "waste": "waste", "count_of": "changes"}
        return Reading(sort_of[name], slot, causes)  # type: ignore[arg-type]

    def _formula_of(self, scope: Scope, node: ast.expr) -> Stat | None:
        """The stat that a node names, if it is worked out by a formula."""
        ref, name = posting.target(scope, node)
        stats = [reading.stats_of(self.lowering, member).get(name) for member in ref.members or (None,)]
        found = next((stat for stat in stats if stat is not None), None)
        return found if found is not None and found.formula is not None else None

    def _worked_out(self, scope: Scope, name: str, node: ast.expr, stat: Stat) -> Reading:
        """What a stat that has a formula comes to at the end, at its lowest or highest: looked at after each step."""
        text = written(node)
        if stat.value_type == "word" and name != "closing":
            raise Problem(f"{text} is a word and has no {name} amount; write closing({text}) == 'WORD'")
        key = (name, text)
        if key not in self.watched:
            b = self.builder
            value: Expr = b.let(lower_formula(scope, Formula(text, node)).expr)
            column = self.lowering.layout.column(Handle(f"measure {name}", (text,)), "measure")
            if name != "closing":
                seen = self.lowering.layout.column(Handle(f"measure {name} seen", (text,)), "measure")
                beyond = compare("<" if name == "lowest" else ">", value, At(column, ZERO))
                value = choose(Or((no(At(seen, ZERO)), beyond)), value, At(column, ZERO))
                b.emit(Set(column, ZERO, value))
                b.emit(Set(seen, ZERO, ONE))
            else:
                b.emit(Set(column, ZERO, value))
            self.watched[key] = Reading("kept", column.base)
        return self.watched[key]

    def _is_account(self, node: ast.expr) -> bool:
        return isinstance(node, ast.Attribute) or (isinstance(node, ast.Name) and node.id in self.lowering.game.stats)

    def _slot(self, scope: Scope, node: ast.expr) -> int:
        ref, stat = posting.target(scope, node)
        account = self.lowering.accounts.get(stat)
        if account is None or not isinstance(ref.entity, Constant):
            raise Problem(f"'{written(node)}' is no account; where there are several copies name one, as crab[1]")
        entity = int(ref.entity.value)
        if account.spec(entity) is None:
            raise Problem(f"'{written(node)}' is no account")
        self.lowering.sites.show(scope.path, ref.members, stat)
        return account.column.offset + entity

    def _causes(self, name: str) -> tuple[int, ...]:
        # Those of a name under several owners are counted together.
        causes = tuple(i for i, cause in enumerate(self.lowering.causes) if cause.name == name)
        if not causes:
            known = [cause.name for cause in self.lowering.causes]
            raise Problem(f"nothing of the name '{name}' changes an account{nearest(name, known)}")
        return causes

    def _near_the_floor(self, scope: Scope, name: str, account: ast.expr, share: ast.expr) -> Expr:
        """Return whether an account stands within a share of its range of its lower limit."""
        if not isinstance(share, ast.Constant) or not isinstance(share.value, float) or not 0.0 < share.value < 1.0:
            raise Problem(f"{name} wants an account and a share between 0 and 1, like {name}(keeper.health, 0.2)")
        text = written(account)
        node = parse_expression(f"{text}.share <= {share.value!r}")
        return condition(scope, Formula(f"{text}.share <= {share.value:g}", node))

    def _kept(self, name: str, *texts: str, opening: float = 0.0) -> Column:
        return self.lowering.layout.column(Handle(f"measure {name}", texts), "measure", opening=opening)

    def _escapes(self, scope: Scope, account: ast.expr, share: ast.expr) -> Reading:
        """Return how often an account came near its lower limit, and away from it again."""
        key = ("escapes", written(account), written(share))
        if key not in self.watched:
            b = self.builder
            near = b.let(self._near_the_floor(scope, "escapes", account, share))
            was, count = self._kept("near", *key[1:]), self._kept("escapes", *key[1:])
            b.emit(If(And((At(was, ZERO), no(near))), (Set(count, ZERO, add(At(count, ZERO), ONE)),)))
            b.emit(Set(was, ZERO, near))
            self.watched[key] = Reading("kept", count.base)
        return self.watched[key]

    def _won_from(self, scope: Scope, account: ast.expr, share: ast.expr) -> Calculation:
        """Return whether the run was won after an account had been near its lower limit."""
        key = ("won_from", written(account), written(share))
        if key not in self.watched:
            b = self.builder
            near = b.let(self._near_the_floor(scope, "won_from", account, share))
            ever = self._kept("ever near", *key[1:])
            b.emit(If(near, (Set(ever, ZERO, ONE),)))
            self.watched[key] = Reading("kept", ever.base)
        wins = [n for n, (_, ending, _, _) in enumerate(self.lowering.list_endings()) if str(ending.result) == "win"]
        return Calculation("*", (self.watched[key], Reading("ended", ending_column(self.lowering).base, tuple(wins))))

    def _lead_changes(self, scope: Scope, one: ast.expr, other: ast.expr) -> Reading:
        """Return how often the greater of two values changed; while they are equal whoever led leads on."""
        key = ("lead_changes", written(one), written(other))
        if key not in self.watched:
            b = self.builder
            first, second = (b.let(self._number(scope, node)) for node in (one, other))
            leads, count = self._kept("leads", *key[1:]), self._kept("lead changes", *key[1:])
            behind = choose(compare("<", first, second), const(-1.0), At(leads, ZERO))
            now = b.let(choose(compare(">", first, second), ONE, behind))
            turned = And((compare("!=", At(leads, ZERO), ZERO), compare("!=", now, At(leads, ZERO))))
            b.emit(If(turned, (Set(count, ZERO, add(At(count, ZERO), ONE)),)))
            b.emit(Set(leads, ZERO, now))
            self.watched[key] = Reading("kept", count.base)
        return self.watched[key]

    def _in_reach(self, attack: str, kind: str = "") -> Reading:
        """Return how long those who have an attack had somebody to strike with it, all of them together."""
        lowering = self.lowering
        if attack not in lowering.game.attacks:
            raise Problem(f"unknown attack '{attack}'{nearest(attack, lowering.game.attacks)}")
        of = AttackLowering(lowering, attack, lowering.game.attacks[attack])
        strikers = tuple(m for m in of.strikers if m.room and kind in ("", m.name))
        if not strikers:
            known = [member.name for member in of.strikers if member.room]
            raise Problem(f"{kind or 'nobody'} does not strike with '{attack}'{nearest(kind, known)}")
        key = ("in_reach", attack, kind)
        if key not in self.watched:
            b = self.builder
            many = b.new_local()
            b.emit(Let(many, ZERO))
            alike = of.alike_in_reach(b, strikers)
            if alike is not None:
                b.emit(Let(many, alike))
            else:
                with b.each(ranges_of(strikers)) as who, b.when(of.in_reach(b, who)):
                    b.emit(Let(many, add(Local(many), ONE)))
            self.watched[key] = self._held(("in reach", attack, kind), Local(many))
        return self.watched[key]

    def _offers(self, name: str, what: str = "times") -> Reading:
        """How often an action was possible except for its cost; in how many of these it could be paid, and was done.

        `held` is the sum of what there was of the first stat that it costs, as each offer began.
        """
        lowering = self.lowering
        if name not in lowering.game.actions:
            raise Problem(f"unknown action '{name}'{nearest(name, lowering.game.actions)}")
        if what not in OFFERS:
            raise Problem(f"offers tells {', '.join(OFFERS)} of an action, not '{what}'{nearest(what, OFFERS)}")
        action = ActionLowering(lowering, name, lowering.game.actions[name])
        if not action.action.costs or not ranges_of(action.doers):
            raise Problem(f"'{name}' costs nothing, so nothing is offered")
        counts = {word: self._kept(f"offers {word}", name) for word in OFFERS}
        if ("offers", name) not in self.watched:
            self._watch_offers(action, counts)
            self.watched["offers", name] = Reading("kept", counts["times"].base)
        return Reading("kept", counts[what].base)

    def _watch_offers(self, action: ActionLowering, counts: Mapping[str, Column]) -> None:
        lowering, b = self.lowering, self.builder
        stat = next(iter(action.action.costs or {}))
        now = {
            what: lowering.entity_column(Handle(f"offer {what}", action.path), action.doers, "measure")
            for what in ("open", "could", "taken", "busy")
        }

        def count(b: BlockBuilder, word: str, much: Expr = ONE) -> None:
            b.emit(Set(counts[word], ZERO, add(At(counts[word], ZERO), much)))

        def begin(b: BlockBuilder, who: Expr, paid: Expr = ZERO) -> None:
            with b.when(no(At(now["open"], who))):
                count(b, "times")
                count(b, "held", add(Read(account_column(lowering, stat), who), paid))
                for what in ("could", "taken"):
                    b.emit(Set(now[what], who, ZERO))
                b.emit(Set(now["open"], who, ONE))

        def take(b: BlockBuilder, who: Expr) -> None:
            begin(b, who, action.price(b, who, stat))
            for what in ("could", "taken"):
                with b.when(no(At(now[what], who))):
                    count(b, what)
                    b.emit(Set(now[what], who, ONE))

        if action.action.lasts is None:
            # What takes no time is heard of as it is done.
            lowering.wiring.on_event(action.event, lambda b, who, other, values: take(b, who))
        with b.each(ranges_of(action.doers)) as who:
            if action.action.lasts is not None:
                code = const(busy_code(lowering, action.name))
                busy = compare("==", At(busy_column(lowering), who), code)
                # One may begin as another ends; until when it lasts tells them apart.
                until = b.let(choose(busy, At(busy_until(lowering), who), const(-1.0)))
                with b.when(And((compare(">=", until, ZERO), compare("!=", until, At(now["busy"], who))))):
                    take(b, who)
                b.emit(Set(now["busy"], who, until))
            hindrances = [no(test) for test, _ in action.hindrances(b, who)]
            open_ = b.let(And((lowering.present(who), *hindrances)))
            with b.when(open_):
                begin(b, who)
                enough = And(tuple(no(test) for test, _ in action.too_little(b, who)))
                with b.when(And((enough, no(At(now["could"], who))))):
                    count(b, "could")
                    b.emit(Set(now["could"], who, ONE))
            b.emit(Set(now["open"], who, open_))

    def _held(self, key: tuple[str, ...], value: Expr) -> Reading:
        """The sum over time of a number, as it stood at the end of each step."""
        b, layout = self.builder, self.lowering.layout
        total, held, since = (layout.column(Handle(f"measure {what}", key), "measure") for what in _HELD)
        more = add(At(total, ZERO), mul(sub(Step(), At(since, ZERO)), At(held, ZERO)))
        changed = (Set(total, ZERO, more), Set(since, ZERO, Step()), Set(held, ZERO, value))
        b.emit(If(no(compare("==", At(held, ZERO), value)), changed))
        return Reading("summed", total.base)

    def _number(self, scope: Scope, node: ast.expr) -> Expr:
        text = written(node)
        typed = lower_formula(scope, Formula(text, node))
        check_type(typed, "number", text)
        return typed.expr

    def _idle(self, scope: Scope, node: ast.expr) -> Reading:
        """The longest time in which somebody could begin none of its actions."""
        lowering, b = self.lowering, self.builder
        key = ("idle", written(node))
        if key in self.watched:
            return self.watched[key]
        ref = entity_text(scope, written(node))
        kinds = {member.name for member in ref.members}
        families = {name: {m.name for m in lowering.cast.families(a.by)} for name, a in lowering.game.actions.items()}
        actions = [name for name, able in families.items() if kinds & able]
        if not actions:
            raise Problem(f"{key[1]} has no actions, so idle() has no meaning for it")
        who = b.let(ref.entity)
        able = [b.let(lowering.ready(lowering, b, name, who)) for name in actions]
        none = b.let(And((lowering.present(who), *(no(test) for test in able))))
        longest, idle, since = (self._kept(f"idle {what}", key[1]) for what in ("longest", "now", "since"))
        lasted = b.let(sub(Step(), At(since, ZERO)))
        b.emit(If(And((At(idle, ZERO), no(none))), (Set(longest, ZERO, higher_of(At(longest, ZERO), lasted)),)))
        b.emit(If(And((none, no(At(idle, ZERO)))), (Set(since, ZERO, Step()),)))
        b.emit(Set(idle, ZERO, none))
        self.watched[key] = Reading("stretch", longest.base)
        return self.watched[key]

    def _watch(self, scope: Scope, name: str, node: ast.expr) -> Reading:
        """Watch a condition at the end of each step: how long it held, and when it held first."""
        text = (name, written(node))
        if text in self.watched:
            return self.watched[text]
        b, layout = self.builder, self.lowering.layout
        holds = b.let(condition(scope, Formula(written(node), node)))
        if name == "first_time":
            first = layout.column(Handle("measure first", text), "measure", opening=-1.0)
            unseen = compare("<", At(first, ZERO), ZERO)
            b.emit(If(And((unseen, holds)), (Set(first, ZERO, Step()),)))
            self.watched[text] = Reading("first", first.base)
            return self.watched[text]
        total = layout.column(Handle("measure total", text), "measure")
        held = layout.column(Handle("measure holds", text), "measure")
        since = layout.column(Handle("measure since", text), "measure")
        more = add(At(total, ZERO), sub(Step(), At(since, ZERO)))
        changed = (
            If(At(held, ZERO), (Set(total, ZERO, more),)),
            Set(since, ZERO, Step()),
            Set(held, ZERO, holds),
        )
        b.emit(If(no(compare("==", At(held, ZERO), holds)), changed))
        self.watched[text] = Reading("held", total.base)
        return self.watched[text]


def _text(node: ast.expr) -> str:
    if isinstance(node, ast.Name):
        return node.id
    if isinstance(node, ast.Constant) and isinstance(node.value, str):
        return node.value
    raise Problem(f"'{written(node)}' is no name; a name with spaces wants quotes")


def lower_measures(lowering: Lowering, more: Mapping[str, str]) -> tuple[Measure, ...]:
    """Lower the measures of the file and then more of them; makes the part of a step that watches conditions."""
    measures = _Measures(lowering)
    for name, text in lowering.game.measures.items():
        if not name.isidentifier() or name in ("time", "level"):
            like = re.sub(r"\W+", "_", name).strip("_") or "left"
            why = f"a name has letters, digits and _, like '{like}'"
            why = "it means something already" if name in ("time", "level") else why
            lowering.fault(("measures", name), f"'{name}' is no name for a measure; {why}")
        measures.lower(name, text, ("measures", name))
    for name, text in more.items():
        measures.lower(name, text, ("measures", name))
    lowering.procedure(measures.builder.procedure(parts.MEASURES))
    return tuple(measures.known.values())


def readings_of(values: Iterable[Value]) -> list[Reading]:
    """All readings that some measures need, each once, in the order of their first use."""
    readings: dict[Reading, None] = {}
    waiting = list(values)[::-1]
    while waiting:
        value = waiting.pop()
        if isinstance(value, Reading):
            readings[value] = None
        elif isinstance(value, Calculation):
            waiting += value.parts[::-1]
    return list(readings)
