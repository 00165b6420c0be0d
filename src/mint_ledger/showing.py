"""The one door from results to what people see: results are plain values, and views are asked for by name.

A view is named by its file and function in `views`, like `study_text.study_text`. Views know the results; no result
knows a view but through here, so computation stands without them.
"""

from __future__ import annotations

from collections.abc import Callable
from importlib import import_module
from typing import TYPE_CHECKING, Any, cast

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


def view(name: str) -> Callable[..., Any]:
    """The view of a name; imported now, since most results are never shown."""
    file, _, function = name.partition(".")
    return cast(Callable[..., Any], getattr(import_module(f"mint_ledger.views.{file}"), function))


def text(name: str, *shown: Any) -> str:
    """A text, or a page for notebooks."""
    return str(view(name)(*shown))


def figure(name: str, *shown: Any, ax: Axes | None = None) -> Figure:
    """A figure; or what it shows in the place of axes, and the figure that they are in."""
    if ax is None:
        return cast("Figure", view("picture.neutral_figure")(view(name)(*shown)))
    whole = ax.get_figure(root=True)
    with view("canvas.drawn_into")(ax):
        view(name)(*shown)
    return cast("Figure", view("picture.neutral_figure")(whole))
