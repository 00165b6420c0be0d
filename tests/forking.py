"""Run the real command without importing it again each time: a server imports it once and forks for every call.

Each call is a process of its own, with its own arguments, folder, environment and streams; only the imports are shared.
`python forking.py FD` is the server: it reads one request after another from the socket FD, and answers with the
process's number, then with how it ended.
"""

from __future__ import annotations

import atexit
import importlib
import io
import json
import os
import signal
import socket
import subprocess
import sys
import tempfile
import threading
import traceback
from collections.abc import Mapping
from pathlib import Path
from typing import IO, Any

# Whatever most commands need; a module that a command imports later is imported in its own process.
IMPORTED = [
    "mint_ledger",
    "mint_ledger.cli.main",
    "mint_ledger.client",
    "mint_ledger.engines.native.engine",
    "mint_ledger.studies.study",
    "mint_ledger.views.study_text",
    "mint_ledger.views.story",
    "llvmlite.binding",
    "matplotlib.figure",
    "numpy.random",
    "pandas",
    "pydantic",
    "ruamel.yaml",
    "scipy.optimize",
    "scipy.special",
    "scipy.stats",
]
# The interpreter reads these before any module does, so a call that sets them gets an interpreter of its own.
READ_AT_START = "PYTHON"
HARMLESS = {"PYTHONIOENCODING", "PYTHONUNBUFFERED"}


class Forks:
    """The tests' end: one server, started at the first call."""

    def __init__(self) -> None:
        self._socket: socket.socket | None = None

    def run(
        self, arguments: list[str], cwd: Path, environment: Mapping[str, str], text: str | None, timeout: float
    ) -> subprocess.CompletedProcess[str]:
        """Run one command to its end.

        Raises:
            subprocess.TimeoutExpired: it did not end in `timeout` seconds; it is killed.
        """
        with tempfile.TemporaryFile() as given, tempfile.TemporaryFile() as out, tempfile.TemporaryFile() as errors:
            given.write((text or "").encode("utf-8", "surrogateescape"))
            given.seek(0)
            code = self._call({"arguments": arguments, "cwd": str(cwd), "environment": dict(environment)},
                              [given, out, errors], timeout)  # fmt: skip
            said = [_text(stream) for stream in (out, errors)]
        return subprocess.CompletedProcess([sys.executable, *arguments], code, *said)

    def on_terminal(self, arguments: list[str], cwd: Path, environment: Mapping[str, str], columns: int) -> str:
        """Run one command on a terminal of so many columns, and return all that it shows."""
        import fcntl
        import pty
        import struct
        import termios

        master, slave = pty.openpty()
        fcntl.ioctl(slave, termios.TIOCSWINSZ, struct.pack("HHHH", 40, columns, 0, 0))
        shown: list[bytes] = []
        reader = threading.Thread(target=lambda: shown.extend(iter(lambda: _read(master), b"")))
        reader.start()
        request = {"arguments": arguments, "cwd": str(cwd), "environment": dict(environment)}
        with os.fdopen(slave, "r+b", buffering=0) as terminal:
            code = self._call(request, [terminal, terminal, terminal], timeout=300)
        reader.join()
        os.close(master)
        assert code in (0, 1), (code, b"".join(shown))
        return b"".join(shown).decode("utf-8", "replace")

    def _call(self, request: dict[str, Any], streams: list[IO[bytes]], timeout: float) -> int:
        server = self._server()
        server.settimeout(timeout)
        data = json.dumps(request).encode()
        server.sendall(len(data).to_bytes(4, "big"))
        socket.send_fds(server, [data[:1]], [stream.fileno() for stream in streams])
        server.sendall(data[1:])
        process = _number(server)
        try:
            return _number(server)
        except TimeoutError:
            os.kill(process, signal.SIGKILL)
            _number(server)
            raise subprocess.TimeoutExpired(request["arguments"], timeout) from None

    def _server(self) -> socket.socket:
        if self._socket is None:
            self._socket, other = socket.socketpair()
            process = subprocess.Popen([sys.executable, __file__, str(other.fileno())], pass_fds=[other.fileno()])
            other.close()
            atexit.register(process.wait)
            atexit.register(self._socket.close)
        return self._socket


def can_fork(environment: Mapping[str, str]) -> bool:
    """Return whether a fork is the same as a fresh interpreter in this environment."""
    changed = {
        name
        for name in {*environment, *os.environ}
        if name.startswith(READ_AT_START) and environment.get(name) != os.environ.get(name)
    }
    return hasattr(os, "fork") and hasattr(socket, "send_fds") and changed <= HARMLESS


def _read(terminal: int) -> bytes:
    """Read a part of what a terminal shows; nothing once nobody writes to it any more."""
    try:
        return os.read(terminal, 65536)
    except OSError:
        return b""


def _text(stream: IO[bytes]) -> str:
    stream.seek(0)
    return io.TextIOWrapper(stream, "utf-8").read()


def _number(server: socket.socket) -> int:
    return int.from_bytes(_exactly(server, 4), "big", signed=True)


def _exactly(server: socket.socket, count: int) -> bytes:
    data = b""
    while len(data) < count:
        part = server.recv(count - len(data))
        if not part:
            raise EOFError
        data += part
    return data


def _serve(server: socket.socket) -> None:
    for module in IMPORTED:
        importlib.import_module(module)
    while True:
        try:
            length = int.from_bytes(_exactly(server, 4), "big")
            first, streams, _, _ = socket.recv_fds(server, 1, 3)
            request = json.loads(first + _exactly(server, length - 1))
        except EOFError:
            return
        process = os.fork()
        if process == 0:
            server.close()
            _become(request, streams)
        for stream in streams:
            os.close(stream)
        server.sendall(process.to_bytes(4, "big"))
        status = os.waitstatus_to_exitcode(os.waitpid(process, 0)[1])
        server.sendall(status.to_bytes(4, "big", signed=True))


def _become(request: dict[str, Any], streams: list[int]) -> None:
    """Be the command, to its end."""
    for number, stream in enumerate(streams):
        os.dup2(stream, number)
        os.close(stream)
    os.chdir(request["cwd"])
    os.environ.clear()
    os.environ.update(request["environment"])
    encoding, _, errors = os.environ.get("PYTHONIOENCODING", "utf-8").partition(":")
    # As Python opens its own: blocks to a file, lines to the errors.
    sys.stdin = os.fdopen(0, encoding=encoding, errors=errors or "strict")
    sys.stdout = os.fdopen(1, "w", encoding=encoding, errors=errors or "strict")
    sys.stderr = os.fdopen(2, "w", encoding=encoding, errors="backslashreplace", buffering=1)
    sys.argv = ["mint-ledger", *request["arguments"]]
    signal.signal(signal.SIGINT, signal.default_int_handler)
    code: object = 1
    try:
        from mint_ledger.__main__ import run

        run()
        code = 0
    except SystemExit as leaving:
        code = leaving.code
    except BaseException:
        traceback.print_exc()
    _end(code)


def _end(code: object) -> None:
    """Leave as the interpreter does, with what was to be done at the end, but for the server's own."""
    if isinstance(code, str):
        print(code, file=sys.stderr)
    for thread in threading.enumerate():
        if thread is not threading.current_thread() and not thread.daemon:
            thread.join()
    atexit._run_exitfuncs()
    try:
        sys.stdout.flush()
        sys.stderr.flush()
    finally:
        os._exit(code if isinstance(code, int) else 1 if code else 0)


if __name__ == "__main__":
    _serve(socket.socket(fileno=int(sys.argv[1])))
