"""Words that went: none of them stands in what people read: README, docs, help, messages, findings, docstrings, comments.

`benchmarks/words.py` counts what a list cannot decide: long sentences, and words that are right in some places.
"""

from __future__ import annotations

import io
import re
import tokenize
from pathlib import Path

import pytest

ROOT = Path(__file__).parent.parent
# What went, and what is said in its place.
GONE = {
    r"\bmend(?:s|ed|ing)?\b": "fix",
    r"\banew\b": "again",
    r"\bonce more\b": "again",
    r"\bover again\b": "again",
    r"\bbesides\b": "next to, as well, in addition to",
    r"\bbut for\b|\bsave for\b": "except",
    r"\bluck of (?:its|their|his|one's) own\b": "a separate seed",
    r"\bhowever often (?:somebody|you|anybody|one) looks?\b": "valid at any number of runs",
    r"\bknowing all\b": "with perfect information",
    r"\b(?:dont|doesnt|cant|wont)\b": "do not, cannot",
    r"\b(?:colour|armour|behaviour|favour|neighbour)s?\b(?!\.)": "color, armor: American spelling",
}
# The names of findings are keys of game files.
KEYS = re.compile(r"carried[-_]and[-_]set[-_]anew|_opened_anew")
PAGES = [ROOT / "README.md", *(p for p in sorted((ROOT / "docs").rglob("*.md")))]
# What designers try is listed there, to be answered with what is meant here.
TRIED = "trade_words.py"
PACKAGE = ROOT / "src" / "mint_ledger"
SOURCES = [*sorted(path for path in PACKAGE.rglob("*.py") if path.name != TRIED), *PACKAGE.rglob("*.j2")]


def words_of(path: Path) -> str:
    """The text of a page, or the strings and comments of a source file."""
    text = path.read_text("utf-8")
    if path.suffix != ".py":
        return text
    kinds = {tokenize.STRING, tokenize.COMMENT, getattr(tokenize, "FSTRING_MIDDLE", -1)}
    tokens = tokenize.generate_tokens(io.StringIO(text).readline)
    return "\n".join(token.string for token in tokens if token.type in kinds)


@pytest.mark.parametrize("path", [*PAGES, *SOURCES], ids=lambda path: str(path.relative_to(ROOT)))
def test_words_that_went_stay_away(path: Path) -> None:
    text = KEYS.sub("", words_of(path))
    found = {
        f"{match[0]!r}: say {said}"
        for pattern, said in GONE.items()
        for match in re.finditer(pattern, text, re.IGNORECASE)
    }
    assert not found, f"{path.relative_to(ROOT)}: {'; '.join(sorted(found))}"


def _found(path: Path) -> list[str]:
    return sorted(match[0] for pattern in GONE for match in re.finditer(pattern, words_of(path)))


def test_the_list_finds_what_is_put_in(tmp_path: Path) -> None:
    page, source = tmp_path / "page.md", tmp_path / "source.py"
    page.write_text("It has to be mended, and played once more.", "utf-8")
    assert _found(page) == ["mended", "once more"]
    # Names in code are none of its business, strings and comments are.
    source.write_text('besides = 1  # begins anew\nprint("and besides")\n', "utf-8")
    assert _found(source) == ["anew", "besides"]
