"""What rules, attacks and actions do: a list of postings and other steps."""

from __future__ import annotations

from typing import Annotated, Any, Literal

from pydantic import BeforeValidator, Discriminator, Field, Tag, model_serializer, model_validator

from mint_ledger.errors import nearest
from mint_ledger.formula.syntax import describe
from mint_ledger.game.choice import OneOf
from mint_ledger.game.parts import Amount, Condition, Part, Posting
from mint_ledger.game.space import Place
from mint_ledger.game.trade_words import meant


class PostDo(Part):
    """A change to an account, written as an assignment."""

    post: Posting

    @model_validator(mode="before")
    @classmethod
    def _from_text(cls, data: Any) -> Any:
        return {"post": data} if isinstance(data, str) else data

    @model_serializer
    def _as_text(self) -> str:
        return self.post.text

    def summary(self) -> str:
        """The step in a few words."""
        return self.post.text


class RemoveDo(Part):
    """`{remove: self}`: takes an entity out of the game."""

    remove: str

    def summary(self) -> str:
        """The step in a few words."""
        return f"remove {self.remove}"


class SpawnDo(Part):
    """`{spawn: crab, count: 3, set: {tough: 9}}`: new entities take the lowest free numbers of their kind."""

    spawn: str
    count: Amount | None = None
    where: Place | None = None
    set: dict[str, Amount] | None = None

    def summary(self) -> str:
        """The step in a few words."""
        return f"spawn {self.spawn}"


class HitDo(Part):
    """`{hit: other, with: pincer}`: an attack tried on this one target."""

    hit: str
    with_: str = Field(alias="with")
    by: str | None = None

    def summary(self) -> str:
        """The step in a few words."""
        return f"hit {self.hit} with {self.with_}"


class AttackDo(Part):
    """`{attack: lantern_swing}`: an attack that aims for itself."""

    attack: str

    def summary(self) -> str:
        """The step in a few words."""
        return f"attack {self.attack}"


class CueDo(Part):
    """`{cue: landed, with: {speed: 9}}`: lets rules hear of something."""

    cue: str
    with_: dict[str, Amount] | None = Field(None, alias="with")

    def summary(self) -> str:
        """The step in a few words."""
        return f"cue {self.cue}"


class GiveDo(Part):
    """`{give: dazed, to: other, for: 1.2}`: a status begins."""

    give: str
    to: str = "self"
    for_: Amount | None = Field(None, alias="for")

    def summary(self) -> str:
        """The step in a few words."""
        return f"give {self.give} to {self.to}"


class EndDo(Part):
    """`{end: dazed}`: a status ends early."""

    end: str
    to: str = "self"

    def summary(self) -> str:
        """The step in a few words."""
        return f"end {self.end}"


class SafeDo(Part):
    """`{safe: self, for: 2}`: nothing hits it for a while."""

    safe: str
    for_: Amount = Field(alias="for")

    def summary(self) -> str:
        """The step in a few words."""
        return f"{self.safe} is safe for {self.for_}"


class MoveDo(Part):
    """`{move: self, to: [x, y]}`: an entity is put at a place."""

    move: str
    to: Place

    def summary(self) -> str:
        """The step in a few words."""
        return f"move {self.move}"


class GoDo(Part):
    """`{go: rocks}` or `{go: back}`: another level, at the end of the step."""

    go: str

    def summary(self) -> str:
        """The step in a few words."""
        return f"go {self.go}"


class FinishDo(Part):
    """`{finish: harbour safe}`: ends the run."""

    finish: str

    def summary(self) -> str:
        """The step in a few words."""
        return f"finish {self.finish}"


class MeetDo(Part):
    """`{meet: [crab, keeper], for: 0.5}`: two entities touch, for one step or as long as it says."""

    meet: list[str] = Field(min_length=2, max_length=2)
    for_: Amount | None = Field(None, alias="for")

    def summary(self) -> str:
        """The step in a few words."""
        return f"meet {' and '.join(self.meet)}"


class TellDo(Part):
    """`{tell: "text with {stats}"}`: a line of the story; up to eight values stand in it."""

    tell: str = Field(max_length=400)

    def summary(self) -> str:
        """The step in a few words."""
        return f"tell {self.tell!r}"


