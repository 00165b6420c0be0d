"""Everyone against everyone, from the numbers of attacks and defences: hits and seconds to defeat.

Where an attack's formulas have finitely many values the answer is exact: the distribution of the damage of one hit is
worked out stage by stage, and folded until the target is beaten. Stats are read as they open; nothing recovers between
two hits. Else it is measured, by hits that are given by hand as soon as the target may be hit, and says so.
"""

from __future__ import annotations

import ast
import math
from collections import defaultdict
from collections.abc import Callable, Iterator, Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from typing import TYPE_CHECKING, Any

from mint_ledger.engines.operations import UNARY
from mint_ledger.errors import BadRequest, MintError, NotFound, nearest
from mint_ledger.formula import Formula
from mint_ledger.game.attack import Attack, WhenHit
from mint_ledger.game.cast import Member
from mint_ledger.game.dials import plain_value
from mint_ledger.journal.row import WHATS
from mint_ledger.plain import finite

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.figure import Figure

    from mint_ledger.client import Game

Distribution = dict[float, float]
MOST_VALUES = 20_000
MOST_HITS = 5_000
ENOUGH = 1e-9
MEASURED_RUNS = 40
COLUMNS = {
    "attacker": "whose attack it is",
    "attack": "the attack",
    "target": "the kind that it strikes",
    "lands": "the chance that a swing lands",
    "damage": "the mean damage of a hit that lands, as dealt",
    "least_hits": "the fewest hits that may defeat the target; empty where nothing defeats it",
    "median_hits": "the hits after which half of the fights are over",
    "late_hits": "the hits after which nineteen of twenty are over",
    "median_seconds": "the time after which half are over, misses included; empty where the attack has no period",
    "late_seconds": "the time after which nineteen of twenty are over",
    "per_second": "the mean damage a second (or turn)",
    "effective_health": "how much rolled damage the target withstands",
    "exact": "whether it was worked out; else it was measured",
    "because": "why it was not worked out",
}


class NotExact(Exception):
    """What cannot be worked out, in words."""


@dataclass(frozen=True, slots=True)
class Matchup:
    """One attack of one kind against another.

    Attributes:
        lands: the chance that a swing lands.
        damage: the mean damage of a hit that lands, as dealt.
        hits: the least, the median and the 95th percentile of the hits to defeat; none where nobody is defeated.
        seconds: the median and the 95th percentile of the time to defeat, misses included; none where the attack has
            no period of its own.
        per_second: the mean damage a second.
        effective_health: how much rolled damage the target withstands.
        exact: whether it was worked out, and `because` why it was not.
    """

    attacker: str
    target: str
    attack: str
    lands: float
    damage: float
    hits: tuple[int, int, int] | None
    seconds: tuple[float, float] | None
    per_second: float | None
    effective_health: float | None
    exact: bool
    because: str = ""


@dataclass(frozen=True)
class Matchups:
    """All matchups of a game."""

    title: str
    pairs: tuple[Matchup, ...]

    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a pair: attacker, target, attack, lands, damage, hits, seconds …"""
        import pandas as pd

        return pd.DataFrame([_row(pair) for pair in self.pairs])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The matchups as plain values."""
        return {"title": self.title, "matchups": [_row(pair) for pair in self.pairs]}

    def _repr_html_(self) -> str:
        from mint_ledger.views.notebook import text_html

        return text_html(self.summary())

    def summary(self) -> str:
        """The matchups as a table of text."""
        from mint_ledger.views.matchup_text import matchup_text

        return matchup_text(self)

    def plot(self) -> Figure:
        """The median of the hits to defeat as a heat map; see `views.matchup_plot`."""
        from mint_ledger.views.matchup_plot import plot_matchups

        return plot_matchups(self)

    def __str__(self) -> str:
        return self.summary()


