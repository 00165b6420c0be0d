"""Whose luck a draw is: an owner in the file, and the words from which the keys of its numbers are made.

Luck stays as it is while other things change: what has a name (a rule, an attack, a habit) is known by owner and name,
a rule without one by its owner and its text without the numbers, and by its order among those alike.
"""

from __future__ import annotations

import json
import re
from collections import Counter
from dataclasses import dataclass, field

from mint_ledger.chance.philox import place_hash
from mint_ledger.game.rule import Rule
from mint_ledger.program.handle import Handle, Path

_NUMBER = re.compile(r"(?<![\w.])\d+(?:\.\d*)?(?:[eE][-+]?\d+)?|(?<![\w.])\.\d+(?:[eE][-+]?\d+)?")
UNNAMED = "unnamed"


@dataclass(frozen=True, slots=True)
class Luck:
    """Where chance calls stand.

    Attributes:
        owner: the path of the rule, attack, habit … that they belong to.
        words: what the keys of their numbers are made of, in addition to the kind and the number of the call.
        what: for what of the owner's.
        calls: how many calls there have been, in a list so that they may be counted on.
    """

    owner: Path
    words: tuple[str, ...]
    what: Path = ()
    calls: list[int] = field(default_factory=lambda: [0], compare=False)

    @property
    def has_no_name(self) -> bool:
        """Return whether it is known by a text, so that another text is another luck."""
        return UNNAMED in self.words

    def of(self, what: str) -> Luck:
        """The luck of another use of the same owner."""
        *before, last = self.words
        return Luck(self.owner, (*before, f"{last} {what}"), (*self.what, what))

    def again(self) -> Luck:
        """The same luck, for a formula that is written out again."""
        return Luck(self.owner, self.words, self.what)

    def next_call(self) -> int:
        """The number of the next chance call here."""
        self.calls[0] += 1
        return self.calls[0]

    def handle(self, kinds: Path, call: int) -> Handle:
        """Return what counts the draws of a call, for some kinds."""
        return Handle("draws", (*self.owner, *self.what, *kinds, call))

    def place(self, kind: str, call: int) -> int:
        """The hash from which the numbers of a call are drawn, for a kind."""
        return place_hash(kind, *self.words, str(call))


def rule_luck(seen: Counter[tuple[str, ...]], rule: Rule, path: Path, owner: str) -> Luck:
    """The luck of a rule of a kind, or of the game where there is no owner; `seen` counts those alike."""
    if rule.name:
        words: tuple[str, ...] = (owner, f"rule {rule.name}") if owner else (f"rule {rule.name}",)
    else:
        words = (UNNAMED, owner, _without_numbers(rule))
    alike = (owner, *words)
    seen[alike] += 1
    return Luck(path, words if seen[alike] == 1 else (f"#{seen[alike]}", *words))


def _without_numbers(rule: Rule) -> str:
    """All that a rule says, apart from how much and how often."""

    def plain(value: object) -> object:
        if isinstance(value, dict):
            return {key: plain(item) for key, item in value.items()}
        if isinstance(value, list):
            return [plain(item) for item in value]
        if isinstance(value, bool) or value is None:
            return value
        return _NUMBER.sub("#", str(value))

    return json.dumps(plain(rule.model_dump(by_alias=True, exclude_unset=True)), sort_keys=True)
