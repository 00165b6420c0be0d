"""Reads a formula: a small part of Python's expressions, and nothing that could run code.

The text is parsed with `ast` and every node is held against a short list. What is not on the list is an
error; nothing is ever evaluated by Python.
"""

from __future__ import annotations

import ast
import math
import re
import unicodedata
import warnings
from collections.abc import Sequence
from dataclasses import dataclass, field

from mint_ledger.formula.trade_words import call_hint, operator_hint, sign_hint

MAX_LENGTH = 2_000
MAX_DEPTH = 60

CHANCE_CALLS = ("between", "whole", "dice", "chance", "normal", "pick")
WEIGHTS = ("weights",)
ARITHMETIC_CALLS = ("min", "max", "abs", "floor", "ceil", "round", "sqrt", "exp", "log", "clamp")
ENTITY_CALLS = (
    "count",
    "total",
    "lowest",
    "highest",
    "any",
    "all",
    "has",
    "ready",
    "distance",
    "facing",
    "behind",
)
TABLE_CALLS = ("smooth", "key_at")
COUNT_CALLS = ("hits", "misses", "dodges", "blocks")
CALLS = ARITHMETIC_CALLS + CHANCE_CALLS + WEIGHTS + ENTITY_CALLS + TABLE_CALLS + COUNT_CALLS

# What measures are made of: name and (least, most) number of arguments.
MEASURE_CALLS = {
    "closing": (1, 1),
    "lowest": (1, 1),
    "highest": (1, 1),
    "total": (1, 2),
    "waste": (1, 2),
    "count_of": (1, 2),
    "hits": (1, 1),
    "misses": (1, 1),
    "dodges": (1, 1),
    "blocks": (1, 1),
    "time_while": (1, 1),
    "in_reach": (1, 2),
    "offers": (1, 2),
    "first_time": (1, 1),
    "escapes": (2, 2),
    "lead_changes": (2, 2),
    "won_from": (2, 2),
    "idle": (1, 1),
}

# What the calls of formulas come to, for people.
CALL_MEANINGS = {
    "min(a, b, …)": "the lowest",
    "max(a, b, …)": "the highest",
    "abs(a)": "without its sign",
    "floor(a)": "the whole number below",
    "ceil(a)": "the whole number above",
    "round(a)": "the nearest whole number",
    "sqrt(a)": "the square root",
    "exp(a)": "e to this power",
    "log(a)": "the natural logarithm",
    "clamp(value, least, most)": "the value, held between the two",
    "between(a, b)": "draws a number from a to b",
    "whole(a, b)": "draws a whole number from a to b",
    "dice(n, sides)": "throws n dice, and adds them up",
    "chance(p)": "yes with this probability",
    "normal(mean, sd)": "draws from a normal distribution",
    "pick(a, b, …)": "draws one of them; by weights with `weights=(3, 1)`",
    "weights(a, b, …)": "how likely each value of pick() is",
    "count(kind)": "how many are there; `count(crab.health < 5)` those of which it holds",
    "total(crab.health)": "the sum over those that are there",
    "lowest(crab.health)": "the lowest of those that are there",
    "highest(crab.health)": "the highest of those that are there",
    "any(crab.health < 5)": "whether it holds for one that is there",
    "all(crab.health < 5)": "whether it holds for all that are there",
    "has(entity, status)": "whether it has a status",
    "ready(action)": "whether it could begin an action now",
    "distance(a, b)": "how far apart two are",
    "facing(a, b)": "how far off b is from where a looks, in degrees",
    "behind(a, b)": "whether a stands behind b",
    "smooth(rank.health, k)": "a column of a table, straight from row to row",
    "key_at(rank.xp, v)": "the greatest key whose cell is not above a value",
    "hits(attack)": "how often it hit so far",
    "misses(attack)": "how often it missed so far",
    "dodges(attack)": "how often it was dodged so far",
    "blocks(attack)": "how often it was kept off so far",
}

