"""Everyone against everyone: hits and seconds to defeat, from duels of two as the game plays them.

Each pair is fought alone (`lowering.duel`): worked out where every draw can be counted, else fought many times, which
it says with an interval.
"""

from __future__ import annotations

import time
from collections.abc import Callable, Iterator, Sequence
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.duel import FIGHTS, Fought, NotExact, fight, work_out
from mint_ledger.errors import BadRequest, NotFound, nearest
from mint_ledger.game.dials import plain_value
from mint_ledger.lowering.duel import LIMIT, Duel, Duels, lower_duels
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress
from mint_ledger.studies.estimate import quantile, rate

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


COLUMNS = {
    "attacker": "whose attack it is; a copy with numbers of its own by its number",
    "attack": "the attack",
    "target": "the kind, or copy, that it strikes",
    "lands": "the share of swings that land",
    "lands_low": "the lower end of its 95 % interval; the same where it was worked out",
    "lands_high": "the upper end",
    "damage": "the mean damage of a hit that lands, as dealt",
    "least_hits": "the fewest hits after which a fight is over; empty where nothing defeats the target",
    "median_hits": "the hits after which half of the fights are over",
    "median_hits_low": "the lower end of its 95 % interval; the same where it was worked out",
    "median_hits_high": "the upper end",
    "late_hits": "the hits after which nineteen of twenty are over",
    "median_seconds": "the time after which half are over, misses included; empty where nothing says when it strikes",
    "late_seconds": "the time after which nineteen of twenty are over",
    "per_second": "the mean damage a second (or turn) while a fight lasts",
    "effective_health": "how much rolled damage the target withstands; empty where fights were sampled",
    "exact": "whether it was worked out; else it was fought many times",
    "fights": "how many times it was fought; 0 where it was worked out",
    "because": "why it was not worked out, or why they never fight",
}


