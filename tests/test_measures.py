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


@pytest.mark.parametrize("engine", ["native", "reference"])
def test_measures_look_at_the_step_in_which_the_run_ends(engine: str) -> None:
    game = mint.loads(
        """
title: Steps
clock: {step: 1, limit: 30}
stats: {x: 0, y: {formula: "x * 2"}}
rules: [{name: up, when: {every: 1}, do: [x += 1]}]
endings: {done: {result: win, if: x >= 3}}
measures: {last: closing(y), most: highest(y), held: time_while(x >= 3), first: first_time(x >= 3)}
"""
    )
    study = game.study(2, engine=engine)  # type: ignore[arg-type]
    assert study.measures[["last", "most", "held", "first"]].to_numpy().tolist() == [[6.0, 6.0, 0.0, 3.0]] * 2


# Second by second: health 10 8 1 1 6 2 9 0 5 (of 0..10), rival 5 throughout.
TENSE = """
title: Tense
clock: {step: 1, limit: 8}
kinds:
  runner: {stats: {health: {start: 10, min: 0, max: 10}, breath: {start: 3, min: 0, max: 3}}}
  rival: {stats: {health: {start: 5, min: 0, max: 10}}}
tables: {course: {columns: [at, health], rows: [[1, 8], [2, 1], [3, 1], [4, 6], [5, 2], [6, 9], [7, 0], [8, 5]]}}
actions: {dash: {by: runner, costs: {breath: 2}, do: []}}
rules:
  - {name: course, when: {every: 1}, do: ["runner.health = course.health[time]"]}
  - {name: rests, when: {every: 5}, do: ["runner.breath += 2"]}
habits: {eager: {by: runner, reaction: 0, acts: [{do: dash}]}}
endings: {home: {result: win, if: time >= 8}}
measures:
  close: escapes(runner.health, 0.2)
  wide: escapes(runner.health, 0.7)
  leads: lead_changes(runner.health, rival.health)
  from_low: won_from(runner.health, 0.2)
  from_nothing: won_from(runner.breath, 0.2)
  waits: idle(runner)
"""


@pytest.mark.parametrize("engine", ["native", "reference"])
def test_how_tense_a_run_is(engine: str) -> None:
    row = mint.loads(TENSE).study(1, habit="eager", engine=engine).measures.iloc[0]  # type: ignore[arg-type]
    # Below 2.1: 1 1 | 6, 2 | 9, 0 | 5. Below 7.1: 1 1 6 2 | 9, 0 5 (and the run ends there).
    assert (row["close"], row["wide"]) == (3.0, 1.0)
    # 10 8 leads, 1 1 behind, 6 leads, 2 behind, 9 leads, 0 behind, 5 as much: the lead stays.
    assert row["leads"] == 5.0
    assert row["from_low"] == 1.0
    # Breath 3 - 2 = 1 of 3 is never within a fifth of nothing.
    assert row["from_nothing"] == 0.0
    # It dashes at 1 s, cannot until breath comes at 5 s, dashes at 6 s, and cannot to the end at 8 s.
    assert row["waits"] == 4.0


def test_a_run_that_is_lost_was_not_won_from_anything() -> None:
    lost = TENSE.replace("result: win", "result: lose")
    assert mint.loads(lost).study(1, habit="eager").mean("from_low").value == 0.0


@pytest.mark.parametrize(
    ("text", "words"),
    [
        ("escapes(runner.health, 2)", ["between 0 and 1"]),
        ("escapes(runner.health)", ["2 values"]),
        ("won_from(runner.health, x)", ["between 0 and 1"]),
        ("idle(rival)", ["no actions"]),
        ("lead_changes(runner.health, rival)", ["an entity"]),
    ],
)
def test_a_measure_of_tension_that_cannot_be_is_refused(text: str, words: list[str]) -> None:
    with pytest.raises(mint.MintError) as told:
        mint.loads(TENSE).study(1, measures=[text])
    for word in words:
        assert word in str(told.value)
