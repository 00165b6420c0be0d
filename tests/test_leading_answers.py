"""Every output leads with its answer, and the numbers in it are those of the tables below."""

from __future__ import annotations

import re

import pytest

import mint_ledger as mint

GAME = """
title: Kettle
clock: {unit: turn, limit: 12}
numbers: {heat: 3}
kinds: {cook: {stats: {water: {start: 20, min: 0}}}}
rules:
  - {name: boils, when: {every: 1}, do: ["cook.water -= between(0, heat)"]}
  - {name: refill, when: {every: 4}, do: [cook.water += 2]}
endings: {dry: {result: lose, if: cook.water <= 0}, tea: {result: win, if: turn >= 10}}
measures: {left: closing(cook.water)}
readout: [{bar: cook.water}]
"""


@pytest.fixture(scope="module")
def game() -> mint.Game:
    return mint.loads(GAME)


def lead(text: str) -> str:
    """The first paragraph below the heading, as one line."""
    return " ".join(text.split("\n\n")[1].split())


def test_a_study_says_how_often_it_is_won_when_it_ends_and_what_takes_most(game: mint.Game) -> None:
    study = game.study(400)
    told = lead(study.summary())
    wins = study.rate("win")
    assert told.startswith(f"{100 * wins.value:.1f} % of runs are won ({100 * wins.low:.1f} to {100 * wins.high:.1f}).")
    assert "Most is taken from cook.water by boils: " in told
    points = float(told.rpartition(": ")[2].removesuffix(" a run."))
    assert points == pytest.approx(-{row.cause: row.total for row in study.causes("cook.water")}["boils"], abs=0.05)


@pytest.mark.parametrize(
    ("dials", "says"), [({"heat": 0}, "100.0 % of runs are won"), ({"heat": 20}, "No run is won; ")]
)
def test_a_study_of_one_result_says_so(game: mint.Game, dials: dict[str, float], says: str) -> None:
    assert lead(game.with_dials(dials).study(400).summary()).startswith(says)


def test_a_comparison_says_which_is_won_more_often(game: mint.Game) -> None:
    answer = game.compare(runs=300, dials={"heat": 4.5})
    gap = answer.differences[0].difference
    assert gap.high < 0
    told = lead(answer.summary())
    assert told.startswith(f"Wins: {-100 * gap.value:.1f} points less in B (")
    low, high = map(float, re.findall(r"\(([\d.]+) to ([\d.]+)\)", told)[0])
    assert (low, high) == pytest.approx((-100 * gap.high, -100 * gap.low), abs=0.06)
    assert lead(game.compare(runs=50, dials={"heat": 3}).summary()) == "Both are the same in every run."


def test_a_sweep_names_the_highest_and_the_lowest_that_was_tried(game: mint.Game) -> None:
    swept = game.sweep({"heat": [2, 3, 5]}, runs=200, measures=["mean(left)"])
    values = {point.dials["heat"]: point.estimates["mean(left)"].value for point in swept.points}
    told = lead(swept.summary())
    most, least = max(values, key=values.__getitem__), min(values, key=values.__getitem__)
    assert re.search(rf"is highest, .* at heat = {most}, and lowest, .* at heat = {least}\.", told), told


def test_a_shape_names_the_middle_half(game: mint.Game) -> None:
    shape = game.study(400).shape("left")
    low, half, high = map(float, re.findall(r"\d+\.?\d*", lead(shape.summary())))
    assert (low, half, high)[::2] == pytest.approx((shape.quantile(0.25).value, shape.quantile(0.5).value), abs=0.006)
    assert half == pytest.approx(shape.quantile(0.75).value, abs=0.006)


def test_ends_income_courses_and_tuning_lead_with_theirs(game: mint.Game) -> None:
    hot = game.with_dials({"heat": 4.5})
    ended = lead(hot.ends(300).summary())
    assert re.search(r"\d+\.\d % of the runs: lost, dry, by boils\.", ended) and "won, tea, by the clock." in ended
    assert re.match(
        r"In a run \+\S+ comes in and −\S+ goes out of cook\.water: −\S+ in all",
        lead(game.income("cook.water", runs=100).summary()),
    )
    tuned = game.tune("heat", "1..6 by 0.5", "rate(win)", "0.4..0.6", runs=400)
    assert lead(tuned.summary()).startswith(f"heat = {tuned.best:g}. ")
