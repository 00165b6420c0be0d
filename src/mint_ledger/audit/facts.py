"""What can be known of a game without playing it: who changes what, what is read, which conditions there are."""

from __future__ import annotations

import ast
import copy
import re
from collections import Counter
from collections.abc import Iterator
from dataclasses import dataclass, field
from functools import cached_property
from typing import Any, Literal

from mint_ledger.facts.between import ANY, Between, joined, one
from mint_ledger.facts.effects import Effect, Effects, Trigger, effects_of
from mint_ledger.formula import Formula, PostingText, parse_formula
from mint_ledger.game.cast import Cast
from mint_ledger.game.do import CueDo, GiveDo, LotDo, PostDo
from mint_ledger.game.parts import Part
from mint_ledger.game.paths import path_name
from mint_ledger.game.rule import Rule, When
from mint_ledger.game.stat import Stat
from mint_ledger.lowering.handles import defend
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.program.handle import Path

WORLD = ""
ConditionKind = Literal["watched", "guard"]
_CONDITIONS: dict[str, ConditionKind] = {
    "if": "guard",
    "needs": "guard",
    "breaks_if": "guard",
    "while": "guard",
    "becomes": "watched",
    "until": "watched",
    "gone_if": "watched",
    "spent_if": "watched",
}


@dataclass(frozen=True, slots=True)
class WrittenPosting:
    """One posting that the file writes: to which kinds' stat, and how; `rule` is the rule that makes it, if any."""

    path: Path
    owners: tuple[str, ...]
    stat: str
    mode: str
    amount: Formula | None
    rule: Rule | None

    @property
    def amount_text(self) -> str:
        """The amount as the file has it, whole numbers without a decimal."""
        return re.sub(r"(?<=\d)\.0\b", "", str(self.amount))

    @property
    def direction(self) -> int:
        """1 for a gain, -1 for a loss, 0 where that depends."""
        if self.mode in ("fill", "empty"):
            return 1 if self.mode == "fill" else -1
        number = self.amount.number if self.amount is not None else None
        sign = 1 if number is None or number >= 0 else -1
        return {"add": sign, "subtract": -sign}.get(self.mode, 0)


@dataclass(frozen=True, slots=True)
class ConditionFact:
    """A condition of the file; `owners` are the kinds that it is asked of as self (the world: none)."""

    path: Path
    formula: Formula
    kind: ConditionKind
    owners: tuple[str, ...]