def _row(pair: Matchup) -> dict[str, Any]:
    least, median, late = pair.hits or (None, None, None)
    seconds, late_seconds = pair.seconds or (None, None)
    return {
        "attacker": pair.attacker,
        "attack": pair.attack,
        "target": pair.target,
        "lands": pair.lands,
        "damage": pair.damage,
        "least_hits": least,
        "median_hits": median,
        "late_hits": late,
        "median_seconds": seconds,
        "late_seconds": late_seconds,
        "per_second": pair.per_second,
        "effective_health": pair.effective_health,
        "exact": pair.exact,
        "because": pair.because,
    }


def make_matchups(game: Game) -> Matchups:
    """Work out every attack against every kind that it may strike."""
    return Matchups(game.title, tuple(matchup_of(game, *who) for who in _pairs(game)))


def _pairs(game: Game) -> Iterator[tuple[Member, Member, str]]:
    cast = game.lowered.program.cast
    for name, attack in game.attacks.items():
        if attack.damage is None or attack.damage.number == 0.0:
            continue
        for striker in cast.families(attack.from_):
            for target in cast.families(attack.to):
                same = striker.kind.side is not None and striker.kind.side == target.kind.side
                spared = (attack.spares == "side" and same) or (striker is target and striker.room < 2)
                if striker.room and target.room and not spared:
                    yield striker, target, name


def matchup_of(game: Game, striker: Member, target: Member, name: str) -> Matchup:
    """One attack against one kind: exact where that can be, else measured."""
    try:
        return _Exact(game, striker, target, name).matchup()
    except NotExact as reason:
        return _measured(game, striker, target, name, str(reason))


@dataclass(frozen=True, slots=True)
class Breakpoint:
    """A value of a dial from which on the hits to defeat are others: the least and the median."""

    value: float
    least: int | None
    median: int | None


def breakpoints(game: Game, dial: str, values: Sequence[float], attack: str, target: str) -> list[Breakpoint]:
    """The values of a dial at which the hits to defeat change, the first value included.

    Raises:
        NotFound: there is no such dial, or the attack does not strike such a target.
    """
    found: list[Breakpoint] = []
    for value in values:
        turned = game.with_dials({dial: plain_value(value)})
        pairs = [who for who in _pairs(turned) if who[2] == attack and who[1].name == target]
        if not pairs:
            known = [f"{name} against {whom.name}" for _, whom, name in _pairs(turned)]
            raise NotFound(f"nobody strikes {target} with {attack}{nearest(f'{attack} against {target}', known)}")
        hits = matchup_of(turned, *pairs[0]).hits
        least, median = (hits[0], hits[1]) if hits else (None, None)
        if not found or (found[-1].least, found[-1].median) != (least, median):
            found.append(Breakpoint(value, least, median))
    return found


