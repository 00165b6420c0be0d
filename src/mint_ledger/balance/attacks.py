"""Damage per second of each attack: alone, as its duels are fought, and as achieved in play; and what a point costs.

Alone it is an endless fight with a target that never falls: costs, cooldowns, wind-ups, misses and defenses as played.
In play it is the damage that was dealt over the time in which whoever has the attack had somebody to strike with it.
Both count what is dealt, that beyond what a target still had included.
"""

from __future__ import annotations

import math
from collections import defaultdict
from collections.abc import Iterable
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

import numpy as np

from mint_ledger import showing
from mint_ledger.balance.duel import endless_rates
from mint_ledger.engines.names import EngineName
from mint_ledger.errors import BadRequest, Partial
from mint_ledger.journal.wording import Words
from mint_ledger.lowering.duel import lower_duels
from mint_ledger.lowering.measure import Reading
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.playing.setting import Setting
from mint_ledger.program.row import WHAT_CODES
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import Estimate, clustered_share, mean_of, plain, ratio
from mint_ledger.studies.journals import VALUES, Floats, Integers, Journals, journals

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

COLUMNS = {
    "attack": "the attack",
    "attacker": "the kind that strikes with it",
    "target": "the kind that it struck; empty for all of them together",
    "at_first": "the damage a second (or turn) that it deals alone to what never falls, in the first ten of them",
    "could": "the same for long; both are empty where nothing says how often it strikes",
    "did": "the damage a second that it dealt in play while somebody was in reach",
    "did_low": "the lower end of its interval (95 % by default)",
    "did_high": "the upper end of it",
    "reach": "how long somebody was in reach, on average of the runs; of several who strike, all of them together",
    "dealt": "the damage that it dealt, on average of the runs",
    "arrived": "how much of that the target still had to lose",
    "strikes": "how often it struck, on average of the runs",
    "lands": "the share of the strikes that landed",
    "cost": "what was paid for it: a stat, or the thing that is used up; empty in the rows of what it dealt",
    "each": "how much of that was paid for a point of damage that arrived",
    "each_low": "the lower end of its interval",
    "each_high": "the upper end of it",
}
POSTING, HIT, MISS, DODGE, GONE = (WHAT_CODES[what] for what in ("posting", "hit", "miss", "dodge", "gone"))
# Where the damage stands among the values of a row that tells a hit.
DAMAGE = VALUES + 5
TIME = "time"
Rates = tuple[Estimate, Estimate]
"""The damage a second in the first ten seconds, and for long."""


@dataclass(frozen=True, eq=False)
class AttackInPlay:
    """One attack of one kind.

    Attributes:
        reach: how long somebody was in reach, shape (runs,), in seconds or turns.
        dealt: target kind → the damage dealt to it, shape (runs,); `arrived` what of it the target had to lose.
        strikes: how often it struck, shape (runs,), and `landed` how often it landed.
        paid: what was paid for it → how much, shape (runs,).
        actions: those in which a player strikes with it, which pay for it as well.
        alone: target kind → the damage a second of an endless duel with it, in its first ten seconds and for long.
    """

    attack: str
    attacker: str
    reach: Floats
    dealt: dict[str, Floats]
    arrived: dict[str, Floats]
    strikes: Floats
    landed: Floats
    paid: dict[str, Floats]
    actions: tuple[str, ...]
    alone: dict[str, Rates]
    sure: float

    def damage(self, target: str | None = None) -> Estimate:
        """The damage that it dealt, on average of the runs; to one kind, or to all."""
        return mean_of(self._dealt(target).tolist(), self.sure)

    def did(self, target: str | None = None) -> Estimate | None:
        """The damage a second that it dealt while somebody was in reach; none where nobody ever was."""
        if not self.reach.sum() > 0.0:
            return None
        return ratio(self._dealt(target).tolist(), self.reach.tolist(), self.sure)

    def could(self, target: str | None = None, *, at_first: bool = False) -> float | None:
        """The damage a second that it deals alone, for long or in the first ten seconds.

        Against several kinds it is by what it dealt to each of them. None where nothing says how often it strikes.
        """
        if target is not None:
            known = self.alone.get(target)
            return known[0 if at_first else 1].value if known is not None else None
        weights = {name: float(points.sum()) for name, points in self.dealt.items()}
        names = weights if sum(weights.values()) else self.alone
        rates = {name: self.could(name, at_first=at_first) for name in names}
        if not rates or any(not rate for rate in rates.values()):
            return None
        # As long as it takes, alone, to deal to each what it dealt.
        each = {name: weights.get(name, 0.0) or 1.0 for name in rates}
        return sum(each.values()) / sum(points / (rates[name] or 1.0) for name, points in each.items())

    @property
    def wasted(self) -> float | None:
        """The share of what it dealt that went beyond what targets still had."""
        dealt = float(self._dealt(None).sum())
        return 1.0 - float(sum(self.arrived.values(), np.zeros(1)).sum()) / dealt if dealt else None

    @property
    def lands(self) -> Estimate | None:
        """The share of its strikes that landed; none where it never struck."""
        if not self.strikes.sum():
            return None
        return clustered_share(self.landed.astype(int).tolist(), self.strikes.astype(int).tolist(), self.sure)

    def costs(self) -> dict[str, Estimate]:
        """Return what a point of damage that arrived cost: each stat that was paid, and the time in reach."""
        arrived = sum(self.arrived.values(), np.zeros(len(self.reach)))
        if not arrived.sum() > 0.0:
            return {}
        paid = {name: points for name, points in self.paid.items() if points.any()}
        return {
            name: ratio(points.tolist(), arrived.tolist(), self.sure)
            for name, points in {**paid, TIME: self.reach}.items()
        }

    def _dealt(self, target: str | None) -> Floats:
        if target is not None:
            return self.dealt.get(target, np.zeros(len(self.reach)))
        return np.asarray(sum(self.dealt.values(), np.zeros(len(self.reach))))