@dataclass(frozen=True)
class Facts:
    """All that is known of a game file by looking at it."""

    game: PlayableGame
    parts: tuple[tuple[Path, Any], ...] = field(repr=False)

    @cached_property
    def effects(self) -> Effects:
        """What the program may do to its accounts, and between which values they lie."""
        lowered = self.game.lowered
        return effects_of(lowered.program, [item.procedure for test in lowered.playtests for item in test.script])

    def between(self, path: Path, formula: Formula) -> Between:
        """Between which values a formula at a place of the file lies."""
        if formula.number is not None:
            return one(formula.number)
        return self.effects.bounds.formula(path) or ANY

    def account_between(self, owner: str, stat: str) -> Between:
        """Between which values a stat of a kind lies, as formulas read it."""
        program = self.game.lowered.program
        if stat not in program.account_index or any(stat in status.changes for status in program.statuses):
            return ANY
        bounds: Between | None = None
        for entity in self._entities(owner):
            bounds = joined(bounds, self.effects.bounds.account(stat, entity))
        return bounds or ANY

    def room(self, owner: str, stat: str) -> Between:
        """What the limits of a stat let through."""
        limits: Between | None = None
        for entity in self._entities(owner):
            limits = joined(limits, self.effects.bounds.limit(stat, entity))
        return limits or ANY

    def _entities(self, owner: str) -> list[int]:
        return list(self.cast.members[owner].entities) if owner else [0]

    def effects_on(self, owner: str, stat: str) -> list[Effect]:
        """The places of the program that post to a stat of a kind, its opening and playtests left out."""
        entities = self._entities(owner)
        return [
            effect
            for effect in self.effects.postings
            if effect.stat == stat
            and effect.mode != "open"
            and effect.triggers != {Trigger("outside")}
            and any(first <= entity < first + count for first, count in effect.owners for entity in entities)
        ]

    @cached_property
    def cast(self) -> Cast:
        """The kinds with `like` written out."""
        return self.game.lowered.program.cast

    @cached_property
    def stats(self) -> dict[tuple[str, str], tuple[Path, Stat]]:
        """All stats of kinds that can be there and of the world: (owner, stat) → (path, model)."""
        known: dict[tuple[str, str], tuple[Path, Stat]] = {
            (WORLD, name): (("stats", name), stat) for name, stat in self.game.stats.items()
        }
        for member in self.cast.members.values():
            if not member.room:
                continue
            for name, stat in member.kind.stats.items():
                known[member.name, name] = (self._stat_path(member.family, name), stat)
        return known

    def _stat_path(self, family: tuple[str, ...], name: str) -> Path:
        """Where a stat of a kind is written: in the kind itself, or in one that it is like."""
        for kind in family:
            if name in self.game.kinds[kind].stats:
                return ("kinds", kind, "stats", name)
        return ("kinds", family[0])

    @cached_property
    def changes(self) -> tuple[WrittenPosting, ...]:
        """All postings of rules, attacks, actions and statuses."""
        return tuple(self._changes())

    def _changes(self) -> Iterator[WrittenPosting]:
        for path, part in self.parts:
            if isinstance(part, PostDo) and path[0] != "playtests":
                yield self._change(path, part.post)
        for name, kind in self.game.kinds.items():
            for rule in [kind.lives.rule] if kind.lives else []:
                for item in rule.do:
                    if isinstance(item, PostDo):
                        yield self._change(("kinds", name, "lives"), item.post)

    def _change(self, path: Path, posting: PostingText) -> WrittenPosting:
        rule = self.rule_at(path)
        owners, stat = self.target(path, posting.target)
        return WrittenPosting(path, owners, stat, posting.mode, posting.amount, rule)

    def rule_at(self, path: Path) -> Rule | None:
        """The rule that a path is in."""
        if path[0] == "rules" and len(path) > 1:
            return self.game.rules[int(path[1])]
        if path[0] == "kinds" and len(path) > 3 and path[2] == "rules":
            return self.game.kinds[str(path[1])].rules[int(path[3])]
        return None

    def carried_out_with(self, path: Path) -> set[Path]:
        """A rule, the rules that hear a cue which it alone gives, and the branches of lots which it alone draws."""
        paths, todo = {path}, [path]
        while todo:
            for further in self._sets_off.get(todo.pop(), ()):
                if self._set_off_by[further] == 1 and further not in paths:
                    paths.add(further)
                    todo.append(further)
        return paths

    @cached_property
    def _sets_off(self) -> dict[Path, set[Path]]:
        """By the path of a rule or branch: the rules that hear its cues, and the branches of the lots that it draws."""
        rules = [(path, part) for path, part in self.parts if isinstance(part, Rule)]
        hears: dict[str, list[Path]] = {}
        for path, rule in rules:
            for cue in (cue for when in rule.when for cue in when.cue or []):
                hears.setdefault(cue, []).append(path)
        lots = self.game.lots
        sources = [path for path, _ in rules] + [("lots", lot, "of", name) for lot in lots for name in lots[lot].of]
        found: dict[Path, set[Path]] = {}
        for path, part in self.parts:
            source = next((one for one in sources if path[: len(one)] == one), path[:2])
            if isinstance(part, CueDo):
                found.setdefault(source, set()).update(hears.get(part.cue, ()))
            elif isinstance(part, LotDo) and part.lot in lots:
                found.setdefault(source, set()).update(("lots", part.lot, "of", name) for name in lots[part.lot].of)
        return found

    @cached_property
    def _set_off_by(self) -> Counter[Path]:
        """How many rules, branches, actions and attacks set each of them off."""
        return Counter(path for paths in self._sets_off.values() for path in paths)

    def owners_at(self, path: Path) -> tuple[str, ...]:
        """The kinds that are self at a place of the file; none for the world."""
        section, name = path[0], str(path[1]) if len(path) > 1 else ""
        game = self.game
        names: list[str] = []
        if section == "kinds":
            names = [name]
        elif section == "attacks" and name in game.attacks:
            names = game.attacks[name].from_
        elif section == "actions" and name in game.actions:
            names = game.actions[name].by
        elif section == "habits" and name in game.habits:
            names = game.habits[name].by
        elif section == "statuses":
            return tuple(self.cast.members)
        return tuple(member.name for member in self.cast.families(names) if member.room)

    def target(self, path: Path, tree: ast.expr) -> tuple[tuple[str, ...], str]:
        """The kinds and the stat that an expression like `other.health` means."""
        if isinstance(tree, ast.Name):
            owners = tuple(name for name in self.owners_at(path) if (name, tree.id) in self.stats)
            return owners or (WORLD,), tree.id
        if isinstance(tree, ast.Attribute):
            holder = tree.value.value if isinstance(tree.value, ast.Subscript) else tree.value
            name = holder.id if isinstance(holder, ast.Name) else ""
            having = tuple(member.name for member in self.cast.with_stat(tree.attr) if member.room)
            if name == "self":
                return tuple(n for n in self.owners_at(path) if n in having) or having, tree.attr
            if name in self.cast.members:
                family = {member.name for member in self.cast.family(name)}
                return tuple(n for n in having if n in family), tree.attr
            return having, tree.attr
        return (), ""

    def changes_of(self, owner: str, stat: str) -> list[WrittenPosting]:
        """The postings to a stat."""
        return [change for change in self.changes if change.stat == stat and owner in change.owners]

    @cached_property
    def layers(self) -> dict[tuple[str, str], list[str]]:
        """The stats that take damage: (kind, stat) → the attacks that can reach it."""
        struck: dict[tuple[str, str], list[str]] = {}
        program = self.game.lowered.program
        for effect in self.effects.postings:
            for member in self.cast.members.values():
                if effect.within == defend(member.name) and effect.amount.low < 0.0:
                    names = [program.causes[number].name for number in sorted(effect.causes)]
                    known = struck.setdefault((member.name, effect.stat), [])
                    known += [name for name in names if name not in known]
        return struck

    def is_lowered(self, owner: str, stat: str) -> bool:
        """Whether something takes from a stat."""
        falls = any(self.effects.flows(stat, entity)[1] for entity in self._entities(owner))
        return falls or any(effect.takes for effect in self.effects_on(owner, stat))

    def is_changed(self, owner: str, stat: str) -> bool:
        """Whether anything moves a stat."""
        moves = any(any(self.effects.flows(stat, entity)) for entity in self._entities(owner))
        return moves or bool(self.effects_on(owner, stat))

    def is_paid_with(self, owner: str, stat: str) -> bool:
        """Whether actions or attacks cost of a stat."""
        program = self.game.lowered.program
        sorts = {
            program.causes[number].sort
            for effect in self.effects_on(owner, stat)
            if effect.mode == "add" and effect.amount.high <= 0.0
            for number in effect.causes
        }
        return bool(sorts & {"action", "attack"})

    @cached_property
    def read_names(self) -> frozenset[str]:
        """Every name and attribute that any formula, readout, measure or ending of the file reads."""
        names: set[str] = set()
        for path, part in self.parts:
            tree = part.tree if isinstance(part, Formula) else None
            if tree is not None and path[0] != "variants":
                names |= _names(tree)
            if isinstance(part, PostingText) and part.amount is not None:
                names |= _names(part.amount.tree)
            if isinstance(part, str):
                names |= _words(part)
        return frozenset(names)

    @cached_property
    def conditions(self) -> tuple[ConditionFact, ...]:
        """All conditions of rules, endings, levels, actions, attacks and habits."""
        facts = []
        for path, part in self.parts:
            if not isinstance(part, Formula) or path[0] in ("playtests", "measures", "targets"):
                continue
            keys = [str(key) for key in path if not isinstance(key, int)]
            key = keys[-1]
            if key in _CONDITIONS:
                kind = "watched" if path[0] == "endings" or "endings" in path[2:3] else _CONDITIONS[key]
                facts.append(ConditionFact(path, part, kind, self.owners_at(path)))
        return tuple(facts)

    def names_in(self, formula: Formula) -> set[str]:
        """The names and attributes in a formula, and in the worked out stats that it reads."""
        names = _names(formula.tree)
        todo = list(names)
        models = {stat: model for (_, stat), (_, model) in self.stats.items() if model.formula is not None}
        while todo:
            model = models.get(todo.pop())
            if model is not None and model.formula is not None:
                more = _names(model.formula.tree) - names
                names |= more
                todo += more
        return names

    def written_out(self, fact: ConditionFact) -> Formula:
        """A condition with the values that its rule works out first (`let`) in their places."""
        rule = self.rule_at(fact.path)
        let = {name: formula.tree for name, formula in rule.let.items()} if rule is not None and rule.let else {}
        tree = _Let(let).visit(copy.deepcopy(fact.formula.tree)) if let else fact.formula.tree
        return parse_formula(ast.unparse(tree)) if let else fact.formula

    @cached_property
    def triggers(self) -> tuple[When, ...]:
        """What sets rules off."""
        return tuple(part for _, part in self.parts if isinstance(part, When))

    @cached_property
    def given_statuses(self) -> set[str]:
        """The statuses that rules, attacks, actions or scripts of playtests give."""
        given = {part.give for _, part in self.parts if isinstance(part, GiveDo)}
        return given | {action.during for action in self.game.actions.values() if action.during is not None}

    def name(self, path: Path) -> str:
        """What people call a place of the file."""
        return path_name(path, self.game.source.data)

    def account(self, owner: str, stat: str) -> str:
        """What people call a stat of a kind."""
        return f"{owner}.{stat}" if owner else stat


