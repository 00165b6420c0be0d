"""Pictures of commands are of what the commands show now; `python docs/make_shots.py NAME` makes one again."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path

import pytest
from conftest import docs_script

SHOTS = docs_script("make_shots")
MADE: dict[str, str] = SHOTS.COMMANDS | SHOTS.FIGURES | SHOTS.ORCHARD_FIGURES


def test_each_picture_of_a_command_has_what_it_was_made_of() -> None:
    made_of = json.loads(SHOTS.MADE_OF.read_text("utf-8"))
    assert set(made_of) == set(MADE)
    for name in (*SHOTS.COMMANDS, *SHOTS.FIGURES):
        assert (SHOTS.SHOTS / f"{name}.png").stat().st_size > 4_000, name
    for name in (*SHOTS.ORCHARD_FIGURES, "tutorial-report"):
        assert (SHOTS.ORCHARD_SHOTS / f"{name}.png").stat().st_size > 4_000, name


@pytest.mark.slow
@pytest.mark.parametrize("name", MADE)
def test_a_picture_is_as_new_as_its_command(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}")
    SHOTS.games(tmp_path)
    text = SHOTS.text_of(SHOTS.without_plot(MADE[name]), tmp_path)
    assert text
    made_of = json.loads(SHOTS.MADE_OF.read_text("utf-8"))
    assert SHOTS.digest(text) == made_of[name], f"python docs/make_shots.py {name} makes the picture again"
