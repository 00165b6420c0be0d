"""Pictures of commands are of what the commands show now; `python docs/make_shots.py NAME` makes one again."""

from __future__ import annotations

import json
import os
import sys
from pathlib import Path

import pytest
from conftest import docs_script

import mint_ledger as mint

SHOTS = docs_script("make_shots")


def test_each_picture_of_a_command_has_what_it_was_made_of() -> None:
    made_of = json.loads(SHOTS.MADE_OF.read_text("utf-8"))
    assert set(made_of) == set(SHOTS.COMMANDS)
    for name in (*SHOTS.COMMANDS, *SHOTS.FIGURES):
        assert (SHOTS.SHOTS / f"{name}.png").stat().st_size > 4_000, name


@pytest.mark.slow
@pytest.mark.parametrize("name", SHOTS.COMMANDS)
def test_a_picture_is_as_new_as_its_command(name: str, tmp_path: Path, monkeypatch: pytest.MonkeyPatch) -> None:
    monkeypatch.setenv("PATH", f"{Path(sys.executable).parent}{os.pathsep}{os.environ['PATH']}")
    (tmp_path / SHOTS.GAME).write_text(mint.demo_path().read_text("utf-8"), "utf-8")
    text = SHOTS.text_of(SHOTS.COMMANDS[name], tmp_path)
    assert text
    made_of = json.loads(SHOTS.MADE_OF.read_text("utf-8"))
    assert SHOTS.digest(text) == made_of[name], f"python docs/make_shots.py {name} makes the picture again"
