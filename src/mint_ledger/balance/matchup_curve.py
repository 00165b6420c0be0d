"""Hits and seconds to defeat over a range of a dial, or over two: curves and maps, with where they change."""

from __future__ import annotations

from collections.abc import Mapping, Sequence
from dataclasses import dataclass
from itertools import product
from typing import TYPE_CHECKING, Any

from mint_ledger import showing
from mint_ledger.balance.dial_range import setting_of
from mint_ledger.balance.matchup import Matchup, chosen_pairs, fight_pair, matchup_row
from mint_ledger.errors import BadRequest
from mint_ledger.lowering.duel import lower_duels
from mint_ledger.lowering.playable import PlayableGame
from mint_ledger.plain import finite, labeled_table
from mint_ledger.showing import Result
from mint_ledger.studies.budget import Progress

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

MOST_POINTS = 2_000


@dataclass(frozen=True)
class PairCurve:
    """One pair over the values of the dials: its matchup at each setting, in the order of `MatchupCurves.settings`."""

    attacker: str
    attack: str
    target: str
    matchups: tuple[Matchup, ...]

    @property
    def name(self) -> str:
        """Return what people call the pair."""
        return f"{self.attack} of {self.attacker} against {self.target}"

    def breaks(self) -> list[int]:
        """The places in a curve at which the least, the median or the late hits are others than before."""
        hits = [matchup.hits for matchup in self.matchups]
        return [place for place in range(1, len(hits)) if hits[place] != hits[place - 1]]


@dataclass(frozen=True, repr=False)
class MatchupCurves(Result):
    """Pairs over the values of one dial or two.

    Attributes:
        dials: the dials, with their values.
        settings: all settings, the values of the last dial changing first.
    """

    title: str
    unit: str
    dials: tuple[tuple[str, tuple[float | str, ...]], ...]
    settings: tuple[tuple[float | str, ...], ...]
    pairs: tuple[PairCurve, ...]

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row for each setting and pair: the dials' values, then the columns of matchups."""
        import pandas as pd

        names = [name for name, _ in self.dials]
        rows = [
            {**dict(zip(names, setting, strict=True)), **matchup_row(matchup)}
            for pair in self.pairs
            for setting, matchup in zip(self.settings, pair.matchups, strict=True)
        ]
        return pd.DataFrame(rows)

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "dials": [{"name": name, "values": list(values)} for name, values in self.dials],
            "points": self.table().to_dict("records"),
        }

    def summary(self) -> str:
        """The curves or maps as text."""
        return showing.text("matchup_curve_text.curves_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """A curve for each pair, hits beside seconds, with where they change; of two dials a map for each pair."""
        return showing.figure("matchup_curve_plot.plot_curves", self, ax=ax)


def make_curves(
    game: PlayableGame,
    dials: Mapping[str, Sequence[float | str]],
    pair: str | None = None,
    progress: Progress | None = None,
) -> MatchupCurves:
    """Fight pairs at each value of a dial, or of two.

    Raises:
        NotFound: there is no such dial or pair.
        BadRequest: there are more than two dials, or too many settings.
    """
    if not 1 <= len(dials) <= 2:
        raise BadRequest(f"matchups are told over one dial or two, not over {len(dials)}")
    settings = list(product(*dials.values()))
    if len(settings) > MOST_POINTS:
        raise BadRequest(f"{len(settings):,} settings are too many to fight at; the most is {MOST_POINTS:,}")
    base = lower_duels(game)
    known: dict[tuple[str, str, str], list[Matchup]] = {}
    for number, setting in enumerate(settings):
        if progress is not None:
            progress(number, len(settings))
        values = {name: setting_of(name, value) for name, value in zip(dials, setting, strict=True)}
        turned = game.with_dials(values)
        # What differs in numbers alone shares the code, and so the duels.
        same = turned.lowered.program.procedures is game.lowered.program.procedures
        duels = base if same else lower_duels(turned)
        for duel in chosen_pairs(duels, pair):
            matchup = fight_pair(duels, duel, turned.dials.numbers if same else None)
            known.setdefault((duel.attacker, duel.attack, duel.struck), []).append(matchup)
    if progress is not None:
        progress(len(settings), len(settings))
    # A pair that some setting does not have is no curve.
    whole = {names: some for names, some in known.items() if len(some) == len(settings)}
    pairs = [PairCurve(*names, tuple(some)) for names, some in whole.items()]
    unit = "s" if game.lowered.program.clock.unit == "second" else "turns"
    named = tuple((name, tuple(values)) for name, values in dials.items())
    return MatchupCurves(game.title, unit, named, tuple(settings), tuple(pairs))
