"""Reads a posting as a designer writes it: `health -= 10`, `lives = 3`, `fill health`, `empty shutters`."""

from __future__ import annotations

import ast
import re
from dataclasses import dataclass, field
from typing import Literal

from mint_ledger.formula.syntax import (
    Formula,
    FormulaError,
    check_tree,
    parse_expression,
    parse_statement,
    shorten,
)
from mint_ledger.formula.trade_words import sign_hint

PostingMode = Literal["add", "subtract", "multiply", "divide", "set", "fill", "empty"]

_MODES: dict[type[ast.operator], PostingMode] = {
    ast.Add: "add",
    ast.Sub: "subtract",
    ast.Mult: "multiply",
    ast.Div: "divide",
}
_WORD = re.compile(r"(fill|empty)\s+(.+)", re.DOTALL)


@dataclass(frozen=True, slots=True)
class PostingText:
    """A parsed posting: `target` is the account's expression, `amount` is missing for fill and empty."""

    text: str
    mode: PostingMode
    target: ast.expr = field(repr=False, compare=False)
    amount: Formula | None = None

    def __str__(self) -> str:
        return self.text


def parse_posting(text: str) -> PostingText:
    """Parse one posting.

    Raises:
        FormulaError: the text is not an assignment to a stat.
    """
    word = _WORD.fullmatch(text.strip())
    if word:
        mode: PostingMode = "fill" if word[1] == "fill" else "empty"
        return PostingText(text, mode, _target(parse_expression(word[2]), text))
    try:
        statement = parse_statement(text)
    except FormulaError as error:
        if "is not a formula" not in str(error):
            raise
        raise FormulaError(_not_an_assignment(text)) from error
    if isinstance(statement, ast.AugAssign) and type(statement.op) in _MODES:
        return _posting(text, _MODES[type(statement.op)], statement.target, statement.value)
    if isinstance(statement, ast.Assign) and len(statement.targets) == 1:
        return _posting(text, "set", statement.targets[0], statement.value)
    raise FormulaError(_not_an_assignment(text))


def _not_an_assignment(text: str) -> str:
    if hint := sign_hint(text):
        return f"'{shorten(text)}' cannot be read: {hint}"
    return (
        f"'{shorten(text)}' is no change to a stat; write it like "
        "'health -= 10', 'lives = 3', 'fill health' or 'empty health'"
    )


def _posting(text: str, mode: PostingMode, target: ast.expr, value: ast.expr) -> PostingText:
    # What is assigned to is parsed in "store" mode; as a plain expression it reads the same everywhere else.
    for node in ast.walk(target):
        if isinstance(node, (ast.Name, ast.Attribute, ast.Subscript)):
            node.ctx = ast.Load()
    amount = parse_amount(check_tree(value, text), text)
    return PostingText(text, mode, _target(check_tree(target, text), text), amount)


def parse_amount(tree: ast.expr, text: str) -> Formula:
    """Wrap a checked tree as a formula of its own."""
    number = tree.value if isinstance(tree, ast.Constant) and isinstance(tree.value, float) else None
    return Formula(ast.unparse(tree), tree, number)


def _target(tree: ast.expr, text: str) -> ast.expr:
    if not isinstance(tree, (ast.Name, ast.Attribute)):
        raise FormulaError(f"'{shorten(text)}': only a stat can be changed")
    return tree
