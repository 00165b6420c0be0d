"""Lowers formulas: names are looked up, types are checked, what stands there becomes an expression."""

from __future__ import annotations

import ast
from collections.abc import Callable, Hashable
from dataclasses import replace

from mint_ledger.errors import nearest
from mint_ledger.formula import Formula, FormulaError
from mint_ledger.formula.syntax import CALLS, CHANCE_CALLS, COUNT_CALLS, parse_expression, shorten, written
from mint_ledger.formula.trade_words import call_hint, name_hint
from mint_ledger.game.dials import COORDINATES
from mint_ledger.lowering import chance, counts, entities, reading, space, table
from mint_ledger.lowering.columns import level_began_column
from mint_ledger.lowering.context import Lowering
from mint_ledger.lowering.named_formula import draws, lower_call, parts_in
from mint_ledger.lowering.problem import Problem
from mint_ledger.lowering.scope import EntityRef, Scope, Typed, ValueType
from mint_ledger.lowering.sharing import shared
from mint_ledger.lowering.sites import FormulaSite, Meant, Seen, StatOf, names_of
from mint_ledger.program.arithmetic import guarded_power
from mint_ledger.program.building import (
    add,
    compare,
    div,
    higher_of,
    lower_of,
    mul,
    neg,
    no,
    sub,
)
from mint_ledger.program.expressions import (
    ZERO,
    And,
    Apply,
    At,
    Checked,
    Choose,
    CompareOp,
    Constant,
    Dial,
    Expr,
    Local,
    Only,
    Or,
    Step,
    Time,
    Unary,
    UnaryOp,
)
from mint_ledger.program.statements import If, Let

COMPARISONS: dict[type[ast.cmpop], CompareOp] = {
    ast.Lt: "<",
    ast.LtE: "<=",
    ast.Gt: ">",
    ast.GtE: ">=",
    ast.Eq: "==",
    ast.NotEq: "!=",
}
TYPE_NAMES = {"number": "a number", "flag": "yes or no", "word": "a word", "entity": "an entity"}
KEYWORDS = ("and", "or", "not", "if", "else", "in", "is")
RESERVED = (
    "self",
    "other",
    "maker",
    "cue",
    "hit",
    "time",
    "level_time",
    "turn",
    "whose",
    "true",
    "false",
    "result",
    "ending",
    "winner",
)


def level_time(lowering: Lowering) -> Expr:
    """Seconds since the level began, or since the start where there are none."""
    if not lowering.game.levels:
        return Time()
    return sub(Time(), At(level_began_column(lowering), ZERO))


def amount(scope: Scope, formula: Formula, *more: str | int) -> Expr:
    """Lower a number or formula of the file that wants a number; a bare number is a dial."""
    return _field(scope, formula, more, "number")


def condition(scope: Scope, formula: Formula, *more: str | int) -> Expr:
    """Lower a condition."""
    return _field(scope, formula, more, "flag")


def _field(
    scope: Scope, formula: Formula, more: tuple[str | int, ...], want: ValueType, words: tuple[str, ...] = ()
) -> Expr:
    inner = scope.at(*more)
    if formula.number is not None and (want != "flag" or formula.is_flag):
        dial = scope.lowering.dial_index(inner.path)
        if want in ("number", "flag"):
            return Dial(dial) if dial is not None else Constant(formula.number)
    try:
        typed = lower_formula(inner, formula)
        check_type(typed, want, formula.text, words)
    except Problem as problem:
        scope.lowering.fault(inner.path, str(problem))
        return ZERO
    if want == "flag":
        scope.lowering.sites.condition(inner.path, formula.text)
    return typed.expr


def check_type(typed: Typed, want: ValueType, text: str, words: tuple[str, ...] = ()) -> None:
    """Refuse a value of the wrong sort.

    Raises:
        Problem: it is one.
    """
    if typed.type == "flag" and want == "number":
        return
    if typed.type != want:
        hint = "; write a comparison like 'x > 0'" if want == "flag" and typed.type == "number" else ""
        raise Problem(f"'{shorten(text)}' is {TYPE_NAMES[typed.type]}; {TYPE_NAMES[want]} is wanted here{hint}")
    for word in typed.words if want == "word" and words and len(typed.words) == 1 else ():
        if word not in words:
            raise Problem(f"'{word}' is not one of {', '.join(words)}{nearest(word, words)}")


