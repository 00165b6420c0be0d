"""What every result has in Python: a text, a table, plain values, a figure, and what other packages read."""

from __future__ import annotations

import inspect
import json
import warnings
from collections.abc import Callable
from typing import Any

import pandas as pd
import pytest

import mint_ledger as mint
from mint_ledger.playing.highlights import find_highlights
from mint_ledger.showing import Result

GAME = """
title: Bell tower
clock: {unit: turn, limit: 12}
numbers: {wind: 0.4}
kinds:
  ringer:
    stats: {health: {start: 9, min: 0, max: 9}, breath: {start: 9, min: 0, max: 9}, peals: {start: 0, min: 0}}
actions: {ring: {by: ringer, costs: {breath: 2}, do: [peals += 1]}}
habits: {eager: {by: ringer, reaction: 0, acts: [{do: ring}]}}
attacks: {gust: {from: gale, to: ringer, when: {every: 2}, lands: wind, damage: "between(1, 3)"}}
rules: [{name: rests, when: {every: 3}, do: [ringer.breath += 3]}]
lots: {tune: {of: {merry: {weight: 3, do: [ringer.peals += 1]}, sad: {weight: 1, do: []}}}}
endings: {worn out: {result: lose, if: ringer.health <= 0}, done: {result: win, if: ringer.peals >= 5}}
measures: {peals: closing(ringer.peals)}
targets: [{name: fair, measure: rate(win), want: 0.3..0.9}]
readout: [{bar: ringer.breath}]
"""


@pytest.fixture(scope="module")
def game() -> mint.Game:
    return mint.loads(GAME.replace("kinds:", "kinds:\n  gale: {}"))


MAKERS: dict[str, Callable[[mint.Game], Any]] = {
    "study": lambda g: g.study(60),
    "compare": lambda g: g.compare(runs=60, dials={"wind": 0.6}),
    "judge": lambda g: g.judge(60),
    "sweep": lambda g: g.sweep({"wind": [0.2, 0.6]}, runs=40),
    "tune": lambda g: g.tune("wind", (0.1, 0.9), "rate(win)", (0.3, 0.6), runs=400),
    "tune most": lambda g: g.tune_most({"wind": "0.2,0.6"}, "mean(peals)", runs=40),
    "tune many": lambda g: g.tune_many({"wind": (0.1, 0.9)}, ["fair"], runs=400),
    "sensitivity": lambda g: g.sensitivity(["wind"], runs=60),
    "shares": lambda g: g.share_out(g.with_dials({"wind": 0.6, "ringer.breath": 7}), runs=60),
    "ends": lambda g: g.ends(60),
    "course": lambda g: g.course(runs=40, per="ringer.peals"),
    "shape": lambda g: g.study(60).shape("peals"),
    "odds": lambda g: g.odds(),
    "audit": lambda g: g.audit(runs=0),
    "matchups": lambda g: g.matchups(),
    "statement": lambda g: g.run().statement("ringer.breath"),
    "highlights": lambda g: find_highlights(g.run()),
}


@pytest.mark.parametrize("name", MAKERS)
def test_every_result_has_its_text_its_table_and_its_plain_values(game: mint.Game, name: str) -> None:
    found = MAKERS[name](game)
    assert len(repr(found)) < 200 and "\n" not in repr(found)
    assert found.summary().strip()
    assert "<" in found._repr_html_()
    frame = found.to_frame()
    assert isinstance(frame, pd.DataFrame) and len(frame.columns) >= 1
    json.dumps(found.to_dict(), allow_nan=False)
    if isinstance(found, Result) and not isinstance(found, list):
        rows = frame.reset_index() if frame.index.name is not None else frame
        again = pd.DataFrame(found)
        assert list(again.columns) == (list(rows.columns) if len(rows) else [])
        pd.testing.assert_frame_equal(again, pd.DataFrame(rows.to_dict("records")))
        if type(found).plot is Result.plot:
            with pytest.raises(mint.MintError, match=r"to_frame\(\)"):
                found.plot()
        else:
            assert "ax" in inspect.signature(found.plot).parameters


def test_arrow_reads_a_study_row_by_row(game: mint.Game) -> None:
    pyarrow = pytest.importorskip("pyarrow")
    study = game.study(60)
    table = pyarrow.table(study)
    assert table.num_rows == 60 and table.column_names[0] == "run"
    assert table.column("peals").to_pylist() == study.measures["peals"].tolist()
    assert pyarrow.table(game.matchups()).num_rows == len(game.matchups().table())


def test_an_estimate_adds_to_a_number_and_is_compared_with_one(game: mint.Game) -> None:
    wins = game.study(60).rate("win")
    assert (wins + 1).value == (1 + wins).value == wins.value + 1 and (wins + 1).low == wins.low + 1
    assert (wins - 0.5).high == wins.high - 0.5 and (1 - wins).low == pytest.approx(1 - wins.high)
    assert (wins * 100).value == (100 * wins).value == 100 * wins.value and (wins * -1).low == -wins.high
    assert (wins / 2).high == wins.high / 2
    assert (wins > -1) and (wins < 2) and wins >= wins.value and wins <= wins.value and wins == wins.value
    assert wins != 3 and wins == wins and hash(wins) == hash(wins)
    for wrong in (lambda: wins + wins, lambda: wins < wins, lambda: wins + "1", lambda: wins / 0, lambda: wins > True):
        with pytest.raises(mint.MintError):
            wrong()


def test_a_game_shows_what_is_ours_and_says_in_a_line_what_it_is(game: mint.Game) -> None:
    assert repr(game) == f"<Game 'Bell tower': 2 kinds, {len(game.dials.names)} dials>"
    public = {name for name in dir(game) if not name.startswith("_")}
    assert {"study", "compare", "run", "kinds", "rules"} <= public
    assert not public & {"copy", "json", "schema", "dict", "construct", "model_dump", "parse_obj", "model_fields"}
    assert len(repr(game.study(60).outcomes)) < 200


def test_who_studies_a_game_that_nobody_plays_is_told_once(game: mint.Game) -> None:
    nobody = mint.loads(GAME.replace("kinds:", "kinds:\n  gale: {}").replace("habits:", "# habits:"))
    with pytest.warns(mint.NobodyPlays, match="habit='none'"):
        nobody.study(20)
    with warnings.catch_warnings():
        warnings.simplefilter("error")
        nobody.study(20)
        nobody.compare(runs=20, dials={"wind": 0.6})
        game.study(20, habit="none")
        game.study(20)