# What each form of them means, for people.
MEASURE_MEANINGS = {
    "`time`, `level`": "when the run ended; the number of the level it ended in, from 1",
    "`closing(account)`, `lowest(account)`, `highest(account)`": "at the end, and over the whole run",
    "`closing(account) == word`": "1 where a word is so at the end, 0 where it is not; its mean is the share of runs",
    "`total(account)`, `total(account, cause)`": """what was applied, by all causes or by one: an attack, action,
        status, flow, or a rule by its name in quotes""",
    "`waste(account)`, `waste(account, cause)`": "what limits refused",
    "`count_of(account)`, `count_of(account, cause)`": "how many changes",
    "`count_of(cue)`, `count_of(level)`": "how often a cue came, a level was entered",
    "`hits(attack)`, `misses(attack)`, `dodges(attack)`, `blocks(attack)`": "what became of its strikes",
    "`time_while(condition)`": "seconds (or turns) in which it held, as it stood at the end of each step",
    "`first_time(condition)`": "when it first held; runs in which it never did have no value",
    "`in_reach(attack)`, `in_reach(attack, kind)`": """seconds (or turns) in which whoever has the attack (or one kind
        of them) had somebody to strike with it, all of them together""",
    "`offers(action)`": """how often an action could be begun except for what it costs; `offers(action, could)`: in how
        many of these times it could be paid; `offers(action, taken)`: in how many it was done; `offers(action, held)`:
        the sum of what there was of the first stat that it costs, as each of them began""",
    "`escapes(account, 0.2)`": """how often it came within a fifth of its range of its lower limit, and back out while
        the run went on""",
    "`won_from(account, 0.2)`": """1 where the run was won after it had been that low, else 0; the mean is the share of
        runs""",
    "`lead_changes(a, b)`": "how often the greater of two values changed; while they are equal, whoever led leads on",
    "`idle(entity)`": """the longest time in which it could begin none of its actions: too little to pay, cooling down,
        blocked""",
}

# name: (least, most) number of arguments
ARGUMENTS = {
    "min": (1, 20),
    "max": (1, 20),
    "clamp": (3, 3),
    "between": (2, 2),
    "whole": (2, 2),
    "dice": (2, 2),
    "normal": (2, 2),
    "pick": (1, 21),
    "weights": (1, 20),
    "has": (2, 2),
    "distance": (2, 2),
    "facing": (2, 2),
    "behind": (2, 2),
    "smooth": (2, 2),
    "key_at": (2, 2),
}

OPERATORS: tuple[type[ast.AST], ...] = (
    ast.Add,
    ast.Sub,
    ast.Mult,
    ast.Div,
    ast.FloorDiv,
    ast.Mod,
    ast.Pow,
    ast.USub,
    ast.UAdd,
    ast.Not,
    ast.And,
    ast.Or,
    ast.Lt,
    ast.LtE,
    ast.Gt,
    ast.GtE,
    ast.Eq,
    ast.NotEq,
)
ALLOWED: tuple[type[ast.AST], ...] = (
    ast.BinOp,
    ast.UnaryOp,
    ast.BoolOp,
    ast.Compare,
    ast.IfExp,
    ast.Call,
    ast.Attribute,
    ast.Subscript,
    ast.Name,
    ast.Constant,
    ast.Load,
    *OPERATORS,
)


class FormulaError(ValueError):
    """A text that is not a formula."""


@dataclass(frozen=True, slots=True)
class Formula:
    """A number or formula as the designer wrote it; `number` is set where it is nothing but a number or flag."""

    text: str
    tree: ast.expr = field(repr=False, compare=False)
    number: float | None = None
    is_flag: bool = False

    def __str__(self) -> str:
        return self.text

    def names(self) -> set[str]:
        """All plain names in it (first parts of `a.b` included)."""
        return {node.id for node in ast.walk(self.tree) if isinstance(node, ast.Name)}

    def plain(self) -> float | bool | str:
        """Return what would be written in a file for it."""
        if self.number is None:
            return self.text
        return bool(self.number) if self.is_flag else self.number