class _Exact:
    """Works one attack out, stage by stage, as a hit goes through them."""

    def __init__(self, game: Game, striker: Member, target: Member, name: str) -> None:
        self.game = game
        self.striker, self.target, self.name = striker, target, name
        self.attack: Attack = game.attacks[name]
        self.defence = target.kind.when_hit or WhenHit()
        self.skips = set(self.attack.skips or [])

    def matchup(self) -> Matchup:
        """The matchup; raises `NotExact`."""
        assert self.attack.damage is not None
        lands = self._lands()
        rolled = self._rolled()
        dealt = _map(rolled, self._dealt)
        mean = _mean(dealt)
        pool = self._pool()
        hits = _to_defeat(dealt, pool, 1.0) if mean > 0.0 else None
        swings = _to_defeat(dealt, pool, lands) if mean > 0.0 and lands > 0.0 else None
        period, first = self._period()
        safe = self._number(self.defence.safe_for) if self.defence.safe_for is not None else 0.0
        spaced = period is not None and ("safe_for" in self.skips or safe <= period + 1e-9)
        seconds = None
        if swings is not None and period is not None and spaced:
            seconds = tuple(first + (count - 1) * period for count in swings[1:])
        return Matchup(
            attacker=self.striker.name,
            target=self.target.name,
            attack=self.name,
            lands=lands,
            damage=mean,
            hits=hits,
            seconds=(seconds[0], seconds[1]) if seconds is not None else None,
            per_second=mean * lands / period if period is not None and spaced else None,
            effective_health=pool * _mean(rolled) / mean if mean > 0.0 else None,
            exact=True,
        )

    def _lands(self) -> float:
        chance = _clamped(self._number(self.attack.lands)) if self.attack.lands is not None else 1.0
        if self.defence.dodge is not None and "dodge" not in self.skips:
            chance *= 1.0 - _clamped(self._number(self.defence.dodge, of_target=True))
        return chance

    def _rolled(self) -> Distribution:
        """The damage before anything takes from it, crits included."""
        assert self.attack.damage is not None
        rolled = self._values(self.attack.damage.tree)
        crit = self.attack.crit
        if crit is None:
            return rolled
        chance, times = _clamped(self._number(crit.chance)), self._number(crit.times)
        return _joined(lambda a, b: a * b, rolled, {1.0: 1.0 - chance, times: chance} if times != 1.0 else {1.0: 1.0})

    def _dealt(self, damage: float) -> float:
        model = self.defence
        if damage <= 0.0:
            return 0.0
        if model.armor is not None and "armor" not in self.skips:
            damage -= min(self._number(model.armor, of_target=True), damage)
        if self.attack.type in (model.resist or {}) and "resist" not in self.skips:
            damage *= 1.0 - self._number((model.resist or {})[str(self.attack.type)], of_target=True)
        if model.at_least is not None and "at_least" not in self.skips:
            damage = max(damage, self._number(model.at_least, of_target=True))
        if model.at_most is not None and "at_most" not in self.skips:
            damage = min(damage, self._number(model.at_most, of_target=True))
        return max(damage, 0.0)

    def _pool(self) -> float:
        """What has to be taken until the last layer is empty."""
        total = 0.0
        for layer in self.defence.through:
            if layer.share is not None or layer.if_ is not None or not layer.spill:
                raise NotExact(f"the layer {layer.layer} takes a share, or only sometimes")
            stat = self.target.kind.stats[layer.layer]
            low = self._number(stat.min, of_target=True) if stat.min is not None else 0.0
            total += self._start(self.target, layer.layer) - low
        return total

    def _period(self) -> tuple[float | None, float]:
        when = self.attack.when
        if when is None or when.every is None:
            return None, 0.0
        try:
            period = self._number(when.every)
            return period, self._number(when.first) if when.first is not None else period
        except NotExact:
            return None, 0.0

    def _number(self, formula: Formula, *, of_target: bool = False) -> float:
        """A number that does not depend on chance; in what the target has, it is self."""
        if formula.number is not None:
            return formula.number
        sides = (self.target, self.striker) if of_target else (self.striker, self.target)
        found = self._values(formula.tree, *sides)
        if len(found) != 1:
            raise NotExact(f"{formula} depends on chance")
        return next(iter(found))

    def _start(self, member: Member, stat: str) -> float:
        model = member.kind.stats.get(stat)
        kind = self.game.kinds[member.name]
        if isinstance(kind.copies, list) and kind.copies and stat in kind.copies[0]:
            start = kind.copies[0][stat]
        elif model is None or model.start is None:
            raise NotExact(f"{member.name}.{stat} does not open with a number")
        else:
            start = model.start
        if start.number is None:
            raise NotExact(f"{member.name}.{stat} opens with a formula")
        return start.number

    def _values(self, node: ast.expr, me: Member | None = None, other: Member | None = None) -> Distribution:
        """The values of an expression and their chances; raises `NotExact`."""
        me, other = me or self.striker, other or self.target

        def of(part: ast.expr) -> Distribution:
            return self._values(part, me, other)

        match node:
            case ast.Constant(value=bool() | int() | float() as value):
                return {float(value): 1.0}
            case ast.Name(id=name):
                return {self._named(name, me): 1.0}
            case ast.Attribute(value=ast.Name(id=owner), attr=stat):
                return {self._attribute(owner, stat, me, other): 1.0}
            case ast.UnaryOp(op=ast.USub(), operand=operand):
                return _map(of(operand), lambda value: -value)
            case ast.BinOp(op=operator) if type(operator) in _BINARY:
                return _joined(_BINARY[type(operator)], of(node.left), of(node.right))
            case ast.Call(func=ast.Name(id=name), args=arguments):
                return self._call(name, [of(argument) for argument in arguments])
        raise NotExact(f"'{ast.unparse(node)}' is not worked out")

    def _named(self, name: str, me: Member) -> float:
        if name in me.kind.stats:
            return self._start(me, name)
        if name in self.game.numbers:
            return self.game.numbers[name]
        stat = self.game.stats.get(name)
        if stat is not None and stat.start is not None and stat.start.number is not None:
            return stat.start.number
        raise NotExact(f"'{name}' is not known before the game is played")

    def _attribute(self, owner: str, stat: str, me: Member, other: Member) -> float:
        members = self.game.lowered.program.cast.members
        known = {"self": me, "other": other, **members}
        if owner in known:
            return self._start(known[owner], stat)
        raise NotExact(f"'{owner}.{stat}' is not known before the game is played")

    def _call(self, name: str, arguments: list[Distribution]) -> Distribution:
        singles = [next(iter(found)) if len(found) == 1 else None for found in arguments]
        match name:
            case "whole" if len(arguments) == 2 and None not in singles:
                low, high = int(singles[0] or 0.0), int(singles[1] or 0.0)
                return {float(value): 1.0 / (high - low + 1) for value in range(low, high + 1)}
            case "dice" if None not in singles:
                total: Distribution = {0.0: 1.0}
                sides = int(singles[1] or 1.0)
                die = {float(face): 1.0 / sides for face in range(1, sides + 1)}
                for _ in range(int(singles[0] or 0.0)):
                    total = _joined(lambda a, b: a + b, total, die)
                return total
            case "chance" if singles[0] is not None:
                p = _clamped(singles[0])
                return {1.0: p, 0.0: 1.0 - p}
            case "pick":
                mixed: Distribution = defaultdict(float)
                for found in arguments:
                    for value, p in found.items():
                        mixed[value] += p / len(arguments)
                return dict(mixed)
            case "min" | "max":
                chosen: Callable[[float, float], float] = min if name == "min" else max
                result = arguments[0]
                for found in arguments[1:]:
                    result = _joined(chosen, result, found)
                return result
            case "clamp":
                return _joined(min, _joined(max, arguments[0], arguments[1]), arguments[2])
            case "abs" | "floor" | "ceil" | "round" | "sqrt":
                one: Callable[[float], float] = _UNARY[name]
                return _map(arguments[0], one)
        raise NotExact(f"{name}() has endlessly many values" if name in ("between", "normal") else f"{name}()")


