"""A user's script before two type checkers."""

from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

SCRIPT = """
import numpy as np
import pandas as pd  # type: ignore[import-untyped, unused-ignore]

import mint_ledger as mint

game = mint.Game(title="Well", kinds={"digger": {"stats": {"health": 10}}}, clock={"limit": 5})
study: mint.Study = game.study(100, seed=3, dials={"digger.health": 12})
print(float(study.estimate("rate(win)")), study.measures["time"].mean())
sweep: mint.Sweep = game.sweep({"digger.health": [1, 2, 3]}, 50)
wide: mint.TunedMany = game.tune_many({"digger.health": (1, 9)}, ["fair"])
value: float | bool | str = game.dials["digger.health"]
run: mint.Run = game.run(7)
judged: list[mint.Judged] = game.judge()
runs, seed, bite = np.int64(100), np.uint8(3), np.float32(2.5)
game.study(runs, seed, dials={"digger.health": np.int64(12)}, times=np.arange(3), until=0.1)
game.study(runs, seed, times=pd.Series([0.0, 1.0]))
game.run(seed, run=np.int32(4), dials={"digger.health": bite})
game.sweep({"digger.health": np.arange(1, 4), "digger.depth": pd.Series([1, 2])}, runs)
game.tune("digger.health", (np.int64(1), 9, 1), want=(np.float64(0.2), 0.4), runs=runs)
game.with_dials({"digger.health": np.int64(3)}).turned(None, {"digger.health": bite})
game.scripted([{"at": 2, "set": "digger.health = 1"}]).study(runs, engine="reference")
"""
CHECKERS = {
    "mypy": ["-m", "mypy", "--strict", "--no-error-summary"],
    "basedpyright": ["-m", "basedpyright", "--level", "error"],
}


def checked(checker: str, folder: Path, script: str) -> subprocess.CompletedProcess[str]:
    pytest.importorskip(checker)
    (folder / "script.py").write_text(script, "utf-8")
    words = [sys.executable, *CHECKERS[checker], "script.py"]
    return subprocess.run(words, cwd=folder, capture_output=True, text=True, check=False, timeout=300)


@pytest.mark.slow
@pytest.mark.parametrize("checker", CHECKERS)
def test_a_users_script_passes_and_a_wrong_name_does_not(checker: str, tmp_path: Path) -> None:
    good = checked(checker, tmp_path, SCRIPT)
    assert good.returncode == 0, good.stdout
    wrong = checked(checker, tmp_path, SCRIPT + "mint.nope\nmint.load(3)\n")
    assert wrong.returncode == 1
    assert "nope" in wrong.stdout and "load" in wrong.stdout
