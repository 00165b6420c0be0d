"""What stands at each place of the file, as the game was lowered: who is meant, what is posted to, read and set off.

It is noted where lowering decides it, so that nobody who judges a game has to read the file again.
"""

from __future__ import annotations

from collections.abc import Iterable
from dataclasses import dataclass, field, replace
from typing import Literal

from mint_ledger.formula import Formula
from mint_ledger.game.cast import Member
from mint_ledger.program.handle import Path

StatOf = tuple[str, str]
"""(kind, stat); the kind of the game's own stats is empty."""
StepSort = Literal["remove self", "give", "go", "cue", "lot", "spawn", "attack"]


@dataclass(frozen=True, slots=True)
class FormulaSite:
    """A formula of the file.

    Attributes:
        selves: the kinds of which it is asked as self; none where it is asked of the game.
        reads: the accounts that it reads, those among them that the stats it reads are worked out of.
        asks: whether it is a condition.
        watched: whether it is looked at all the time, to set something off.
        either: whether it is written as several cases, with `or`.
    """

    path: Path
    formula: Formula
    selves: tuple[str, ...]
    reads: frozenset[StatOf]
    asks: bool
    watched: bool
    either: bool


@dataclass(frozen=True, slots=True)
class Seen:
    """What formulas at a place of the file can say.

    Attributes:
        selves: the kinds that `self` may be, and `others` those that `other` may be.
        lets: names that are known there alone.
        cue: the values of the cue that set it off, and `hit` those of the hit.
    """

    selves: tuple[str, ...] = ()
    others: tuple[str, ...] = ()
    lets: tuple[str, ...] = ()
    cue: tuple[str, ...] = ()
    hit: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class Meant:
    """What a name in a formula means: a stat of some kinds or of the game, a number, a kind, a value and more."""

    sort: Literal["stat", "number", "kind", "let", "word"]
    name: str
    owners: tuple[str, ...] = ()


@dataclass(frozen=True, slots=True)
class PostingSite:
    """A posting that the file writes: to which kinds' stat (or the game's), and how.

    Attributes:
        owners: the kinds whose stat it is; "" for the game.
        mode: as a posting is written: add, subtract, set, multiply, divide, fill, empty; `text` is all of it.
        selves: the kinds that do it, and `others` those that it is done to.
    """

    path: Path
    owners: tuple[str, ...]
    stat: str
    mode: str
    amount: Formula | None
    text: str
    selves: tuple[str, ...]
    others: tuple[str, ...]


@dataclass(frozen=True, slots=True)
class StepSite:
    """Another step of a `do`, and what it names: the status given, the level gone to, the cue, lot, kind or attack."""

    path: Path
    sort: StepSort
    what: str


@dataclass(frozen=True, slots=True)
class RuleSite:
    """A rule.

    Attributes:
        selves: the kinds that have it; none for a rule of the game.
        hears: what sets it off: the trigger as it is written, and each thing that it names.
        spaced: whether something holds it back from coming again and again: a cooldown, `at_most`, chance.
        cools_down: whether that is a cooldown, and `comes_once` whether it is `at_most`.
        lets: what it works out first, by name.
    """

    path: Path
    title: str
    selves: tuple[str, ...]
    hears: tuple[tuple[str, str], ...]
    spaced: bool
    cools_down: bool
    comes_once: bool
    lets: tuple[tuple[str, Formula], ...]

    def hears_any(self, *triggers: str) -> bool:
        """Return whether any of some triggers sets it off."""
        return any(trigger in triggers for trigger, _ in self.hears)


@dataclass(frozen=True, slots=True)
class AttackSite:
    """An attack.

    Attributes:
        strikers: the kinds that have it, `targets` those that it may strike.
        in_contact: whether a touch that is held strikes by itself.
        every: how long it takes from one strike to the next where a timer strikes; `cooldown` the least that it takes.
        crit: by how much a critical hit is multiplied.
        skips_safety: whether a safe time keeps nothing of it off.
        layers: for each kind that it may strike, the stats that its damage goes through.
    """

    name: str
    strikers: tuple[str, ...]
    targets: tuple[str, ...]
    damage: Formula | None
    in_contact: bool
    every: Formula | None
    cooldown: Formula | None
    crit: Formula | None
    skips_safety: bool
    layers: tuple[tuple[str, tuple[str, ...]], ...]


@dataclass(frozen=True, slots=True)
class ActionSite:
    """An action: the kinds that do it, what it costs them of which stat, and whether it has to cool down.

    `targets` are the kinds that it may be done to; none where it is done to nobody.
    """

    name: str
    doers: tuple[str, ...]
    prices: tuple[tuple[str, Formula], ...]
    cools_down: bool
    targets: tuple[str, ...] = ()

    @property
    def costs(self) -> tuple[str, ...]:
        """The stats that it costs."""
        return tuple(stat for stat, _ in self.prices)


