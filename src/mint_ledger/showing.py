"""The one door from results to what people see: results are plain values, and views are asked for by name.

A view is named by its file and function in `views`, like `study_text.study_text`. Views know the results; no result
knows a view but through here, so computation stands without them.
"""

from __future__ import annotations

from collections.abc import Callable, Iterator
from importlib import import_module
from typing import TYPE_CHECKING, Any, cast

from mint_ledger.errors import BadRequest
from mint_ledger.plain import arrow_table

if TYPE_CHECKING:
    import pandas as pd
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure


def view(name: str) -> Callable[..., Any]:
    """The view of a name; imported now, since most results are never shown."""
    file, _, function = name.partition(".")
    return cast(Callable[..., Any], getattr(import_module(f"mint_ledger.views.{file}"), function))


def text(name: str, *shown: Any) -> str:
    """A text, or a page for notebooks."""
    return cast(str, view(name)(*shown))


def figure(name: str, *shown: Any, ax: Axes | None = None) -> Figure:
    """A figure; or what it shows in the place of axes, and the figure that they are in."""
    if ax is None:
        return cast("Figure", view("picture.neutral_figure")(view(name)(*shown)))
    whole = ax.get_figure(root=True)
    with view("canvas.drawn_into")(ax):
        view(name)(*shown)
    return cast("Figure", view("picture.neutral_figure")(whole))


class Result:
    """What every result has: a text, a table, plain values, a figure, and the ways in which other packages read tables.

    A result defines what it has of `summary`, `table`, `as_json` and `plot`; the rest follows from these.
    """

    __slots__ = ()

    def to_dict(self) -> dict[str, Any]:
        """Return all of it as plain values, as `--json` prints them.

        Raises:
            BadRequest: it has none.
        """
        return cast("dict[str, Any]", self._made("as_json", "plain values")())

    def to_frame(self) -> pd.DataFrame:
        """Return its table as a pandas DataFrame; its columns stand in docs/columns.md.

        Raises:
            BadRequest: it has none.
        """
        return cast("pd.DataFrame", self._made("table", "table")())

    def plot(self, *args: Any, **kwargs: Any) -> Figure:
        """Draw it into axes (`ax=`), or into a figure of its own.

        Raises:
            BadRequest: there is no figure of it.
        """
        raise BadRequest(f"there is no figure of {type(self).__name__}; its table is to_frame()")

    def _made(self, name: str, what: str) -> Callable[[], Any]:
        made = getattr(self, name, None)
        if made is None:
            raise BadRequest(f"{type(self).__name__} has no {what}")
        return cast(Callable[[], Any], made)

    def __iter__(self) -> Iterator[dict[str, Any]]:
        """Go through the rows of its table, so that `pandas.DataFrame(result)` is that table."""
        table = self.to_frame()
        named = table.reset_index() if table.index.name is not None else table
        return iter(cast("list[dict[str, Any]]", named.to_dict("records")))

    def __arrow_c_stream__(self, requested_schema: object | None = None) -> object:
        """Give its table as a stream of Arrow's C interface: `pyarrow.table(result)`, `polars.DataFrame(result)`.

        Source: the Arrow PyCapsule interface.

        Raises:
            BadRequest: the package pyarrow is not installed.
        """
        return arrow_table(self.to_frame()).__arrow_c_stream__(requested_schema)

    def __dataframe__(self, nan_as_null: bool = False, allow_copy: bool = True) -> object:
        """Give its table by the dataframe interchange protocol."""
        table = self.to_frame()
        named = table.reset_index() if table.index.name is not None else table
        return cast(Any, named).__dataframe__(nan_as_null, allow_copy)

    def _repr_html_(self) -> str:
        return text("notebook.text_html", self._made("summary", "text")())

    def __repr__(self) -> str:
        summary = getattr(self, "summary", None)
        first = str(summary()).partition("\n")[0] if summary is not None else ""
        return f"<{type(self).__name__}: {first}>" if first else f"<{type(self).__name__}>"
