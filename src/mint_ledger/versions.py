"""The versions of what the numbers depend on."""

from __future__ import annotations

import platform
from importlib.metadata import version

from mint_ledger import __version__

NAMES = ("numpy", "scipy", "llvmlite", "pydantic")


def versions() -> dict[str, str]:
    """Mint Ledger's, Python's, and those of the packages that matter."""
    return {"mint-ledger": __version__, "Python": platform.python_version(), **{name: version(name) for name in NAMES}}