@dataclass(frozen=True, slots=True)
class ActSite:
    """What a habit does, where it may: an action."""

    path: Path
    action: str


@dataclass(frozen=True, slots=True)
class ExtremeSite:
    """A step for each of a kind whose value is the highest or lowest of all, and the attacks that it strikes with."""

    path: Path
    kinds: tuple[str, ...]
    attacks: tuple[str, ...]


@dataclass
class Sites:
    """All places of a game; each is noted once, even if it is lowered several times."""

    formulas: dict[tuple[Path, str], FormulaSite] = field(default_factory=dict)
    postings: dict[tuple[Path, str], PostingSite] = field(default_factory=dict)
    steps: dict[tuple[Path, StepSort], StepSite] = field(default_factory=dict)
    rules: dict[Path, RuleSite] = field(default_factory=dict)
    attacks: dict[str, AttackSite] = field(default_factory=dict)
    actions: dict[str, ActionSite] = field(default_factory=dict)
    # By the name of the habit.
    acts: dict[str, tuple[ActSite, ...]] = field(default_factory=dict)
    # By the name of a habit that chooses at random: the places of the draws by which it does.
    choices: dict[str, tuple[int, ...]] = field(default_factory=dict)
    extremes: dict[Path, ExtremeSite] = field(default_factory=dict)
    # The kinds that are safe for a time after a hit.
    safe_after_hits: set[str] = field(default_factory=set)
    # Where it is asked whose turn it is, and which accounts bars and measures show.
    turns: dict[Path, None] = field(default_factory=dict)
    # The file's own formulas that are called.
    calls: dict[str, None] = field(default_factory=dict)
    shown: dict[tuple[Path, StatOf], None] = field(default_factory=dict)
    seen: dict[Path, Seen] = field(default_factory=dict)
    # By place and text: `keeper.health`, `health`.
    meant: dict[tuple[Path, str], Meant] = field(default_factory=dict)

    def see(self, path: Path, seen: Seen) -> None:
        """Note what formulas at a place can say."""
        known = self.seen.get(path)
        if known is not None and known != seen:
            seen = Seen(*(_joined(getattr(known, name), getattr(seen, name)) for name in Seen.__slots__))
        self.seen[path] = seen

    def mean(self, path: Path, text: str, meant: Meant) -> None:
        """Note what a name means."""
        known = self.meant.get((path, text))
        if known is not None and known.sort == meant.sort:
            meant = replace(known, owners=_joined(known.owners, meant.owners))
        self.meant[path, text] = meant

    def formula(self, site: FormulaSite) -> None:
        """Note a formula."""
        key = (site.path, site.formula.text)
        known = self.formulas.get(key)
        if known is not None:
            site = replace(
                known,
                selves=_joined(known.selves, site.selves),
                reads=known.reads | site.reads,
                asks=known.asks or site.asks,
                watched=known.watched or site.watched,
            )
        self.formulas[key] = site

    def condition(self, path: Path, text: str) -> None:
        """Note that a formula is a condition."""
        if (path, text) in self.formulas:
            self.formulas[path, text] = replace(self.formulas[path, text], asks=True)

    def posting(self, site: PostingSite) -> None:
        """Note a posting."""
        key = (site.path, site.stat)
        known = self.postings.get(key)
        if known is not None:
            site = replace(
                known,
                owners=_joined(known.owners, site.owners),
                selves=_joined(known.selves, site.selves),
                others=_joined(known.others, site.others),
            )
        self.postings[key] = site

    def show(self, path: Path, members: Iterable[Member], stat: str) -> None:
        """Note that a bar or a measure shows an account, of some kinds or (of none) of the game."""
        for owner in names_of(members) or ("",):
            self.shown[path, (owner, stat)] = None

    def actions_with(self, attack: str) -> tuple[str, ...]:
        """The actions in which somebody strikes with an attack, by itself or through a lot that is drawn."""
        steps = [site for site in self.steps.values() if site.sort in ("attack", "lot")]
        holders, found = {("attack", attack)}, set[str]()
        while True:
            above = {site.path[:2] for site in steps if (site.sort, site.what) in holders}
            found |= {str(name) for section, name in above if section == "actions"}
            more = {("lot", str(name)) for section, name in above if section == "lots"} - holders
            if not more:
                return tuple(sorted(found))
            holders |= more

    def step(self, path: Path, sort: StepSort, what: str) -> None:
        """Note a step."""
        self.steps[path, sort] = StepSite(path, sort, what)


def names_of(members: Iterable[Member]) -> tuple[str, ...]:
    """The names of kinds of which there can be any."""
    return tuple(member.name for member in members if member.room)


def _joined(one: tuple[str, ...], other: tuple[str, ...]) -> tuple[str, ...]:
    return tuple(dict.fromkeys((*one, *other)))