@dataclass(frozen=True, eq=False, repr=False)
class Attacks(Result):
    """All attacks of a game, each by the kinds that strike with it."""

    title: str
    unit: str
    runs: int
    seed: int
    sure: float
    attacks: tuple[AttackInPlay, ...]

    def of(self, attack: str, attacker: str | None = None) -> AttackInPlay:
        """One of them; of the only kind that has it, or of one that is named.

        Raises:
            BadRequest: there is none, or several kinds have it.
        """
        found = [a for a in self.attacks if a.attack == attack and attacker in (None, a.attacker)]
        if len(found) != 1:
            known = ", ".join(f"{a.attack} of {a.attacker}" for a in self.attacks)
            raise BadRequest(f"there is not one '{attack}' here; there are {known or 'none'}")
        return found[0]

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row for each attack, for each kind that it struck, and for each of its costs; columns: `COLUMNS`."""
        import pandas as pd

        return pd.DataFrame([row for attack in self.attacks for row in _rows(attack)], columns=list(COLUMNS))

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("attacks_text.attacks_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Draw what each could do and did, and what it dealt to whom."""
        return showing.figure("attacks_plot.plot_attacks", self, ax=ax)

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "unit": self.unit,
            "runs": self.runs,
            "seed": self.seed,
            "sure": self.sure,
            "attacks": [
                {
                    "attack": a.attack,
                    "attacker": a.attacker,
                    "actions": list(a.actions),
                    "at_first": a.could(at_first=True),
                    "could": a.could(),
                    "did": plain(a.did()),
                    "reach": float(a.reach.mean()),
                    "dealt": plain(a.damage()),
                    "wasted": a.wasted,
                    "strikes": float(a.strikes.mean()),
                    "lands": plain(a.lands),
                    "targets": {
                        name: {
                            "at_first": a.could(name, at_first=True),
                            "could": a.could(name),
                            "dealt": plain(a.damage(name)),
                        }
                        for name in a.dealt
                    },
                    "a_point_costs": {name: plain(cost) for name, cost in a.costs().items()},
                }
                for a in self.attacks
            ],
        }


def _rows(attack: AttackInPlay) -> Iterable[list[Any]]:
    nothing = math.nan
    for target in (None, *attack.dealt):
        did = attack.did(target)
        could = [attack.could(target, at_first=at_first) for at_first in (True, False)]
        told = [did.value, did.low, did.high] if did is not None else [nothing] * 3
        arrived = sum(p.mean() for name, p in attack.arrived.items() if target in (None, name))
        struck = [attack.strikes.mean(), attack.lands.value if attack.lands is not None else nothing]
        yield [
            attack.attack,
            attack.attacker,
            target or "",
            *(nothing if rate is None else rate for rate in could),
            *told,
            attack.reach.mean(),
            attack.damage(target).value,
            arrived,
            *(struck if target is None else [nothing] * 2),
            "",
            *[nothing] * 3,
        ]
    for name, cost in attack.costs().items():
        yield [attack.attack, attack.attacker, "", *[nothing] * 10, name, cost.value, cost.low, cost.high]


