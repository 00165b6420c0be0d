"""A figure that shows itself in notebooks, whatever draws there."""

from __future__ import annotations

import io

from matplotlib.figure import Figure


class Page(Figure):
    """A Matplotlib figure; as the last line of a cell it is a picture."""

    def _repr_png_(self) -> bytes:
        out = io.BytesIO()
        self.savefig(out, format="png")
        return out.getvalue()
