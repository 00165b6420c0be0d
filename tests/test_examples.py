from __future__ import annotations

import subprocess
import sys
from pathlib import Path

import pytest

import mint_ledger as mint

EXAMPLES = Path(__file__).parent.parent / "examples"
GAMES = [*sorted(EXAMPLES.glob("*.yaml")), mint.demo_path()]


@pytest.mark.parametrize("path", GAMES, ids=lambda path: path.stem)
def test_every_game_passes_its_playtests_and_reconciles(path: Path) -> None:
    game = mint.load(path)
    results = game.play_tests()
    assert results and all(result.passed for result in results)
    for seed, habit in enumerate([None, *game.habits, *game.habits], start=1):
        run = game.run(seed, habit=habit)
        run.reconcile()
        assert all(run.statement(account).reconciles() for account in run.accounts())
        assert max(map(len, run.story().splitlines())) <= 80


@pytest.mark.parametrize("path", sorted(EXAMPLES.glob("*.py")), ids=lambda path: path.stem)
def test_every_script_runs(path: Path) -> None:
    result = subprocess.run([sys.executable, str(path)], capture_output=True, text=True, check=False, timeout=120)
    assert result.returncode == 0, result.stderr
    assert len(result.stdout.splitlines()) > 3


@pytest.mark.parametrize("path", GAMES, ids=lambda path: path.stem)
def test_every_game_goes_to_yaml_from_its_models_and_back(path: Path) -> None:
    from dataclasses import replace

    from mint_ledger.game.writing import yaml_text

    game = mint.load(path)
    again = mint.loads(yaml_text(replace(game.source, text="")))
    assert again.run(5).time == game.run(5).time
    assert again.dials.names == game.dials.names
