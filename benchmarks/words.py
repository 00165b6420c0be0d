"""How long the sentences of the pages are, and how many words stand in them that are seldom right.

    python benchmarks/words.py [PAGE ...]

One line a page: sentences, words a sentence, sentences of more than 30 words, and how often a word of language.md's
list of words to avoid stands in it that a test cannot forbid (`tell`, `say`, `look`, `stand`, `so many` …).
"""

from __future__ import annotations

import re
import sys
from pathlib import Path

ROOT = Path(__file__).parent.parent
LONG = 30
SELDOM = re.compile(
    r"\b(?:tells?|told|says?|said|looks?|looked|looking|stands?|beside|so (?:many|long|often|much)|comes? to|"
    r"hangs? on|of (?:its|one's|their) own|wanted)\b",
    re.IGNORECASE,
)
# Made from the code, or lists of calls and keys.
MADE = {"commands.md", "options.md", "python-api.md", "game-file-keys.md", "columns.md"}


def sentences(text: str) -> list[list[str]]:
    """The sentences of a page in words, without its code, tables and headings."""
    text = re.sub(r"```.*?```", "", text, flags=re.DOTALL)
    kept = [line for line in text.split("\n") if not re.match(r"\s*(?:\||#|<|!|---)", line)]
    paragraphs = re.split(r"\n\s*\n|\n(?=\s*(?:[-*]|\d+\.) )", "\n".join(kept))
    found = []
    for paragraph in paragraphs:
        plain = re.sub(r"`[^`]*`", "x", re.sub(r"\[([^\]]*)\]\([^)]*\)", r"\1", " ".join(paragraph.split())))
        found += [sentence.split() for sentence in re.split(r"(?<=[.!?:;])\s+(?=[A-Z`*(])", plain) if sentence.strip()]
    return found


def main() -> None:
    pages = [Path(name) for name in sys.argv[1:]] or [
        ROOT / "README.md",
        *(page for page in sorted((ROOT / "docs").glob("*.md")) if page.name not in MADE),
        *sorted((ROOT / "docs" / "how-to").glob("*.md")),
    ]
    all_words = all_sentences = all_long = all_seldom = 0
    print(f"{'page':<34}{'sentences':>10}{'words each':>11}{'over 30':>9}{'seldom right':>14}")
    for page in pages:
        text = page.read_text("utf-8")
        found = sentences(text)
        words = sum(map(len, found))
        long = sum(len(sentence) > LONG for sentence in found)
        seldom = len(SELDOM.findall(re.sub(r"```.*?```", "", text, flags=re.DOTALL)))
        print(f"{page.name:<34}{len(found):>10}{words / max(len(found), 1):>11.1f}{long:>9}{seldom:>14}")
        all_words, all_sentences = all_words + words, all_sentences + len(found)
        all_long, all_seldom = all_long + long, all_seldom + seldom
    mean = all_words / max(all_sentences, 1)
    print(f"{'all':<34}{all_sentences:>10}{mean:>11.1f}{all_long:>9}{all_seldom:>14}")


if __name__ == "__main__":
    main()
