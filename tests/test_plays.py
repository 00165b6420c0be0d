"""Recorded plays beside simulated ones: what is read, by which rules, and when it is said that they are alike."""

from __future__ import annotations

import contextlib
import json
from pathlib import Path

import numpy as np
import pytest
from conftest import Command
from hypothesis import HealthCheck, given, settings
from hypothesis import strategies as st
from scipy.stats import binomtest

import mint_ledger as mint
from mint_ledger.players.likeness import clopper_pearson
from mint_ledger.players.recorded import Plays, game_mark, make_plays

TOSS = """
title: Toss
clock: {step: 1, limit: 20}
numbers: {p: 0.5}
stats: {chips: {start: 0, min: 0, whole: true}}
rules:
  - {name: toss, when: start, do: [{if: chance(p), do: [chips += 5]}, "chips += whole(1, 6)"]}
endings:
  heads: {result: win, if: time >= 2 and chips >= 6}
  tails: {result: lose, if: time >= 3}
measures: {left: closing(chips)}
"""


def _rows(count: int, wins: float) -> list[list[object]]:
    won = round(count * wins)
    return [["win", 2.0, 8] for _ in range(won)] + [["lose", 3.0, 3] for _ in range(count - won)]


def _game() -> mint.Game:
    return mint.loads(TOSS)


def _side(plays: Plays, measure: str, **more: object) -> object:
    likeness = _game().judge_plays(plays, **more)  # type: ignore[arg-type]
    return next(side for side in likeness.sides if side.measure == measure)


def test_the_chance_to_be_higher_is_that_of_all_pairs() -> None:
    game = _game()
    rows = [["win", 2.0, value] for value in (6, 7, 11)] + [["lose", 3.0, 2]]
    plays = make_plays(game, ["result", "time", "left"], rows)
    side = next(side for side in game.judge_plays(plays, runs=500, seed=5).sides if side.measure == "left")
    runs = game.study(500, seed=5).measures["left"].to_numpy()
    by_hand = np.mean([(r > s) + 0.5 * (r == s) for r in (6, 7, 11, 2) for s in runs])
    assert side.higher is not None
    assert side.higher.value == pytest.approx(by_hand, abs=1e-12)
    assert side.higher.low < by_hand < side.higher.high


@pytest.mark.parametrize(("count", "runs", "sure"), [(0, 12, 0.95), (5, 12, 0.9), (12, 12, 0.95), (400, 900, 0.99)])
def test_the_exact_interval_is_scipys(count: int, runs: int, sure: float) -> None:
    wanted = binomtest(count, runs).proportion_ci(confidence_level=sure, method="exact")
    assert clopper_pearson(count, runs, sure) == pytest.approx((wanted.low, wanted.high), abs=1e-12)


# 120 · 0.05 = 6; more than 13 comes in one of 300 such tests, and more than 5 of 30 in one of 300.
@pytest.mark.parametrize(("repeats", "most"), [(30, 5), pytest.param(120, 13, marks=pytest.mark.night)])
def test_what_is_drawn_from_the_game_is_called_different_in_one_of_twenty_at_most(repeats: int, most: int) -> None:
    game = _game()
    alarms = 0
    for repeat in range(repeats):
        table = game.study(30, seed=10_000 + repeat).measures
        rows = table[["result", "time", "left"]].to_numpy().tolist()
        plays = make_plays(game, ["result", "time", "left"], rows)
        alarms += bool(game.judge_plays(plays, runs=400, seed=1 + repeat).differs)
    assert alarms <= most


def test_many_plays_of_the_game_itself_are_alike_and_of_another_differ() -> None:
    game = _game()
    rows = game.study(3_000, seed=77).measures[["result", "time", "left"]].to_numpy().tolist()
    likeness = game.judge_plays(make_plays(game, ["result", "time", "left"], rows), runs=4_000)
    assert likeness.is_alike
    assert not likeness.differs
    other = game.judge_plays(make_plays(game, ["result", "time", "left"], _rows(200, 0.2)))
    assert set(other.differs) == {"win", "time", "left"}


