"""How a measure is spread: against known distributions, NumPy and SciPy."""

from __future__ import annotations

import json
from pathlib import Path

import numpy as np
import pytest
from conftest import run_command
from scipy.stats import binom

import mint_ledger as mint
from mint_ledger.studies.shape import bin_edges, binned, shapes_of
from mint_ledger.views.study_text import spark

TOSSES = """
title: Tosses
clock: {unit: turn, limit: 8}
stats: {heads: 0, luck: {start: "between(0, 10)"}}
rules: [{name: toss, when: {every: 1}, do: [{if: chance(0.5), do: [heads += 1]}]}]
endings: {ten: {result: win, if: heads >= 6}}
measures: {heads_seen: closing(heads), first: first_time(heads >= 4), luck: closing(luck)}
"""


def test_the_shares_of_bins_are_those_of_the_known_distribution() -> None:
    game = mint.loads(TOSSES.replace("if: heads >= 6", "if: heads >= 60"))
    shape = game.study(4_000, 3).shape("heads_seen")
    for b in shape.bins:
        known = binom.pmf(b.low, 8, 0.5)
        assert b.low == b.high
        assert abs(b.count / 4_000 - known) < 4.5 * np.sqrt(known / 4_000) + 1e-9
    assert sum(b.count for b in shape.bins) == 4_000
    table = shape.distribution()
    assert (
        (table["low"] <= binom.cdf(table["value"], 8, 0.5)) & (binom.cdf(table["value"], 8, 0.5) <= table["high"])
    ).all()


@pytest.mark.parametrize("seeds", [30, pytest.param(120, marks=pytest.mark.night)])
def test_bands_hold_the_whole_distribution_as_often_as_they_say(seeds: int) -> None:
    game = mint.loads(TOSSES)
    held = 0
    for seed in range(seeds):
        table = game.study(60, seed, measures=["closing(luck)"]).shape("closing(luck)").distribution()
        true = table["value"].to_numpy() / 10
        before = np.concatenate([[0.0], table["share"].to_numpy()[:-1]])
        half = (table["high"] - table["share"]).max()
        held += bool((np.maximum(np.abs(table["share"] - true), np.abs(before - true)) <= half).all())
    assert held >= seeds * 0.9


@pytest.mark.parametrize("values", [np.arange(500.0) / 7, np.random.default_rng(2).exponential(3, 300)])
def test_bins_are_round_and_hold_every_value_once(values: np.ndarray) -> None:  # type: ignore[type-arg]
    edges = bin_edges(values)
    assert edges is not None
    widths = np.diff(edges)
    assert np.allclose(widths, widths[0])
    mantissa = widths[0] / 10 ** np.floor(np.log10(widths[0]))
    assert min(abs(mantissa - round_) for round_ in (1, 2, 2.5, 5)) < 1e-9
    bins = binned(values, edges, np.unique(values))
    assert sum(b.count for b in bins) == len(values)
    assert [b.count for b in bins] == np.histogram(values, edges)[0].tolist()
    assert len(bins) <= 21


def test_two_studies_are_told_in_the_same_bins_and_their_quantiles_run_by_run(demo: mint.Game) -> None:
    measures = ["escapes(keeper.health, 0.2)"]
    one, other = (demo.study(200, 5, habit=habit, measures=measures) for habit in ("careful", "reckless"))
    shapes = shapes_of(one.shape(measures[0]), other.shape(measures[0]))
    first, second = shapes.bins
    assert [(b.low, b.high) for b in first] == [(b.low, b.high) for b in second]
    assert sum(b.count for b in first) == sum(b.count for b in second) == 200
    gap = shapes.gap(0.5)
    assert gap is not None
    assert gap.value == np.median(other.values(measures[0])) - np.median(one.values(measures[0]))
    assert shapes_of(one.shape("time"), one.shape("time")).gap(0.5).value == 0.0  # type: ignore[union-attr]
    with pytest.raises(mint.BadRequest, match="same seed"):
        shapes_of(one.shape("time"), demo.study(100, 5).shape("time"))


def test_what_no_run_has_is_refused_and_what_some_have_is_told() -> None:
    study = mint.loads(TOSSES).study(300, 2, measures=["first_time(heads >= 90)"])
    with pytest.raises(mint.BadRequest, match="no run has"):
        study.shape("first_time(heads >= 90)")
    shape = study.shape("first")
    assert 0 < len(shape.values) < 300
    assert f"{len(shape.values):,} runs have it" in shape.summary()
    assert shape.unit == "turns"


def test_a_spark_is_as_high_as_its_bins() -> None:
    assert spark(np.repeat([0.0, 5.0, 10.0], [8, 4, 1]), 3) == "█▄▁"
    assert spark(np.array([2.0, 2.0])) == ""


def test_the_commands_tell_and_draw_it(tmp_path: Path) -> None:
    game = tmp_path / "tosses.yaml"
    game.write_text(TOSSES)
    figure = tmp_path / "shape.png"
    command = ["mint-ledger", "study", str(game), "--shape", "heads_seen", "--runs", "80"]
    told = run_command(*command[1:], "--plot", str(figure)).stdout
    assert "1 in 20 have at most" in told
    assert figure.read_bytes().startswith(b"\x89PNG")
    numbers = json.loads(run_command(*command[1:], "--json").stdout)
    assert sum(b["runs"] for b in numbers["bins"]) == numbers["with"] == 80
    both = ["mint-ledger", "compare", str(game), "--with", "clock.limit=6", "--shape", "heads_seen", "--runs", "80"]
    told = run_command(*both[1:], "--plot", str(figure)).stdout
    assert "run by run under the same luck" in told
    assert max(map(len, told.splitlines()[:-1])) <= 80
    numbers = json.loads(run_command(*both[1:], "--json").stdout)
    assert numbers["gaps"]["0.5"]["value"] <= 0.0
