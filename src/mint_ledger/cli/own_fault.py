"""Tells a fault of ours in one line: what is needed to find it, and where to send it."""

from __future__ import annotations

import logging
from pathlib import Path

from mint_ledger.cli.output import say
from mint_ledger.plain import neutral
from mint_ledger.versions import __version__


def fault_line(what: str, error: BaseException | None = None) -> str:
    """The line for a fault of ours."""
    return (
        f"mint-ledger {__version__} has a fault of its own{_place(error)}: {what}. Nothing is wrong with your file. "
        "Please send this line, and the file if you may, to whoever gave you Mint Ledger"
    )


def error_line(error: BaseException) -> str:
    """The line for an exception that nothing of ours expected."""
    return fault_line(f"{type(error).__name__}: {' '.join(str(error).split())[:200]}", error)


def _place(error: BaseException | None) -> str:
    """Return where in our code it was."""
    at = ""
    trace = error.__traceback__ if error is not None else None
    while trace is not None:
        name = Path(trace.tb_frame.f_code.co_filename)
        at = f" at {name.name}:{trace.tb_lineno}" if "mint_ledger" in name.parts else at
        trace = trace.tb_next
    return at


class OneLine(logging.Handler):
    """Tells what other packages log of errors: a fault of ours in its line, all else in one line of its own."""

    def emit(self, record: logging.LogRecord) -> None:
        """Say it on stderr."""
        error = record.exc_info[1] if record.exc_info else None
        if error is not None and _place(error):
            say(error_line(error), error=True)
            return
        told = f"{type(error).__name__}: {error}" if error is not None else record.getMessage()
        say(neutral(" ".join(f"{record.name}: {told}".split())[:400]), error=True)


def tell_in_one_line(*loggers: str) -> None:
    """Let these loggers of other packages say warnings and errors in one line each."""
    for name in loggers:
        logger = logging.getLogger(name)
        logger.addHandler(OneLine(logging.WARNING))
        logger.propagate = False
