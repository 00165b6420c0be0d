"""Colours by meaning, on terminals alone: what is won, met or gained is blue, what is lost, missed or taken orange.

The same colours as in figures; who cannot tell them apart reads the signs and words, which are there without them.
"""

from __future__ import annotations

import io
import os
import re
from collections.abc import Iterable
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


class _Names:
    """The names of the game that is told of, where a word in one of them would have a meaning of ours."""

    pattern: re.Pattern[str] | None = None


def leave_plain(names: Iterable[str]) -> None:
    """From now on leave the names that a file gives without colours: `keeper lost` is no loss of ours."""
    # A text that is nothing but our word is ours: the result of an ending.
    meant = [
        name
        for name in names
        if any(pattern.search(name) and not pattern.fullmatch(name) for pattern, _, _ in _MEANINGS)
    ]
    longest = sorted(set(meant), key=len, reverse=True)
    _Names.pattern = re.compile("|".join(map(re.escape, longest))) if longest else None


def wants_colours(stream: TextIO) -> bool:
    """Return whether a stream is a terminal that shows colours, and nobody has asked for none."""
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
    names = [match.span() for match in _Names.pattern.finditer(text)] if _Names.pattern is not None else []
    for pattern, which, more in _MEANINGS:
        for match in pattern.finditer(text):
            if not any(first < match.end() and match.start() < last for first, last in names):
                shown.stylize(more + colours[which], *match.span())
    console.print(shown, end="")
    return out.getvalue()
