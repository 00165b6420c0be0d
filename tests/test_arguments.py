"""Numbers of NumPy and pandas are welcome; results print, format and compare as people expect."""

from __future__ import annotations

import subprocess
import sys

import numpy as np
import pandas as pd
import pytest

import mint_ledger as mint
from mint_ledger.errors import BadRequest


def test_numbers_of_numpy_and_pandas_are_numbers(demo: mint.Game) -> None:
    plain = demo.study(60, 2, habit="careful", dials={"crab.bite": 13}, times=(0.0, 10.0))
    other = demo.study(
        np.int64(60),
        np.int32(2),  # type: ignore[arg-type]
        habit="careful",
        dials=pd.Series({"crab.bite": 13}),  # type: ignore[arg-type]
        times=np.array([0, 10]),  # type: ignore[arg-type]
    )
    assert other.measures.equals(plain.measures)
    assert other.bands("keeper.oil").equals(plain.bands("keeper.oil"))
    for value in (np.int64(13), np.float32(13)):
        assert demo.with_dials({"crab.bite": value}).dials.value("crab.bite") == 13.0  # type: ignore[dict-item]
    assert demo.run(np.int64(3)).seed == 3  # type: ignore[arg-type]


def test_ranges_and_wants_may_be_pairs(demo: mint.Game) -> None:
    kept = {"habit": "careful", "runs": 400}
    pair = demo.tune("crab.bite", (8, 16), "rate(win)", (0.5, 0.7), **kept)  # type: ignore[arg-type]
    text = demo.tune("crab.bite", "8..16", "rate(win)", "0.5..0.7", **kept)  # type: ignore[arg-type]
    assert pair.as_json() == text.as_json()
    with pytest.raises(BadRequest, match="between two numbers"):
        demo.tune("crab.bite", (8, 16), "rate(win)", (0.5, 0.6, 0.7), **kept)  # type: ignore[arg-type]


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
