"""What a figure is drawn on: a page of its own, or the place of axes in somebody else's figure."""

from __future__ import annotations

from collections.abc import Iterator
from contextlib import contextmanager
from contextvars import ContextVar
from typing import TYPE_CHECKING, cast

from matplotlib.figure import Figure, SubFigure
from matplotlib.transforms import ScaledTranslation

from mint_ledger.errors import BadRequest
from mint_ledger.views.picture import saved

if TYPE_CHECKING:
    from matplotlib.axes import Axes

# Inches from the foot of an axis to below its numbers and its name.
BELOW_LABEL = 0.5
_part: ContextVar[SubFigure | None] = ContextVar("part", default=None)


class PictureFigure(Figure):
    """A Matplotlib figure; as the last line of a cell of a notebook it is a picture, whatever draws there."""

    def _repr_png_(self) -> bytes:
        return saved(self, "png")


def canvas(width: float, height: float) -> Figure:
    """A figure of a size in inches, at 100 dots an inch; or the part of one that was given to draw into."""
    part = _part.get()
    # A part has all that is asked of a figure here: axes, a title, a color bar.
    return cast("Figure", part) if part is not None else PictureFigure((width, height), dpi=100, layout="constrained")


@contextmanager
def drawn_into(ax: Axes) -> Iterator[None]:
    """Let what is drawn meanwhile take the place of axes; panels, titles and legends share that place.

    Raises:
        BadRequest: the axes have no place in a grid, as those of `subplots` have.
    """
    spec, figure = ax.get_subplotspec(), ax.get_figure(root=False)
    if spec is None or figure is None:
        raise BadRequest("axes to draw into are made by subplots(); these have no place in a grid that could be shared")
    part = figure.add_subfigure(spec)
    ax.remove()
    token = _part.set(part)
    try:
        yield
    finally:
        _part.reset(token)


def legend_below(axis: Axes, columns: int = 1) -> None:
    """Put a legend under an axis, below the name of what the axis shows, however tall the axis is."""
    figure = axis.get_figure(root=True)
    assert figure is not None
    inches = ScaledTranslation(0.0, -BELOW_LABEL, figure.dpi_scale_trans)
    axis.legend(
        loc="upper center",
        bbox_to_anchor=(0.5, 0.0),
        bbox_transform=axis.transAxes + inches,
        fontsize=9,
        frameon=False,
        ncols=columns,
    )
