"""Measures of a run, against hand arithmetic."""

from __future__ import annotations

import math

import numpy as np
import pytest

import mint_ledger as mint

# The pond: 50; leaks 7 at 1, 2 … 10; rain brings 30 at 2.5, 5, 7.5, 10; never above 95. So at the end of
# 1 2 2.5 3 4 5 6 7 7.5 8 9 10 it holds 43 36 66 59 52 75 68 61 91 84 77 95 (of the last rain 5 are lost).
POND = """
mint_ledger: 1
title: Pond
clock: {step: 0.5, limit: 10}
kinds:
  pond:
    stats: {water: {start: 50, min: 0, max: 95}}
    rules:
      - {name: leak, when: {every: 1}, do: [water -= 7]}
      - {name: a shower, when: {every: 2.5}, do: [water += 30]}
measures:
  left: closing(pond.water)
  half: left / 2
"""
ENGINES = ["native", "reference"]


@pytest.mark.parametrize("engine", ENGINES)
@pytest.mark.parametrize(
    ("text", "value"),
    [
        ("closing(pond.water)", 95),
        ("lowest(pond.water)", 36),
        ("highest(pond.water)", 95),
        ("total(pond.water, leak)", -70),
        ("total(pond.water, 'a shower')", 115),
        ("total(pond.water)", 45),
        ("waste(pond.water, 'a shower')", 5),
        ("waste(pond.water)", 5),
        ("count_of(pond.water, leak)", 10),
        ("count_of(pond.water)", 14),
        ("time_while(pond.water < 60)", 2.5 + 2),
        ("time_while(pond.water >= 60)", 0.5 + 5),
        ("first_time(pond.water > 80)", 7.5),
        ("first_time(pond.water > 200)", math.nan),
        ("time", 10),
        ("half", 47.5),
        ("left - 2 * lowest(pond.water)", 23),
        ("max(left, 96) + min(1, 2, 3) + abs(0 - 2)", 99),
        ("1 if left > 90 else 2", 1),
        ("count_of(pond.water, leak) / 0", math.inf),
    ],
)
def test_a_measure_says_what_hand_arithmetic_says(engine: str, text: str, value: float) -> None:
    study = mint.loads(POND).study(3, engine=engine, measures={"asked": text})  # type: ignore[arg-type]
    found = study.measures["asked"].to_numpy()
    assert np.array_equal(found, np.full(3, value), equal_nan=True), found


@pytest.mark.parametrize("engine", ENGINES)
def test_values_over_time_are_those_at_the_end_of_each_step(engine: str) -> None:
    study = mint.loads(POND).study(5, engine=engine, accounts=["pond.water"], times=[0, 2, 5, 7.5])  # type: ignore[arg-type]
    bands = study.bands("pond.water")
    assert bands["q50"].tolist() == [50, 36, 75, 91]
    assert bands["q05"].tolist() == bands["q95"].tolist()
    assert bands["going"].tolist() == [5, 5, 5, 5]


def test_by_cause_adds_up_to_what_the_account_gained() -> None:
    study = mint.loads(POND).study(4, accounts=["pond.water"])
    table = study.by_cause("pond.water").set_index("cause")
    assert table.loc["leak", "total"] == table.loc["leak", "low"] == -70
    assert table.loc["a shower", "total"] == 115 and table.loc["a shower", "waste"] == 5
    assert table["total"].sum() == 95 - 50
    assert table["changes"].sum() == 14


FENCER = """
mint_ledger: 1
title: Fence
clock: {step: 1, limit: 400}
kinds:
  post: {stats: {health: {start: 1e6, min: 0}}, when_hit: {dodge: 0.25, safe_for: 1.5}}
  fencer: {stats: {reach: 1}}
attacks:
  thrust: {from: fencer, to: post, when: {every: 1}, lands: 0.5, damage: 3}
"""


@pytest.mark.parametrize("engine", ENGINES)
def test_hits_misses_dodges_and_blocks_are_every_thrust(engine: str) -> None:
    texts = {name: f"{name}(thrust)" for name in ("hits", "misses", "dodges", "blocks")}
    study = mint.loads(FENCER).study(20, engine=engine, measures=texts)  # type: ignore[arg-type]
    table = study.measures
    assert (table[list(texts)].sum(axis=1) == 400).all()
    # A hit makes safe for one more thrust: of the others 1/2 misses, 1/8 is dodged, 3/8 hits.
    assert (table["blocks"] - table["hits"]).abs().max() <= 1
    open_thrusts = 400 * 20 - table["blocks"].sum()
    for name, share in (("misses", 1 / 2), ("dodges", 1 / 8), ("hits", 3 / 8)):
        spread = math.sqrt(share * (1 - share) / open_thrusts)
        assert abs(table[name].sum() / open_thrusts - share) < 4 * spread


def test_an_account_alone_stands_for_its_closing_lowest_and_highest() -> None:
    study = mint.loads(POND).study(2, measures=["pond.water"])
    row = study.measures.iloc[0]
    assert (row["closing(pond.water)"], row["lowest(pond.water)"], row["highest(pond.water)"]) == (95, 36, 95)


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("closing(pond.watr)", ["no account", "pond.watr"]),
        ("closing(fish.water)", ["fish"]),
        ("total(pond.water, leek)", ["leek", "did you mean 'leak'"]),
        ("hits(bite)", ["unknown attack 'bite'"]),
        ("clsing(pond.water)", ["clsing", "did you mean 'closing'"]),
        ("rate(win)", ["unknown call 'rate'"]),
        ("between(1, 2)", ["no measure of a run"]),
        ("time_while(chance(0.5))", ["measure"]),
        ("level", ["no levels"]),
        ("closing(", ["never closed"]),
    ],
)
def test_a_measure_that_cannot_be_is_refused_by_name(text: str, words: list[str]) -> None:
    with pytest.raises(mint.GameError) as error:
        mint.loads(POND).study(2, measures={"asked": text})
    assert all(word in str(error.value) for word in words), str(error.value)


def test_a_faulty_measure_of_the_file_is_told_with_its_line() -> None:
    with pytest.raises(mint.GameError) as error:
        mint.loads(POND.replace("left / 2", "lft / 2"), "pond.yaml")
    assert "pond.yaml:13:" in str(error.value) and "did you mean 'left'" in str(error.value)


def test_measures_change_nothing_in_the_run() -> None:
    game = mint.loads(POND)
    plain = mint.loads(POND.split("measures:", maxsplit=1)[0])
    assert game.run(seed=3).journal_csv() == plain.run(seed=3).journal_csv()
