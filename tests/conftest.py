from __future__ import annotations

import atexit
import importlib.util
import os
import shutil
import signal
import subprocess
import sys
import tempfile
from collections.abc import Callable
from pathlib import Path
from types import ModuleType

import pytest
from forking import Forks, can_fork

import mint_ledger as mint

# Machine code of these tests is kept apart from the user's, and shared by all of them.
if "MINT_LEDGER_CACHE" not in os.environ:
    os.environ["MINT_LEDGER_CACHE"] = tempfile.mkdtemp(prefix="mint-ledger-code-")
    atexit.register(shutil.rmtree, os.environ["MINT_LEDGER_CACHE"], ignore_errors=True)

# Tests that take long by measure (benchmarks/durations.py). All tests together leave them to `pytest -m slow`; where a
# file or a folder of tests is asked for they run as well, so that nothing that is near to a change is left out.
LONG = frozenset((Path(__file__).parent / "long.txt").read_text("utf-8").splitlines())
WHOLE = "MINT_LEDGER_ALL_TESTS"


def pytest_configure(config: pytest.Config) -> None:
    if not hasattr(config, "workerinput"):  # the processes of xdist are told by their parent
        os.environ[WHOLE] = "1" if config.args_source != pytest.Config.ArgsSource.ARGS else ""


@pytest.hookimpl(tryfirst=True)
def pytest_collection_modifyitems(items: list[pytest.Item]) -> None:
    if os.environ.get(WHOLE):
        for item in items:
            if item.nodeid in LONG:
                item.add_marker("slow")


Command = Callable[..., subprocess.CompletedProcess[str]]


_FORKS = Forks()


@pytest.fixture
def command(tmp_path: Path) -> Command:
    """Runs the real command in a process of its own, by a fork where that is the same."""

    def call(*arguments: object, **options: object) -> subprocess.CompletedProcess[str]:
        options.setdefault("cwd", tmp_path)
        return run_command(*arguments, **options)

    return call


def run_command(*arguments: object, **options: object) -> subprocess.CompletedProcess[str]:
    """Run the real command to its end; `env` is added to the environment, `input` and `cwd` are as in `subprocess`."""
    environment = {**os.environ, "PYTHONIOENCODING": "utf-8", "COLUMNS": "80"}
    environment.update(options.pop("env", {}))  # type: ignore[call-overload]
    words, cwd, given = list(map(str, arguments)), Path(str(options.pop("cwd", "."))), options.pop("input", None)
    assert not options, options
    if can_fork(environment):
        return _FORKS.run(words, cwd, environment, given, timeout=300)  # type: ignore[arg-type]
    return subprocess.run(
        [sys.executable, "-m", "mint_ledger.cli.main", *words],
        capture_output=True,
        input=given,  # type: ignore[arg-type]
        text=True,
        encoding="utf-8",
        cwd=cwd,
        env=environment,
        timeout=300,
        check=False,
    )


@pytest.fixture(scope="session")
def demo() -> mint.Game:
    return mint.load(mint.demo_path())


def docs_script(name: str) -> ModuleType:
    """A script of the docs as a module."""
    spec = importlib.util.spec_from_file_location(name, Path(__file__).parent.parent / "docs" / f"{name}.py")
    assert spec is not None and spec.loader is not None
    module = importlib.util.module_from_spec(spec)
    spec.loader.exec_module(module)
    return module


def heed_ctrl_c() -> None:
    """For a process of a test: whoever runs the tests in the background may have told it to ignore Ctrl-C."""
    signal.signal(signal.SIGINT, signal.default_int_handler)


def postings(run: mint.Run, account: str) -> list[dict[str, float]]:
    """The postings to one account, as plain rows."""
    table = run.journal
    owner, _, stat = account.rpartition(".")
    chosen = table[(table["what"] == "posting") & (table["entity"] == owner) & (table["stat"] == stat)]
    return chosen.to_dict("records")  # type: ignore[return-value]


def on_terminal(*arguments: str, columns: int = 80, cwd: Path | None = None, **environment: str) -> str:
    """All that a command shows on a terminal of so many columns, its progress included."""
    known = {key: value for key, value in os.environ.items() if key not in ("COLUMNS", "NO_COLOR")}
    known |= {"TERM": "xterm-256color", "PYTHONIOENCODING": "utf-8", **environment}
    return _FORKS.on_terminal(list(arguments), cwd or Path(), known, columns)