class IfDo(Part):
    """`{if: condition, do: […], else: […]}`; `named` makes what it does a cause of its own."""

    if_: Condition = Field(alias="if")
    named: str | None = None
    do: DoList = Field(min_length=1)
    else_: DoList | None = Field(None, alias="else")

    def summary(self) -> str:
        """The step in a few words."""
        return f"if {self.if_}"


class ElseIfDo(Part):
    """`{else if: condition, do: […], else: […]}`: right after an `if` step, or after another `else if`."""

    if_: Condition = Field(alias="else if")
    named: str | None = None
    do: DoList = Field(min_length=1)
    else_: DoList | None = Field(None, alias="else")

    def summary(self) -> str:
        """The step in a few words."""
        return f"else if {self.if_}"


class EachDo(Part):
    """`{each: crab, do: […]}`: the list once for each entity present; in the list it is `other`, or what `as` says."""

    each: str
    as_: str | None = Field(None, alias="as")
    if_: Condition | None = Field(None, alias="if")
    do: DoList = Field(min_length=1)

    def summary(self) -> str:
        """The step in a few words."""
        return f"each {self.each}"


class OneDo(OneOf):
    """`{one: mason, least: other.health, do: […]}`: the list for one of a kind; `else` where there is nobody."""

    as_: str | None = Field(None, alias="as")
    do: DoList = Field(min_length=1)
    else_: DoList | None = Field(None, alias="else")

    def summary(self) -> str:
        """The step in a few words."""
        return f"one {self.one}"


class LotDo(Part):
    """`{lot: drop, times: 3, without: repeats}`: draws a branch of a lot, or several, and does what it says."""

    lot: str
    times: Amount | None = None
    without: Literal["repeats"] | None = None

    def summary(self) -> str:
        """The step in a few words."""
        return f"lot {self.lot}"


STEPS: dict[str, type[Part]] = {
    "post": PostDo,
    "remove": RemoveDo,
    "spawn": SpawnDo,
    "hit": HitDo,
    "attack": AttackDo,
    "cue": CueDo,
    "give": GiveDo,
    "end": EndDo,
    "safe": SafeDo,
    "move": MoveDo,
    "go": GoDo,
    "finish": FinishDo,
    "meet": MeetDo,
    "tell": TellDo,
    "if": IfDo,
    "else if": ElseIfDo,
    "each": EachDo,
    "one": OneDo,
    "lot": LotDo,
}


def _step_key(data: Any) -> str:
    if isinstance(data, str):
        return "post"
    if isinstance(data, Part):
        return next(key for key, model in STEPS.items() if isinstance(data, model))
    if not isinstance(data, dict):
        raise ValueError(f"wants a change like 'health -= 10' or a step like {{remove: self}}, not {describe(data)}")
    # "each" and "one" may carry an "if" of their own, so the order of looking matters.
    for key in ("each", "one", *list(STEPS)[1:]):
        if key in data:
            return key
    first = next(iter(data), "nothing")
    hint = meant(str(first), STEPS) or nearest(str(first), list(STEPS)[1:])
    raise ValueError(f"unknown step '{first}'{hint}")


def known_step(data: Any) -> Any:
    """A step, if its key is known."""
    _step_key(data)
    return data


Do = Annotated[
    Annotated[PostDo, Tag("post")]
    | Annotated[RemoveDo, Tag("remove")]
    | Annotated[SpawnDo, Tag("spawn")]
    | Annotated[HitDo, Tag("hit")]
    | Annotated[AttackDo, Tag("attack")]
    | Annotated[CueDo, Tag("cue")]
    | Annotated[GiveDo, Tag("give")]
    | Annotated[EndDo, Tag("end")]
    | Annotated[SafeDo, Tag("safe")]
    | Annotated[MoveDo, Tag("move")]
    | Annotated[GoDo, Tag("go")]
    | Annotated[FinishDo, Tag("finish")]
    | Annotated[MeetDo, Tag("meet")]
    | Annotated[TellDo, Tag("tell")]
    | Annotated[IfDo, Tag("if")]
    | Annotated[ElseIfDo, Tag("else if")]
    | Annotated[EachDo, Tag("each")]
    | Annotated[OneDo, Tag("one")]
    | Annotated[LotDo, Tag("lot")],
    Discriminator(_step_key),
    BeforeValidator(known_step),
]


def as_list(data: Any) -> Any:
    """A `do` may be one step or a list of them."""
    return data if isinstance(data, (list, tuple)) else [data]


DoList = Annotated[list[Do], BeforeValidator(as_list)]