@dataclass(frozen=True, slots=True)
class Matchup:
    """One attack of one kind (or copy) against another.

    Attributes:
        lands: the share of swings that land, and `lands_between` its 95 % interval.
        damage: the mean damage of a hit that lands, as dealt.
        hits: the least, the median and the 95th percentile of the hits to defeat; none where nobody is defeated so
            often.
        median_between: the 95 % interval of the median.
        seconds: the median and the 95th percentile of the time to defeat, misses included; none where nothing of the
            game says when it strikes.
        per_second: the mean damage a second while a fight lasts.
        effective_health: how much rolled damage the target withstands.
        exact: whether it was worked out, and `because` why it was not, or why they never fight.
        fights: how many times it was fought; 0 where it was worked out.
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
    fights: int = 0
    lands_between: tuple[float, float] = (0.0, 1.0)
    median_between: tuple[int, int] | None = None


@dataclass(frozen=True, repr=False)
class Matchups(Result):
    """The matchups of a game; `left_out` tells those for which there was no time."""

    title: str
    pairs: tuple[Matchup, ...]
    left_out: tuple[str, ...] = ()

    @labeled_table
    def table(self) -> pd.DataFrame:
        """A DataFrame with one row a pair: attacker, target, attack, lands, damage, hits, seconds and more."""
        import pandas as pd

        return pd.DataFrame([matchup_row(pair) for pair in self.pairs])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The matchups as plain values."""
        rows = [matchup_row(pair) for pair in self.pairs]
        return {"title": self.title, "matchups": rows, "left_out": list(self.left_out)}

    def _repr_html_(self) -> str:
        return showing.text("notebook.text_html", self.summary())

    def summary(self) -> str:
        """The matchups as a table of text."""
        return showing.text("matchup_text.matchup_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """The median of the hits to defeat as a heat map; see `views.matchup_plot`."""
        return showing.figure("matchup_plot.plot_matchups", self, ax=ax)

    def __str__(self) -> str:
        return self.summary()


def matchup_row(pair: Matchup) -> dict[str, Any]:
    """A matchup as a row of a table."""
    least, median, late = pair.hits or (None, None, None)
    seconds, late_seconds = pair.seconds or (None, None)
    low, high = pair.median_between or (median, median)
    return {
        "attacker": pair.attacker,
        "attack": pair.attack,
        "target": pair.target,
        "lands": pair.lands,
        "lands_low": pair.lands_between[0],
        "lands_high": pair.lands_between[1],
        "damage": pair.damage,
        "least_hits": least,
        "median_hits": median,
        "median_hits_low": low,
        "median_hits_high": high,
        "late_hits": late,
        "median_seconds": seconds,
        "late_seconds": late_seconds,
        "per_second": pair.per_second,
        "effective_health": pair.effective_health,
        "exact": pair.exact,
        "fights": pair.fights,
        "because": pair.because,
    }


def make_matchups(
    game: PlayableGame,
    *,
    pair: str | None = None,
    seconds: float | None = None,
    most: int | None = None,
    progress: Progress | None = None,
    each: Callable[[Matchup], None] | None = None,
) -> Matchups:
    """Fight every attack against every kind that it may strike.

    Args:
        game: the game.
        pair: one attack against one target alone, `ATTACK:TARGET`.
        seconds: begin no more fights after so long.
        most: nor after so many.
        progress: called with (pairs done, pairs in all).
        each: called with each matchup as it comes.

    Raises:
        NotFound: there is no such pair.
        BadRequest: `pair` is of another form, or the time makes no sense.
    """
    if seconds is not None and not seconds > 0:
        raise BadRequest(f"the time to fight in is more than 0 seconds, not {seconds:g}")
    began = time.monotonic()
    duels = lower_duels(game)
    chosen = chosen_pairs(duels, pair)
    matchups: list[Matchup] = []
    for number, duel in enumerate(chosen):
        if progress is not None:
            progress(number, len(chosen))
        is_late = seconds is not None and matchups and time.monotonic() - began > seconds
        if is_late or (most is not None and len(matchups) >= most):
            break
        matchups.append(fight_pair(duels, duel))
        if each is not None:
            each(matchups[-1])
    if progress is not None:
        progress(len(chosen), len(chosen))
    left_out = tuple(f"{duel.attack} of {duel.attacker} against {duel.struck}" for duel in chosen[len(matchups) :])
    return Matchups(game.title, tuple(matchups), left_out)


def chosen_pairs(duels: Duels, pair: str | None) -> list[Duel]:
    """All pairs, or those that `ATTACK:TARGET` means.

    Raises:
        NotFound: there is no such pair.
        BadRequest: it is of another form.
    """
    return list(_chosen(duels, *check_pair(pair)) if pair is not None else duels.pairs)


def _chosen(duels: Duels, attack: str, target: str) -> Iterator[Duel]:
    chosen = [p for p in duels.pairs if p.attack == attack and target in (p.struck, p.struck.partition("[")[0])]
    if not chosen:
        known = [f"{p.attack} against {p.struck}" for p in duels.pairs]
        raise NotFound(f"nobody strikes {target} with {attack}{nearest(f'{attack} against {target}', known)}")
    yield from chosen


def fight_pair(duels: Duels, pair: Duel, dials: tuple[float, ...] | None = None) -> Matchup:
    """One pair: worked out where that can be, else fought many times."""
    if pair.cannot:
        return Matchup(pair.attacker, pair.struck, pair.attack, 0.0, 0.0, None, None, None, None, False, pair.cannot)
    values = duels.lowered.program.dials.numbers if dials is None else dials
    in_seconds = duels.lowered.program.clock.unit == "second"
    try:
        return _told(pair, work_out(duels, pair, values), "", in_seconds=in_seconds)
    except NotExact as reason:
        return _told(pair, fight(duels, pair, values, FIGHTS), str(reason), in_seconds=in_seconds)


def _told(pair: Duel, fought: Fought, because: str, *, in_seconds: bool) -> Matchup:
    hits = _spread(_by(fought, 1))
    times = _spread(_by(fought, 0))
    lands = fought.hits / fought.swings if fought.swings else 0.0
    between = (lands, lands)
    if fought.fights and fought.swings:
        tried = round(fought.swings * fought.fights)
        estimate = rate(round(fought.hits * fought.fights), tried)
        between = (estimate.low, estimate.high)
    if not fought.ends and not because:
        because = "" if fought.hits else "no swing ever lands"
    elif not fought.ends:
        because = f"nobody is defeated within {LIMIT:,.0f} {'s' if in_seconds else 'turns'}"
    keeps = pair.keeps_time and times is not None
    return Matchup(
        attacker=pair.attacker,
        target=pair.struck,
        attack=pair.attack,
        lands=lands,
        damage=fought.dealt / fought.hits if fought.hits else 0.0,
        hits=None if hits is None else (int(hits[0]), int(hits[1]), int(hits[2])),
        seconds=(float(times[1]), float(times[2])) if keeps and times is not None else None,
        per_second=fought.dealt / fought.time if pair.keeps_time and fought.time else None,
        effective_health=fought.pool * fought.rolled / fought.dealt if fought.dealt and not fought.fights else None,
        exact=not fought.fights,
        because=because,
        fights=fought.fights,
        lands_between=between,
        median_between=_median_between(fought),
    )


def _by(fought: Fought, which: int) -> dict[float, float]:
    chances: dict[float, float] = {}
    for end, chance in fought.ends.items():
        chances[end[which]] = chances.get(end[which], 0.0) + chance
    return chances


def _spread(chances: dict[float, float]) -> tuple[float, float, float] | None:
    """The least value, and those after which half, and nineteen of twenty, of all fights are over."""
    done, least, median = 0.0, None, None
    for value in sorted(chances):
        done += chances[value]
        least = value if least is None else least
        if median is None and done >= 0.5 - 1e-9:
            median = value
        if done >= 0.95 - 1e-9:
            assert median is not None
            return least, median, value
    return None


def _median_between(fought: Fought) -> tuple[int, int] | None:
    if not fought.fights or sum(fought.ends.values()) < 0.95 - 1e-9:
        return None
    sample = [hits for (_, hits), share in fought.ends.items() for _ in range(round(share * fought.fights))]
    estimate = quantile(sample, 0.5)
    return int(estimate.low), int(estimate.high)


@dataclass(frozen=True, slots=True)
class Breakpoint:
    """A value of a dial from which on the hits to defeat are others: the least and the median."""

    value: float
    least: int | None
    median: int | None


def breakpoints(game: PlayableGame, dial: str, values: Sequence[float], attack: str, target: str) -> list[Breakpoint]:
    """The values of a dial at which the hits to defeat change, the first value included.

    Raises:
        NotFound: there is no such dial, or the attack does not strike such a target.
    """
    points: list[Breakpoint] = []
    base = lower_duels(game)
    for value in values:
        turned = game.with_dials({dial: plain_value(value)})
        # What differs in numbers alone shares the code, and so the duels.
        same = turned.lowered.program.procedures is game.lowered.program.procedures
        duels = base if same else lower_duels(turned)
        pair = next(_chosen(duels, attack, target))
        hits = fight_pair(duels, pair, turned.dials.numbers if same else None).hits
        least, median = (hits[0], hits[1]) if hits else (None, None)
        if not points or (points[-1].least, points[-1].median) != (least, median):
            points.append(Breakpoint(value, least, median))
    return points


def check_pair(text: str) -> tuple[str, str]:
    """Read `ATTACK against TARGET`, written `pincer:keeper`.

    Raises:
        BadRequest: it is not of that form.
    """
    attack, colon, target = (part.strip() for part in text.partition(":"))
    if not colon or not attack or not target:
        raise BadRequest(f"a pair is written ATTACK:TARGET, like pincer:keeper, not '{text}'")
    return attack, target