def parse_formula(value: object) -> Formula:
    """Make a formula of what a file holds: a number, a flag or a text.

    Raises:
        FormulaError: it is none of these, or the text is not a formula.
    """
    if isinstance(value, Formula):
        return value
    if isinstance(value, bool):
        return Formula(str(value).lower(), ast.Constant(value), float(value), is_flag=True)
    if isinstance(value, (int, float)):
        return _number(value)
    if isinstance(value, str):
        return _parse_text(value)
    raise FormulaError(f"wants a number or a formula, not {describe(value)}")


_WHOLE = re.compile(r"(?<![\w.])(\d+)\.0(?![\d.])")


def written(node: ast.AST) -> str:
    """The text of a node as people write it: `walker[1].x`, though every number is a float."""
    return _WHOLE.sub(r"\1", ast.unparse(node))


def describe(value: object) -> str:
    """Name a value of a file in a designer's words."""
    if value is None:
        return "nothing"
    if isinstance(value, dict):
        return "a mapping"
    if isinstance(value, (list, tuple)):
        return "a list"
    if isinstance(value, bool):
        return "yes or no"
    if isinstance(value, (int, float)):
        return "a number"
    return f"the text {str(value)[:40]!r}"


def _number(value: float) -> Formula:
    try:
        number = float(value)
    except OverflowError:
        number = math.inf
    if not math.isfinite(number):
        raise FormulaError("the number is too large" if isinstance(value, int) else "wants a finite number")
    text = str(value) if isinstance(value, int) and abs(value) < 10**15 else repr(number)
    return Formula(text, ast.Constant(number), number + 0.0)


def _parse_text(text: str) -> Formula:
    tree = parse_expression(text)
    if isinstance(tree, ast.Constant) and isinstance(tree.value, float):
        return Formula(text, tree, tree.value)
    if isinstance(tree, ast.UnaryOp) and isinstance(tree.op, ast.USub) and isinstance(tree.operand, ast.Constant):
        if isinstance(tree.operand.value, float):
            return Formula(text, tree, 0.0 - tree.operand.value)
    return Formula(text, tree)


def parse_expression(text: str, calls: Sequence[str] = CALLS) -> ast.expr:
    """Parse and check one expression; numbers become floats, `true` and `false` flags."""
    body = _ast_of(text, "eval")
    assert isinstance(body, ast.Expression)
    return _checked(body.body, text, calls)


def parse_statement(text: str) -> ast.stmt:
    """Parse one statement (for assignments); its parts still have to be checked with `check_tree`."""
    body = _ast_of(text, "exec")
    assert isinstance(body, ast.Module)
    if len(body.body) != 1:
        raise FormulaError(f"wants one assignment, not '{shorten(text)}'")
    return body.body[0]


def check_tree(tree: ast.expr, text: str) -> ast.expr:
    """Hold a parsed part of `text` against the list of what a formula may be made of."""
    return _checked(tree, text)


def shorten(text: str) -> str:
    """Cut a text for a message."""
    return text if len(text) <= 60 else text[:57] + "…"


def _ast_of(text: str, mode: str) -> ast.AST:
    if len(text) > MAX_LENGTH:
        raise FormulaError(f"the formula has {len(text):,} characters; the most is {MAX_LENGTH:,}")
    if not text.strip():
        raise FormulaError("the formula is empty")
    _check_brackets(text)
    folded = unicodedata.normalize("NFKC", text)
    if folded != text:
        # Python would read another name than the one that stands there.
        raise FormulaError(f"'{shorten(text)}' has letters that stand for others; write '{shorten(folded)}'")
    try:
        with warnings.catch_warnings():
            warnings.simplefilter("ignore")
            return ast.parse(text.strip(), mode=mode)
    except (SyntaxError, ValueError, RecursionError, MemoryError) as error:
        hint = sign_hint(text)
        if not hint and "=" in text.replace("==", "").replace("<=", "").replace(">=", "").replace("!=", ""):
            hint = "to compare, write '=='" if mode == "eval" else ""
        hint = f" ({hint})" if hint else ""
        raise FormulaError(f"'{shorten(text)}' is not a formula{hint}") from error


