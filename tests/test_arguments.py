"""Numbers of NumPy and pandas are welcome; results print, format and compare as people expect."""

from __future__ import annotations

import json
import subprocess
import sys
from pathlib import Path

import numpy as np
import pandas as pd
import pytest
from conftest import Command

import mint_ledger as mint
from mint_ledger.errors import BadRequest


def test_numbers_of_numpy_and_pandas_are_numbers(demo: mint.Game) -> None:
    plain = demo.study(60, 2, habit="careful", dials={"crab.bite": 13}, times=(0.0, 10.0))
    other = demo.study(
        np.int64(60),
        np.int32(2),
        habit="careful",
        dials=pd.Series({"crab.bite": 13}),
        times=np.array([0, 10]),
    )
    assert other.measures.equals(plain.measures)
    assert other.bands("keeper.oil").equals(plain.bands("keeper.oil"))
    for value in (np.int64(13), np.float32(13)):
        assert demo.with_dials({"crab.bite": value}).dials.value("crab.bite") == 13.0
    assert demo.run(np.int64(3)).seed == 3


def test_ranges_and_wants_may_be_pairs(demo: mint.Game) -> None:
    kept = {"habit": "careful", "runs": 400}
    pair = demo.tune("crab.bite", (8, 16), "rate(win)", (0.5, 0.7), **kept)
    text = demo.tune("crab.bite", "8..16", "rate(win)", "0.5..0.7", **kept)
    assert pair.as_json() == text.as_json()
    with pytest.raises(BadRequest, match="between two numbers"):
        demo.tune("crab.bite", (8, 16), "rate(win)", (0.5, 0.6, 0.7), **kept)


@pytest.mark.parametrize("runs", [0, -3, 2.5, True, "many", np.float64(3.0)])
def test_what_is_no_number_of_runs_is_said(demo: mint.Game, runs: object) -> None:
    with pytest.raises(BadRequest, match="a study has 1 to"):
        demo.study(runs)  # type: ignore[arg-type]


def test_estimates_are_numbers_and_results_say_what_they_are(demo: mint.Game) -> None:
    study = demo.study(60, habit="careful")
    wins = study.rate("win")
    assert float(wins) == wins.value
    assert f"{wins:.2f}" == f"{wins.value:.2f}"
    assert f"{100 * wins.value:.1f} %" in repr(study)
    assert "Saltmere Light · careful" in repr(study)
    for one, other in (
        (study, demo.study(60, habit="careful")),
        (demo.income("keeper.oil", 20), demo.income("keeper.oil", 20)),
        (demo.course("level", 20), demo.course("level", 20)),
        (demo.attacks_in_play(20), demo.attacks_in_play(20)),
    ):
        assert one == one
        assert one != other
        assert len({one, other, one}) == 2


def test_a_figure_shows_itself_in_a_notebook(demo: mint.Game) -> None:
    figure = demo.study(40, habit="careful").plot_outcomes()
    assert figure._repr_png_().startswith(b"\x89PNG")  # type: ignore[attr-defined]


def test_the_package_runs_as_a_module() -> None:
    done = subprocess.run(
        [sys.executable, "-m", "mint_ledger", "--help"], capture_output=True, text=True, encoding="utf-8", check=False
    )
    assert done.returncode == 0
    assert "study" in done.stdout


def test_dials_can_be_set_before_a_game_is_swept_tuned_or_audited(command: Command, tmp_path: Path) -> None:
    # It is won where a + b is above 5, for certain.
    (tmp_path / "sum.yaml").write_text(
        "title: Sum\nclock: {limit: 1, step: 1}\nstats: {a: 1, b: 1}\nvariants: {high: {b: 9}}\n"
        "endings: {up: {if: a + b > 5, result: win}}\nrules: [{name: never, when: {while: a < 0}, do: [b += 1]}]\n",
        "utf-8",
    )

    def wins(*more: str) -> list[float]:
        done = command("sweep", "sum.yaml", "--dial", "a=1,4", "--runs", "20", "--json", *more)
        return [point["estimates"]["rate(win)"]["value"] for point in json.loads(done.stdout)["points"]]

    assert wins() == [0, 0]
    assert wins("--set", "b=2") == [0, 1]
    assert wins("--variant", "high") == [1, 1]
    assert wins("--variant", "high", "--set", "b=2") == [0, 1]  # what is set wins over the variant
    words = ("tune", "sum.yaml", "--dial", "a=1..9 by 1", "--want", "0.9..1", "--runs", "400", "--json")
    tuned = {b: json.loads(command(*words, "--set", f"b={b}").stdout)["met"][0][0] for b in (1, 3)}
    assert tuned == {1: 5, 3: 3}  # the least that wins
    moved = json.loads(command("sensitivity", "sum.yaml", "--dial", "b", "--set", "b=6", "--json").stdout)
    assert moved["dials"][0]["today"] == 6
    audited = command("audit", "sum.yaml", "--set", "a=4", "--runs", "5", "--json")
    assert json.loads(audited.stdout)["origin"]["dials"] == {"a": 4}
    assert all("--set a=4" in one["command"] for one in json.loads(audited.stdout)["findings"] if one["command"])
    assert command("sweep", "sum.yaml", "--dial", "a=1,4", "--set", "c=4").returncode == 2
