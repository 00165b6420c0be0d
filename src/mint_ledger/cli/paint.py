"""Show what the pieces of a line mean, on terminals alone: what is won, met or gained is blue, what is lost orange.

The same colors as in figures; who cannot tell them apart reads the signs and words, which are there without them.
"""

from __future__ import annotations

import io
import os
from collections.abc import Sequence
from typing import TextIO

from mint_ledger.views.page import Meaning, Spans

# Readable on white and on black: where there are many colors, and where there are few.
MANY: dict[Meaning, str] = {
    "": "",
    "title": "bold",
    "good": "bold color(32)",
    "bad": "bold color(166)",
    "bar": "color(37)",
    "aside": "bright_black",
}
FEW: dict[Meaning, str] = {**MANY, "good": "bold blue", "bad": "bold red", "bar": "cyan"}


def wants_colors(stream: TextIO) -> bool:
    """Return whether a stream is a terminal that shows colors, and nobody has asked for none."""
    plain = os.environ.get("NO_COLOR") or os.environ.get("TERM") == "dumb"
    return not plain and stream.isatty()


def painted(lines: Sequence[Spans]) -> str:
    """Return lines as a terminal shows them in colors."""
    from rich.console import Console
    from rich.text import Text

    out = io.StringIO()
    # Lines are as long as they are: who wraps them is the terminal.
    console = Console(file=out, force_terminal=True, width=100_000, highlight=False, soft_wrap=True)
    styles = MANY if console.color_system in ("256", "truecolor") else FEW
    shown = Text("\n").join(Text.assemble(*((text, styles[meaning]) for text, meaning in spans)) for spans in lines)
    console.print(shown, end="")
    return out.getvalue()