def find_attacks(
    game: PlayableGame,
    runs: int,
    setting: Setting,
    engine: EngineName = "auto",
    progress: Progress | None = None,
) -> Attacks:
    """Play a game many times, and tell what each attack does a second, and costs; see `Game.attacks_in_play`."""
    turned = setting.of(game)
    if not turned.lowered.sites.attacks:
        raise BadRequest(f"'{turned.title}' has no attacks that anybody strikes with")
    gathering = _AttackGathering(turned)
    title, done = setting.title(turned), 0
    stopped = False
    try:
        for part in journals(game, runs, setting, engine, progress, gathering.measures):
            gathering.add(part)
            done += len(part)
    except KeyboardInterrupt:
        if not done:
            raise
        stopped = True
    attacks = gathering.attacks(done, setting.sure, alone=_alone(turned, gathering.struck()))
    unit = "turn" if turned.clock.unit == "turn" else "second"
    found = Attacks(title, unit, done, setting.seed, setting.sure, attacks)
    if stopped:
        raise Partial(found, found.runs, runs)
    return found


Key = tuple[str, str]
"""An attack and the kind that strikes with it."""


def _alone(game: PlayableGame, struck: set[tuple[str, str, str]]) -> dict[tuple[str, str, str], Rates]:
    """Return what each attack of a kind deals a second to each kind that it struck, if that never fell.

    Of copies with numbers of their own it is the first.
    """
    duels = lower_duels(game, endless=True)
    found: dict[tuple[str, str, str], Rates] = {}
    for duel in duels.pairs:
        key = (duel.attack, duel.attacker.partition("[")[0], duel.struck.partition("[")[0])
        if key in struck and key not in found:
            rates = endless_rates(duels, duel)
            if rates is not None:
                found[key] = rates
    return found


