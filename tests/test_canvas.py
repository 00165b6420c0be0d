"""Every figure can be drawn in the place of axes of one's own."""

from __future__ import annotations

from collections.abc import Callable
from typing import Any

import matplotlib as mpl
import pytest
from matplotlib import colors as mcolors

import mint_ledger as mint
from mint_ledger.errors import BadRequest

plt = pytest.importorskip("matplotlib.figure")

DRAWN: dict[str, Callable[[mint.Game], Any]] = {
    "outcomes": lambda g: g.study(40, habit="careful").plot_outcomes,
    "survival": lambda g: g.study(40, habit="careful").plot_survival,
    "bands": lambda g: g.study(40, habit="careful", times=[0, 50, 100]).plot_bands,
    "causes": lambda g: g.study(40, habit="careful").plot_causes,
    "shape": lambda g: g.study(40, habit="careful").shape("time").plot,
    "ends": lambda g: g.ends(40, habit="careful").plot,
    "course": lambda g: g.course("level", 40, habit="careful").plot,
    "income": lambda g: g.income("keeper.oil", 40, habit="careful").plot,
    "grid": lambda g: g.grid({"habit": None}, runs=40).plot,
    "shares": lambda g: g.share_out(g.with_dials({"crab.bite": 15, "keeper.oil": 60}), runs=40, habit="careful").plot,
    "sweep": lambda g: g.sweep({"crab.bite": "10..14"}, 40, habit="careful").plot,
    "targets": lambda g: g.judge(40).plot,
    "compare": lambda g: g.compare(runs=40, habit="careful", dials={"crab.bite": 15}).plot,
    "run": lambda g: g.run(habit="careful").plot,
    "statement": lambda g: g.run(habit="careful").statement("keeper.health").plot,
}


@pytest.mark.parametrize("name", DRAWN)
def test_a_figure_is_drawn_in_the_place_of_axes(demo: mint.Game, name: str) -> None:
    figure = plt.Figure(layout="constrained")
    left, right = figure.subplots(1, 2)
    right.plot([1, 2], [3, 4])
    assert DRAWN[name](demo)(ax=left) is figure
    assert left not in figure.axes
    [part] = figure.subfigs
    assert part.axes
    assert any(axis.has_data() for axis in part.axes)
    # What stands beside it is left alone.
    assert right in figure.axes
    assert [line.get_ydata().tolist() for line in right.lines] == [[3, 4]]
    figure.canvas.draw()


def test_axes_without_a_place_are_refused(demo: mint.Game) -> None:
    figure = plt.Figure()
    ax = figure.add_axes((0.1, 0.1, 0.8, 0.8))
    with pytest.raises(BadRequest, match=r"made by subplots\(\)"):
        demo.study(20, habit="careful").plot_outcomes(ax=ax)
    assert ax in figure.axes


def test_our_style_lasts_as_long_as_its_context_and_other_settings_are_heeded(demo: mint.Game) -> None:
    before = dict(mpl.rcParams)
    with mint.figure_style():
        colors = [entry["color"] for entry in mpl.rcParams["axes.prop_cycle"]]
        assert len(set(colors)) == 6 and not mpl.rcParams["axes.spines.top"]
    assert dict(mpl.rcParams) == before
    run = demo.run(7, habit="careful")
    with mpl.rc_context({"font.size": 17, "figure.facecolor": "beige"}):
        figure = run.plot()
    assert figure.get_facecolor() == mcolors.to_rgba("beige")
    assert figure.axes[0].yaxis.get_ticklabels()[0].get_fontsize() >= 12
