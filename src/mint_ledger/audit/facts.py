"""What can be known of a game without playing it: who changes what, what is read, which conditions there are.

All of it comes from the program and from what lowering noted of each place of the file; nothing here reads a formula
or a rule again.
"""

from __future__ import annotations

from collections import Counter
from dataclasses import dataclass
from functools import cached_property

from mint_ledger.facts.between import ANY, Between, joined, one
from mint_ledger.facts.comparisons import AccountComparison, Comparisons, comparisons_of
from mint_ledger.facts.effects import Effect, Effects, Trigger, effects_of
from mint_ledger.formula import Formula
from mint_ledger.game.cast import Cast
from mint_ledger.game.paths import path_name
from mint_ledger.game.stat import Stat
from mint_ledger.journal.wording import number
from mint_ledger.lowering.handles import defend
from mint_ledger.lowering.lower import lower
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.lowering.sites import FormulaSite, PostingSite, RuleSite, Sites, StatOf, StepSort
from mint_ledger.program.handle import Path
from mint_ledger.studies.estimate import measured

WORLD = ""
# What is asked of a run from outside.
_NOT_OF_THE_GAME = ("playtests", "measures", "targets", "script")


@dataclass(frozen=True)
class Facts:
    """All that is known of a game by looking at it."""

    game: PlayableGame

    @cached_property
    def sites(self) -> Sites:
        """Return what stands at each place of the file, what the targets measure among it."""
        texts = [text for target in self.game.targets for text in measured(self.game, target.measure)]
        if not texts:
            return self.game.lowered.sites
        return lower(self.game, measures={f"target_{index}": text for index, text in enumerate(texts)}).sites

    # Between which values

    @cached_property
    def effects(self) -> Effects:
        """Return what the program may do to its accounts, and between which values they lie."""
        lowered = self.game.lowered
        return effects_of(lowered.program, [item.procedure for test in lowered.playtests for item in test.script])

    def between(self, path: Path, formula: Formula) -> Between:
        """Between which values a formula at a place of the file lies."""
        if formula.number is not None:
            dials = self.game.lowered.program.dials
            index = dials.at(path)
            return one(formula.number if index is None else dials.numbers[index])
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
        """Return what the limits of a stat let through."""
        limits: Between | None = None
        for entity in self._entities(owner):
            limits = joined(limits, self.effects.bounds.limit(stat, entity))
        return limits or ANY

    def _entities(self, owner: str) -> list[int]:
        return list(self.cast.members[owner].entities) if owner else [0]

    # Who changes what

    @cached_property
    def cast(self) -> Cast:
        """The kinds with `like` written out."""
        return self.game.lowered.program.cast

    @cached_property
    def stats(self) -> dict[StatOf, tuple[Path, Stat]]:
        """All stats of kinds that can be there and of the world: (owner, stat) → (path, model)."""
        known: dict[StatOf, tuple[Path, Stat]] = {
            (WORLD, name): (("stats", name), stat) for name, stat in self.game.stats.items()
        }
        for member in self.cast.members.values():
            if not member.room:
                continue
            for name, stat in member.kind.stats.items():
                known[member.name, name] = (self._stat_path(member.family, name), stat)
        return known

    def _stat_path(self, family: tuple[str, ...], name: str) -> Path:
        """Return where a stat of a kind is written: in the kind itself, or in one that it is like."""
        for kind in family:
            if name in self.game.kinds[kind].stats:
                return ("kinds", kind, "stats", name)
        return ("kinds", family[0])

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
    def changes(self) -> tuple[PostingSite, ...]:
        """All postings that the file writes, in rules, attacks, actions, statuses and lots."""
        return tuple(site for site in self.sites.postings.values() if site.path[0] not in _NOT_OF_THE_GAME)

    def changes_of(self, owner: str, stat: str) -> list[PostingSite]:
        """The postings to a stat."""
        return [change for change in self.changes if change.stat == stat and owner in change.owners]

    def direction(self, change: PostingSite) -> int:
        """1 for a gain, -1 for a loss, 0 where that depends."""
        if change.mode in ("fill", "empty"):
            return 1 if change.mode == "fill" else -1
        if change.mode not in ("add", "subtract") or change.amount is None:
            return 0
        # What may be either is taken for what is written.
        sign = -1 if self.between(change.path, change.amount).high < 0.0 else 1
        return sign if change.mode == "add" else -sign

    def amount_text(self, change: PostingSite) -> str:
        """The amount as the file has it."""
        if change.amount is None:
            return change.mode
        return str(change.amount) if change.amount.number is None else number(self.amount_of(change))

    def amount_of(self, change: PostingSite) -> float:
        """The number that a posting adds or sets, where it is one."""
        assert change.amount is not None
        return self.between(change.path, change.amount).low

    @cached_property
    def layers(self) -> dict[StatOf, list[str]]:
        """The stats that take damage: (kind, stat) → the attacks that can reach it."""
        struck: dict[StatOf, list[str]] = {}
        program = self.game.lowered.program
        for effect in self.effects.postings:
            for member in self.cast.members.values():
                if effect.within == defend(member.name) and effect.amount.low < 0.0:
                    names = [program.causes[number].name for number in sorted(effect.causes)]
                    known = struck.setdefault((member.name, effect.stat), [])
                    known += [name for name in names if name not in known]
        return struck

    def is_lowered(self, owner: str, stat: str) -> bool:
        """Return whether something takes from a stat."""
        falls = any(self.effects.flows(stat, entity)[1] for entity in self._entities(owner))
        return falls or any(effect.takes for effect in self.effects_on(owner, stat))

    def is_changed(self, owner: str, stat: str) -> bool:
        """Return whether anything moves a stat."""
        moves = any(any(self.effects.flows(stat, entity)) for entity in self._entities(owner))
        return moves or bool(self.effects_on(owner, stat))

    def is_paid_with(self, owner: str, stat: str) -> bool:
        """Return whether actions or attacks cost of a stat."""
        program = self.game.lowered.program
        sorts = {
            program.causes[number].sort
            for effect in self.effects_on(owner, stat)
            if effect.mode == "add" and effect.amount.high <= 0.0
            for number in effect.causes
        }
        return bool(sorts & {"action", "attack"})

    # Who reads what

    @cached_property
    def conditions(self) -> tuple[FormulaSite, ...]:
        """All conditions of the game: of rules, endings, levels, actions, attacks and habits."""
        return tuple(
            site for site in self.sites.formulas.values() if site.asks and site.path[0] not in _NOT_OF_THE_GAME
        )

    def asked_at(self, path: Path) -> list[FormulaSite]:
        """The condition at a path of the file, if one stands there."""
        return [site for site in self.conditions if site.path == path]

    @cached_property
    def edges(self) -> tuple[tuple[RuleSite, FormulaSite], ...]:
        """The conditions that set off a rule as they become true, each with its rule."""
        pairs = ((self.rule_at(site.path), site) for site in self.conditions if site.watched)
        return tuple((rule, site) for rule, site in pairs if rule is not None)

    def read_by(self, path: Path) -> set[StatOf]:
        """The accounts that the formulas below a path of the file read, by kind and stat."""
        below = (site for site in self.sites.formulas.values() if site.path[: len(path)] == path)
        return {account for site in below for account in site.reads}

    @cached_property
    def read_at_all(self) -> set[StatOf]:
        """The accounts that any formula, bar or measure reads."""
        return self.read_by(()) | {account for _, account in self.sites.shown}

    def looked_at(self, account: StatOf) -> bool:
        """Return whether the readout, an ending, a measure or a target reads an account."""
        sections = ("readout", "endings", "measures", "targets")
        if any(path[0] in sections and shown == account for path, shown in self.sites.shown):
            return True
        return any(site.path[0] in sections and account in site.reads for site in self.sites.formulas.values())

    @cached_property
    def comparisons(self) -> Comparisons:
        """Return what the formulas of the file hold accounts against."""
        return comparisons_of(self.game.lowered.program)

    def compared(self, path: Path) -> list[AccountComparison]:
        """Return what the formula at a path holds accounts against."""
        return self.comparisons.by_path.get(path, [])

    # What sets what off

    @cached_property
    def rules(self) -> tuple[RuleSite, ...]:
        """All rules, those of kinds and `lives` among them."""
        return tuple(self.sites.rules.values())

    def rule_at(self, path: Path) -> RuleSite | None:
        """The rule that a path is in."""
        around = (self.sites.rules.get(path[:end]) for end in range(len(path), 0, -1))
        return next((rule for rule in around if rule is not None), None)

    def steps(self, *sorts: StepSort, below: Path = ()) -> list[tuple[Path, str]]:
        """The steps of some sorts below a path, each with what it names."""
        known = self.sites.steps.values()
        return [(site.path, site.what) for site in known if site.sort in sorts and site.path[: len(below)] == below]

    @cached_property
    def given_statuses(self) -> set[str]:
        """The statuses that rules, attacks, actions or scripts of playtests give."""
        return {status for _, status in self.steps("give")}

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
        hears: dict[str, list[Path]] = {}
        for rule in self.rules:
            for trigger, cue in rule.hears:
                if trigger == "cue":
                    hears.setdefault(cue, []).append(rule.path)
        branches: dict[str, list[Path]] = {}
        for cause in self.game.lowered.program.causes:
            if cause.sort == "branch" and cause.path[0] == "lots":
                branches.setdefault(str(cause.path[1]), []).append(cause.path)
        sources = [*self.sites.rules, *(path for paths in branches.values() for path in paths)]
        off: dict[Path, set[Path]] = {}
        for site in self.sites.steps.values():
            source = next((one for one in sources if site.path[: len(one)] == one), site.path[:2])
            if site.sort == "cue":
                off.setdefault(source, set()).update(hears.get(site.what, ()))
            elif site.sort == "lot":
                off.setdefault(source, set()).update(branches.get(site.what, ()))
        return off

    @cached_property
    def _set_off_by(self) -> Counter[Path]:
        """Return how many rules, branches, actions and attacks set each of them off."""
        return Counter(path for paths in self._sets_off.values() for path in paths)

    # What people call it

    def name(self, path: Path) -> str:
        """Return what people call a place of the file."""
        return path_name(path, self.game.source.data)

    def account(self, owner: str, stat: str) -> str:
        """Return what people call a stat of a kind."""
        return f"{owner}.{stat}" if owner else stat


def look_at(game: PlayableGame) -> Facts:
    """Look at a game; see `Facts`."""
    return Facts(game)


__all__ = ["WORLD", "Facts", "look_at"]