_BINARY: Mapping[type[ast.operator], Callable[[float, float], float]] = {
    ast.Add: lambda a, b: a + b,
    ast.Sub: lambda a, b: a - b,
    ast.Mult: lambda a, b: a * b,
    ast.Div: lambda a, b: a / b if b else math.nan,
}
_UNARY: Mapping[str, Callable[[float], float]] = {
    "abs": abs,
    "floor": math.floor,
    "ceil": math.ceil,
    "round": UNARY["round"],
    "sqrt": math.sqrt,
}


def _clamped(chance: float) -> float:
    return min(max(chance, 0.0), 1.0)


def _map(found: Distribution, change: Callable[[float], float]) -> Distribution:
    made: Distribution = defaultdict(float)
    for value, p in found.items():
        made[_key(change(value))] += p
    return dict(made)


def _joined(join: Callable[[float, float], float], one: Distribution, other: Distribution) -> Distribution:
    if len(one) * len(other) > MOST_VALUES * 50:
        raise NotExact("it has too many values")
    made: Distribution = defaultdict(float)
    for (a, p), (b, q) in product(one.items(), other.items()):
        made[_key(join(a, b))] += p * q
    if len(made) > MOST_VALUES:
        raise NotExact("it has too many values")
    return dict(made)


def _key(value: float) -> float:
    """Values that differ in their last bits alone are one value."""
    if not math.isfinite(value):
        raise NotExact("a formula has no finite value")
    return round(value, 9) + 0.0