class _Let(ast.NodeTransformer):
    """Puts in formulas for names, over and over, as one may build on another."""

    def __init__(self, let: dict[str, ast.expr]) -> None:
        self.let = let

    def visit_Name(self, node: ast.Name) -> ast.expr:
        if node.id not in self.let:
            return node
        rest = {name: tree for name, tree in self.let.items() if name != node.id}
        inner: ast.expr = _Let(rest).visit(copy.deepcopy(self.let[node.id]))
        return inner


def look_at(game: PlayableGame) -> Facts:
    """Look at a game file; see `Facts`."""
    return Facts(game, tuple(_walk(game, ())))


def _walk(value: Any, path: Path) -> Iterator[tuple[Path, Any]]:
    if isinstance(value, (Formula, PostingText, str)):
        yield path, value
    elif isinstance(value, Part):
        if path:
            yield path, value
        fields = type(value).model_fields
        for name in fields:
            if name in value.model_fields_set:
                key = fields[name].alias or name
                yield from _walk(getattr(value, name), (*path, key))
    elif isinstance(value, dict):
        for key, item in value.items():
            yield from _walk(item, (*path, key))
    elif isinstance(value, (list, tuple)):
        for index, item in enumerate(value):
            yield from _walk(item, (*path, index))


def _names(tree: ast.AST) -> set[str]:
    names = {node.id for node in ast.walk(tree) if isinstance(node, ast.Name)}
    return names | {node.attr for node in ast.walk(tree) if isinstance(node, ast.Attribute)}


def _words(text: str) -> set[str]:
    word, words = "", set()
    for character in text + " ":
        if character.isalnum() or character == "_":
            word += character
        elif word:
            words.add(word)
            word = ""
    return words


__all__ = ["ConditionFact", "Facts", "WrittenPosting", "look_at"]
