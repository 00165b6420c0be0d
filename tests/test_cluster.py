"""Workers elsewhere: the same numbers, even if one of them dies."""

from __future__ import annotations

import os
import signal
from collections.abc import Iterator

import pytest
from conftest import Command
from test_studies import assert_same_study

import mint_ledger as mint
from mint_ledger.demo import demo_text
from mint_ledger.studies.cluster import cluster_executor

distributed = pytest.importorskip("distributed")


@pytest.fixture(scope="module")
def cluster() -> Iterator[object]:
    options = {"n_workers": 2, "threads_per_worker": 1, "dashboard_address": None, "host": "127.0.0.1"}
    with distributed.LocalCluster(processes=True, silence_logs=50, **options) as made:
        yield made


@pytest.mark.slow
def test_a_cluster_that_loses_a_worker_gives_the_same_numbers_as_one_machine(cluster: object) -> None:
    game = mint.loads(demo_text())
    options = {"seed": 3, "habit": "careful", "measures": ["lowest(keeper.health)"]}
    alone = game.study(2_000, **options)  # type: ignore[arg-type]
    killed: list[int] = []

    def kill_one(done: int, total: int) -> None:
        if not killed and done >= 200:
            worker = next(iter(cluster.workers.values()))  # type: ignore[attr-defined]
            killed.append(worker.pid)
            os.kill(worker.pid, signal.SIGKILL)

    address = cluster.scheduler_address  # type: ignore[attr-defined]
    with cluster_executor(address) as executor:
        spread = game.study(2_000, executor=executor, progress=kill_one, **options)  # type: ignore[arg-type]
    assert killed
    assert_same_study(alone, spread)


@pytest.mark.slow
def test_the_command_plays_on_a_cluster(cluster: object, command: Command) -> None:
    address = cluster.scheduler_address  # type: ignore[attr-defined]
    from pathlib import Path

    path = Path(__file__).parent.parent / "examples" / "ferry_toll.yaml"
    spread = command("study", path, "--runs", 300, "--cluster", address)
    assert spread.returncode == 0, spread.stderr
    assert spread.stdout == command("study", path, "--runs", 300).stdout


@pytest.mark.slow
def test_a_scheduler_that_is_not_there_is_named(command: Command) -> None:
    from pathlib import Path

    path = Path(__file__).parent.parent / "examples" / "ferry_toll.yaml"
    told = command("study", path, "--runs", 60, "--cluster", "tcp://127.0.0.1:9")
    assert told.returncode == 2 and "no scheduler answers at tcp://127.0.0.1:9" in told.stderr
    assert "Traceback" not in told.stderr