def _mean(found: Distribution) -> float:
    return math.fsum(value * p for value, p in found.items())


def _to_defeat(dealt: Distribution, pool: float, lands: float) -> tuple[int, int, int] | None:
    """The least, the median and the 95th percentile of the hits (or swings) that empty a pool."""
    if pool <= 0.0:
        return 0, 0, 0
    left: Distribution = {_key(pool): 1.0}
    done, least, median = 0.0, 0, 0
    for count in range(1, MOST_HITS + 1):
        following: Distribution = defaultdict(float)
        for value, p in left.items():
            if lands < 1.0:
                following[value] += p * (1.0 - lands)
            for damage, q in dealt.items():
                rest = _key(value - damage)
                if rest <= ENOUGH:
                    done += p * q * lands
                else:
                    following[rest] += p * q * lands
        left = dict(following)
        if len(left) > MOST_VALUES:
            raise NotExact("there are too many ways to be beaten")
        if done > 0.0 and not least:
            least = count
        if done >= 0.5 - ENOUGH and not median:
            median = count
        if done >= 0.95 - ENOUGH:
            return least, median, count
    return None


def _measured(game: Game, striker: Member, target: Member, name: str, why: str) -> Matchup:
    """The matchup from hits that are given by hand, one after another with the target's safe time between them."""
    cast = game.lowered.program.cast
    one, whom = cast.entity_name(striker.first), cast.entity_name(target.first)
    layers = [layer.layer for layer in (target.kind.when_hit or WhenHit()).through]
    last = f"{whom}.{layers[-1]}"
    counts: list[int] = []
    dealt: list[float] = []
    for seed in range(1, MEASURED_RUNS + 1):
        session = game.play(seed, only_script=True)
        hits = 0
        try:
            present = session.engine.program.columns.present.offset
            for member in (striker, target):
                if session.engine.state[present + member.first] == 0.0:
                    session.do({"spawn": member.name})
            while hits < 200 and not session.is_over and session.value(last) > 0.0:
                rows = session.hit(whom, name, one, sure=True)
                found = [row.values[5] for row in rows if WHATS[int(row.what)] == "hit" and len(row.values) > 5]
                hits += len(found)
                dealt += found
                if any(WHATS[int(row.what)] == "blocked" for row in rows):
                    session.go(max(game.clock.step, 0.5))  # until nothing keeps the target safe
                elif not found:
                    break
        except MintError:
            break
        if hits and session.value(last) <= 0.0:
            counts.append(hits)
    counts.sort()
    mean = math.fsum(dealt) / len(dealt) if dealt else 0.0
    found_hits = (counts[0], counts[len(counts) // 2], counts[int(0.95 * (len(counts) - 1))]) if counts else None
    return Matchup(striker.name, target.name, name, 1.0, mean, found_hits, None, None, None, False, why)


def check_pair(text: str) -> tuple[str, str]:
    """Read `ATTACK against TARGET`, written `pincer:keeper`.

    Raises:
        BadRequest: it is not of that form.
    """
    attack, colon, target = (part.strip() for part in text.partition(":"))
    if not colon or not attack or not target:
        raise BadRequest(f"breakpoints want ATTACK:TARGET, like pincer:keeper, not '{text}'")
    return attack, target
