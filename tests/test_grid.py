"""Who is best, and where: against games whose chances are known."""

from __future__ import annotations

import json
from pathlib import Path

import pytest
from conftest import run_command

import mint_ledger as mint

# Net beats saw, saw beats rope, rope beats net, in four of five rounds; alike it is even.
TOOLS = """
title: Two tools
clock: {unit: turn, limit: 3}
stats:
  ann_tool: {one_of: [net, saw, rope], start: net}
  bob_tool: {one_of: [net, saw, rope], start: net}
  ahead: {formula: "0.5 if ann_tool == bob_tool else 0.8 if wins else 0.2"}
  wins: {formula: "(ann_tool == net and bob_tool == saw) or (ann_tool == saw and bob_tool == rope) or (ann_tool == rope and bob_tool == net)"}
rules: [{name: round, when: start, do: [{if: chance(ahead), do: [{finish: ann}], else: [{finish: bob}]}]}]
endings: {ann: {result: win}, bob: {result: lose}}
"""
WALK = """
title: Walk
clock: {unit: turn, limit: 20}
numbers: {pace: 1, wind: 0}
stats: {way: 0}
rules: [{name: walks, when: {every: 1}, do: ["way += pace - wind * between(0, 1)"]}]
endings: {there: {result: win, if: way >= 12}}
variants: {windy: {wind: 1.2}, calm: {wind: 0.1}}
"""


def test_a_circle_of_who_beats_whom_is_found_and_told() -> None:
    sides = {"ann_tool": "net,saw,rope", "bob_tool": "net,saw,rope"}
    grid = mint.loads(TOOLS).grid(sides, "rate(ann)", 400, 3)
    for (row, column), estimate in grid.cells.items():
        known = 0.5 if row == column else 0.8 if (column - row) % 3 == 1 else 0.2
        low, high = estimate.interval(0.9999)
        assert low <= known <= high
    assert grid.circle == ("net", "saw", "rope")
    assert "net beats saw beats rope beats net: no choice is best against all" in grid.sentences
    assert [grid.rows[grid.best(column)[0]] for column in range(3)] == ["rope", "net", "saw"]


def test_an_even_game_has_no_best_choice_and_no_circle() -> None:
    even = TOOLS.replace("0.8 if wins else 0.2", "0.5")
    sides = {"ann_tool": "net,saw,rope", "bob_tool": "net,saw,rope"}
    for seed in range(6):
        grid = mint.loads(even).grid(sides, "rate(ann)", 300, seed)
        assert not grid.circle
        assert grid.sentences == ("no difference between the choices of ann_tool was seen",)


def test_false_bests_are_as_rare_as_they_are_said_to_be() -> None:
    even = mint.loads(TOOLS.replace("0.8 if wins else 0.2", "0.5").replace("when: start, do", "when: start, do"))
    false = 0
    for seed in range(100):
        grid = even.grid({"ann_tool": "net,saw,rope"}, "rate(ann)", 60, seed, dials={"bob_tool": "rope"})
        false += bool(grid.better)
    assert false <= 12


def test_a_choice_that_is_best_everywhere_is_told_and_runs_are_paired() -> None:
    game = mint.loads(WALK)
    grid = game.grid({"pace": "0.7,1,1.4", "variant": None}, "rate(win)", 200, 2)
    assert grid.columns == ("as it is", "windy", "calm")
    studies = [game.study(200, 2, variant="windy", dials={"pace": pace}).rate("win").value for pace in (0.7, 1, 1.4)]
    assert [grid.cells[row, 1].value for row in range(3)] == studies
    # Without wind nobody is late: 0.7 a turn is 14 in 20.
    assert [grid.cells[row, 0].value for row in range(3)] == [1.0, 1.0, 1.0]
    assert grid.best(1) == [2]
    # Where nothing is drawn a difference is certain; where all runs seen are alike it need not be.
    assert game.grid({"pace": "1,1.4"}, "mean(time)", 50, 2).best(0) == [0, 1]
    times = mint.loads(WALK.replace(" - wind * between(0, 1)", "")).grid({"pace": "1,1.4"}, "mean(time)", 50, 2)
    assert times.best(0) == [0]
    assert times.sentences == ("1 is the best pace of all: it dominates",)


def test_habits_and_variants_of_the_file_are_the_sides_without_names(demo: mint.Game) -> None:
    grid = demo.grid({"habit": None, "variant": None}, runs=120, seed=4)
    assert (grid.rows, grid.columns) == (tuple(demo.habits), ("as it is", *demo.variants))
    assert grid.sentences == ("careful is the best habit with every variant: it dominates",)
    assert grid.cells[1, 0].value == demo.study(120, 4, habit="reckless").rate("win").value
    table = grid.table()
    assert list(table.columns) == ["habit", "variant", "value", "low", "high", "best"]
    assert table["best"].tolist() == [True, True, False, False]


@pytest.mark.parametrize(
    ("each", "words"),
    [
        ({}, "one side or two"),
        ({"habit": "sleepy"}, "no habit 'sleepy'"),
        ({"crab.bite": None}, "wants its values"),
        ({"crab.bite": "1..30", "keeper.lives": "1..30"}, "too large"),
        ({"crab.bit": "1..3"}, "did you mean 'crab.bite'"),
    ],
)
def test_sides_that_make_no_sense_are_refused(demo: mint.Game, each: dict[str, str | None], words: str) -> None:
    with pytest.raises(mint.MintError, match=words):
        demo.grid(each, runs=10)


def test_the_command_tells_draws_and_writes_the_grid(tmp_path: Path) -> None:
    game, table, figure = (tmp_path / name for name in ("tools.yaml", "grid.csv", "grid.png"))
    game.write_text(TOOLS)
    command = ["mint-ledger", "study", str(game), "--runs", "120", "--measure", "rate(ann)"]
    command += ["--each", "ann_tool=net,saw,rope", "--each", "bob_tool=net,saw,rope"]
    more = ["-o", str(table), "--plot", str(figure)]
    told = run_command(*command[1:], *more).stdout
    assert "net beats saw beats rope beats net" in told
    assert len(table.read_text().splitlines()) == 10
    assert figure.read_bytes().startswith(b"\x89PNG")
    numbers = json.loads(run_command(*command[1:], "--json").stdout)
    assert len(numbers["cells"]) == 9
    for wrong in (["--ends"], ["--store", "x.sqlite"], ["--each", "bob_tool=net"]):
        assert run_command(*command[1:], *wrong).returncode == 2