def test_few_plays_are_too_few_to_tell() -> None:
    plays = make_plays(_game(), ["result", "time", "left"], _rows(6, 0.5))
    assert {side.verdict for side in _game().judge_plays(plays).sides} == {"too few to tell"}


def test_the_order_of_rows_does_not_matter_and_a_weight_is_a_number_of_rows() -> None:
    game, heads = _game(), ["result", "time", "left"]
    rows = _rows(40, 0.3)
    one, other = (game.judge_plays(make_plays(game, heads, r)).as_json() for r in (rows, rows[::-1]))
    assert one == other
    weighted = [[*row, 2 if row[0] == "win" else 1] for row in rows]
    doubled = [row for row in rows for _ in range(2 if row[0] == "win" else 1)]
    value = [
        _side(make_plays(game, h, r), "win").told[0][1]  # type: ignore[attr-defined]
        for h, r in (([*heads, "weight"], weighted), (heads, doubled))
    ]
    assert value[0] == pytest.approx(24 / 52) == value[1]


def test_plays_of_one_player_count_for_less() -> None:
    heads, rows = ["result", "time", "left", "player"], _rows(60, 0.5)
    apart = _side(make_plays(_game(), heads, [[*row, index] for index, row in enumerate(rows)]), "left")
    together = _side(make_plays(_game(), heads, [[*row, index // 10] for index, row in enumerate(rows)]), "left")
    widths = [side.higher.half_width for side in (apart, together)]  # type: ignore[attr-defined]
    assert widths[1] > 2.0 * widths[0]


def test_a_play_that_broke_off_counts_for_its_time_alone_and_one_too_long_is_cut() -> None:
    rows = [*_rows(10, 0.5), ["unfinished", 1.0, 4], ["unfinished", 99.0, 4]]
    plays = make_plays(_game(), ["result", "time", "left"], rows)
    assert plays.broke_off.sum() == 1
    assert np.isnan(plays.values["left"][plays.broke_off]).all()
    assert plays.values["time"][plays.broke_off].tolist() == [1.0]
    assert plays.values["time"].max() == 21.0
    assert np.nanmean(plays.values["win"]) == pytest.approx(5 / 11)
    assert sum("broke off" in note for note in plays.notes) == 1
    assert sum("longer than the clock" in note for note in plays.notes) == 1


def test_what_is_missing_is_said_and_counts_for_nothing() -> None:
    plays = make_plays(_game(), ["result", "time", "left"], [*_rows(10, 0.5), ["win", 2.0, None], ["win", None, 7]])
    assert any("left is missing in 1 plays" in note for note in plays.notes)
    assert np.isnan(plays.values["left"]).sum() == 1 == np.isnan(plays.values["time"]).sum()


@pytest.mark.parametrize("count", [2, 3, 5])
def test_a_few_plays_that_are_alike_do_not_differ_for_that(count: int) -> None:
    # Half of the simulated ones are like them.
    plays = make_plays(_game(), ["result", "time"], [["lose", 3.0]] * count)
    assert not _game().judge_plays(plays).differs


BAD = [
    ("", "is empty"),
    ("time,left\n2,3\n", "wants a column 'result'"),
    ("result,time\nwon,2\nmaybe,3\n", "row 3: 'maybe' is no result"),
    ("result,time\nwin,2,5\n", "row 2: has 3 cells"),
    ("result,time\nwin,soon\n", "row 2, column time: wants a number, not 'soon'"),
    ("result,time\nwin,-1\n", "row 2, column time: -1 cannot be"),
    ("result,time\nwin,inf\n", "row 2, column time: inf cannot be"),
    ("result,time\ndraw,2\n", "no ending of the game is draw"),
    ("ending,time\nhaeds,2\n", "no ending 'haeds', did you mean 'heads'?"),
    ("result,ending,time\nlose,heads,2\n", "is an ending that is win, not lose"),
    ("result,time,lfet\nwin,2,3\n", "'lfet' is no measure of the game, did you mean 'left'?"),
    ("result,time,chips\nwin,2,3\n", '--columns "chips=closing(chips)"'),
    ("result,time,time\nwin,2,3\n", "two columns 'time'"),
    ("result,time,weight\nwin,2,0\n", "a weight is above 0"),
    ("result,time,game\nwin,2,abcdef\n", "another version of the game"),
    ("result,time\n", "has no plays"),
    ("result,time\nwin,2\n", "one play alone"),
    ("result,time,level\nwin,2,attic\n", "no level 'attic'"),
    ('result,"ti', "no CSV table"),
    ("result,time\n,2\n", "a play has a result"),
]


@pytest.mark.parametrize(("text", "message"), BAD)
def test_what_cannot_be_is_refused_with_its_row(tmp_path: Path, text: str, message: str) -> None:
    path = tmp_path / "plays.csv"
    path.write_text(text, "utf-8")
    game = _game()
    with pytest.raises(mint.MintError) as caught:
        game.judge_plays(game.read_plays(path))
    assert message in str(caught.value)


TOLD = [
    ("win: 41 of 60", ""),
    ("plays: 60\nmedian(time): 2\nmean(left): 5 ± 0.4", ""),
    ("win: 61 of 60", "61 of 60 cannot be"),
    ("win: most of them", "wants 'so many of so many'"),
    ("median(time): 2", "wants 'plays:'"),
    ("plays: sixty\nmedian(time): 2", "wants a whole number"),
    ("plays: 60\nmean(lfet): 2", "'lfet' is no measure"),
    ("plays: 60\nluck: 2", "is nothing that is told of plays"),
    ("draw: 3 of 60", "of a result that the game has"),
]


@pytest.mark.parametrize(("text", "message"), TOLD)
def test_what_is_told_of_all_plays_together(tmp_path: Path, text: str, message: str) -> None:
    path = tmp_path / "told.yaml"
    path.write_text(text, "utf-8")
    game = _game()
    if message:
        with pytest.raises(mint.MintError, match=message):
            game.read_plays(path)
        return
    likeness = game.judge_plays(game.read_plays(path))
    assert likeness.plays == 60
    assert likeness.table()["recorded"].notna().all()


def test_a_share_that_was_told_is_held_against_the_runs(tmp_path: Path) -> None:
    path = tmp_path / "told.yaml"
    game = _game()
    for share, verdict in (("5 of 60", "differs"), ("40 of 60", "too few to tell")):
        path.write_text(f"win: {share}", "utf-8")
        assert game.judge_plays(game.read_plays(path)).sides[0].verdict == verdict


def test_parquet_and_semicolons_say_the_same(tmp_path: Path) -> None:
    pytest.importorskip("pyarrow")
    import pandas as pd

    game = _game()
    table = pd.DataFrame(_rows(30, 0.4), columns=["result", "time", "left"])
    table.to_csv(tmp_path / "plays.csv", index=False)
    table.to_csv(tmp_path / "other.csv", index=False, sep=";", decimal=",")
    table.to_parquet(tmp_path / "plays.parquet")
    names = ("plays.csv", "other.csv", "plays.parquet")
    answers = [game.judge_plays(game.read_plays(tmp_path / name)).as_json() for name in names]
    for answer in answers:
        answer.pop("source")
    assert answers[0] == answers[1] == answers[2]


def test_plays_of_one_habit_and_of_this_version(tmp_path: Path) -> None:
    game = mint.load(mint.demo_path())
    rows = [["win", 200.0, "careful", game_mark(game)], ["lose", 150.0, "reckless", game_mark(game)]] * 10
    plays = make_plays(game, ["result", "time", "habit", "game"], rows, habit="careful")
    assert len(plays) == 10
    assert plays.notes[0] == "10 plays of the habit 'reckless' are not looked at"
    with pytest.raises(mint.BadRequest, match="another version"):
        make_plays(game.with_dials({"crab.bite": 13}), ["result", "game"], [["win", game_mark(game)]])
    turned = game.with_dials({"crab.bite": 13})
    assert len(make_plays(turned, ["result", "game"], [["win", game_mark(game)]], any_version=True)) == 1


def test_the_plays_of_the_demo_are_of_this_demo_and_do_not_play_like_its_habits(command: Command) -> None:
    demo = mint.demo_path()
    asked = ("players", demo, Path(demo).parent / "plays.csv", "--like", "careful", "--json")
    answer = json.loads(command(*asked).stdout)
    assert answer["plays"] == 120
    assert answer["players"] == 24
    assert "win" in answer["differs"]


def test_the_command_says_what_it_wants(tmp_path: Path, command: Command) -> None:
    game = tmp_path / "toss.yaml"
    game.write_text(TOSS, "utf-8")
    plays = tmp_path / "plays.csv"
    plays.write_text("result,time,hp\n" + "win,2,9\nlose,3,4\n" * 10, "utf-8")
    unknown = command("players", game, plays)
    assert unknown.returncode == 2
    assert '--columns "hp=closing(…)"' in unknown.stderr
    shown = command("players", game, plays, "--columns", "hp=closing(chips)", "--plot", tmp_path / "a.png")
    assert shown.returncode == 0, shown.stderr
    assert "compared with 20 recorded plays" in shown.stdout
    assert max(len(line) for line in shown.stdout.split("\n") if "is written" not in line) <= 80
    assert (tmp_path / "a.png").read_bytes()[:4] == b"\x89PNG"
    for arguments, message in (
        (["--fit", "p=0..1"], "wants recorded plays"),
        ([plays, "--with", "p=1"], "wants a fitted habit"),
        ([plays, "--columns", "hp"], "wants a name and what it is"),
    ):
        wrong = command("players", game, *arguments)
        assert wrong.returncode == 2
        assert message in wrong.stderr


def test_plays_by_hand_are_kept_and_read_again(tmp_path: Path, command: Command) -> None:
    game = tmp_path / "toss.yaml"
    game.write_text(TOSS, "utf-8")
    for lines in ("go 10\nkeep plays.csv by ann\n", "go 1\nkeep plays.csv\nkeep game.yaml\n"):
        shown = command("try", game, input=lines)
        assert "is kept in plays.csv" in shown.stdout, shown.stderr
    assert "plays are kept as CSV" in shown.stdout + shown.stderr
    rows = (tmp_path / "plays.csv").read_text("utf-8").split("\n")
    assert rows[0].startswith("player,game,result,ending,time")
    assert rows[1].startswith("ann,")
    assert rows[2].split(",")[2] == "unfinished"
    mark = json.loads(command("check", game, "--json").stdout)["game"]
    assert rows[1].split(",")[1] == mark
    plays = mint.load(game).read_plays(tmp_path / "plays.csv")
    assert isinstance(plays, Plays)
    assert plays.broke_off.tolist().count(True) == 1
    # A file with columns of its own is filled as far as is known.
    (tmp_path / "own.csv").write_text("result,mood,closing(chips)\nwin,merry,7\n", "utf-8")
    command("try", game, input="go 10\nkeep own.csv\n")
    last = (tmp_path / "own.csv").read_text("utf-8").strip().split("\n")[-1].split(",")
    assert last[0] in ("win", "lose")
    assert last[1] == ""
    assert float(last[2]) >= 1
    (tmp_path / "none.csv").write_text("time\n3\n", "utf-8")
    assert "no column 'result'" in command("try", game, input="keep none.csv\n").stderr


@settings(max_examples=40, deadline=None, suppress_health_check=[HealthCheck.function_scoped_fixture])
@given(
    st.one_of(
        st.text(max_size=200),
        st.lists(
            st.lists(st.sampled_from(("result", "time", "win", "lose", "", "2", "1e999", "=1", '"', "π")), max_size=4)
        ).map(lambda rows: "\n".join(",".join(row) for row in rows)),
    ),
    st.sampled_from((".csv", ".yaml", ".parquet")),
)
def test_no_file_of_plays_does_more_than_to_be_refused(tmp_path: Path, text: str, ending: str) -> None:
    path = tmp_path / f"plays{ending}"
    path.write_bytes(text.encode("utf-8", "surrogatepass"))
    with contextlib.suppress(mint.MintError):
        _game().read_plays(path)
