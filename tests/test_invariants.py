"""Random games hold what has to hold for every game.

For more than CI plays: MINT_LEDGER_RANDOM_GAMES=2000 pytest -m slow tests/test_invariants.py
"""

from __future__ import annotations

import os
import secrets
from pathlib import Path

import invariants
import pytest
from hypothesis import HealthCheck, given, seed, settings
from hypothesis import strategies as st
from random_games import games

MANY = int(os.environ.get("MINT_LEDGER_RANDOM_GAMES", "30"))
PARTS = 10
FEW = 6


def hold(data: dict, pick: int, folder: Path, patch: pytest.MonkeyPatch) -> None:
    invariants.both_engines_agree(data)
    invariants.names_do_not_matter(data, patch)
    invariants.turned_games_are_games(invariants.turned(data, pick), folder)


def check(part: int, many: int, tmp_path_factory: pytest.TempPathFactory, patch: pytest.MonkeyPatch) -> None:
    # The same games in every CI run, new ones each time elsewhere.
    @seed(part if os.environ.get("CI") else secrets.randbits(32))
    @given(games(), st.integers(0, 200))
    @settings(max_examples=many, deadline=None, suppress_health_check=list(HealthCheck))
    def one(data: dict, pick: int) -> None:
        hold(data, pick, tmp_path_factory.mktemp("turned"), patch)

    one()


@pytest.mark.parametrize("part", [0, pytest.param(1, marks=pytest.mark.slow)])
def test_a_few_random_games_hold_all_invariants(
    part: int, tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch
) -> None:
    check(part, FEW // 2, tmp_path_factory, monkeypatch)


# In parts, so that all cores can share in them.
@pytest.mark.slow
@pytest.mark.parametrize("part", range(PARTS))
def test_random_games_hold_all_invariants(
    part: int, tmp_path_factory: pytest.TempPathFactory, monkeypatch: pytest.MonkeyPatch
) -> None:
    check(100 + part, -(-MANY // PARTS), tmp_path_factory, monkeypatch)


@pytest.mark.slow
def test_five_random_games_are_the_same_on_a_cluster(tmp_path_factory: pytest.TempPathFactory) -> None:
    distributed = pytest.importorskip("distributed")
    with (
        distributed.LocalCluster(n_workers=1, threads_per_worker=1, processes=True, dashboard_address=None) as cluster,
        distributed.Client(cluster) as client,
    ):
        executor = client.get_executor()

        @seed(5)
        @given(games(), st.integers(0, 200))
        @settings(max_examples=5, deadline=None, suppress_health_check=list(HealthCheck))
        def one(data: dict, pick: int) -> None:
            game = invariants.turned(data, pick)
            invariants.turned_games_are_games(game, tmp_path_factory.mktemp("cluster"), executor)

        one()
