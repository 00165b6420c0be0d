"""The site as it is built: code is code, every section is there, and so is every file that a page links to."""

from __future__ import annotations

import re
from html.parser import HTMLParser
from pathlib import Path

import pytest

DOCS = Path(__file__).parent.parent / "docs"
CONFIG = DOCS.parent / "mkdocs.yml"
pytestmark = pytest.mark.skipif(not CONFIG.exists(), reason="the sdist has no site")


class _Page(HTMLParser):
    """The headings and links of a page, its blocks of code, and what stands outside of those."""

    def __init__(self) -> None:
        super().__init__()
        self.headings: list[str] = []
        self.blocks = 0
        self.outside: list[str] = []
        self.links: list[str] = []
        self._inside: list[str] = []

    def handle_starttag(self, tag: str, attrs: list[tuple[str, str | None]]) -> None:
        if tag in ("h1", "h2", "h3", "code", "script", "style"):
            self._inside.append(tag)
            if tag.startswith("h"):
                self.headings.append("")
        self.blocks += tag == "pre"
        self.links += [value for name, value in attrs if name in ("href", "src") and value]

    def handle_endtag(self, tag: str) -> None:
        if tag in self._inside:
            self._inside.remove(tag)

    def handle_data(self, data: str) -> None:
        if self.headings and any(tag.startswith("h") for tag in self._inside):
            self.headings[-1] += data
        if not {"code", "script", "style"} & set(self._inside):
            self.outside.append(data)


@pytest.fixture(scope="module")
def site(tmp_path_factory: pytest.TempPathFactory) -> Path:
    from mkdocs.commands.build import build
    from mkdocs.config import load_config

    folder = tmp_path_factory.mktemp("site")
    build(load_config(str(CONFIG), site_dir=str(folder), strict=True))
    return folder


def _read(html: Path) -> _Page:
    page = _Page()
    page.feed(html.read_text("utf-8"))
    return page


def test_fences_are_code_and_headings_are_headings_on_every_page(site: Path) -> None:
    fence = re.compile(r"^```.*?^```", re.MULTILINE | re.DOTALL)
    for source in sorted(DOCS.glob("**/*.md")):
        text = source.read_text("utf-8")
        name = source.relative_to(DOCS).with_suffix("")
        html = site / ("index.html" if str(name) == "index" else name / "index.html")
        page = _read(html)
        assert "```" not in "".join(page.outside), name
        assert page.blocks >= len(fence.findall(text)), name
        wanted = re.findall(r"^##? (.+)$", fence.sub("", text), re.MULTILINE)
        shown = {re.sub(r"\W+", " ", heading).strip() for heading in page.headings}
        for heading in wanted:
            plain = re.sub(r"\W+", " ", re.sub(r"\]\([^)]*\)", "", heading)).strip()
            assert plain in shown, (name, heading)


def test_every_link_to_a_file_of_the_site_leads_somewhere(site: Path) -> None:
    for html in sorted(site.glob("**/*.html")):
        if html.name == "404.html":
            continue
        for link in _read(html).links:
            path = link.partition("#")[0]
            if path and "://" not in link and not link.startswith(("mailto:", "data:")):
                target = (html.parent / path).resolve()
                assert (target / "index.html").exists() or target.is_file(), (html, link)
    assert (site / "how-to" / "orchard.yaml").is_file()
