"""Prints for people and for pipes."""

from __future__ import annotations

import json
import shlex
import shutil
import sys
from collections.abc import Mapping
from typing import Any

from mint_ledger.cli import waiting
from mint_ledger.cli.paint import painted, wants_colors
from mint_ledger.plain import neutral, plain_json
from mint_ledger.views.page import Page, PagePart, text_of
from mint_ledger.views.width import USUAL, line_width

# For terminals and pipes that cannot show them.
_PLAIN = str.maketrans(
    {
        "−": "-",
        "→": ">",
        "·": ".",
        "×": "x",
        "█": "#",
        **dict.fromkeys("▉▊▋▌▐", "#"),
        **dict.fromkeys("▍▎▏", ""),
        **dict(zip("▁▂▃▄▅▆▇", "_.,-=+*", strict=True)),
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


class _Manner:
    """How much is said, and where."""

    quiet = False
    data_on_stdout = False


def be_quiet() -> None:
    """Say only what was asked for from now on."""
    _Manner.quiet = True
    waiting.end()


def is_quiet() -> bool:
    """Return whether only what was asked for is said."""
    return _Manner.quiet


def give_stdout_to_data() -> None:
    """From now on stdout is for data alone, and texts go to stderr."""
    _Manner.data_on_stdout = True


def hint(text: str) -> None:
    """Print what was not asked for, but helps: a file that is written, what to try next."""
    if not _Manner.quiet and not _Manner.data_on_stdout:
        say(text)


def next_step(what: str, game: object, command: str) -> None:
    """Print on a terminal what may be done next, with the command that does it; a pipe has the answer alone.

    In it `GAME` is the game's file, and `AGAIN` all that was typed this time.
    """
    if str(game) == "-" or not sys.stdout.isatty():
        return
    again = shlex.join(sys.argv[1:])
    whole = f"mint-ledger {command.replace('GAME', shlex.quote(str(game))).replace('AGAIN', again)}"
    line = f"Next: {what}: {whole}"
    hint(f"\n{line}" if len(line) <= line_width() else f"\nNext: {what}:\n" + "\n".join(_broken(whole)))


def _broken(command: str) -> list[str]:
    """A command over as many lines as it takes, as a shell reads it."""
    lines = [""]
    for word in map(shlex.quote, shlex.split(command)):
        if lines[-1] and len(lines[-1]) + len(word) + 6 > line_width():
            lines.append("")
        lines[-1] += f" {word}"
    lines = [f" {line}" if number == 0 else f"   {line}" for number, line in enumerate(lines)]
    return [f"{line} \\" for line in lines[:-1]] + lines[-1:]


def say(*parts: str | PagePart, error: bool = False, plain: bool = False) -> None:
    """Print texts and parts of pages below one another, in letters that the stream can say.

    On a terminal they are laid out in its width, and what they mean has its color there, unless it is to be plain.
    """
    waiting.end()
    stream = sys.stderr if error or _Manner.data_on_stdout else sys.stdout
    if stream is None or stream.closed:
        return  # nobody listens
    encoding = stream.encoding or "utf-8"
    if plain or not stream.isatty():
        text = Page(*parts) if len(parts) != 1 or not isinstance(parts[0], str) else parts[0]
        stream.write(f"{_sayable(neutral(text), encoding)}\n")
        return
    page = Page(*parts).mapped(lambda text: _sayable(neutral(text), encoding))
    lines = page.lines(shutil.get_terminal_size().columns)
    in_colors = wants_colors(stream) and not error
    stream.write((painted(lines) if in_colors else "\n".join(map(text_of, lines))) + "\n")


def _sayable(text: str, encoding: str) -> str:
    """Return a text in letters of an encoding, others by what is most like them."""
    try:
        text.encode(encoding)
    except UnicodeEncodeError:
        return text.translate(_PLAIN).encode(encoding, "replace").decode(encoding)
    return text


def is_narrow() -> bool:
    """Return whether texts go to a terminal that is narrower than usual."""
    return sys.stdout is not None and sys.stdout.isatty() and shutil.get_terminal_size().columns < USUAL


def flush() -> None:
    """Let what was said be seen now, in pipes too."""
    if sys.stdout is not None and not sys.stdout.closed:
        sys.stdout.flush()


def say_json(value: Mapping[str, Any]) -> None:
    """Print plain values as JSON, and where they come from."""
    from mint_ledger.cli.origin import origin

    told = {**value, "origin": origin()}
    say_json_text(json.dumps(plain_json(told), indent=2, ensure_ascii=False, allow_nan=False))


def say_json_text(text: str) -> None:
    """Print JSON; letters that the stream cannot say, or that would steer a terminal, are written as escapes."""
    encoding = getattr(sys.stdout, "encoding", None) or "utf-8"
    try:
        is_sayable = text.replace("\n", "").isprintable() and text.encode(encoding) is not None
    except UnicodeEncodeError:
        is_sayable = False
    say(text if is_sayable else _escaped(text), plain=True)


def _escaped(text: str) -> str:
    """JSON in ASCII alone: whatever else stands in it stands within strings."""
    units = text.encode("utf-16-be", "surrogatepass")
    codes = [int.from_bytes(units[at : at + 2], "big") for at in range(0, len(units), 2)]
    return "".join(chr(code) if 0x20 <= code < 0x7F or code == 0x0A else f"\\u{code:04x}" for code in codes)
