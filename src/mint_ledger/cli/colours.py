"""Colours by meaning, on terminals alone: what is won, met or gained is blue, what is lost, missed or taken orange.

The same colours as in figures; who cannot tell them apart reads the signs and words, which are there without them.
"""

from __future__ import annotations

import io
import os
import re
from typing import TextIO

GOOD, BAD, AMOUNT, SOFT = "blue", "dark_orange3", "cyan", "bright_black"
_NUMBER = r"\d[\d,]*(?:\.\d+)?"
# What is looked for, and how it is shown; later ones lie over earlier ones.
_MEANINGS = (
    (re.compile(r"[█▉▊▋▌▍▎▏▁▂▃▄▅▆▇]+"), AMOUNT),
    (re.compile(rf"\((?:−?{_NUMBER}|open|up)[^()\n]*? (?:to|and) [^()\n]*\)"), SOFT),
    (re.compile(rf"(?<![\w.])\+{_NUMBER}"), GOOD),
    (re.compile(rf"(?<![\w.…])−{_NUMBER}"), BAD),
    (re.compile(r"\b(?:met|won|win|passed|passes again|harmless)\b"), f"bold {GOOD}"),
    (re.compile(r"\b(?:missed|lost|lose|failed|FAILED|FAILS now|wrong)\b"), f"bold {BAD}"),
    (re.compile(r"\b(?:undecided|noise\?|unfinished)"), "bold"),
)


def wants_colours(stream: TextIO) -> bool:
    """Whether a stream is a terminal that shows colours, and nobody has asked for none."""
    plain = os.environ.get("NO_COLOR") or os.environ.get("TERM") == "dumb"
    return not plain and stream.isatty()


def coloured(text: str) -> str:
    """A text with its colours, its first line bold."""
    from rich.console import Console
    from rich.text import Text

    shown = Text(text)
    shown.stylize("bold", 0, text.find("\n") if "\n" in text else 0)
    for pattern, style in _MEANINGS:
        shown.highlight_regex(pattern, style)
    out = io.StringIO()
    # Lines are as long as they are: who wraps them is the terminal.
    console = Console(file=out, force_terminal=True, width=100_000, highlight=False, soft_wrap=True)
    console.print(shown, end="")
    return out.getvalue()
