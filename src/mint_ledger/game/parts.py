"""The field types that all models of the game file share."""

from __future__ import annotations

import ast
from collections.abc import Iterator
from dataclasses import dataclass
from typing import Annotated, Any

from pydantic import BaseModel, BeforeValidator, ConfigDict, PlainSerializer, PlainValidator, WithJsonSchema

from mint_ledger.formula import Formula, FormulaError, PostingText, parse_formula, parse_posting
from mint_ledger.formula.syntax import describe

# What may stand at a place where a text or a mapping fits; these tags are in no path of the file.
UNION_TAGS = ("(word)", "(choice)", "(amount)", "(position)")


class Part(BaseModel):
    """A part of the game file: every key is checked, and a part never changes once it is made."""

    model_config = ConfigDict(
        # Only the whole file is ever read: what each part would need to be read alone is not made.
        defer_build=True,
        extra="forbid",
        frozen=True,
        populate_by_name=True,
        arbitrary_types_allowed=True,
        protected_namespaces=(),
    )


def as_list(value: object) -> object:
    """One mapping in the place of a list of them."""
    return [value] if isinstance(value, dict) else value


def as_number(value: object) -> float:
    """A number, and no formula."""
    formula = parse_formula(value)
    if formula.number is None or formula.is_flag or isinstance(value, str):
        raise FormulaError(f"wants a number, not {describe(value)}")
    return formula.number


def as_measure(value: object) -> str:
    """The text of a measure."""
    if isinstance(value, bool) or not isinstance(value, (str, int, float)):
        raise FormulaError(f"wants a measure such as closing(keeper.health), not {describe(value)}")
    return str(value)


def as_whole(value: object) -> int:
    """A whole number."""
    number = as_number(value)
    if number != int(number):
        raise FormulaError(f"wants a whole number, not {number:g}")
    return int(number)


def _words(value: object) -> list[str]:
    if isinstance(value, str):
        return [value]
    if isinstance(value, (list, tuple)) and all(isinstance(item, str) for item in value) and value:
        return list(value)
    raise ValueError(f"wants a name or a list of names, not {describe(value)}")


def _conditions(value: object) -> list[Formula]:
    items = value if isinstance(value, (list, tuple)) else [value]
    if not items:
        raise ValueError("wants a condition, not an empty list")
    return [parse_formula(item) for item in items]


def _unwords(value: list[Any]) -> Any:
    plain = [item.plain() if isinstance(item, Formula) else item for item in value]
    return plain[0] if len(plain) == 1 else plain


def trees_in(value: object) -> Iterator[ast.expr]:
    """The trees of all formulas that stand anywhere in a part of the game, those of its postings included."""
    if isinstance(value, Formula):
        yield value.tree
    elif isinstance(value, PostingText):
        yield value.target
        if value.amount is not None:
            yield value.amount.tree
    elif isinstance(value, Part):
        for name in value.model_fields_set:
            yield from trees_in(getattr(value, name))
    elif isinstance(value, dict):
        for item in value.values():
            yield from trees_in(item)
    elif isinstance(value, (list, tuple)):
        for item in value:
            yield from trees_in(item)


def values_of(value: object, owner: str) -> set[str]:
    """The names that stand behind `owner.` anywhere in a part of the game: `speed` for `cue.speed`."""
    return {
        node.attr
        for tree in trees_in(value)
        for node in ast.walk(tree)
        if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.value.id == owner
    }


def bare_names(value: object) -> set[str]:
    """All names in the formulas and postings of a part that stand by themselves, not before or behind a dot."""
    names: set[str] = set()
    for tree in trees_in(value):
        calls = {id(node.func) for node in ast.walk(tree) if isinstance(node, ast.Call)}
        owners = {id(node.value) for node in ast.walk(tree) if isinstance(node, (ast.Attribute, ast.Subscript))}
        names |= {node.id for node in ast.walk(tree) if isinstance(node, ast.Name) and id(node) not in owners | calls}
        # `health.max` is about self's health all the same.
        names |= {
            node.value.id
            for node in ast.walk(tree)
            if isinstance(node, ast.Attribute) and isinstance(node.value, ast.Name) and node.attr in ACCOUNT_WORDS
        }
    return names


# What formulas may ask of every account, behind a dot.
ACCOUNT_WORDS = ("max", "min", "start", "band", "share", "untouched", "base")


@dataclass(frozen=True, slots=True)
class Span:
    """A range written `low..high`; a side left out is open."""

    low: float
    high: float
    text: str

    def __str__(self) -> str:
        return self.text


def parse_span(value: object) -> Span:
    """Read `-10..10`, `10..`, `..-1`; a single number is a range of one value.

    Raises:
        ValueError: it is neither.
    """
    if isinstance(value, Span):
        return value
    if isinstance(value, (int, float)) and not isinstance(value, bool):
        return Span(float(value), float(value), str(value))
    if isinstance(value, str) and ".." in value:
        left, _, right = value.partition("..")
        try:
            low = float(left) if left.strip() else float("-inf")
            high = float(right) if right.strip() else float("inf")
        except ValueError:
            raise ValueError(f"wants a range like 10..20, not '{value}'") from None
        if not low <= high:
            raise ValueError(f"the range {value} runs backwards; write the smaller number first")
        return Span(low, high, value)
    raise ValueError(f"wants a range like 10..20, not {describe(value)}")


Number = Annotated[float, BeforeValidator(as_number)]
MeasureText = Annotated[str, BeforeValidator(as_measure)]
Whole = Annotated[int, BeforeValidator(as_whole)]
Amount = Annotated[
    Formula,
    PlainValidator(parse_formula),
    PlainSerializer(lambda f: f.plain()),
    WithJsonSchema(
        {"type": ["number", "boolean", "string"], "description": "a number or a formula", "format": "formula"}
    ),
]
Condition = Annotated[
    Formula,
    PlainValidator(parse_formula),
    PlainSerializer(lambda f: f.plain()),
    WithJsonSchema({"type": ["boolean", "string"], "description": "a condition", "format": "formula"}),
]
Conditions = Annotated[
    list[Formula],
    PlainValidator(_conditions),
    PlainSerializer(_unwords),
    WithJsonSchema(
        {
            "type": ["boolean", "string", "array"],
            "description": "a condition, or any of several",
            "format": "formula",
            "items": {"type": ["boolean", "string"], "format": "formula"},
        }
    ),
]
Names = Annotated[
    list[str],
    PlainValidator(_words),
    PlainSerializer(_unwords),
    WithJsonSchema({"type": ["string", "array"], "items": {"type": "string"}}),
]
FileNames = Annotated[list[str], WithJsonSchema({"type": ["string", "array"], "items": {"type": "string"}})]
Posting = Annotated[
    PostingText,
    PlainValidator(lambda v: v if isinstance(v, PostingText) else parse_posting(_text(v))),
    PlainSerializer(lambda p: p.text),
    WithJsonSchema({"type": "string", "description": "a change to a stat, like `health -= 10`", "format": "change"}),
]
Range = Annotated[
    Span,
    PlainValidator(parse_span),
    PlainSerializer(str),
    WithJsonSchema({"type": ["string", "number"], "description": "a range like `10..20`"}),
]


def _text(value: object) -> str:
    if not isinstance(value, str):
        raise ValueError(f"wants a change like 'health -= 10', not {describe(value)}")
    return value
