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
from hypothesis import settings

import mint_ledger as mint

# Machine code of these tests is kept apart from the user's, and shared by all of them.
if "MINT_LEDGER_CACHE" not in os.environ:
    os.environ["MINT_LEDGER_CACHE"] = tempfile.mkdtemp(prefix="mint-ledger-code-")
    atexit.register(shutil.rmtree, os.environ["MINT_LEDGER_CACHE"], ignore_errors=True)

# The same examples in every CI run, so that a red one can be repeated; elsewhere new ones each time.
settings.register_profile("ci", derandomize=True)
if os.environ.get("CI"):
    settings.load_profile("ci")

Command = Callable[..., subprocess.CompletedProcess[str]]


@pytest.fixture
def command(tmp_path: Path) -> Command:
    """Runs the real command in a process of its own."""

    def call(*arguments: object, **options: object) -> subprocess.CompletedProcess[str]:
        environment = {**os.environ, "PYTHONIOENCODING": "utf-8", "COLUMNS": "80"}
        environment.update(options.pop("env", {}))  # type: ignore[call-overload]
        return subprocess.run(
            [sys.executable, "-m", "mint_ledger.cli.main", *map(str, arguments)],
            capture_output=True,
            input=options.pop("input", None),  # type: ignore[arg-type]
            text=True,
            encoding="utf-8",
            cwd=options.pop("cwd", tmp_path),  # type: ignore[arg-type]
            env=environment,
            timeout=300,
            check=False,
        )

    return call


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
    import fcntl
    import pty
    import struct
    import termios

    master, slave = pty.openpty()
    fcntl.ioctl(slave, termios.TIOCSWINSZ, struct.pack("HHHH", 40, columns, 0, 0))
    known = {key: value for key, value in os.environ.items() if key not in ("COLUMNS", "NO_COLOR")}
    known |= {"TERM": "xterm-256color", "PYTHONIOENCODING": "utf-8", **environment}
    command = [sys.executable, "-m", "mint_ledger.cli.main", *arguments]
    process = subprocess.Popen(command, cwd=cwd, stdout=slave, stderr=slave, stdin=slave, env=known)
    os.close(slave)
    text = b""
    while True:
        try:
            part = os.read(master, 65536)
        except OSError:
            break
        if not part:
            break
        text += part
    assert process.wait() == 0
    return text.decode("utf-8", "replace")
