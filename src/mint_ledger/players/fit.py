"""What fits recorded plays: the numbers of a habit, each with an interval and how well it is told; see `fitting`."""

from __future__ import annotations

from collections.abc import Mapping
from dataclasses import dataclass
from typing import TYPE_CHECKING, Any, Literal

from mint_ledger import showing
from mint_ledger.plain import finite, labeled_table
from mint_ledger.players.likeness import Likeness
from mint_ledger.players.recorded import Floats
from mint_ledger.showing import Result
from mint_ledger.studies.estimate import Estimate, plain

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

SURE = 0.9
# A dial is told where what is left of its range (by standard deviations) is less than this; partly, less than that.
IS_TOLD, IS_PARTLY = 0.35, 0.75
MISFIT = 0.01
HowTold = Literal["told", "partly", "not told"]


@dataclass(frozen=True)
class FittedDial:
    """A dial of the habit.

    Attributes:
        low, high: where it was looked for.
        today: what the file says.
        value: what it is in a setting of all dials together that is as likely as any, and its 90 % interval.
        left: how much of what was not known of it before is left (1: all).
    """

    name: str
    low: float
    high: float
    today: float
    value: Estimate
    left: float

    @property
    def how_told(self) -> HowTold:
        """Return whether the plays tell it."""
        return "told" if self.left < IS_TOLD else "partly" if self.left < IS_PARTLY else "not told"


@dataclass(frozen=True, eq=False, repr=False)
class Fit(Result):
    """The numbers of a habit that fit recorded plays.

    Attributes:
        dials: each with what was found of it.
        draws: settings as likely as the plays make them, shape (draws, dials).
        tied: pairs of dials that are not told apart, with their correlation: more of one and more (+) or less (-) of
            the other plays the same.
        held: in how many of the `tried` trials the 90 % interval held the known truth, of the worst dial.
        widened: by what factor intervals were widened for that.
        misfit: how likely plays as far from all settings are, if one of them were true.
        likeness: the plays beside the fitted habit.
        measures: what was recorded, as measures of the game.
        bank_runs: how many runs the bank took.
        warnings: what makes the fit less than it seems.
    """

    title: str
    source: str
    habit: str
    plays: int
    seed: int
    dials: tuple[FittedDial, ...]
    draws: Floats
    tied: tuple[tuple[str, str, float], ...]
    held: int
    tried: int
    widened: float
    misfit: float
    likeness: Likeness
    measures: Mapping[str, str]
    bank_runs: int
    warnings: tuple[str, ...] = ()

    @property
    def fits(self) -> bool:
        """Return whether nothing says that the fitted habit plays otherwise than was recorded."""
        return self.misfit >= MISFIT and not self.likeness.differs

    @property
    def setting(self) -> dict[str, float]:
        """A setting of all dials together that is as likely as any, by name."""
        return {dial.name: dial.value.value for dial in self.dials}

    def summary(self) -> str:
        """All of it, for people."""
        return showing.text("fit_text.fit_text", self)

    def plot(self, ax: Axes | None = None) -> Figure:
        """Draw what is known of each dial after the plays, and how the fitted habit plays beside them."""
        return showing.figure("plays_plot.fit_figure", self, ax=ax)

    @labeled_table
    def table(self) -> pd.DataFrame:
        """One row a dial: dial, today, value, low, high, left, told."""
        import pandas as pd

        rows = [(d.name, d.today, d.value.value, d.value.low, d.value.high, d.left, d.how_told) for d in self.dials]
        return pd.DataFrame(rows, columns=["dial", "today", "value", "low", "high", "left", "told"])

    @finite
    def as_json(self) -> dict[str, Any]:
        """The same as plain values."""
        return {
            "title": self.title,
            "source": self.source,
            "habit": self.habit,
            "plays": self.plays,
            "seed": self.seed,
            "dials": [
                {
                    "dial": d.name,
                    "range": [d.low, d.high],
                    "today": d.today,
                    **(plain(d.value) or {}),
                    "left": d.left,
                    "told": d.how_told,
                }
                for d in self.dials
            ],
            "tied": [{"one": one, "other": other, "correlation": c} for one, other, c in self.tied],
            "held": self.held,
            "tried": self.tried,
            "widened": self.widened,
            "misfit": self.misfit,
            "fits": self.fits,
            "likeness": self.likeness.as_json(),
            "bank_runs": self.bank_runs,
            "warnings": list(self.warnings),
        }
