"""A run as a timeline: levels, who was there, statuses, hits and actions, one line each over the same time."""

from __future__ import annotations

from collections.abc import Iterator
from dataclasses import dataclass, field
from typing import TYPE_CHECKING

from mint_ledger.journal.wording import Words
from mint_ledger.program.row import WHATS
from mint_ledger.views.canvas import canvas
from mint_ledger.views.run_plot import GRAY, GREEN, INK, ORANGE

if TYPE_CHECKING:
    from matplotlib.axes import Axes
    from matplotlib.figure import Figure

    from mint_ledger.playing.run import Run

MOST_TRACKS = 24
SKY = "#56B4E9"


@dataclass
class _Track:
    """One line of the timeline: spans with their labels, and marks."""

    label: str
    color: str
    spans: list[tuple[float, float, str]] = field(default_factory=list)
    marks: list[float] = field(default_factory=list)
    faint: list[float] = field(default_factory=list)


def plot_timeline(run: Run) -> Figure:
    """Draw when levels, statuses, attacks and actions were; the figure is 12.8 by 8 inches at 100 dots an inch.

    A full mark is a hit or a thing done, a hollow one a miss, a dodge or a slip; a bar is a stretch of time.
    """
    from matplotlib.lines import Line2D

    words = Words(run.program)
    tracks = [track for track in _tracks(run, words) if track.spans or track.marks or track.faint][:MOST_TRACKS]
    figure = canvas(12.8, 8.0)
    axis = figure.subplots()
    for place, track in enumerate(tracks):
        _draw(axis, place, track, run.time)
    axis.set_yticks(range(len(tracks)), [track.label for track in tracks], fontsize=11)
    axis.set_ylim(len(tracks) - 0.4, -0.6)
    axis.set_xlim(0, 1.01 * (run.time or 1))
    axis.set_xlabel("turn" if run.program.clock.unit == "turn" else "time (s)", fontsize=12)
    axis.grid(axis="x", color="#dddddd", linewidth=0.6)
    axis.spines[["top", "right", "left"]].set_visible(False)
    axis.tick_params(axis="y", length=0)
    result = f"{run.result}: {run.ending}" if run.ending else run.result
    axis.set_title(f"{run.title} · {result} at {run.time:g}", fontsize=14)
    marks = [
        Line2D([], [], marker="v", linestyle="", color=GRAY, label="hit, done"),
        Line2D([], [], marker="v", linestyle="", markerfacecolor="none", color=GRAY, label="missed, dodged, slipped"),
    ]
    figure.legend(handles=marks, loc="outside lower right", frameon=False, ncols=2, fontsize=10)
    return figure


def _draw(axis: Axes, place: int, track: _Track, end: float) -> None:
    for start, stop, text in track.spans:
        axis.barh(
            place,
            max(stop - start, 0.002 * end),
            left=start,
            height=0.55,
            color=track.color,
            edgecolor="white",
            alpha=0.85,
        )
        if text:
            axis.annotate(text, (start, place), xytext=(4, 0), textcoords="offset points", va="center", fontsize=10)
    if track.marks:
        axis.scatter(track.marks, [place] * len(track.marks), marker="v", s=34, color=track.color, zorder=3)
    if track.faint:
        axis.scatter(
            track.faint, [place] * len(track.faint), marker="v", s=34, facecolors="none", edgecolors=track.color
        )


def _tracks(run: Run, words: Words) -> Iterator[_Track]:
    yield _levels(run, words)
    yield from _by_cause(run, words, ("hit",), ("miss", "dodge"), ORANGE)
    yield from _by_cause(run, words, ("act",), ("slip",), INK)
    yield from _statuses(run, words)
    yield from _rules(run, words)


def _levels(run: Run, words: Words) -> _Track:
    rows = [row for row in run.rows if WHATS[int(row.what)] == "level"]
    starts = [words.seconds(row.step) for row in rows]
    spans = zip(starts, [*starts[1:], run.time], rows, strict=False)
    return _Track("level", "#cccccc", [(a, b, words.cause(row.cause)) for a, b, row in spans])


def _by_cause(run: Run, words: Words, full: tuple[str, ...], hollow: tuple[str, ...], color: str) -> Iterator[_Track]:
    """One line for each attack or action: what came off, and what did not."""
    tracks: dict[str, _Track] = {}
    for row in run.rows:
        what = WHATS[int(row.what)]
        if what not in (*full, *hollow) or "".join(_text(run, row.text)).startswith("begins"):
            continue
        name = words.cause(row.cause)
        track = tracks.setdefault(name, _Track(name, color))
        (track.marks if what in full else track.faint).append(words.seconds(row.step))
    yield from tracks.values()


def _text(run: Run, text: float) -> tuple[str, ...]:
    return run.program.texts[int(text)] if text >= 0 else ()


def _statuses(run: Run, words: Words) -> Iterator[_Track]:
    """One line for each status of each entity: from when it was given to when it ended."""
    tracks: dict[str, _Track] = {}
    began: dict[str, float] = {}
    for row in run.rows:
        what, time = WHATS[int(row.what)], words.seconds(row.step)
        if what == "status":
            name = f"{words.entity(row.entity)} {words.cause(row.cause)}"
            if "".join(_text(run, row.text)) == "ends":
                tracks[name].spans.append((began.pop(name, time), time, ""))
            else:
                tracks.setdefault(name, _Track(name, SKY))
                began.setdefault(name, time)
        elif what == "gone":
            for name in [name for name in began if name.startswith(f"{words.entity(row.entity)} ")]:
                tracks[name].spans.append((began.pop(name), time, ""))
    for name, start in began.items():
        tracks[name].spans.append((start, run.time, ""))
    yield from tracks.values()


def _rules(run: Run, words: Words) -> Iterator[_Track]:
    """One line for each rule that posted something, those that did so least often first."""
    times: dict[str, dict[float, None]] = {}
    for row in run.rows:
        if row.what == 0.0 and row.cause >= 0 and run.program.causes[int(row.cause)].sort == "rule":
            times.setdefault(words.cause(row.cause), {})[words.seconds(row.step)] = None
    for name in sorted(times, key=lambda name: len(times[name])):
        yield _Track(name, GREEN, marks=list(times[name]))
