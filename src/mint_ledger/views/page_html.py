"""A page as HTML: its tables as tables, its sentences as paragraphs, what a piece means as its color."""

from __future__ import annotations

from html import escape as escaped

from mint_ledger.plain import neutral
from mint_ledger.views.page import MarkedLine, Meaning, Page, PagePart, Sentence, Spans
from mint_ledger.views.text_table import TextTable, meaning_of

# Readable on white and on black; the same as on terminals.
COLORS: dict[Meaning, str] = {
    "title": "font-weight:bold",
    "good": "color:#0087d7;font-weight:bold",
    "bad": "color:#d75f00;font-weight:bold",
    "bar": "color:#00afaf",
    "aside": "color:#808080",
}
# The room of two spaces of indent.
INDENT = 0.5


def page_html(page: Page) -> str:
    """Return all parts of a page; its first line is its title."""
    first, *others = page.parts
    return f"<div>{_part(first, is_title=True)}{''.join(map(_part, others))}</div>"


def escape(text: str) -> str:
    """A text as HTML can hold it, with nothing in it that steers."""
    return escaped(neutral(text))


def _part(part: PagePart, *, is_title: bool = False) -> str:
    if isinstance(part, TextTable):
        return _table(part)
    if isinstance(part, Sentence):
        text = f"{part.lead}{part.text}"
        depth, pieces = len(part.lead) - len(part.lead.lstrip()) if part.lead else part.indent, [(text, part.meaning)]
    else:
        assert isinstance(part, MarkedLine), part
        text = "".join(piece for piece, _ in part.pieces)
        depth, pieces = len(text) - len(text.lstrip()), part.pieces
    meant: Spans = [(piece, meaning or ("title" if is_title else "")) for piece, meaning in pieces]
    return f'<div style="white-space:pre-wrap;min-height:1.2em;margin-left:{INDENT * depth:g}em">{_spans(meant)}</div>'


def _spans(pieces: Spans) -> str:
    shown = [(piece.strip("\n") if len(pieces) > 1 else piece.strip(), meaning) for piece, meaning in pieces]
    return "".join(_colored(escape(piece), meaning) for piece, meaning in shown)


def _colored(text: str, meaning: Meaning) -> str:
    return f'<span style="{COLORS[meaning]}">{text}</span>' if meaning and text else text


def _table(table: TextTable) -> str:
    head = body = ""
    for words in table.head_rows():
        heads = zip(words, table.columns, strict=True)
        head += f"<tr>{''.join(f'<th {_side(at_left=c.at_left)}>{escape(word)}</th>' for word, c in heads)}</tr>"
    for row in table.rows:
        if isinstance(row, Sentence):
            body += f'<tr><td colspan="{len(table.columns)}" style="text-align:left">{escape(row.text)}</td></tr>'
            continue
        cells = zip(row, table.columns, strict=False)
        shown = (f"<td {_side(at_left=c.at_left)}>{_cell(cell, meaning_of(cell, c))}</td>" for cell, c in cells)
        body += f"<tr>{''.join(shown)}</tr>"
    return f"<table>{f'<thead>{head}</thead>' if head else ''}<tbody>{body}</tbody></table>"


def _cell(cell: str, meaning: Meaning) -> str:
    depth = len(cell) - len(cell.lstrip())
    return "&nbsp;" * depth + _colored(escape(cell.lstrip()), meaning)


def _side(*, at_left: bool) -> str:
    return f'style="text-align:{"left" if at_left else "right"};padding:0 0.6em 0 0"'