class _AttackGathering:
    """Adds up the journals of a game's attacks, part after part."""

    def __init__(self, game: PlayableGame) -> None:
        sites = game.lowered.sites
        self.keys: list[Key] = [(a.name, kind) for a in sites.attacks.values() for kind in a.strikers]
        self.measures = {f"reach {n}": f'in_reach("{a}", "{kind}")' for n, (a, kind) in enumerate(self.keys)}
        self.lowered = game.lowered_with(self.measures)
        program = self.program = self.lowered.program
        self.slots = {m.name: m.value.slot for m in self.lowered.measures if isinstance(m.value, Reading)}
        self.seconds = Words(program).seconds(1.0)
        members = (program.cast.member_of(entity) for entity in range(program.cast.size))
        self.kinds = [member.name if member is not None else "" for member in members]
        self.actions = {attack: sites.actions_with(attack) for attack in sites.attacks}
        self.is_of = {kind: np.array([k == kind for k in [*self.kinds, ""]]) for kind in {*self.kinds}}
        self.offsets = np.array([account.column.offset for account in program.accounts] or [0], dtype=np.int64)
        # For each attack its own causes, and those of the actions with it.
        self.causes: dict[str, tuple[tuple[int, ...], tuple[int, ...]]] = {}
        for attack in sites.attacks:
            of_it = tuple(n for n, c in enumerate(program.causes) if (c.sort, c.name) == ("attack", attack))
            acts = [n for n, c in enumerate(program.causes) if c.sort == "action" and c.name in self.actions[attack]]
            self.causes[attack] = of_it, tuple(acts)
        self.layers = {
            (attack.name, kind): {
                account.column.offset + entity
                for account in program.accounts
                if account.stat in layers
                for entity in range(program.cast.size)
                if self.kinds[entity] == kind
            }
            for attack in sites.attacks.values()
            for kind, layers in attack.layers
        }
        self.found: dict[tuple[str, ...], list[Floats]] = defaultdict(list)
        self.sizes: list[int] = []

    def add(self, part: Journals) -> None:
        """Add up the rows of some runs."""
        before = sum(self.sizes)
        self.sizes.append(len(part))
        # Most rows are of other causes, so only those that matter are looked at.
        cause = part.column("cause").astype(np.int64)
        runs = np.repeat(np.arange(len(part)), np.diff(part.starts))
        for attack, (of_it, acts) in self.causes.items():
            own, paid = self._marked(of_it)[cause], self._marked(acts)[cause]
            self._add_strikes(attack, part, np.flatnonzero(own), runs)
            self._add_costs(attack, part, np.flatnonzero(own | paid), runs, before)
        for number, key in enumerate(self.keys):
            slot = self.slots[f"reach {number}"]
            total, held, since = part.states[:, slot : slot + 3].T
            self.found["reach", *key].append((total + held * (part.steps - since)) * self.seconds)

    def _marked(self, causes: tuple[int, ...]) -> Any:
        """A flag for each cause, and a last one for rows that have none."""
        marked = np.zeros(len(self.program.causes) + 1, dtype=bool)
        marked[list(causes)] = True
        return marked

    def _add_strikes(self, attack: str, part: Journals, rows: Integers, runs: Integers) -> None:
        """What the strikes of an attack came to."""
        what, run_of, count = part.column("what")[rows], runs[rows], len(part)
        entity, by = (part.column(name)[rows].astype(np.int64) for name in ("entity", "by"))
        change = part.column("after")[rows] - part.column("before")[rows]
        damage, ones = part.rows[rows, DAMAGE], np.ones(len(rows))
        hits = what == HIT
        struck = hits | (what == MISS) | (what == DODGE)
        posted = (what == POSTING) & (change < 0.0) & (entity != by)
        slots = self.offsets[part.column("stat")[rows].astype(np.int64)] + entity
        for kind in (kind for name, kind in self.keys if name == attack):
            mine = self.is_of[kind][by]
            self._sum(("landed", attack, kind), run_of, hits & mine, ones, count)
            self._sum(("strikes", attack, kind), run_of, struck & mine, ones, count)
            for (name, target), layers in self.layers.items():
                if name == attack:
                    at = hits & mine & self.is_of[target][entity]
                    self._sum(("dealt", attack, kind, target), run_of, at, damage, count)
                    took = posted & mine & np.isin(slots, list(layers))
                    self._sum(("arrived", attack, kind, target), run_of, took, -change, count)

    def _add_costs(self, attack: str, part: Journals, rows: Integers, runs: Integers, before: int) -> None:
        """What was paid for an attack, by itself and by the actions with it; things that were used up."""
        what, run_of, count = part.column("what")[rows], runs[rows], len(part)
        entity, by, stat = (part.column(name)[rows].astype(np.int64) for name in ("entity", "by", "stat"))
        change = part.column("after")[rows] - part.column("before")[rows]
        paid = (what == POSTING) & (change < 0.0) & ((entity == by) | (entity == 0))
        for kind in (kind for name, kind in self.keys if name == attack):
            mine = self.is_of[kind][by]
            for number in np.unique(stat[paid & mine]):
                name = self.program.accounts[number].stat
                self._sum(("paid", attack, kind, name), run_of, paid & mine & (stat == number), -change, count, before)
            spent = (what == GONE) & self.is_of[kind][entity]
            if spent.any():
                self._sum(("paid", attack, kind, kind), run_of, spent, np.ones(len(rows)), count, before)

    def _sum(
        self, key: tuple[str, ...], run_of: Integers, at: Any, amounts: Floats, runs: int, before: int | None = None
    ) -> None:
        """Add some amounts up for each run; what was not met before is 0 in earlier runs."""
        known = self.found[key]
        if before is not None and sum(map(len, known)) < before:
            known.append(np.zeros(before - sum(map(len, known))))
        known.append(np.bincount(run_of[at], amounts[at], runs).astype(float))

    def struck(self) -> set[tuple[str, str, str]]:
        """Which attacks of which kinds ever dealt damage to whom; of those that never did, whom they may strike."""
        dealt = {(k[1], k[2], k[3]) for k, parts in self.found.items() if k[0] == "dealt" and any(map(np.any, parts))}
        idle = [key for key in self.keys if key not in {(attack, kind) for attack, kind, _ in dealt}]
        return dealt | {
            (attack, kind, target) for attack, kind in idle for name, target in self.layers if name == attack
        }

    def attacks(self, runs: int, sure: float, alone: dict[tuple[str, str, str], Rates]) -> tuple[AttackInPlay, ...]:
        """All attacks, those that dealt most first."""

        def of(*key: str) -> Floats:
            known = np.concatenate([*self.found.get(key, []), np.zeros(0)])
            return np.append(known, np.zeros(runs - len(known)))

        told = []
        for attack, kind in self.keys:
            targets = [target for (name, target) in self.layers if name == attack]
            dealt = {target: of("dealt", attack, kind, target) for target in targets}
            told.append(
                AttackInPlay(
                    attack,
                    kind,
                    of("reach", attack, kind),
                    {target: points for target, points in dealt.items() if points.any()},
                    {target: of("arrived", attack, kind, target) for target in targets if dealt[target].any()},
                    of("strikes", attack, kind),
                    of("landed", attack, kind),
                    {k[3]: of(*k) for k in self.found if k[0] == "paid" and k[1:3] == (attack, kind)},
                    self.actions[attack],
                    {t: m for (a, k, t), m in alone.items() if (a, k) == (attack, kind)},
                    sure,
                )
            )
        return tuple(sorted(told, key=lambda a: -a.damage().value))
