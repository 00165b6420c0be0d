"""A page: what a view returns, as parts that can be laid out in any width, with what each piece of them means.

A page is a text as well: that of the usual width. What shows it (a terminal, a notebook) asks for its lines as spans,
and decides there how a meaning looks. Nothing finds a table or a meaning in a text that is already laid out.
"""

from __future__ import annotations

import textwrap
from collections.abc import Callable, Iterable
from dataclasses import dataclass, replace
from typing import Literal, Protocol

from mint_ledger.views.width import line_width

# What a piece of a text means: won, met or gained; lost, missed or taken; a bar; an interval; the title.
Meaning = Literal["", "good", "bad", "bar", "aside", "title"]
# Pieces of a line, each with its meaning.
Spans = list[tuple[str, Meaning]]
NO_BREAK = "\u00a0"


class PagePart(Protocol):
    """What a page is made of, next to plain lines."""

    def usual(self) -> list[Spans]:
        """Return its lines at the usual width."""
        ...

    def narrow(self, columns: int) -> list[Spans]:
        """Return its lines in a width that the usual ones do not fit into."""
        ...

    def mapped(self, change: Callable[[str], str]) -> PagePart:
        """Return the same with every text changed."""
        ...


# What a view collects before it makes a page of it.
Parts = list[str | PagePart]


@dataclass(frozen=True, slots=True)
class Sentence:
    """A text that goes on in as many lines as it takes.

    Attributes:
        text: the words.
        indent: how deep its first line stands.
        hanging: how deep the others stand; two letters deeper than the first by default.
        lead: what stands before the first line in place of the indent.
        meaning: what all of it means.
        tied: a space after which no line may end: that before a unit, say.
    """

    text: str
    indent: int = 0
    hanging: int | None = None
    lead: str = ""
    meaning: Meaning = ""
    tied: tuple[str, ...] = ()

    def usual(self) -> list[Spans]:
        """Return its lines in the width that all texts have."""
        return self.narrow(line_width())

    def narrow(self, columns: int) -> list[Spans]:
        """Return its lines in so many letters; what leads in is no deeper than half of them."""
        text = self.text
        for piece in self.tied:
            text = text.replace(piece, piece.replace(" ", NO_BREAK))
        lead = self.lead or " " * min(self.indent, columns // 2)
        hanging = min(self.indent + 2 if self.hanging is None else self.hanging, columns // 2)
        lines = textwrap.wrap(
            text,
            columns,
            initial_indent=lead,
            subsequent_indent=" " * hanging,
            break_on_hyphens=False,
            break_long_words=columns < len(lead) + max(map(len, text.split()), default=0),
        )
        return [[(line.replace(NO_BREAK, " ") if self.tied else line, self.meaning)] for line in lines or [lead]]

    def mapped(self, change: Callable[[str], str]) -> Sentence:
        """Return it with its words changed."""
        return replace(self, text=change(self.text), lead=change(self.lead))


class MarkedLine:
    """A line in pieces; it goes on in further lines only where it does not fit.

    Args:
        pieces: texts, with their meanings where they mean something.
    """

    __slots__ = ("pieces",)

    def __init__(self, *pieces: str | tuple[str, Meaning]) -> None:
        self.pieces: Spans = [(piece, "") if isinstance(piece, str) else piece for piece in pieces]

    def usual(self) -> list[Spans]:
        """Return it as it is."""
        return [list(self.pieces)]

    def narrow(self, columns: int) -> list[Spans]:
        """Return it over as many lines as it takes."""
        text = "".join(piece for piece, _ in self.pieces)
        if len(text) <= columns:
            return self.usual()
        return Sentence(text.strip(), len(text) - len(text.lstrip())).narrow(columns)

    def mapped(self, change: Callable[[str], str]) -> MarkedLine:
        """Return it with its pieces changed."""
        return MarkedLine(*((change(piece), meaning) for piece, meaning in self.pieces))


class Page(str):
    """A text of parts; its first line is its title.

    Args:
        parts: lines, sentences, tables and other pages, in their order; a text of several lines is as many lines.
    """

    __slots__ = ("parts",)
    parts: tuple[PagePart, ...]

    def __new__(cls, *parts: str | PagePart) -> Page:
        """Lay it out in the usual width."""
        flat = tuple(_flat(parts))
        page = super().__new__(cls, "\n".join(text_of(spans) for part in flat for spans in part.usual()))
        page.parts = flat
        return page

    def __getnewargs__(self) -> tuple[PagePart, ...]:  # type: ignore[override]
        """Return what a copy is made of."""
        return self.parts

    def lines(self, columns: int | None = None) -> list[Spans]:
        """Return its lines, none longer than a width (where one is named), each as pieces with their meanings."""
        lines: list[Spans] = []
        for part in self.parts:
            usual = part.usual()
            fits = columns is None or all(sum(len(text) for text, _ in spans) <= columns for spans in usual)
            lines += usual if fits or columns is None else part.narrow(columns)
        if lines:
            lines[0] = [(text, meaning or "title") for text, meaning in lines[0]]
        return lines

    def mapped(self, change: Callable[[str], str]) -> Page:
        """Return it with every text changed."""
        return Page(*(part.mapped(change) for part in self.parts))


def _flat(parts: Iterable[str | PagePart]) -> Iterable[PagePart]:
    for part in parts:
        if isinstance(part, Page):
            yield from part.parts
        elif isinstance(part, str):
            for line in part.split("\n"):
                yield MarkedLine(line)
        else:
            yield part


def text_of(spans: Spans) -> str:
    """Return a line without what it means."""
    return "".join(text for text, _ in spans)


def apart(*pages: str | PagePart) -> Page:
    """Return pages below one another, with an empty line between."""
    return Page(*(part for place, page in enumerate(pages) for part in (*([""] if place else []), page)))


def paragraph(sentences: Iterable[str]) -> Sentence:
    """Return the sentences that an output leads with, as one that stands at the left."""
    return Sentence(" ".join(sentences), hanging=0)
