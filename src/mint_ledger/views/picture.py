"""What all figures have in common: names of a game are shown in them, and never sent as what steers."""

from __future__ import annotations

import io
import warnings
from typing import TYPE_CHECKING, Any

from mint_ledger.plain import neutral

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def saved(figure: Figure, form: str, **options: Any) -> bytes:
    """The picture of a figure, in a form like `png`; letters that no font has are drawn as boxes, without a warning."""
    out = io.BytesIO()
    with warnings.catch_warnings():
        warnings.filterwarnings("ignore", message="Glyph .* missing from")
        neutral_figure(figure).savefig(out, format=form, **options)
    return out.getvalue()


def neutral_figure(figure: Figure) -> Figure:
    """The figure with control characters and the like written out, as texts have them; no font has a sign for them."""
    from matplotlib.text import Text
    from matplotlib.ticker import FixedLocator

    for axes in figure.axes:
        for axis in (axes.xaxis, axes.yaxis):
            labels = [label.get_text() for label in axis.get_ticklabels()]
            if isinstance(axis.get_major_locator(), FixedLocator) and [*map(neutral, labels)] != labels:
                axis.set_ticklabels([neutral(label) for label in labels])
    for text in figure.findobj(Text):
        if neutral(text.get_text()) != text.get_text():
            text.set_text(neutral(text.get_text()))
    return figure
