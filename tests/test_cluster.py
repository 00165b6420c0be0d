"""Workers elsewhere: the same numbers, even if one of them dies."""

from __future__ import annotations

import contextlib
import os
import re
import signal
import socket
import sqlite3
import subprocess
import sys
import time
from collections.abc import Iterator
from concurrent.futures import Executor, Future
from concurrent.futures.process import BrokenProcessPool
from pathlib import Path

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
    path = Path(__file__).parent.parent / "examples" / "ferry_toll.yaml"
    spread = command("study", path, "--runs", 300, "--cluster", address)
    assert spread.returncode == 0, spread.stderr
    assert spread.stdout == command("study", path, "--runs", 300).stdout


@pytest.mark.slow
def test_a_scheduler_that_is_not_there_is_named(command: Command) -> None:
    path = Path(__file__).parent.parent / "examples" / "ferry_toll.yaml"
    told = command("study", path, "--runs", 60, "--cluster", "tcp://127.0.0.1:9")
    assert told.returncode == 2 and "no scheduler answers at tcp://127.0.0.1:9" in told.stderr
    assert "Traceback" not in told.stderr


@pytest.mark.slow
def test_a_scheduler_that_is_killed_is_told_in_one_line_with_what_the_store_kept(tmp_path: Path) -> None:
    """Its own scheduler and worker, as on machines elsewhere; all of them on loopback."""
    with socket.socket() as free:
        free.bind(("127.0.0.1", 0))
        port = free.getsockname()[1]
    address, quiet = f"tcp://127.0.0.1:{port}", {"stdout": subprocess.DEVNULL, "stderr": subprocess.DEVNULL}
    run = [sys.executable, "-m"]
    scheduler = subprocess.Popen(
        [*run, "distributed.cli.dask_scheduler", "--host", "127.0.0.1", "--port", str(port), "--no-dashboard"],
        **quiet,  # type: ignore[call-overload]
    )
    worker = study = None
    try:
        worker = subprocess.Popen(
            [
                *run,
                "distributed.cli.dask_worker",
                address,
                "--nthreads",
                "1",
                "--no-dashboard",
                "--death-timeout",
                "60",
            ],
            **quiet,  # type: ignore[call-overload]
        )
        with distributed.Client(address, timeout=60) as client:
            client.wait_for_workers(1, timeout=60)
        store = tmp_path / "kept.sqlite"
        asked = ["study", str(mint.demo_path()), "--runs", "9000000", "--cluster", address, "--store", str(store)]
        study = subprocess.Popen(
            [*run, "mint_ledger", *asked], stderr=subprocess.PIPE, stdout=subprocess.PIPE, text=True
        )
        while not store.exists() or not kept_runs(store):
            assert study.poll() is None, study.communicate()
            time.sleep(0.2)
        scheduler.kill()
        out, errors = study.communicate(timeout=120)
    finally:
        for process in (scheduler, worker, study):
            if process is not None:
                process.kill()
                process.wait()
    assert (study.returncode, out) == (2, "")
    [told] = errors.strip().splitlines()
    assert f"the scheduler at {address} does not answer any more" in told and "are kept in the store" in told
    said = int(re.search(r"([\d,]+) of 9,000,000 runs were played", told)[1].replace(",", ""))  # type: ignore[index]
    assert said == kept_runs(store) > 0


def kept_runs(store: Path) -> int:
    """How many runs a store holds by now."""
    with contextlib.suppress(sqlite3.Error), sqlite3.connect(f"file:{store}?mode=ro", uri=True) as connection:
        return int(connection.execute("select coalesce(sum(runs), 0) from blocks").fetchone()[0])
    return 0


def test_workers_that_end_are_no_internal_error() -> None:
    class Broken(Executor):
        def submit(self, *given: object, **named: object) -> Future:  # type: ignore[override,type-arg]
            raise BrokenProcessPool("one of them was killed")

    with pytest.raises(mint.MintError, match="workers that played the runs are lost: one of them was killed"):
        mint.load(mint.demo_path()).study(500, executor=Broken())
