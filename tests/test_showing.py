"""Results reach their views through one door, and nothing else below the views knows them."""

from __future__ import annotations

import re
from pathlib import Path

import mint_ledger
from mint_ledger import showing

SOURCE = Path(mint_ledger.__file__).parent
BELOW = [
    f
    for f in SOURCE.rglob("*.py")
    if f.relative_to(SOURCE).parts[0] not in ("views", "cli", "pytest_plugin.py", "__init__.py")
]


def test_every_view_that_a_result_names_is_there() -> None:
    named = {
        name
        for file in BELOW
        for name in re.findall(r"showing\.(?:text|figure|view)\(\s*['\"]([\w.]+)['\"]", file.read_text("utf-8"))
    }
    assert len(named) > 30
    assert all(callable(showing.view(name)) for name in named)


def test_nothing_below_the_views_imports_one() -> None:
    assert [file.name for file in BELOW if "from mint_ledger.views" in file.read_text("utf-8")] == []