def _check_brackets(text: str) -> None:
    depth = deepest = 0
    quote = ""
    for character in text:
        if quote:
            quote = "" if character == quote else quote
        elif character in "'\"":
            quote = character
        elif character in "([{":
            depth += 1
            deepest = max(deepest, depth)
        elif character in ")]}":
            depth -= 1
    if deepest > MAX_DEPTH:
        raise FormulaError(f"the formula is nested {deepest} deep; the most is {MAX_DEPTH}")
    if depth > 0:
        raise FormulaError(
            f"'{shorten(text)}' has a bracket that is never closed; "
            "a comma ends a plain value inside { } and [ ], so put a formula with commas in quotes"
        )


def _checked(tree: ast.expr, text: str, calls: Sequence[str] = CALLS) -> ast.expr:
    todo: list[tuple[ast.AST, int]] = [(tree, 1)]
    while todo:
        node, depth = todo.pop()
        if depth > MAX_DEPTH:
            raise FormulaError(f"the formula is nested more than {MAX_DEPTH} deep")
        if isinstance(node, ast.Tuple):
            shown = shorten(_source(node, text).strip("()"))
            raise FormulaError(
                f"'{shown}': a comma stands in calls like min(a, b) alone; a decimal is written with a point, as 1.5"
            )
        if not isinstance(node, ALLOWED):
            raise FormulaError(f"'{shorten(_source(node, text))}' may not stand in a formula{operator_hint(node)}")
        _check_node(node, text, calls)
        todo.extend((child, depth + 1) for child in ast.iter_child_nodes(node))
    return tree


def _source(node: ast.AST, text: str) -> str:
    try:
        return ast.unparse(node) or text
    except (RecursionError, ValueError, AttributeError):
        return text


def _check_node(node: ast.AST, text: str, calls: Sequence[str]) -> None:
    if isinstance(node, ast.Constant):
        _check_constant(node)
    elif isinstance(node, ast.Call):
        _check_call(node, text, calls)
    elif isinstance(node, ast.Attribute) and node.attr.startswith("_"):
        raise FormulaError(f"'.{shorten(node.attr)}' may not stand in a formula")


def _check_constant(node: ast.Constant) -> None:
    if isinstance(node.value, (bool, str)):
        return
    if not isinstance(node.value, (int, float)):
        raise FormulaError(f"'{shorten(str(node.value))}' may not stand in a formula")
    try:
        node.value = float(node.value)
    except OverflowError:
        node.value = math.inf
    if not math.isfinite(node.value):
        raise FormulaError("a number in the formula is too large")


def _check_call(node: ast.Call, text: str, calls: Sequence[str]) -> None:
    if not isinstance(node.func, ast.Name):
        last = node.func.attr if isinstance(node.func, ast.Attribute) else ""
        hint = f"; write {last}(…)" if last in calls else call_hint(last, ()) if last else ""
        raise FormulaError(f"'{shorten(_source(node.func, text))}' cannot be called{hint}")
    name = node.func.id
    if name not in calls and (calls is not CALLS or name.startswith("_")):
        raise FormulaError(f"unknown call '{shorten(name)}'{call_hint(name, calls)}")
    if name == "pick" and [keyword.arg for keyword in node.keywords] == ["weights"]:
        given = node.keywords[0].value
        elements = given.elts if isinstance(given, (ast.Tuple, ast.List)) else [given]
        # `pick(a, b, weights=(3, 1))`: kept as one more value, which is no option but says how likely each is.
        weights = ast.Call(ast.Name("weights", ast.Load()), elements, [])
        node.args, node.keywords = [*node.args, ast.copy_location(weights, given)], []
    if node.keywords:
        raise FormulaError(f"{name}() takes no named values")
    if name not in CALLS and name not in MEASURE_CALLS:
        return  # one of the file's own formulas, or nothing: that is known once names are looked up
    counts = {**ARGUMENTS, **MEASURE_CALLS} if calls is not CALLS else ARGUMENTS
    least, most = counts.get(name, (1, 1))
    if not least <= len(node.args) <= most:
        wanted = f"{least}" if least == most else f"{least} to {most}"
        raise FormulaError(f"{name}() wants {wanted} value{'s' if most > 1 else ''}, not {len(node.args)}")
