"""Colours by meaning, on terminals alone: what is won, met or gained is blue, what is lost, missed or taken orange.

The same colours as in figures; who cannot tell them apart reads the signs and words, which are there without them.
"""

from __future__ import annotations

import io
import os
import re
from typing import TextIO

# Good, bad, amounts, what matters less: readable on white and on black where there are many colours.
MANY = ("color(32)", "color(166)", "color(37)", "bright_black")
FEW = ("blue", "red", "cyan", "bright_black")
_NUMBER = r"\d[\d,]*(?:\.\d+)?"
# What is looked for, and which of the colours it has; later ones lie over earlier ones.
_MEANINGS = (
    (re.compile(r"[█▉▊▋▌▍▎▏▁▂▃▄▅▆▇]+"), 2, ""),
    (re.compile(rf"\((?:−?{_NUMBER}|open|up)[^()\n]*? (?:to|and) [^()\n]*\)"), 3, ""),
    (re.compile(rf"(?<![\w.])(?<!to )\+{_NUMBER}(?![.,]?\d)(?! to )"), 0, ""),
    (re.compile(rf"(?<![\w.…])(?<!to )−{_NUMBER}(?![.,]?\d)(?! to )"), 1, ""),
    (re.compile(r"\b(?:met|won|win|passed|passes again|harmless)\b"), 0, "bold "),
    (re.compile(r"\b(?:missed|lost|lose|failed|FAILED|FAILS now|wrong)\b"), 1, "bold "),
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
    out = io.StringIO()
    # Lines are as long as they are: who wraps them is the terminal.
    console = Console(file=out, force_terminal=True, width=100_000, highlight=False, soft_wrap=True)
    colours = MANY if console.color_system in ("256", "truecolor") else FEW
    for pattern, which, more in _MEANINGS:
        shown.highlight_regex(pattern, more + colours[which])
    console.print(shown, end="")
    return out.getvalue()
