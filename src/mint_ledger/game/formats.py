"""The numbers of the file's format, and how a file of an older one becomes one of today; its comments stay.

Format 1 is the only one so far. A file that names none is read as format 1.
"""

from __future__ import annotations

import re

from mint_ledger.errors import BadRequest
from mint_ledger.game.source import Source, parse_source

FORMAT = 1
KEY = "mint_ledger"
_HEAD = re.compile(r"(?:\ufeff?(?:[ \t]*#[^\n]*|[ \t]*|%[^\n]*|---[ \t]*(?:#[^\n]*)?)\n)*")


def upgraded(source: Source) -> str | None:
    """The text of a file as it is written today; none where it is that already.

    Raises:
        BadRequest: the number cannot be put into this file without touching anything else.
    """
    if KEY in source.data:
        return None
    head = _HEAD.match(source.text)
    begin = head.end() if head is not None else 0
    rest = source.text[begin:]
    brace = re.match(r"\s*(?:---\s*)?\{[ \t]*", rest)
    if brace is not None:
        key = f'"{KEY}"' if re.match(r'\s*"', rest[brace.end() :]) else KEY
        comma = ", " if source.data else ""
        text = f"{source.text[: begin + brace.end()]}{key}: {FORMAT}{comma}{rest[brace.end() :]}"
    else:
        indent = re.match(r"[ \t]*", rest)
        text = f"{source.text[:begin]}{indent[0] if indent else ''}{KEY}: {FORMAT}\n{rest}"
    if parse_source(text, source.file).data != {KEY: FORMAT, **source.data}:
        raise BadRequest(f"{source.file}: write '{KEY}: {FORMAT}' as its first line by hand: it is written unusually")
    return text
