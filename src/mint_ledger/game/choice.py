"""Choices: one entity among several, by a formula about each, a condition and what happens on a tie."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Discriminator, Field, Tag, model_validator

from mint_ledger.formula.syntax import describe
from mint_ledger.game.parts import Amount, Condition, Part


class Choice(Part):
    """`{most: other.noise, if: other.health > 0, ties: random}`: the candidate is `other` in both formulas.

    Without `most` and `least` all candidates are equal. Equal ones are a tie: the first of them is chosen, or one at
    random.
    """

    most: Amount | None = None
    least: Amount | None = None
    if_: Condition | None = Field(None, alias="if")
    ties: Literal["first", "random"] = "first"

    @model_validator(mode="after")
    def _one_order(self) -> Choice:
        if self.most is not None and self.least is not None:
            raise ValueError("has 'most' and 'least'; take one: {least: other.health} chooses the lowest")
        return self

    @property
    def order(self) -> tuple[str, Any] | None:
        """`most` or `least` with its formula, if there is one."""
        return next(((key, value) for key in ("most", "least") if (value := getattr(self, key)) is not None), None)

    def summary(self) -> str:
        """The choice in a few words."""
        words = [f"{key} {value}" for key, value in [self.order or ("", "")] if key]
        words += [f"if {self.if_}"] if self.if_ is not None else []
        words += ["ties at random"] if self.ties == "random" else []
        return ", ".join(words) or "the first"


class OneOf(Choice):
    """`{one: mason, least: other.health}`: one entity of a kind; -1 (nobody) where there is none."""

    one: str


def _aims_tag(data: Any) -> str:
    return "(choice)" if isinstance(data, (dict, Choice)) else "(word)"


def _word_or_choice(data: Any) -> Any:
    if not isinstance(data, (str, dict, Choice)):
        raise ValueError(f"wants a word like nearest, or a choice like {{most: other.health}}, not {describe(data)}")
    return data


AttackAims = Annotated[
    Annotated[Literal["nearest", "first", "weakest", "strongest", "random", "all"], Tag("(word)")]
    | Annotated[Choice, Tag("(choice)")],
    Discriminator(_aims_tag),
    BeforeValidator(_word_or_choice),
]
HabitAims = Annotated[
    Annotated[Literal["nearest", "first", "weakest", "strongest"], Tag("(word)")] | Annotated[Choice, Tag("(choice)")],
    Discriminator(_aims_tag),
    BeforeValidator(_word_or_choice),
]


def _whom_tag(data: Any) -> str:
    return "(choice)" if isinstance(data, (dict, Choice)) else "(word)"


def _any_or_choice(data: Any) -> Any:
    if data != "any" and not isinstance(data, (dict, Choice)):
        raise ValueError(f"wants 'any', or a choice like {{least: other.health}}, not {describe(data)}")
    return data


Whom = Annotated[
    Annotated[Literal["any"], Tag("(word)")] | Annotated[Choice, Tag("(choice)")],
    Discriminator(_whom_tag),
    BeforeValidator(_any_or_choice),
]


def _goal_tag(data: Any) -> str:
    return "(choice)" if isinstance(data, (dict, OneOf)) else "(word)"


Goal = Annotated[Annotated[str, Tag("(word)")] | Annotated[OneOf, Tag("(choice)")], Discriminator(_goal_tag)]


def _let_tag(data: Any) -> str:
    return "(choice)" if isinstance(data, (dict, OneOf)) else "(amount)"


LetValue = Annotated[Annotated[Amount, Tag("(amount)")] | Annotated[OneOf, Tag("(choice)")], Discriminator(_let_tag)]
