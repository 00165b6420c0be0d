"""Prints for people and for pipes."""

from __future__ import annotations

import json
import sys
from typing import Any

from mint_ledger.cli import waiting
from mint_ledger.plain import plain_json

# For terminals and pipes that cannot show them.
_PLAIN = str.maketrans(
    {
        "−": "-",
        "→": ">",
        "·": ".",
        "×": "x",
        "█": "#",
        "…": "...",
        "±": "+-",
        "✓": "+",
        "–": "-",
        "≥": ">=",
        "≤": "<=",
        "∞": "inf",
        "²": "2",
    }
)


def say(text: str, *, error: bool = False) -> None:
    """Print a text, in plain letters where the stream can do no better."""
    waiting.end()
    stream = sys.stderr if error else sys.stdout
    if stream is None or stream.closed:
        return  # nobody listens
    encoding = stream.encoding or "utf-8"
    try:
        text.encode(encoding)
    except UnicodeEncodeError:
        text = text.translate(_PLAIN).encode(encoding, "replace").decode(encoding)
    stream.write(text + "\n")


def flush() -> None:
    """Let what was said be seen now, in pipes too."""
    if sys.stdout is not None and not sys.stdout.closed:
        sys.stdout.flush()


def say_json(value: Any) -> None:
    """Print plain values as JSON."""
    say(json.dumps(plain_json(value), indent=2, ensure_ascii=False, allow_nan=False))
