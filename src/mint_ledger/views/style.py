"""Our style for figures of one's own: the same colors and lines, for as long as a `with` lasts."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from typing import Any

import matplotlib as mpl
from cycler import cycler

from mint_ledger.views.run_plot import BLUE, GREEN, INK, ORANGE
from mint_ledger.views.study_plots import PURPLE, SKY

SETTINGS: Any = {
    "axes.prop_cycle": cycler(color=[BLUE, ORANGE, GREEN, PURPLE, SKY, INK]),
    "axes.spines.top": False,
    "axes.spines.right": False,
    "axes.edgecolor": INK,
    "axes.titlelocation": "left",
    "figure.dpi": 100,
    "figure.constrained_layout.use": True,
    "lines.linewidth": 1.8,
}


@contextmanager
def figure_style() -> Iterator[None]:
    """Draw figures of one's own in the colors and lines of ours; afterwards all is as before.

    Our own figures heed what Matplotlib was told in addition to: fonts, sizes, backgrounds.
    """
    with mpl.rc_context(SETTINGS):
        yield