def lower_formula(scope: Scope, formula: Formula) -> Typed:
    """Lower a formula of the file, checked at run time to be finite.

    Raises:
        Problem: a name does not exist, or the types do not fit.
    """
    see(scope)
    index = scope.lowering.formula_place(formula, scope.path, watched=scope.watched)
    lowerer = FormulaLowerer(scope, index)
    typed = lowerer.lower(formula.tree)
    reads = lowerer.note(formula)
    return replace(typed, reads=reads, expr=Checked(shared(typed.expr, scope.builder, shorten(formula.text)), index))


def see(scope: Scope) -> None:
    """Note what can be said at a place, whether or not what stands there is right."""
    selves, others = (names_of(ref.members) if ref is not None else () for ref in (scope.self_, scope.other))
    seen = Seen(selves, others, tuple(scope.lets), tuple(scope.cue or ()), tuple(scope.hit or ()))
    scope.lowering.sites.see(scope.path, seen)


class FormulaLowerer:
    """Lowers the nodes of one formula."""

    def __init__(
        self,
        scope: Scope,
        formula: int,
        known: dict[Hashable, Typed] | None = None,
        accounts: set[StatOf] | None = None,
        *,
        within: bool = False,
    ) -> None:
        self.scope = scope
        # Whether it is written out within another, which is shared out as one once it is whole.
        self._within = within
        self.formula = formula
        self.accounts: set[StatOf] = set() if accounts is None else accounts
        self.reads: dict[str, Expr] = {}
        # What was written out before in this formula, where the same locals are known.
        self._known: dict[Hashable, Typed] = {} if known is None else known

    def note(self, formula: Formula) -> frozenset[StatOf]:
        """Keep what the formula reads, for judges of the game and for the message of a run that stops in it."""
        scope = self.scope
        places = scope.lowering.formulas
        places[self.formula] = replace(places[self.formula], reads=tuple(self.reads.items()))
        site = FormulaSite(
            scope.path,
            formula,
            names_of(scope.self_.members) if scope.self_ is not None else (),
            frozenset(self.accounts),
            asks=False,
            watched=scope.watched,
            either=any(isinstance(part, ast.Or) for part in parts_in(scope.lowering, formula.tree)),
        )
        scope.lowering.sites.formula(site)
        return site.reads

    def lower(self, node: ast.expr) -> Typed:
        """Lower one node."""
        match node:
            case ast.Constant():
                return self._constant(node)
            case ast.Name():
                return self._name(node)
            case ast.Attribute():
                return self._attribute(node)
            case ast.Subscript(value=ast.Attribute()):
                return self._cell(node)
            case ast.Subscript():
                ref = entities.entity(self, node)
                return Typed(ref.entity, "entity", members=ref.members)
            case ast.BinOp():
                return self._arithmetic(node)
            case ast.UnaryOp():
                return self._unary(node)
            case ast.BoolOp():
                return self._boolean(node)
            case ast.Compare():
                return self._comparison(node)
            case ast.IfExp():
                return self._choice(node)
            case ast.Call():
                return self._call(node)
        raise Problem(f"'{shorten(written(node))}' may not stand in a formula")

    def _cell(self, node: ast.Subscript) -> Typed:
        typed = table.looked_up(self, node)
        if len(self.reads) < 12:
            self.reads.setdefault(written(node), typed.expr)
        return typed

    def number(self, node: ast.expr) -> Expr:
        """Lower a node that has to be a number."""
        return self._wanted(node, "number")

    def flag(self, node: ast.expr) -> Expr:
        """Lower a node that has to be yes or no."""
        return self._wanted(node, "flag")

    def _wanted(self, node: ast.expr, want: ValueType) -> Expr:
        typed = self.lower(node)
        check_type(typed, want, written(node))
        return typed.expr

    def checked(self, expression: Expr) -> Expr:
        """The part of this formula that is worked out ahead of the rest, with the same care."""
        return Checked(expression, self.formula, whole=False)

    def _constant(self, node: ast.Constant) -> Typed:
        if isinstance(node.value, bool):
            return Typed(Constant(float(node.value)), "flag")
        if isinstance(node.value, str):
            return self.word(node.value)
        assert isinstance(node.value, float)
        return Typed(Constant(node.value), "number")

    def word(self, text: str) -> Typed:
        """A word as a value."""
        return Typed(Constant(float(self.scope.lowering.word(text))), "word", (text,))

    def _name(self, node: ast.Name) -> Typed:
        name, scope, lowering = node.id, self.scope, self.scope.lowering
        if name in ("true", "false"):
            return Typed(Constant(float(name == "true")), "flag")
        if name in scope.lets:
            typed = scope.lets[name]
            self.accounts |= typed.reads
            self._mean(name, Meant("let", name))
        elif name in ("self", "other", "maker") or name in scope.bound:
            ref = entities.entity(self, node)
            return Typed(ref.entity, "entity", members=ref.members)
        elif scope.self_ is not None and reading.has_stat(scope.self_, name):
            typed = self._stat(node, name, lambda: reading.stat_value(self, scope.self_ or entities.world(), name))
        elif name in lowering.game.stats:
            typed = self._stat(node, name, lambda: reading.stat_value(self, entities.world(), name))
        elif name == "along" and scope.self_ is not None and all(map(space.path_of, scope.self_.members)):
            typed = reading.along(self, scope.self_)
        elif name in lowering.game.numbers:
            self._mean(name, Meant("number", name))
            index = lowering.dial_index(("numbers", name))
            typed = Typed(Dial(index) if index is not None else ZERO, "number")
        elif name == "time":
            typed = Typed(Time(), "number")
        elif name == "level_time":
            typed = Typed(level_time(lowering), "number")
        elif name == "turn":
            if lowering.game.clock.unit != "turn":
                raise Problem("the game has no turns; its clock counts seconds")
            typed = Typed(Step(), "number")
        elif name == "whose":
            ref = entities.entity(self, node)
            return Typed(ref.entity, "entity", members=ref.members)
        elif scope.outcome and name in ("result", "ending", "winner"):
            return reading.outcome(self, name)
        elif name in lowering.cast.members:
            self._mean(name, Meant("kind", name))
            ref = entities.entity(self, node)
            return Typed(ref.entity, "entity", members=ref.members)
        elif name == "level":
            value, words = counts.level_word(lowering)
            typed = Typed(value, "word", words)
        elif name == "visit":
            typed = Typed(counts.visit(lowering), "number")
        elif name in lowering.words:
            self._mean(name, Meant("word", name))
            return self.word(name)
        else:
            raise Problem(self._unknown(name))
        if len(self.reads) < 12:
            self.reads.setdefault(name, typed.expr)
        return typed

    def _unknown(self, name: str) -> str:
        scope, lowering = self.scope, self.scope.lowering
        if name in lowering.game.tables:
            column = lowering.game.tables[name].columns[-1]
            return f"'{name}' is a table; look a number up in it, like {name}.{column}[1]"
        known = [*scope.lets, *lowering.game.stats, *lowering.game.numbers, *lowering.cast.members, *RESERVED]
        for member in scope.self_.members if scope.self_ else ():
            known.extend(member.kind.stats)
        owners = [m.name for m in lowering.cast.with_stat(name)]
        nowhere = [m.name for m in (scope.self_.members if scope.self_ else ()) if name not in m.kind.stats]
        if name in COORDINATES and nowhere:
            more = reading.no_space(lowering)
            return f"{nowhere[0]} is nowhere, so it has no '{name}'; give it a 'where: [x, y]'{more}"
        if owners and scope.self_ is None:
            shown = owners[0] if len(owners) == 1 else " or ".join(owners[:3])
            return f"unknown name '{name}'; it is a stat of {shown}, so write '{owners[0]}.{name}'"
        if owners and scope.self_ is not None:
            without = [m.name for m in scope.self_.members if name not in m.kind.stats]
            return f"unknown name '{name}': {', '.join(without[:3])} has no such stat ({owners[0]} has)"
        return f"unknown name '{shorten(name)}'{name_hint(name, known)}"

    def _attribute(self, node: ast.Attribute) -> Typed:
        if isinstance(node.value, ast.Name) and node.value.id in ("cue", "hit"):
            return self._happening_value(node.value.id, node.attr)
        if isinstance(node.value, ast.Name) and node.value.id in self.scope.lowering.cast.members:
            self._mean(node.value.id, Meant("kind", node.value.id))
        typed = self._stat(node, node.attr, lambda: reading.attribute(self, node))
        if typed.type != "entity" and len(self.reads) < 12:
            self.reads.setdefault(written(node), typed.expr)
        return typed

    def _mean(self, text: str, meant: Meant) -> None:
        scope = self.scope
        scope.lowering.sites.mean(scope.stands_at or scope.path, text, meant)

    def _stat(self, node: ast.expr, name: str, read: Callable[[], Typed]) -> Typed:
        """Return what a name reads; whose stat it is, where it is one, is noted."""
        outside, self.accounts = self.accounts, set()
        try:
            typed = read()
        finally:
            inside, self.accounts = self.accounts, outside
            outside |= inside
        owners = tuple(sorted(owner for owner, stat in inside if stat == name))
        if owners:
            self._mean(written(node), Meant("stat", name, tuple(owner for owner in owners if owner)))
        return typed

    def _happening_value(self, what: str, name: str) -> Typed:
        values = self.scope.cue if what == "cue" else self.scope.hit
        if values is None:
            raise Problem(f"'{what}.{name}' is known only in a rule that is set off by a {what}")
        if name not in values:
            raise Problem(f"the {what} has no value '{name}'{nearest(name, values)}")
        return Typed(values[name], "flag" if (what, name) == ("hit", "crit") else "number")

    def _arithmetic(self, node: ast.BinOp) -> Typed:
        left, right = self.number(node.left), self.number(node.right)
        match node.op:
            case ast.Add():
                value = add(left, right)
            case ast.Sub():
                value = sub(left, right)
            case ast.Mult():
                value = mul(left, right)
            case ast.Div():
                value = div(left, right)
            case ast.FloorDiv() | ast.Mod():
                function = "quotient" if isinstance(node.op, ast.FloorDiv) else "modulo"
                fine = compare("!=", right, ZERO)
                value = Only(Apply(function, (left, right)), fine, "division by zero")
            case _:
                power, exists = guarded_power(self.scope.builder, left, right)
                value = Only(power, exists, "a power that is no number (0 to a negative, or a root of a negative)")
        return Typed(value, "number")

    def _unary(self, node: ast.UnaryOp) -> Typed:
        if isinstance(node.op, ast.Not):
            return Typed(no(self.flag(node.operand)), "flag")
        value = self.number(node.operand)
        return Typed(neg(value) if isinstance(node.op, ast.USub) else value, "number")

    def _boolean(self, node: ast.BoolOp) -> Typed:
        is_and = isinstance(node.op, ast.And)
        if any(self._draws(item) for item in node.values[1:]):
            return Typed(self._step_by_step(node.values, is_and), "flag")
        items = tuple(self.flag(item) for item in node.values)
        return Typed(And(items) if is_and else Or(items), "flag")

    def _step_by_step(self, values: list[ast.expr], is_and: bool) -> Expr:
        """`and` and `or` with chance in a later part: it draws only if the earlier parts leave the answer open."""
        b = self.scope.builder
        out = b.new_local()
        b.emit(Let(out, self.checked(self.flag(values[0]))))
        for item in values[1:]:
            with b.block() as inner:
                b.emit(Let(out, self.checked(self.flag(item))))
            b.emit(If(Local(out) if is_and else no(Local(out)), tuple(inner)))
        return Local(out)

    def _comparison(self, node: ast.Compare) -> Typed:
        operands = [self.lower(item) for item in (node.left, *node.comparators)]
        if len(operands) > 2 and any(self._draws(item) for item in node.comparators[:-1]):
            operands = [replace(item, expr=self.scope.builder.let(self.checked(item.expr))) for item in operands]
        nodes = (node.left, *node.comparators)
        tests: list[Expr] = []
        for index, operator in enumerate(node.ops):
            left, right = operands[index], operands[index + 1]
            _check_comparable(operator, left, right, written(nodes[index]), written(nodes[index + 1]))
            tests.append(compare(COMPARISONS[type(operator)], left.expr, right.expr))
        return Typed(tests[0] if len(tests) == 1 else And(tuple(tests)), "flag")

    def _choice(self, node: ast.IfExp) -> Typed:
        test = self.flag(node.test)
        if not self._draws(node.body) and not self._draws(node.orelse):
            then, other = self.lower(node.body), self.lower(node.orelse)
            return self._same_type(node, then, other, Choose(test, then.expr, other.expr))
        b = self.scope.builder
        out = b.new_local()
        with b.block() as first:
            then = self.lower(node.body)
            b.emit(Let(out, self.checked(then.expr)))
        with b.block() as second:
            other = self.lower(node.orelse)
            b.emit(Let(out, self.checked(other.expr)))
        b.emit(If(self.checked(test), tuple(first), tuple(second)))
        return self._same_type(node, then, other, Local(out))

    def _same_type(self, node: ast.IfExp, then: Typed, other: Typed, value: Expr) -> Typed:
        if then.type != other.type and {then.type, other.type} != {"number", "flag"}:
            raise Problem(f"'{shorten(written(node))}' is {TYPE_NAMES[then.type]} or {TYPE_NAMES[other.type]}")
        kind: ValueType = then.type if then.type == other.type else "number"
        return Typed(value, kind, (*then.words, *other.words), (*then.members, *other.members))

    def _call(self, node: ast.Call) -> Typed:
        assert isinstance(node.func, ast.Name)
        name, arguments = node.func.id, node.args
        if name in self.scope.lowering.game.formulas:
            return lower_call(self, name, arguments)
        if name not in CALLS:
            raise Problem(
                f"unknown call '{shorten(name)}'{call_hint(name, (*CALLS, *self.scope.lowering.game.formulas))}"
            )
        if name in CHANCE_CALLS:
            return chance.call(self, name, arguments)
        if name in ("count", "total", "lowest", "highest", "any", "all"):
            return entities.fold(self, name, arguments[0])
        if name in ("has", "ready", "distance", "facing", "behind", *COUNT_CALLS):
            return reading.question(self, name, arguments)
        if name == "weights":
            raise Problem("weights() stands at the end of pick(), like pick(a, b, weights=(3, 1))")
        if name in ("smooth", "key_at"):
            return (table.smooth if name == "smooth" else table.key_at)(self, arguments)
        return Typed(self._arithmetic_call(name, arguments), "number")

    def _arithmetic_call(self, name: str, arguments: list[ast.expr]) -> Expr:
        values = [self.number(argument) for argument in arguments]
        match name:
            case "min" | "max":
                value = values[0]
                for following in values[1:]:
                    value = (lower_of if name == "min" else higher_of)(value, following)
                return value
            case "clamp":
                low, high = (chance.plain_number(argument) for argument in arguments[1:])
                if low is not None and high is not None and low > high:
                    raise Problem(
                        f"clamp(…, {low:g}, {high:g}) is the wrong way round; it wants clamp(value, least, most)"
                    )
                return lower_of(higher_of(values[0], values[1]), values[2])
            case "sqrt":
                return Unary("sqrt", values[0])
            case "exp":
                return Apply("exp", (values[0],))
            case "log":
                positive = compare(">", values[0], ZERO)
                return Only(Apply("log", (values[0],)), positive, "the logarithm of a number that is not above 0")
        unary: dict[str, UnaryOp] = {"abs": "abs", "floor": "floor", "ceil": "ceil", "round": "round"}
        return Unary(unary[name], values[0])

    def _draws(self, node: ast.expr) -> bool:
        return draws(self.scope.lowering, node)

    def elsewhere(self, scope: Scope) -> FormulaLowerer:
        """The same formula going on in another scope."""
        return FormulaLowerer(scope, self.formula, self._known, self.accounts, within=self._within)

    def note_account(self, owner: str, stat: str) -> None:
        """Keep that the formula reads a stat."""
        self.accounts.add((owner, stat))

    def once(self, what: Hashable, scope: Scope, formula: Formula) -> Typed:
        """Return a formula of the file as it is written out here; the same object again where it has been before.

        Parts that come again are shared in the outermost formula alone: to go through each that it is made of would
        take as long as all of them together, for each.
        """
        key = (what, self.scope.builder.here, self._within)
        if key not in self._known:
            inner = FormulaLowerer(scope, self.formula, self._known, self.accounts, within=True)
            typed = inner.lower(formula.tree)
            if not self._within:
                typed = replace(typed, expr=shared(typed.expr, scope.builder, shorten(formula.text)))
            self._known[key] = typed
        return self._known[key]

    def amount(self, scope: Scope, formula: Formula, *more: str | int) -> Expr:
        """A number or formula of the file that is read here."""
        return amount(scope, formula, *more)


def entity_text(scope: Scope, text: str) -> EntityRef:
    """Lower a text of the file that names one entity, like `self` or `crab[2]`.

    Raises:
        Problem: it names none, or several.
    """
    try:
        tree = parse_expression(text)
    except FormulaError as error:
        raise Problem(str(error)) from None
    return entities.entity(FormulaLowerer(scope, -1), tree)


def _check_comparable(operator: ast.cmpop, left: Typed, right: Typed, left_text: str, right_text: str) -> None:
    types = {left.type, right.type}
    if types <= {"number", "flag"}:
        return
    if left.type != right.type:
        raise Problem(
            f"'{shorten(left_text)}' is {TYPE_NAMES[left.type]} and '{shorten(right_text)}' is "
            f"{TYPE_NAMES[right.type]}; they cannot be compared"
        )
    if not isinstance(operator, (ast.Eq, ast.NotEq)):
        raise Problem(f"{TYPE_NAMES[left.type]} can be compared with == and != only")
    for one, other in ((left, right), (right, left)):
        if len(one.words) == 1 and len(other.words) > 1 and one.words[0] not in other.words:
            raise Problem(
                f"'{one.words[0]}' is not one of {', '.join(other.words)}{nearest(one.words[0], other.words)}"
            )
