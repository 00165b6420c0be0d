"""A statement as a figure: opening, each cause up or down from where the last one ended, closing."""

from __future__ import annotations

from typing import TYPE_CHECKING

from mint_ledger.journal.statement import Statement
from mint_ledger.journal.wording import number, signed
from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import BLUE, GRAY, INK, ORANGE

if TYPE_CHECKING:
    from matplotlib.figure import Figure


def plot_statement(statement: Statement) -> Figure:
    """Draw a statement as a waterfall; gains are hatched, so that it can be read in gray.

    The figure is 12.8 by 8 inches at 100 dots an inch; the axis is in the stat's own unit.
    """
    figure = canvas(12.8, 8.0)
    axis = figure.subplots()
    labels = ["opening", *(line.cause for line in statement.lines), "closing"]
    axis.bar(0, statement.opening, color=INK, width=0.6)
    level = statement.opening
    ends = [statement.opening]
    for place, line in enumerate(statement.lines, 1):
        gains = line.total >= 0
        axis.bar(
            place,
            line.total,
            bottom=level,
            width=0.6,
            color=BLUE if gains else ORANGE,
            hatch="//" if gains else None,
            edgecolor="white",
        )
        axis.plot([place - 1 + 0.3, place + 0.3], [level, level], color=GRAY, linewidth=0.9)
        level += line.total
        ends.append(level)
    last = len(labels) - 1
    axis.plot([last - 1 + 0.3, last + 0.3], [level, level], color=GRAY, linewidth=0.9)
    axis.bar(last, statement.closing, color=INK, width=0.6)
    _label(axis, statement, ends)
    axis.set_xticks(range(len(labels)), [_broken(label) for label in labels], fontsize=11)
    axis.axhline(0, color="black", linewidth=0.9)
    axis.set_ylabel(f"{statement.account} (points)", fontsize=12)
    low, high = min([0.0, *ends]), max([statement.closing, *ends])
    axis.set_ylim(low - 0.05 * (high - low), high + 0.16 * ((high - low) or 1.0))
    axis.spines[["top", "right"]].set_visible(False)
    axis.set_title(
        f"{statement.title}\nwhere every point of {statement.account} went, "
        f"from {number(statement.start)} to {number(statement.end)}",
        fontsize=14,
    )
    return figure


def _label(axis, statement: Statement, ends: list[float]) -> None:  # type: ignore[no-untyped-def]
    """Write each amount beyond the end of its bar, waste below it."""
    texts = [(0, statement.opening, number(statement.opening))]
    for place, line in enumerate(statement.lines, 1):
        waste = f"\n({number(abs(line.waste))} wasted)" if line.waste else ""
        times = f"\n{line.changes} time{'s' if line.changes != 1 else ''}"
        texts.append((place, max(ends[place - 1], ends[place]), signed(line.total) + times + waste))
    texts.append((len(ends), statement.closing, number(statement.closing)))
    for place, height, text in texts:
        axis.annotate(text, (place, height), xytext=(0, 5), textcoords="offset points", ha="center", fontsize=11)


def _broken(label: str) -> str:
    import textwrap

    return "\n".join(textwrap.wrap(label, 14)) or label
