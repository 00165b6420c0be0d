"""A line on terminals that says that work goes on, from its second second until something else is shown."""

from __future__ import annotations

import sys
import threading
import time

QUIET_FOR = 1.0
_over = threading.Event()
_line = threading.Lock()
_shown = threading.Event()


def begin() -> None:
    """Begin to wait for the first that is shown; nothing on what is no terminal."""
    if sys.stderr is not None and not sys.stderr.closed and sys.stderr.isatty():
        threading.Thread(target=_tell, args=(time.monotonic(),), daemon=True).start()


def end() -> None:
    """Something else is shown now."""
    if _over.is_set():
        return
    with _line:
        _over.set()
        if _shown.is_set():
            sys.stderr.write("\r\x1b[K")
            sys.stderr.flush()


def _tell(began: float) -> None:
    pause = QUIET_FOR
    while not _over.wait(pause):
        pause = 1.0
        with _line:
            if not _over.is_set():
                sys.stderr.write(f"\r\x1b[K… at work for {time.monotonic() - began:.0f} s (Ctrl-C stops)")
                sys.stderr.flush()
                _shown.set()
